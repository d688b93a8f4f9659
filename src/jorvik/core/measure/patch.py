"""Figures of a whole patch: every lane and signal over its note, who moved what, and what moves alike."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import combinations
from typing import Final

import numpy as np

from jorvik.core.destinations import Destination, is_level
from jorvik.core.engine.run import LaneTrace, Room, Trace, never, trace
from jorvik.core.kernels import Floats
from jorvik.core.limits import DEFAULT_RATE
from jorvik.core.measure.lane import Measures, correlation, measure, shares
from jorvik.core.measure.scan import moves
from jorvik.core.patch import Patch
from jorvik.core.problems import Problem, shown

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
    return "dB" if is_level(at.name) else at.unit


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


def measure_patch(
    patch: Patch, rate: int = DEFAULT_RATE, cancelled: Callable[[], bool] = never, room: Room | None = None
) -> PatchMeasures:
    """Return the figures of a patch's first voice over its first note; ``room`` is used for the trace."""
    return measure_trace(trace(patch, rate, cancelled=cancelled, room=room))


def measure_trace(of: Trace) -> PatchMeasures:
    """Return the figures of a trace over its first note."""
    note = of.run.notes[0]
    end = of.run.notes[1].on if len(of.run.notes) > 1 else of.run.length
    lanes = {
        name: _lane(lane, note.on, min(note.off, end), end, of.rate)
        for name, lane in of.lanes.items()
        if lane.lane.routes or name == "pitch"
    }
    held = slice(note.on, max(note.off, note.on + 2))
    voice = {name: in_modulation_unit(of.lanes[name], held) for name in lanes if "." not in name and ":" not in name}
    return PatchMeasures(
        seconds=of.run.length / of.rate,
        on_s=note.on / of.rate,
        off_s=note.off / of.rate,
        lanes=lanes,
        signals={name: measure(values[:end], note.on, note.off, of.rate) for name, values in of.signals.items()},
        pairs=_pairs(voice),
        still=[(note.on / of.rate + a, note.on / of.rate + b) for a, b in still(voice, of.rate)],
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


@dataclass(frozen=True)
class Stretch:
    """What a lane does over a stretch of the run."""

    least: float
    greatest: float
    distance: float
    distance_unit: str
    shares: dict[str, float]
    """Each route's share of the variance over the stretch."""


def over(of: Trace, name: str, from_s: float, to_s: float) -> Stretch:
    """Return what a moved lane does between two moments of the run.

    Raises Problem when nothing moves it, or there is nothing between the two.
    """
    lane = of.lanes.get(name)
    if lane is None:
        raise Problem("the lane", shown(name), f"one that something moves: {', '.join(of.lanes)}")
    first, last = (min(max(round(t * of.rate), 0), of.run.length) for t in sorted((from_s, to_s)))
    if last - first < 2:
        raise Problem("the stretch", f"{from_s:g} to {to_s:g} s", f"two samples at least, within {of.seconds:g} s")
    values, at = lane.value[first:last], lane.lane.destination
    least, greatest = float(values.min()), float(values.max())
    return Stretch(
        least,
        greatest,
        musical_distance(at, least, greatest),
        musical_unit(at),
        shares(effects(lane, first, last)),
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


def in_modulation_unit(lane: LaneTrace, stretch: slice = slice(None)) -> Floats:
    """Return a lane's value over a stretch in the unit of what moves it: semitones for what moves in ratios."""
    octave = lane.lane.destination.steps_per_octave
    value = lane.value[stretch]
    if not octave:
        return value
    found = np.maximum(value, 1e-9)
    np.log2(found, out=found)
    found *= octave
    return found


def _pairs(values: dict[str, Floats]) -> list[Pair]:
    found = []
    for a, b in combinations(values, 2):
        r = correlation(values[a], values[b])
        if r is not None:
            word = "alike" if r > ALIKE else "opposed" if r < -ALIKE else "unrelated" if abs(r) < 0.3 else "partly"
            found.append(Pair(a, b, r, word))
    return found


def still(values: dict[str, Floats], rate: int) -> list[tuple[float, float]]:
    """Return the stretches, in seconds from the first value, in which none of some movements moves."""
    width = max(1, round(0.005 * rate))
    count = min((value.size for value in values.values()), default=0) // width
    if count < 1:
        return []
    moving = np.zeros(count, dtype=bool)
    for value in values.values():
        span = float(value.max() - value.min())
        if span > 1e-9:
            moving |= moves(value[: count * width], width, 1e-3 * span)
    edges = np.flatnonzero(np.diff(np.concatenate([[True], moving, [True]]).astype(int)))
    stretches = [(a * width, b * width) for a, b in zip(edges[::2], edges[1::2], strict=True)]
    return [(a / rate, b / rate) for a, b in stretches if b - a >= STILL_S * rate]
