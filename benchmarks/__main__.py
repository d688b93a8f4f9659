"""Print every figure of one run: the engine against fused loops, in multiples of real time, and the browser's."""

import argparse
import os
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache, partial
from itertools import cycle

import numpy as np

from benchmarks import rivals
from benchmarks.analysis import analysis
from benchmarks.browser import browser
from benchmarks.drafts import drafts
from benchmarks.library import library
from benchmarks.live import live
from benchmarks.phrases import phrases
from benchmarks.timing import compared, median
from benchmarks.work import work
from benchmarks.workloads import DEMOS, PLAIN, RATE, demo, feedback_patch, run_all, twenty
from jorvik.core.document.patch import check_patch, edited
from jorvik.core.engine.run import Run
from jorvik.core.engine.trace import trace
from jorvik.core.judgement import judge
from jorvik.core.measure.context import Context
from jorvik.core.measure.patch import measure_patch
from jorvik.core.measure.sweep import By, at_step, sweep
from jorvik.core.voice.render import render
from jorvik.web.forms.common import Sheet
from jorvik.web.services.row_caches import RowCaches
from jorvik.web.services.sheet import sheet
from tests.core.test_limits import run_everything
from tests.core.test_windowed import judged_alone, largest


def engine() -> None:
    """Print the engine's figures."""
    bell = check_patch(demo("barge-bell"))
    length = Run(bell).length
    note = bell.performance.notes[0]
    out = rivals.rows(26, length)
    ours, theirs, ratio = compared(
        run_all(bell),
        lambda: rivals.barge_bell(length, float(RATE), note.velocity / 127, (note.key - 60) / 12, 0.35, out),
    )
    line("Barge Bell, every row, against its fused loop", ours, theirs, ratio, "at most 1.7")
    check = trace(bell)
    np.testing.assert_allclose(out[13], check.lanes["cutoff"].value, rtol=1e-6)
    np.testing.assert_allclose(out[23], check.lanes["amplitude"].value, atol=1e-6)

    looped = check_patch(feedback_patch())
    length = Run(looped).length
    out = rivals.rows(8, length)
    ours, theirs, ratio = compared(run_all(looped), lambda: rivals.slew_oscillator(length, float(RATE), out))
    line("slew, comparator and filter in a loop, every row, against its fused loop", ours, theirs, ratio, "at most 3")
    np.testing.assert_allclose(out[3], trace(looped).signals["ring"], atol=1e-6)

    many = check_patch(twenty())
    multiple(
        "20 modules, 20 routes, 4 s, all contributions, kept whole", 4.0, median(lambda: trace(many)), "at least 40"
    )
    for name in ("ferry-horn", "ice-crack", "barge-bell"):
        patch = check_patch(demo(name))
        seconds = patch.performance.seconds
        multiple(f"trace of {name}", seconds, median(lambda patch=patch: trace(patch)))  # type: ignore[misc]


def sound() -> None:
    """Print the voice's figures."""
    plain = check_patch(PLAIN)
    length = Run(plain).length
    ours, theirs, ratio = compared(lambda: render(plain), lambda: rivals.scipy_voice(length, RATE))
    seconds = plain.performance.seconds
    multiple("render of one plain voice", seconds, ours, "at least 60")
    line("the same static patch by scipy.signal, saw, resample_poly and sosfilt", ours, theirs, ratio, "stated")
    name, real = heaviest()
    multiple(f"render of the heaviest demo, {name}", 1.0, 1.0 / real, "at least 20")


@cache
def heaviest() -> tuple[str, float]:
    """Return the demo that is slowest to render, and how many times faster than real time it is."""
    times = {path.stem: median(lambda p=path: render(check_patch(demo(p.stem))), 3) for path in DEMOS}  # type: ignore[misc]
    reals = {name: check_patch(demo(name)).performance.seconds / taken for name, taken in times.items()}
    name = min(reals, key=lambda name: reals[name])
    return name, reals[name]


def judgement() -> None:
    """Print what measuring and judging take beside tracing and rendering, and a ladder beside one step."""
    name, _ = heaviest()
    heavy = check_patch(demo(name))

    def judged() -> None:
        judge(Context(heavy))

    work, rival, ratio = compared(judged, lambda: (trace(heavy), render(heavy)))
    line(f"all measures, findings and readings of {name}, against trace and render", work, rival, ratio, "at most 1")
    patch = check_patch(demo("sluice-gate"))
    cores = os.cpu_count() or 1
    by: By
    for by, low, high, kind in (
        ("velocity", 1.0, 127.0, "velocities"),
        ("length_s", 2.0, 3.2, "lengths, which have nothing in common"),
    ):
        steps = [at_step(patch, by, value) for value in np.linspace(low, high, 16)]
        many, one, ratio = compared(
            lambda steps=steps: sweep(steps, lambda of, cache: measure_patch(of, cache=cache), cores),  # type: ignore[misc]
            lambda: measure_patch(patch),
        )
        line(f"a sweep of 16 {kind}, against one", many, one, ratio, "at most 9 on two cores")
    with ThreadPoolExecutor(cores) as pool:
        many, one, ratio = compared(
            lambda: list(pool.map(rivals.arithmetic, [20_000_000] * 16)), lambda: rivals.arithmetic(20_000_000)
        )
    line(f"16 pieces of arithmetic in {cores} threads, against one", many, one, ratio, "what the machine gives")


def edits() -> None:
    """Print what the sheet after an edit takes beside the sheet of a patch that was not there before."""
    bell = check_patch(demo("barge-bell"))
    route = bell.live_routes[0]
    turned = cycle(edited(bell, routes={route.id: {"amount": route.amount * (1.0 - 0.01 * i)}}) for i in range(1, 9))

    def at(caches: RowCaches) -> Sheet:
        return sheet(next(turned), RATE, 900, [], caches)

    kept = RowCaches()
    ours, alone, ratio = compared(lambda: at(kept), lambda: at(RowCaches()))
    line("the sheet after an edit of one amount, against a sheet from nothing", ours, alone, ratio, "stated")


def largest_judged() -> None:
    """Print what judging the largest patch takes, in a process of its own."""
    begin = time.perf_counter()
    found = judged_alone(largest())
    taken = time.perf_counter() - begin
    print(f"judgement of the largest patch, 60 s: {taken:.0f} s and {found['bytes'] / 1e9:.2f} GB (aim: under 1.5 GB)")


def limits() -> None:
    """Print what a patch at every limit at once takes."""
    begin = time.perf_counter()
    found = run_everything(RATE)
    taken = time.perf_counter() - begin
    print(f"every limit at once, 60 s: {taken:.0f} s and {found['bytes'] / 1e9:.2f} GB (aim: at most 2 GB)")


def line(what: str, ours: float, theirs: float, ratio: float, aim: str) -> None:
    """Print a comparison."""
    print(f"{what}: {ours * 1000:.1f} ms against {theirs * 1000:.1f} ms, ratio {ratio:.2f} (aim: {aim})")


def multiple(what: str, seconds: float, taken: float, aim: str = "") -> None:
    """Print a multiple of real time."""
    print(f"{what}: {seconds / taken:.0f} x real time{f' (aim: {aim})' if aim else ''}")


def main() -> int:
    """Print the parts that are named, or everything."""
    parts: dict[str, Callable[[], None]] = {
        part.__name__: part
        for part in (
            engine,
            sound,
            judgement,
            edits,
            limits,
            work,
            largest_judged,
            phrases,
            analysis,
            library,
            drafts,
            browser,
        )
    }
    asked = argparse.ArgumentParser(prog="python -m benchmarks", description=__doc__)
    asked.add_argument(
        "parts", nargs="*", metavar="PART", help=f"any of {', '.join(parts)}, live; all if none is named"
    )
    asked.add_argument("--plots", action="store_true", help="draw plots too")
    asked.add_argument("--no-browser", action="store_true", help="leave out what needs a browser")
    asked.add_argument("--live-seconds", type=float, default=60.0, help="how long many voices are played, 60 if unsaid")
    given = asked.parse_args()
    parts["live"] = partial(live, given.live_seconds)
    if unknown := [name for name in given.parts if name not in parts]:
        asked.error(f"no part {unknown[0]!r}; there are {', '.join(parts)}")
    for name, part in parts.items():
        if name in (given.parts or parts) and not (given.no_browser and name in ("browser", "live")):
            part()
    if given.plots:
        from benchmarks.plots import plots

        plots()
    return 0


if __name__ == "__main__":
    sys.exit(main())
