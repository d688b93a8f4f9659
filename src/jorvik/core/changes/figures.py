"""What a change comes to: where lanes settle, how far and when they peak, how loud the note is; before and after."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Final

from jorvik.core.document.destinations import VOICE, Destination
from jorvik.core.document.patch import Patch
from jorvik.core.engine.run import never
from jorvik.core.engine.trace import trace
from jorvik.core.limits import DEFAULT_RATE
from jorvik.core.measure.differences import constant_measures, set_apart
from jorvik.core.measure.lane import Measures
from jorvik.core.measure.patch import measure_trace, musical_distance, musical_unit, musically_noticed
from jorvik.core.measure.sound import loudness
from jorvik.core.units.levels import SILENCE_DB
from jorvik.core.units.noticed import LEVEL_DB
from jorvik.core.units.velocities import VELOCITIES
from jorvik.core.units.words import in_words, time_text
from jorvik.core.voice.render import render

MOST_TOLD: Final = 12

_NOTICED_S: Final = 0.005
_NOTICED_SHARE: Final = 0.1
"""Times are told that differ by so much of themselves."""


@dataclass(frozen=True)
class FigureChange:
    """One figure that is another than it was."""

    about: str
    """The lane; empty for the whole sound."""
    figure: str
    before: float
    after: float
    unit: str
    sentence: str
    noticed: float
    """How many times what is just noticed."""


def figure_changes(before: Patch, after: Patch, cancelled: Callable[[], bool] = never) -> list[FigureChange]:
    """Return which figures of a note are others than they were, those that are noticed most first.

    Both are played at the note that the second is tested with, and as softly and as hard as players do; what differs
    alike at every velocity is told once. Raises Problem where one of them comes to no finite number.
    """
    note = after.performance.notes[0]
    old = before.with_note(key=note.key, length_s=note.length_s)
    by_velocity = {
        velocity: list(_lanes(old.with_note(velocity=velocity), after.with_note(velocity=velocity), cancelled))
        for velocity in VELOCITIES.values()
    }
    told = [*_told_once(by_velocity), *_loudness(old.with_note(velocity=note.velocity), after, cancelled)]
    return sorted(told, key=lambda change: -change.noticed)[:MOST_TOLD]


def _lanes(before: Patch, after: Patch, cancelled: Callable[[], bool]) -> Iterator[FigureChange]:
    """Yield what each destination of the voice that moves, or stands elsewhere, comes to in either."""
    found = [measure_trace(trace(patch, DEFAULT_RATE, cancelled=cancelled)).lanes for patch in (before, after)]
    for name, at in VOICE.items():
        if not any(name in lanes for lanes in found) and name not in set_apart([before, after]):
            continue
        one, other = (
            (lanes[name] if name in lanes else constant_measures(name, patch.base(at))).measures
            for lanes, patch in zip(found, (before, after), strict=True)
        )
        yield from _figures(name, at, one, other)


def _figures(name: str, at: Destination, one: Measures, other: Measures) -> Iterator[FigureChange]:
    title, unit = at.title.lower(), musical_unit(at)
    still = [of.peak == of.least for of in (one, other)]
    if one.settle is not None and other.settle is not None:
        places = [("stands" if all(still) else "settles", one.settle, other.settle)]
    else:
        places = [("ends the note", one.at_off, other.at_off)]
    # A lane that stands still, or only rises to where it settles, peaks there.
    if (one.peak, other.peak) != places[0][1:]:
        places.append(("peaks", one.peak, other.peak))
    for verb, was, now in places:
        by = musical_distance(at, was, now)
        noticed = abs(by) / musically_noticed(at)
        if noticed >= 1.0:
            how = "higher" if by > 0 else "lower"
            words = f"{title} {verb} {in_words(abs(by), unit)} {how}"
            yield FigureChange(name, verb, was, now, at.unit, words, noticed)
    times = [("peaks", one.peak_s, other.peak_s), ("comes to rest", one.rest_after_off_s, other.rest_after_off_s)]
    for figure, was, now in times:
        by = now - was
        noticed = abs(by) / max(_NOTICED_S, _NOTICED_SHARE * max(was, now))
        if noticed >= 1.0 and not any(still):
            words = f"{title} {figure} {time_text(abs(by))} {'later' if by > 0 else 'sooner'}"
            yield FigureChange(name, f"{figure} at", was, now, "s", words, noticed)


def _told_once(by_velocity: dict[float, list[FigureChange]]) -> Iterator[FigureChange]:
    """Yield each change with the velocity at which it is greatest; without one where it is alike at all of them."""
    keys = dict.fromkeys((one.about, one.figure) for found in by_velocity.values() for one in found)
    for key in keys:
        here = [(v, one) for v, found in by_velocity.items() for one in found if (one.about, one.figure) == key]
        velocity, most = max(here, key=lambda pair: pair[1].noticed)
        alike = len(here) == len(by_velocity) and most.noticed - min(one.noticed for _, one in here) < 1.0
        words = most.sentence if alike else f"{most.sentence} at velocity {velocity:g}"
        yield FigureChange(most.about, most.figure, most.before, most.after, most.unit, words, most.noticed)


def _loudness(before: Patch, after: Patch, cancelled: Callable[[], bool]) -> Iterator[FigureChange]:
    was, now = (loudness(render(patch, DEFAULT_RATE, cancelled).samples, DEFAULT_RATE) for patch in (before, after))
    by = now - was
    if SILENCE_DB in (was, now) and was != now:
        yield FigureChange("", "loudness", was, now, "LUFS", f"{'silent' if now < was else 'heard'} now", 100.0)
    elif abs(by) >= LEVEL_DB:
        words = f"{abs(by):.1f} LU {'louder' if by > 0 else 'softer'}"
        yield FigureChange("", "loudness", was, now, "LUFS", words, abs(by) / LEVEL_DB)
