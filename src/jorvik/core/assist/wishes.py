"""Work it out for me: wishes for a lane, solved for amounts, times and the set value.

A bounded least-squares fit (scipy's trust-region reflective) over a trace at a low rate; each residual is a wish missed,
in its tolerance. What cannot be met together comes out as what is left.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Final, Literal

import numpy as np
from scipy.optimize import least_squares

from jorvik.core.destinations import VOICE, Destination
from jorvik.core.engine.run import never, trace
from jorvik.core.kernels import Floats
from jorvik.core.measure.lane import measure
from jorvik.core.patch import Patch, check_patch
from jorvik.core.problems import Problem, shown

What = Literal["start", "peak", "peak_s", "settle", "least", "greatest", "at_off"]
RATE: Final = 4000
MET: Final = 1.0
"""A wish is met within its tolerance: a tenth of a semitone, a five-hundredth of the range, 2 ms."""


@dataclass(frozen=True)
class Wish:
    """A figure that a lane shall have; a level in the lane's unit, a time in seconds after note-on."""

    what: What
    value: float
    velocity: float | None = None
    key: float | None = None


@dataclass(frozen=True)
class Met:
    """What became of a wish."""

    wish: Wish
    got: float
    met: bool


@dataclass(frozen=True)
class Solved:
    """A patch that comes as near to the wishes as it can."""

    patch: Patch
    changes: list[str]
    met: list[Met]


@dataclass(frozen=True)
class _Free:
    """A figure that may be changed."""

    label: str
    place: tuple[str, str, str]
    start: float
    low: float
    high: float
    log: bool


def solve(
    patch: Patch,
    lane: str,
    wishes: Sequence[Wish],
    cancelled: Callable[[], bool] = never,
    progress: Callable[[int], None] | None = None,
) -> Solved:
    """Return the patch with the set value and the adding routes' amounts, and envelope times, that meet the wishes best.

    Raises Problem when there is nothing to wish for, or nothing to change.
    """
    at = patch.destination(lane)
    if at is None or lane not in VOICE:
        raise Problem("lane", shown(lane), "a destination of the voice")
    if not 1 <= len(wishes) <= 16:
        raise Problem("wishes", str(len(wishes)), "1 to 16 of them")
    for wish in wishes:
        if not wish.what.endswith("_s") and not at.low <= wish.value <= at.high:
            raise Problem(f"the wish for {wish.what}", f"{wish.value:g}", f"{at.low:g} to {at.high:g} {at.unit}")
    free = _free(patch, at, any(wish.what == "peak_s" for wish in wishes))
    lows, highs = np.array([f.low for f in free]), np.array([f.high for f in free])
    start = np.clip([f.start for f in free], lows + 1e-9, highs - 1e-9)
    runs = 0

    def residuals(x: Floats) -> Floats:
        nonlocal runs
        runs += 1
        if cancelled():
            raise InterruptedError
        if progress:
            progress(runs)
        got = _figures(_with(patch, free, x), lane, wishes)
        missed = [_missed(at, wish, value) for wish, value in zip(wishes, got, strict=True)]
        # A little is charged for change, so that of many answers the nearest is taken.
        return np.concatenate([missed, 1e-3 * (x - start) / np.maximum(highs - lows, 1e-9)])

    best = least_squares(
        residuals,
        start,
        bounds=(lows, highs),
        diff_step=np.full(start.size, 1e-3),
        x_scale=np.maximum(highs - lows, 1e-6),
        max_nfev=40,
    )
    tidy = np.array([float(f"{value:.5g}") for value in best.x])
    solved = _with(patch, free, tidy)
    got = _figures(solved, lane, wishes)
    changes = [
        f"{f.label} {_value(f, a):.4g} to {_value(f, b):.4g}"
        for f, a, b in zip(free, start, tidy, strict=True)
        if abs(a - b) > 1e-4 * max(1.0, abs(a))
    ]
    met = [Met(w, g, abs(_missed(at, w, g)) <= MET) for w, g in zip(wishes, got, strict=True)]
    return Solved(solved, changes, met)


def _value(free: _Free, x: float) -> float:
    return float(2.0**x) if free.log else float(x)


def _free(patch: Patch, at: Destination, times: bool) -> list[_Free]:
    """Return what may be changed: the set value, the amounts that add, and the attacks where a time is wished for."""
    n = at.steps_per_octave
    ends = (at.low, at.high)
    base = patch.base(at)
    if n:
        found = [
            _Free(
                f"{at.title.lower()} set at",
                ("base", at.name, ""),
                float(np.log2(base)),
                float(np.log2(ends[0])),
                float(np.log2(ends[1])),
                True,
            )
        ]
    else:
        found = [_Free(f"{at.title.lower()} set at", ("base", at.name, ""), base, *ends, False)]
    most = n * float(np.log2(at.high / at.low)) if n else at.high - at.low
    for route in patch.live_routes:
        if route.destination != at.name or route.mode != "add":
            continue
        found.append(
            _Free(
                f"{route.source} on {at.title.lower()}", ("route", route.id, "amount"), route.amount, -most, most, False
            )
        )
        module = patch.modules_by_id.get(route.source)
        if times and module is not None and module.kind == "envelope":
            attack = max(module.slot_value("attack_s", patch.performance.tempo), 1e-3)
            found.append(
                _Free(
                    f"{module.id} attack", ("module", module.id, "attack_s"), float(np.log2(attack)), -10.0, 4.0, True
                )
            )
    if len(found) == 1 and any(r.destination == at.name and r.mode == "range" for r in patch.live_routes):
        raise Problem(at.title.lower(), "only a range on it", "a route that adds; turn the range into an amount first")
    return found


def _with(patch: Patch, free: Sequence[_Free], x: Floats) -> Patch:
    document: dict[str, Any] = patch.document()
    for f, raw in zip(free, x, strict=True):
        kind, name, field = f.place
        value = float(f"{_value(f, float(raw)):.7g}")
        if kind == "base":
            voice = document.get("voice", {})
            document["voice"] = {**voice, "base": {**voice.get("base", {}), name: value}}
        else:
            rows = document["routes" if kind == "route" else "modules"]
            for row in rows:
                if row["id"] == name:
                    row[field] = value
    return check_patch(document)


def _figures(patch: Patch, lane: str, wishes: Sequence[Wish]) -> list[float]:
    """Return what a lane has of each wish, one trace for each velocity and key that is asked for."""
    traces: dict[tuple[float | None, float | None], dict[str, float]] = {}
    found = []
    for wish in wishes:
        played = (wish.velocity, wish.key)
        if played not in traces:
            of = trace(patch.with_note(velocity=wish.velocity, key=wish.key), RATE)
            note = of.run.notes[0]
            values = of.lanes[lane].value if lane in of.lanes else np.full(of.time_s.size, patch.base(VOICE[lane]))
            figures = measure(values, note.on, note.off, RATE)
            held = values[note.on : max(note.off, note.on + 1)]
            traces[played] = {
                "start": figures.start,
                "peak": figures.peak,
                "peak_s": figures.peak_s,
                "settle": float(np.median(held[-max(1, held.size // 5) :])),
                "least": figures.least,
                "greatest": figures.peak,
                "at_off": figures.at_off,
            }
        found.append(traces[played][wish.what])
    return found


def _missed(at: Destination, wish: Wish, got: float) -> float:
    """Return by how many tolerances a wish is missed."""
    if wish.what.endswith("_s"):
        return (got - wish.value) / 0.002
    if at.steps_per_octave:
        return at.distance(max(wish.value, 1e-6), max(got, 1e-6)) / 0.1
    return (got - wish.value) / (0.002 * (at.high - at.low))
