"""Figures of a whole patch: every lane and signal over its note, who moved what, and what moves alike."""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from itertools import combinations
from typing import Final

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from jorvik.core.document.destinations import Destination
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.run import never
from jorvik.core.engine.trace import LaneTrace, Trace, trace
from jorvik.core.limits import DEFAULT_RATE
from jorvik.core.measure.lane import Measures, correlation, measure, shares
from jorvik.core.measure.scan import BooleanRow, stretch_ends
from jorvik.core.problems import Problem, shown
from jorvik.core.signals import PITCH_LANE
from jorvik.core.units.levels import decibels
from jorvik.core.units.noticed import LEVEL_DB

ALIKE: Final = 0.8
"""Lanes whose correlation is over this move alike, under its negative opposed."""

STILL_S: Final = 0.05
"""Nothing moves where every lane stays within a thousandth of its range for at least this long."""

_LOOK_S: Final = 0.005
"""Stretches that are looked at one by one for that."""

_STILL_ST: Final = 0.005
"""Half a cent: a tenth of the least change of pitch that is heard."""

_SILENT_DB: Final = -80.0


def musical_unit(at: Destination) -> str:
    """Return the unit in which a distance on a destination is told."""
    if at.unit == "st":
        return "cents"
    if at.law != "sum":
        return "st"
    return "dB" if at.part == "level" else at.unit


def musical_distance(at: Destination, least: float, greatest: float) -> float:
    """Return how far a destination goes, in its musical unit."""
    unit = musical_unit(at)
    if unit == "cents":
        return 100.0 * (greatest - least)
    if unit == "st":
        return 12.0 * (math.log2(greatest) - math.log2(least)) if least > 0.0 else 0.0
    if unit == "dB" and at.unit != "dB":
        return decibels(greatest, _SILENT_DB) - decibels(least, _SILENT_DB)
    return greatest - least


def musically_noticed(at: Destination) -> float:
    """Return a difference of a destination that is just noticed, in its musical unit."""
    unit = musical_unit(at)
    if unit == "dB":
        return LEVEL_DB
    return at.noticed * (100.0 if unit == "cents" else 12.0 if at.amount_unit == "oct" else 1.0)


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
    patch: Patch,
    rate: int = DEFAULT_RATE,
    cancelled: Callable[[], bool] = never,
    cache: RowCache | None = None,
    voice: int = 0,
) -> PatchMeasures:
    """Return the figures of a patch's voice over its first note; ``cache`` is used for the trace."""
    return measure_trace(trace(patch, rate, voice, cancelled, cache))


def measure_trace(of: Trace) -> PatchMeasures:
    """Return the figures of a trace over its first note."""
    note, end = of.run.note, of.run.note_end
    lanes = {name: lane for name, lane in of.lanes.items() if lane.lane.routes or name == PITCH_LANE}
    voice = [name for name in lanes if "." not in name and ":" not in name]
    held = of.run.held
    # Of a run that is not kept whole, what is compared lane with lane is kept in half of the memory.
    kept_as = np.float64 if of.is_whole else np.float32
    kept = cache(lambda name: in_modulation_unit(lanes[name], held).astype(kept_as, copy=False))

    def moved(name: str) -> Floats:
        return kept(name).astype(np.float64, copy=False)

    row = {name: lane.lane.row for name, lane in lanes.items()}
    once, module_rows = of.cache.once, of.run.program.module_rows

    def lane(name: str) -> LaneMeasures:
        called = name, *lanes[name].contributions
        return once(called, [row[name]], lambda: _lane(lanes[name], note.on, min(note.off, end), end, of.rate))

    def signal(name: str) -> Measures:
        source, steady = _input_of(of, name), _steady(of, name)
        first, last, rate, rows = note.on, note.off, of.rate, [module_rows[name]]

        def made() -> Measures:
            return measure(of.signals[name][:end], first, last, rate, None, upto(source), upto(steady))

        # The input needs no row of its own here: a module's row is known by all that goes into it.
        return once("signal", rows, made)

    def upto(values: Floats | None) -> Floats | None:
        return None if values is None else values[:end]

    def alike(a: str, b: str) -> float | None:
        return once("correlation", [row[a], row[b]], lambda: correlation(moved(a), moved(b)))

    def moving(name: str) -> BooleanRow:
        return once("moving", [row[name]], lambda: _moving(moved(name), of.rate, lanes[name].lane.destination))

    return PatchMeasures(
        seconds=of.run.length / of.rate,
        on_s=note.on / of.rate,
        off_s=note.off / of.rate,
        lanes={name: lane(name) for name in lanes},
        signals={name: signal(name) for name in of.signals},
        pairs=[Pair(a, b, r, _word(r)) for a, b in combinations(voice, 2) if (r := alike(a, b)) is not None],
        still=_still([moving(name) for name in voice], note.on / of.rate, of.rate),
    )


def _input_of(of: Trace, name: str) -> Floats | None:
    """Return the input of a filter or a slew, one value a sample, or None."""
    module = of.run.patch.modules_by_id[name]
    given = getattr(module, "input", None) if module.may_overshoot else None
    if not isinstance(given, str):
        return None
    found = of.signals.get(given)
    return of.performance[given] if found is None else found


def _steady(of: Trace, name: str) -> Floats | None:
    """Return the steady output of a filter for each value of its input, or None."""
    module, source = of.run.patch.modules_by_id[name], _input_of(of, name)
    if not module.rings or source is None:
        return None
    if not module.passes_standing:
        return np.zeros_like(source)
    moved = of.lanes.get(f"{name}.gain")
    return source * (module.slot_value("gain", of.run.patch.performance.tempo) if moved is None else moved.value)


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


_LEAST_HZ: Final = 1e-3
"""What a frequency is told from where hertz take it to 0 or under."""


@dataclass(frozen=True)
class Stretch:
    """What a lane or a signal does over a stretch of the run."""

    begins: float
    ends: float
    least: float
    greatest: float
    distance: float
    distance_unit: str
    shares: dict[str, float]
    """Each route's share of the variance over the stretch."""


def over(of: Trace, name: str, from_s: float, to_s: float) -> Stretch:
    """Return what a moved lane, or ``signal.<id>``, does between two moments of the run.

    Raises Problem when nothing moves it, or there is nothing between the two.
    """
    lane, signal = of.lanes.get(name), of.signals.get(name.removeprefix("signal."))
    if lane is None and (signal is None or not name.startswith("signal.")):
        raise Problem("the lane", shown(name), f"a signal, or a lane that something moves: {', '.join(of.lanes)}")
    first, last = (min(max(round(t * of.rate), 0), of.run.length) for t in sorted((from_s, to_s)))
    if last - first < 2:
        raise Problem("the stretch", f"{from_s:g} to {to_s:g} s", f"two samples at least, within {of.seconds:g} s")
    if lane is None:
        assert signal is not None
        values = signal[first:last]
        least, greatest = float(values.min()), float(values.max())
        return Stretch(float(values[0]), float(values[-1]), least, greatest, greatest - least, "signal", {})
    values, at = lane.value[first:last], lane.lane.destination
    least, greatest = float(values.min()), float(values.max())
    return Stretch(
        float(values[0]),
        float(values[-1]),
        least,
        greatest,
        musical_distance(at, least, greatest),
        musical_unit(at),
        shares(effects(lane, first, last)),
    )


class Effects(Mapping[str, Floats]):
    """What each route does to a lane over a stretch, in the modulation unit; worked out when it is asked for.

    An add is its contribution; hertz, a scale or a range are the value with it less the value without it.
    """

    def __init__(self, lane: LaneTrace, first: int, last: int) -> None:
        self._lane = lane
        self._stretch = slice(first, last)
        self._routes = {route.id: route for route in lane.lane.routes}

    def __getitem__(self, name: str) -> Floats:
        lane, route = self._lane, self._routes[name]
        octave = lane.lane.destination.steps_per_octave
        given = lane.contributions[name][self._stretch]
        if route.adds:
            return given
        if route.in_hertz:
            raw = np.maximum(lane.raw[self._stretch], _LEAST_HZ)
            return np.asarray(octave * np.log2(raw / np.maximum(raw - given, _LEAST_HZ)))
        if route.mode == "range":
            return octave * np.log2(given / lane.lane.base) if octave and lane.lane.base > 0 else given
        if octave:
            return np.asarray(octave * np.log2(np.maximum(given, 1e-6)))
        raw = lane.raw[self._stretch]
        return raw - np.divide(raw, given, out=np.zeros_like(raw), where=np.abs(given) > 1e-9)

    def __iter__(self) -> Iterator[str]:
        return iter(self._routes)

    def __len__(self) -> int:
        return len(self._routes)


def effects(lane: LaneTrace, first: int, last: int) -> Mapping[str, Floats]:
    """Return what each route does to a lane over a stretch, all at once where the lane is in memory."""
    found = Effects(lane, first, last)
    return dict(found) if lane.is_whole else found


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


def _word(r: float) -> str:
    """Return how two lanes with a correlation move."""
    return "alike" if r > ALIKE else "opposed" if r < -ALIKE else "unrelated" if abs(r) < 0.3 else "partly"


def _moving(values: Floats, rate: int, at: Destination) -> BooleanRow:
    """Return for each stretch of 5 ms whether the lane moves around it.

    A stretch is still if it lies in a span of 50 ms over which the lane varies by at most a thousandth of its range,
    and in semitones by at most half a cent.
    """
    width, looks = max(1, round(_LOOK_S * rate)), round(STILL_S / _LOOK_S)
    least, greatest = stretch_ends(values, width)
    moving = np.zeros(least.size, dtype=np.bool_)
    span = float(np.ptp(values))
    if span <= 1e-9 or least.size < looks:
        return moving
    margin = min(1e-3 * span, _STILL_ST) if at.amount_unit == "st" else 1e-3 * span
    spread = sliding_window_view(greatest, looks).max(axis=1) - sliding_window_view(least, looks).min(axis=1)
    still = np.flatnonzero(spread <= margin)
    moving[:] = True
    for offset in range(looks):
        moving[still + offset] = False
    return moving


def _still(moving: Sequence[BooleanRow], on_s: float, rate: int) -> list[tuple[float, float]]:
    """Return the stretches, in seconds of the run, in which no lane moves."""
    look = max(1, round(_LOOK_S * rate)) / rate
    edges = np.flatnonzero(np.diff(np.concatenate([[1], np.any(moving, axis=0), [1]])))
    stretches = zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)
    return [(on_s + a * look, on_s + b * look) for a, b in stretches if (b - a) * look >= STILL_S]
