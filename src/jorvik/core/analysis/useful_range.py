"""The useful range of a control: where it starts to do something, stops, turns thin or harsh, and where it jumps.

A sweep renders the held part of the test note at many values of one thing. What is heard of each step is measured;
marks are found where one measure passes a threshold, interpolated between steps.
"""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor, as_completed
from dataclasses import asdict, dataclass, field, replace
from itertools import pairwise
from typing import Any, Final

import numpy as np

from jorvik.core.analysis.bands import CENTRES, Spectrum, change_db, spectrum
from jorvik.core.analysis.sharpness import SHARP_ACUM, SharpnessProcess
from jorvik.core.analysis.swept import SKIP_S, Swept, coarse_first, one_note, patch_at, swept
from jorvik.core.cores import cores
from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.run import Cancelled, never
from jorvik.core.limits import DEFAULT_RATE
from jorvik.core.measure.sound import loudness
from jorvik.core.measure.sweep import MAX_SWEEP_S
from jorvik.core.problems import Problem
from jorvik.core.units.levels import SILENCE_DB, decibels
from jorvik.core.units.noticed import LEVEL_DB, SILENT
from jorvik.core.units.pitch import key_hz
from jorvik.core.units.words import in_words
from jorvik.core.voice.render import render

STEPS: Final = 48
THIN_DB: Final = 6.0
"""A sound is thin where what lies under twice its fundamental has fallen by so much from where it is greatest."""
JUMP_LU: Final = 6.0
MARKS: Final = ("starts_at", "stops_at", "thin_from", "harsh_from", "silent_until", "silent_from")
"""What is found on a sweep, each a value of what is swept, or None."""


@dataclass(frozen=True)
class Step:
    """What is heard at one value, of the held part from 50 ms on."""

    value: float
    loudness_lufs: float
    centroid_hz: float
    low_db: float
    """The bands under twice the fundamental, against the whole."""
    bands_db: Floats
    """Levels in the 40 bands of :mod:`jorvik.core.analysis.bands`."""
    limited_db: float
    """What the limiter took of it."""
    sharpness_acum: float | None = None
    """None where it is not known yet."""


@dataclass(frozen=True)
class Jump:
    """Two neighbours that differ by more than :data:`JUMP_LU`."""

    low: float
    high: float
    lu: float


@dataclass(frozen=True)
class UsefulRange:
    """A sweep, and what stands out in it. Marks are values of what is swept; None where there is none."""

    of: Swept
    key: float
    velocity: float
    steps: list[Step]
    changes_db: list[float]
    """From each step to the next, one less than there are steps."""
    starts_at: float | None = None
    stops_at: float | None = None
    thin_from: float | None = None
    harsh_from: float | None = None
    silent_until: float | None = None
    silent_from: float | None = None
    """Up to here, and from here on, it is more than 40 LU under the loudest step."""
    jumps: list[Jump] = field(default_factory=list)

    @property
    def useful(self) -> tuple[float, float] | None:
        """What is left between the ends: from where it starts to where it stops, or before that turns thin or harsh."""
        if self.starts_at is None or self.stops_at is None:
            return None
        ends = [end for end in (self.stops_at, self.thin_from, self.harsh_from) if end is not None]
        return (self.starts_at, min(ends)) if min(ends) > self.starts_at else None

    def facts(self) -> dict[str, Any]:
        """Return it as the object that is written in JSON; the keys are those of the command line."""
        steps = [
            {**asdict(step), "bands_db": [round(float(db), 2) for db in step.bands_db], "change_db": change}
            for step, change in zip(self.steps, [None, *self.changes_db], strict=True)
        ]
        marks = {name: getattr(self, name) for name in (*MARKS, "useful")}
        return {
            "of": self.of.name,
            "title": self.of.title,
            "unit": self.of.unit,
            "log": self.of.log,
            "key": self.key,
            "velocity": self.velocity,
            **marks,
            "jumps": [asdict(jump) for jump in self.jumps],
            "sentences": self.sentences,
            "band_hz": BAND_HZ,
            "steps": steps,
        }

    @property
    def sentences(self) -> list[str]:
        """The marks with their reasons, each in a sentence."""
        return list(_sentences(self))


def useful_range(
    patch: Patch,
    name: str,
    low: float | None = None,
    high: float | None = None,
    steps: int = STEPS,
    *,
    key: float | None = None,
    velocity: float | None = None,
    keep_routes: bool = False,
    cancelled: Callable[[], bool] = never,
    tell: Callable[[UsefulRange, float], None] | None = None,
    hear: Callable[[int, Floats], None] | None = None,
) -> UsefulRange:
    """Return what is heard over a sweep of a destination, a module's parameter or a macro.

    ``tell`` is told what is known so far, coarse steps first, and which share of the work is done; ``hear`` is given
    what is heard of each step, by its number, shape (frames, 2). Raises Problem where
    there is nothing of that name, an end is out of its range, or a step comes to no finite number; Cancelled.
    """
    of = swept(patch, name)
    values = of.values(low, high, steps)
    noted = one_note(patch, key, velocity)
    note = noted.performance.notes[0]
    if steps * note.length_s > MAX_SWEEP_S:
        found = f"{steps} steps of {in_words(note.length_s, 's')}"
        raise Problem("the sweep", found, f"{MAX_SWEEP_S:.0f} s in all: fewer steps, or a shorter note")
    known: dict[int, Step] = {}

    def so_far() -> UsefulRange:
        found = with_marks(UsefulRange(of, note.key, note.velocity, [known[i] for i in sorted(known)], []))
        # Neighbours that have yet to be parted by others do not jump.
        return found if len(known) == steps else replace(found, jumps=[])

    def work(index: int) -> tuple[int, Step, Spectrum]:
        if cancelled():
            raise Cancelled
        at = patch_at(noted, of, values[index], keep_routes)
        held, limited_db = held_part(at)
        if hear is not None:
            hear(index, held)
        found = spectrum(held, DEFAULT_RATE)
        return index, _step(at, values[index], held, found, limited_db), found

    with SharpnessProcess() as asked, ThreadPoolExecutor(cores()) as pool:
        sharp: dict[Future[float], int] = {}
        try:
            making = [pool.submit(work, index) for index in coarse_first(steps)]
            for made in as_completed(making):
                index, step, of_step = made.result()
                known[index] = step
                sharp[asked.ask(of_step)] = index
                if tell is not None:
                    tell(so_far(), 0.9 * len(known) / steps)
            for answer in as_completed(sharp):
                if cancelled():
                    raise Cancelled
                index = sharp[answer]
                known[index] = replace(known[index], sharpness_acum=answer.result())
        finally:
            pool.shutdown(cancel_futures=True)
    return so_far()


def held_part(patch: Patch) -> tuple[Floats, float]:
    """Return what is listened to of a note alone, from 50 ms on, and what the limiter took of it in dB."""
    sound = render(patch, DEFAULT_RATE)
    off = round(patch.performance.notes[0].length_s * DEFAULT_RATE)
    return sound.samples[round(SKIP_S * DEFAULT_RATE) : off], sound.limited_db


def _step(patch: Patch, value: float, held: Floats, of: Spectrum, limited_db: float) -> Step:
    fundamental = key_hz(patch.performance.notes[0].key + patch.base(VOICE["pitch"]))
    level = loudness(held, DEFAULT_RATE)
    return Step(value, level, of.centroid_hz, of.under_db(2.0 * fundamental), of.bands_db, limited_db)


def with_marks(of: UsefulRange) -> UsefulRange:
    """Return a sweep with its marks, found of the steps that it has."""
    steps, what = of.steps, of.of
    if len(steps) < 2:
        return of
    bands = [step.bands_db for step in steps]
    loudest = max(float(each.max()) for each in bands)
    changes = [change_db(a, b, loudest) for a, b in pairwise(bands)]
    from_first = [change_db(bands[0], each, loudest) for each in bands]
    from_last = [change_db(bands[-1], each, loudest) for each in bands]
    places = [what.place(step.value) for step in steps]
    sharp = [step.sharpness_acum for step in steps if step.sharpness_acum is not None]
    lows = [step.low_db for step in steps]
    greatest = int(np.argmax(lows))
    fallen = [max(lows) - low for low in lows[greatest:]]
    jumps = [
        Jump(a.value, b.value, b.loudness_lufs - a.loudness_lufs)
        for a, b in pairwise(steps)
        if abs(b.loudness_lufs - a.loudness_lufs) > JUMP_LU and max(a.loudness_lufs, b.loudness_lufs) > SILENCE_DB
    ]
    louder = [step.loudness_lufs - max(one.loudness_lufs for one in steps) for step in steps]
    silent = decibels(SILENT)
    backward = _passes(list(reversed(from_last)), list(reversed(places)), LEVEL_DB)
    marks = {
        "starts_at": _passes(from_first, places, LEVEL_DB),
        "stops_at": backward,
        "silent_until": _passes(louder, places, silent) if louder[0] < silent else None,
        "silent_from": _passes(louder[::-1], places[::-1], silent) if louder[-1] < silent else None,
        "thin_from": _passes(fallen, places[greatest:], THIN_DB) if max(lows) > SILENCE_DB else None,
        "harsh_from": _passes(sharp, places, SHARP_ACUM) if len(sharp) == len(steps) else None,
    }
    found = {name: None if at is None else what.value_at(at) for name, at in marks.items()}
    return replace(of, changes_db=changes, jumps=jumps, **found)  # type: ignore[arg-type]


def _passes(figures: Sequence[float], places: Sequence[float], threshold: float) -> float | None:
    """Return the place at which a figure comes to a threshold for the first time, straight between steps."""
    for i, figure in enumerate(figures):
        if figure >= threshold:
            if i == 0:
                return places[0]
            share = (threshold - figures[i - 1]) / (figure - figures[i - 1])
            return places[i - 1] + share * (places[i] - places[i - 1])
    return None


def _sentences(of: UsefulRange) -> Iterator[str]:
    def at(value: float) -> str:
        return in_words(float(f"{value:.3g}"), of.of.unit)

    if of.starts_at is None or of.stops_at is None:
        yield f"Nothing of it is heard: over the whole sweep the bands change by less than {LEVEL_DB:g} dB."
        return
    if of.useful is None:
        yield "No part of it is useful: where it starts to be heard it is thin or harsh already."
    else:
        yield f"Useful from {at(of.useful[0])} to {at(of.useful[1])}."
    yield f"Starts at {at(of.starts_at)}: there the bands differ by {LEVEL_DB:g} dB from the first step."
    yield f"Stops at {at(of.stops_at)}: above it they differ by less than {LEVEL_DB:g} dB from the last."
    for mark, words in ((of.silent_until, "up to"), (of.silent_from, "from")):
        if mark is not None:
            yield f"Silent {words} {at(mark)}: there it is more than {-decibels(SILENT):g} LU under the loudest step."
    if of.thin_from is not None:
        yield f"Thin from {at(of.thin_from)}: what lies under the octave of the note has fallen {THIN_DB:g} dB."
    if of.harsh_from is not None:
        yield f"Harsh from {at(of.harsh_from)}: its sharpness passes {SHARP_ACUM:g} acum."
    for jump in of.jumps[:3]:
        yield f"Jumps by {jump.lu:+.1f} LU between {at(jump.low)} and {at(jump.high)}.".replace("-", "−")
    if len(of.jumps) > 3:
        yield f"And {len(of.jumps) - 3} more jumps."
    if (most := max(step.limited_db for step in of.steps)) >= LEVEL_DB:
        yield f"The limiter took up to {most:.1f} dB: what is louder than that is not told apart."


BAND_HZ: Final = tuple(float(f"{hz:.6g}") for hz in CENTRES)
"""The middles of the bands, from the lowest up."""
