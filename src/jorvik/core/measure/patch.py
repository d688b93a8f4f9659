"""Figures of a whole patch: every lane and signal over its note, who moved what, and what moves alike."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import combinations
from typing import Final

import numpy as np

from jorvik.core.destinations import Destination
from jorvik.core.engine.run import LaneTrace, Trace, never, trace
from jorvik.core.kernels import Floats
from jorvik.core.limits import DEFAULT_RATE
from jorvik.core.measure.lane import Measures, correlation, measure, shares
from jorvik.core.patch import Patch

ALIKE: Final = 0.8
"""Lanes whose correlation is over this move alike, under its negative opposed."""

STILL_S: Final = 0.05
"""Nothing moves where every lane stays within a thousandth of its range for at least this long."""

_SILENT_DB: Final = -80.0


def musical_unit(at: Destination) -> str:
    """Return the unit in which a distance on a destination is told."""
    if at.unit == "st":
        return "cents"
    if at.law != "sum":
        return "st"
    return "dB" if at.name == "amplitude" or at.name.endswith("_level") else at.unit


def musical_distance(at: Destination, least: float, greatest: float) -> float:
    """Return how far a destination goes, in its musical unit."""
    unit = musical_unit(at)
    if unit == "cents":
        return 100.0 * (greatest - least)
    if unit == "st":
        return 12.0 * math.log2(greatest / least) if least > 0.0 else 0.0
    if unit == "dB":
        floor = 10.0 ** (_SILENT_DB / 20.0)
        return 20.0 * math.log10(max(greatest, floor) / max(least, floor))
    return greatest - least


@dataclass(frozen=True)
class LaneMeasures:
    """A lane's figures."""

    title: str
    unit: str
    measures: Measures
    distance: float
    """From its least to its greatest, in ``distance_unit``."""
    distance_unit: str
    shares: dict[str, float]
    """Each route's share of the variance."""


@dataclass(frozen=True)
class Pair:
    """How alike two lanes move."""

    a: str
    b: str
    correlation: float
    word: str


@dataclass(frozen=True)
class PatchMeasures:
    """Everything that is measured of a patch over its first note."""

    seconds: float
    on_s: float
    off_s: float
    lanes: dict[str, LaneMeasures]
    signals: dict[str, Measures]
    pairs: list[Pair]
    still: list[tuple[float, float]] = field(default_factory=list)
    """Stretches, in seconds of the run, in which nothing moves while the note is held."""


def measure_patch(patch: Patch, rate: int = DEFAULT_RATE, cancelled: Callable[[], bool] = never) -> PatchMeasures:
    """Return the figures of a patch's first voice over its first note."""
    return measure_trace(trace(patch, rate, cancelled=cancelled))


def measure_trace(of: Trace) -> PatchMeasures:
    """Return the figures of a trace over its first note."""
    note = of.run.notes[0]
    end = of.run.notes[1].on if len(of.run.notes) > 1 else of.time_s.size
    lanes = {
        name: _lane(lane, note.on, min(note.off, end), end, of.rate)
        for name, lane in of.lanes.items()
        if lane.lane.routes or name == "pitch"
    }
    voice = {name: of.lanes[name] for name in lanes if "." not in name and ":" not in name}
    return PatchMeasures(
        seconds=of.time_s.size / of.rate,
        on_s=note.on / of.rate,
        off_s=note.off / of.rate,
        lanes=lanes,
        signals={name: measure(values[:end], note.on, note.off, of.rate) for name, values in of.signals.items()},
        pairs=_pairs(voice, note.on, note.off),
        still=_still(voice, note.on, note.off, of.rate),
    )


def _lane(lane: LaneTrace, on: int, off: int, end: int, rate: int) -> LaneMeasures:
    at = lane.lane.destination
    found = measure(lane.value[:end], on, off, rate, lane.raw[:end])
    return LaneMeasures(
        title=at.title,
        unit=at.unit,
        measures=found,
        distance=musical_distance(at, found.least, found.peak),
        distance_unit=musical_unit(at),
        shares=shares(effects(lane, on, max(off, on + 1))),
    )


def effects(lane: LaneTrace, first: int, last: int) -> dict[str, Floats]:
    """Return what each route does to a lane over a stretch, in the modulation unit.

    An add is its contribution; a scale or a range is the value with it less the value without it.
    """
    found = {}
    stretch = slice(first, last)
    octave = lane.lane.destination.steps_per_octave
    for route in lane.lane.routes:
        given = lane.contributions[route.id][stretch]
        if route.mode == "add":
            found[route.id] = given
        elif route.mode == "range":
            found[route.id] = octave * np.log2(given / lane.lane.base) if octave and lane.lane.base > 0 else given
        else:
            raw = lane.raw[stretch]
            without = np.divide(raw, given, out=np.zeros_like(raw), where=np.abs(given) > 1e-9)
            if octave:
                found[route.id] = octave * np.log2(np.maximum(given, 1e-6))
            else:
                found[route.id] = raw - without
    return found


def in_modulation_unit(lane: LaneTrace) -> Floats:
    """Return a lane's value in the unit of what moves it: semitones for what moves in ratios."""
    octave = lane.lane.destination.steps_per_octave
    return np.asarray(octave * np.log2(np.maximum(lane.value, 1e-9))) if octave else lane.value


def _pairs(lanes: dict[str, LaneTrace], on: int, off: int) -> list[Pair]:
    values = {name: in_modulation_unit(lane)[on : max(off, on + 2)] for name, lane in lanes.items()}
    found = []
    for a, b in combinations(values, 2):
        r = correlation(values[a], values[b])
        if r is not None:
            word = "alike" if r > ALIKE else "opposed" if r < -ALIKE else "unrelated" if abs(r) < 0.3 else "partly"
            found.append(Pair(a, b, r, word))
    return found


def _still(lanes: dict[str, LaneTrace], on: int, off: int, rate: int) -> list[tuple[float, float]]:
    """Return the stretches of a held note in which no lane moves."""
    width = max(1, round(0.005 * rate))
    count = (off - on) // width
    if count < 1:
        return []
    moving = np.zeros(count, dtype=bool)
    for lane in lanes.values():
        value = in_modulation_unit(lane)[on : on + count * width]
        span = float(value.max() - value.min())
        cut = value.reshape(count, width)
        if span > 1e-9:
            moving |= cut.max(axis=1) - cut.min(axis=1) > 1e-3 * span
    edges = np.flatnonzero(np.diff(np.concatenate([[True], moving, [True]]).astype(int)))
    stretches = [(on + a * width, on + b * width) for a, b in zip(edges[::2], edges[1::2], strict=True)]
    return [(a / rate, b / rate) for a, b in stretches if b - a >= STILL_S * rate]
