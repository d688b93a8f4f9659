"""A phrase's voices against the same notes one by one; the sheet of a long phrase after an edit; one at every limit."""

import multiprocessing
import resource
import time
from typing import Any

import numpy as np

from benchmarks.timing import median
from benchmarks.work import post
from benchmarks.workloads import RATE, Json, demo
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.pattern import Pattern
from jorvik.core.document.phrase import check_phrase
from jorvik.core.engine.run import Run
from jorvik.core.engine.shared_rows import shared_by_voices
from jorvik.core.phrases.patterns import with_pattern
from jorvik.core.phrases.typed import phrase_of
from jorvik.core.voice.render import render
from tests.support import Served

TURNS = 7
EDITS = 60


def row(count: int, beats: float, tempo: float, length: float) -> Json:
    """Return a phrase of so many notes over so many beats."""
    notes = [{"key": 45 + i % 12, "at": beats * i / count, "length": length} for i in range(count)]
    document = {"format": "jorvik-phrase", "version": 1, "tempo_bpm": tempo, "bars": max(1, round(beats / 4))}
    return {**document, "played": notes}


def voices(name: str) -> None:
    """Print 32 notes in 8 s against the sum of their windows, each run as a note of its own."""
    patch = check_patch(demo(name))
    of = patch.under(check_phrase(row(32, 16, 120, 0.45)))
    alone = patch.with_note(length_s=0.225)

    def together() -> None:
        shared = shared_by_voices(of, RATE)
        for voice in range(32):
            drained(Run(of, RATE, voice, shared))

    def apart() -> None:
        for _ in range(32):
            drained(Run(alone, RATE))

    a, b = median(together, TURNS), median(apart, TURNS)
    print(
        f"{name}, 32 notes in 8 s: {a * 1000:.0f} ms, ratio {a / b:.2f} to the sum of their windows (aim: at most 1.3)"
    )


def drained(run: Run) -> None:
    """Run every block."""
    for _ in run.blocks():
        pass


def edited_sheet(served: Served) -> None:
    """Print the time of a sheet of four bars with 64 notes after an edit of one amount."""
    patch = demo("ferry-horn")
    phrase = with_pattern(
        phrase_of([], bars=4, tempo_bpm=96), Pattern(kind="up and down", chord=[45, 52, 57, 60])
    ).document()
    taken = []
    for i in range(EDITS):
        patch["routes"][0]["amount"] = 10.0 + 0.01 * i
        body = {"document": patch, "phrase": phrase, "voice": i % 64, "columns": 900}
        begin = time.perf_counter()
        post(served, "sheet", body)
        taken.append(time.perf_counter() - begin)
    median, worst = np.median(taken) * 1000, np.percentile(taken, 95) * 1000
    print(f"the sheet of 64 notes after an edit: {median:.1f} ms, 95th percentile {worst:.0f} ms (aim: at most 150 ms)")


def at_every_limit() -> None:
    """Print the memory and time of rendering a phrase of as many notes, strikes and seconds as there may be."""
    with multiprocessing.get_context("spawn").Pool(1) as pool:
        seconds, megabytes = pool.apply(_largest)
    print(f"a phrase at every limit: rendered in {seconds:.0f} s with {megabytes:.0f} MB (aim: under 2000 MB)")


def _largest() -> tuple[float, float]:
    phrase: dict[str, Any] = row(512, 240, 120, 0.45)
    strikes = [{"at": 240 * i / 2048, "strength": 0.5, "length": 0.05} for i in range(128)]
    phrase["hits"] = [{"id": f"hit {i}", "strikes": strikes} for i in range(16)]
    phrase["controls"] = {"mod_wheel": [[240 * i / 511, i % 2] for i in range(512)]}
    of: Patch = check_patch(demo("ferry-horn")).under(check_phrase(phrase))
    begin = time.perf_counter()
    render(of, with_hits=True)
    return time.perf_counter() - begin, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000


def phrases() -> None:
    """Print all of it."""
    for name in ("ferry-horn", "lantern-hum", "ice-choir"):
        voices(name)
    served = Served()
    try:
        edited_sheet(served)
    finally:
        served.stop()
    at_every_limit()
