"""Lanes and the sound against a beat: what each does at every stroke of a hit, and at every bar line.

Of a poly patch a lane is that of the context's voice, and strokes outside its window are left out.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from jorvik.core.document.destinations import VOICE, Part
from jorvik.core.dsp.kernels import Floats
from jorvik.core.measure.context import Context
from jorvik.core.measure.meeting import Meeting, meet, periods
from jorvik.core.measure.scan import BooleanRow
from jorvik.core.signals import PITCH_LANE, hit_of
from jorvik.core.units.levels import decibels
from jorvik.core.voice.render import render

CLOSED: Final = 0.05
"""What is left of a rise under this share is closed."""
MOVES: Final = 0.01
"""A lane sets out in the direction in which it first goes so far, as a share of its whole range in the run."""
BACK_DB: Final = 1.0
"""A dip is over where the level is within this of what it was before; less than this is no dip."""
GAP_DB: Final = 20.0
"""The sound is there where it is within this of its later peak."""
LEVEL_S: Final = 0.01
"""The level of the sound is its root mean square over this."""
LOW_HZ: Final = 150.0
LOW_S: Final = 0.08
NOTE_RATES: Final = ("1/4", "1/8", "1/8t", "1/16", "1/32")
SILENT_DB: Final = -120.0
DIP_SILENT_DB: Final = -80.0
"""Levels under this count as this where a dip is timed."""
FLOOR_DB: Final = 1.0
"""The floor of a dip is the stretch within this of its lowest level."""
SHORT_FLOOR_S: Final = 0.02
"""A floor shorter than this is timed at its middle, a longer one at its start."""
LEVEL: Final = "level"
"""The name under which the sound's level stands beside the lanes."""


@dataclass(frozen=True)
class AtStrike:
    """What a lane does from one strike to the next."""

    at_s: float
    strength: float
    value: float
    """The lane at the strike."""
    peak: float | None = None
    """The farthest that it goes before the next strike, in the direction in which it sets out; None where it stands."""
    peak_after_s: float | None = None
    rise_s: float | None = None
    """From a tenth to nine tenths of that way."""
    fall_s: float | None = None
    """From nine tenths back to a tenth; None where it does not get there."""
    left_at_next: float | None = None
    """The share of the rise that is left when the next strike comes: 0 is closed."""
    found_closed: bool | None = None
    """Whether that is under 5 %."""
    dip_db: float | None = None
    """How far a level dips near the strike, against what it was before; None where it does not by 1 dB."""
    dip_offset_s: float | None = None
    """The time of the dip minus the strike: negative before it.

    The floor of a dip is the stretch within 1 dB of its lowest level. A floor shorter than 20 ms is timed at its
    middle, a longer one at its start.
    """
    back_s: float | None = None
    """From the time of the dip until the level is within 1 dB of what it was."""
    gap_s: float | None = None
    """From the strike until the sound is within 20 dB of its later peak."""


@dataclass(frozen=True)
class Beat:
    """Everything against the beat of a phrase."""

    hits: dict[str, dict[str, list[AtStrike]]]
    """By hit track, then by lane; the sound's level is ``level``, in dB."""
    low_db: dict[str, float | None]
    """By hit track: the sound's level under 150 Hz in the first 80 ms after strikes, against the rest."""
    bars: dict[str, list[float | None]]
    """By lane: its value at each bar line; None outside the voice's window."""
    meeting: Meeting | None
    """When sources of unlike period are all at their start again; None where not within an hour, or there are none."""
    note_rates: dict[str, dict[str, float]]
    """By envelope: its peak for notes of these lengths, one after the other at the tempo."""


def followed_tracks(context: Context) -> set[str]:
    """Return the hit tracks that a source or a route of the patch reads."""
    return {track for name in context.patch.hits_read if (track := hit_of(name)) is not None}


def listeners(context: Context, track: str | None = None) -> set[str]:
    """Return the modules that read a hit track, or any where none is given."""
    return {
        module.id
        for module in context.patch.modules
        for _, value in module.input_signals()
        if isinstance(value, str) and (of := hit_of(value)) is not None and track in (None, of)
    }


def at_hits(context: Context, *parts: Part) -> Iterator[tuple[str, str, list[AtStrike]]]:
    """Yield hit track, destination and strikes for the voice's destinations of some parts that something moves."""
    for track, lanes in against_beat(context).hits.items():
        for name, strikes in lanes.items():
            if name in VOICE and VOICE[name].part in parts:
                yield track, name, strikes


def against_beat(context: Context) -> Beat:
    """Return everything against the beat; without a phrase only what needs none."""
    return context.once("beat", lambda: _against_beat(context))


def _against_beat(context: Context) -> Beat:
    tempo = context.patch.performance.tempo
    lanes = {name: lane.value for name, lane in context.trace.lanes.items() if lane.lane.routes or name == PITCH_LANE}
    hits: dict[str, dict[str, list[AtStrike]]] = {}
    low: dict[str, float | None] = {}
    phrase = context.patch.phrase
    if phrase is not None and any(hit.strikes for hit in phrase.hits):
        level, samples = sound_level(context)
        run, notes = context.trace.run, context.patch.performance.notes
        held = _held(len(context.trace.lanes[PITCH_LANE].value), ((note.on, note.off) for note in run.notes))
        ends = ((note.start_s, note.start_s + note.length_s) for note in notes)
        sounding = _held(level.size, ((round(on * context.rate), round(off * context.rate)) for on, off in ends))
        for hit in phrase.hits:
            strikes = [(s.at * phrase.beat_s, s.strength) for s in sorted(hit.strikes, key=lambda strike: strike.at)]
            if not strikes:
                continue
            origin = context.trace.run.origin
            hits[hit.id] = {
                name: at_strikes(
                    values, strikes, context.rate, origin, name in VOICE and VOICE[name].part == "level", held=held
                )
                for name, values in lanes.items()
            }
            hits[hit.id][LEVEL] = at_strikes(level, strikes, context.rate, 0, True, in_db=True, held=sounding)
            low[hit.id] = low_share(samples, strikes, context.rate)
    found = periods(context)
    unlike = len({round(float(value), 9) for value in found.values()}) > 1
    return Beat(
        hits=hits,
        low_db=low,
        bars={name: at_bars(context, values) for name, values in lanes.items()} if phrase is not None else {},
        meeting=meet(found, 60.0 / tempo.bpm, tempo.beats_per_bar) if unlike else None,
        note_rates=note_rates(context),
    )


def _held(size: int, notes: Iterable[tuple[int, int]]) -> BooleanRow:
    """Return for each of ``size`` samples whether a note is held there."""
    held = np.zeros(size, dtype=np.bool_)
    for on, off in notes:
        held[max(on, 0) : max(off, 0)] = True
    return held


def sound_level(context: Context) -> tuple[Floats, Floats]:
    """Return the level of the whole performance in dB at every sample, and the sound (samples,), hits left out."""

    def made() -> tuple[Floats, Floats]:
        samples = render(context.patch, context.rate, context.cancelled).samples.mean(axis=1)
        width = max(1, round(LEVEL_S * context.rate))
        power = np.concatenate([[0.0], np.cumsum(samples**2)])
        ends = np.minimum(np.arange(samples.size) + (width + 1) // 2, samples.size)
        begins = np.maximum(np.arange(samples.size) - width // 2, 0)
        mean = np.maximum(power[ends] - power[begins], 0.0) / (ends - begins)
        return 10.0 * np.log10(np.maximum(mean, 10.0 ** (SILENT_DB / 10.0))), samples

    return context.once("level of the sound", made)


def at_strikes(
    values: Floats,
    strikes: Sequence[tuple[float, float]],
    rate: int,
    origin: int = 0,
    is_level: bool = False,
    in_db: bool = False,
    held: BooleanRow | None = None,
) -> list[AtStrike]:
    """Return what a row does at each strike (seconds, strength), in time; ``values[0]`` is sample ``origin``.

    Of a level, linear unless ``in_db``, dips are told too, and the gap of one in dB. Where ``held`` is false no note
    is held, and a level that falls there is no dip.
    """
    places = [round(at * rate) - origin for at, _ in strikes]
    span = float(np.ptp(values)) if values.size else 0.0
    found = []
    for number, (at_s, strength) in enumerate(strikes):
        begin = places[number]
        if not 0 <= begin < values.size:
            continue
        end = min(places[number + 1] if number + 1 < len(places) else values.size, values.size)
        row = values[begin : max(end, begin + 1)]
        fields = _moved(row, span, rate)
        if is_level:
            before = max(places[number - 1] if number else 0, 0)
            first, last = begin - (begin - before) // 2, begin + max((end - begin) // 2, 1)
            counts = np.ones(values.size, dtype=np.bool_) if held is None else held
            fields |= _dip(values[first:last], begin - first, rate, in_db, counts[first:last])
        if in_db:
            fields["gap_s"] = _gap(row, rate)
        found.append(AtStrike(at_s=float(at_s), strength=strength, value=float(row[0]), **fields))
    return found


def _moved(row: Floats, span: float, rate: int) -> dict[str, Any]:
    away = row - row[0]
    far = np.flatnonzero(np.abs(away) > MOVES * span) if span > 1e-12 else np.zeros(0, dtype=int)
    if far.size == 0:
        return {}
    signed = away if away[far[0]] > 0.0 else -away
    top = int(signed.argmax())
    whole = float(signed[top])
    up = [int(np.argmax(signed[: top + 1] >= share * whole)) for share in (0.1, 0.9)]
    falling = signed[top:]
    down = [np.flatnonzero(falling <= share * whole) for share in (0.9, 0.1)]
    left = float(signed[-1]) / whole
    return {
        "peak": float(row[top]),
        "peak_after_s": top / rate,
        "rise_s": (up[1] - up[0]) / rate,
        "fall_s": float(down[1][0] - down[0][0]) / rate if down[1].size else None,
        "left_at_next": left,
        "found_closed": left < CLOSED,
    }


def _dip(near: Floats, strike: int, rate: int, in_db: bool, held: BooleanRow) -> dict[str, Any]:
    """Return the dip of a level near a strike, which is at a place of the stretch."""
    level = near if in_db else 20.0 * np.log10(np.maximum(near, 10.0 ** (SILENT_DB / 20.0)))
    level = np.maximum(level, DIP_SILENT_DB)
    if level.size < 2 or not held.any():
        return {}
    lowest = int(np.where(held, level, np.inf).argmin())
    before = float(level[: lowest + 1].max())
    depth = before - float(level[lowest])
    if depth < BACK_DB:
        return {}
    is_floor = held & (level <= level[lowest] + FLOOR_DB)
    start = lowest - int(np.argmin(is_floor[lowest::-1])) + 1 if not is_floor[: lowest + 1].all() else 0
    length = int(np.argmin(is_floor[start:])) if not is_floor[start:].all() else level.size - start
    at = start + length // 2 if length < SHORT_FLOOR_S * rate else start
    back = np.flatnonzero(level[at:] >= before - BACK_DB)
    return {
        "dip_db": depth,
        "dip_offset_s": (at - strike) / rate,
        "back_s": float(back[0]) / rate if back.size else None,
    }


def _gap(row: Floats, rate: int) -> float | None:
    there = np.flatnonzero(row >= row.max() - GAP_DB)
    return float(there[0]) / rate if there.size and float(row.max()) > SILENT_DB + GAP_DB else None


def low_share(samples: Floats, strikes: Sequence[tuple[float, float]], rate: int) -> float | None:
    """Return the level under 150 Hz in the first 80 ms after strikes, against the rest of the sound, in dB."""
    from scipy.signal import butter, sosfiltfilt

    if samples.size < rate // 10:
        return None
    low = np.asarray(sosfiltfilt(butter(4, LOW_HZ, fs=rate, output="sos"), samples))
    under = np.zeros(samples.size, dtype=bool)
    for at, _ in strikes:
        under[round(at * rate) : round((at + LOW_S) * rate)] = True
    if not under.any() or under.all():
        return None
    power = [float((low[part] ** 2).mean()) for part in (under, ~under)]
    return None if min(power) <= 1e-12 else 0.5 * (decibels(power[0]) - decibels(power[1]))


def at_bars(context: Context, values: Floats) -> list[float | None]:
    """Return a lane at each bar line of the phrase, the last one's end included."""
    phrase = context.patch.phrase
    assert phrase is not None
    found: list[float | None] = []
    for bar in range(phrase.bars + 1):
        at = round(bar * phrase.beats_per_bar * phrase.beat_s * context.rate) - context.trace.run.origin
        found.append(float(values[at]) if 0 <= at < values.size else None)
    return found


def note_rates(context: Context) -> dict[str, dict[str, float]]:
    """Return the peak of each envelope for notes as long as each of some note values, each from rest."""
    staged = context.having("is_staged")
    found: dict[str, dict[str, float]] = {module.id: {} for module in staged}
    if not staged:
        return found
    tempo = context.patch.performance.tempo
    test = context.patch.under(None)
    for value in NOTE_RATES:
        played = context.beside(test.with_note(length_s=tempo.seconds(value), tail_s=0.0), voice=0)
        for module in staged:
            found[module.id][value] = float(played.signals[module.id].max())
    return found
