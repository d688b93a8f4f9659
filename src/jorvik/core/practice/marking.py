"""What an answer is worth: by its measured distance from what is right, with the reason and the place on the sheet."""

import math
from collections.abc import Callable, Iterator
from typing import Any, Final, TypeVar

import numpy as np

from jorvik.core.changes.documents import changes
from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.run import never
from jorvik.core.engine.trace import trace
from jorvik.core.findings import RULES, found_by
from jorvik.core.limits import DRAFT_RATE
from jorvik.core.measure.context import Context
from jorvik.core.phrases.gesture import turns
from jorvik.core.practice.kinds.hear import with_values
from jorvik.core.practice.making import again
from jorvik.core.practice.task import Made, Marked, MarkedPart, Question, Task, TaskAnswer, Verdict
from jorvik.core.practice.tolerance import NEARLY, Tolerance
from jorvik.core.problems import Problem
from jorvik.core.units.noticed import CUTOFF_ST, LEVEL_DB, PITCH_ST
from jorvik.core.units.tempo import Tempo
from jorvik.core.units.values import parse_value
from jorvik.core.units.words import in_words

TURN_S: Final = 0.02
"""A turn this far from its stroke is heard as on it: 20 ms (Friberg and Sundberg, JASA 98, 1995, at 100 bpm)."""

_SAID: Final = ("name", "notes", "tags", "set_aside", "useful_ranges")
_CURVES: Final = {"pitch": PITCH_ST, "cutoff": 5 * CUTOFF_ST}
_SPARE: Final = 0.5
"""Off the marks for each change more than there had to be, down to half of them."""


def mark(task: Task, answer: TaskAnswer, cancelled: Callable[[], bool] = never) -> Marked:
    """Return what an answer is worth. Raises Problem where a patch in it is none, Cancelled.

    >>> from jorvik.core.practice.making import made
    >>> one = made("read", 1, 7)
    >>> mark(one.task, one.answer).marks
    1.0
    """
    whole = again(task)
    parts = [_part(question, answer, whole) for question in whole.task.questions]
    if whole.task.kind == "find":
        parts += _mended(whole, answer, cancelled)
    elif whole.task.kind == "make":
        parts += _reached(whole, answer, cancelled)
    elif whole.task.kind == "play":
        parts += _played(whole, answer)
    marks = sum(_worth(part) for part in parts) / max(len(parts), 1)
    verdict: Verdict = "right" if marks == 1.0 else "nearly" if marks >= 0.5 else "wrong"
    return Marked(
        marks=round(marks, 4),
        verdict=verdict,
        parts=parts,
        worked=whole.worked,
        patch=whole.answer.patch,
        lane=whole.answer.lane,
    )


def verdict_of(distance: float) -> Verdict:
    """Return whether a distance in just-noticeable differences is right, nearly right, or wrong."""
    return "right" if distance <= 1.0 else "nearly" if distance <= NEARLY else "wrong"


def _worth(part: MarkedPart) -> float:
    """Return 1 for what is right, and less the farther off it is, down to nothing."""
    if part.verdict == "right":
        return 1.0
    if part.distance is None or not math.isfinite(part.distance) or part.verdict == "wrong":
        return 0.0
    return max(0.0, 1.0 - part.distance / (NEARLY + 1.0))


def _part(question: Question, answer: TaskAnswer, made: Made) -> MarkedPart:
    wanted = made.answer.values[question.name]
    given = answer.values.get(question.name)
    stave, at_s = made.places.get(question.name, ("", None))
    unit = question.unit
    said = in_words(float(wanted), unit) if unit else str(wanted)
    if given is None or given == "":
        return MarkedPart(
            name=question.name,
            given="",
            wanted=said,
            distance=None,
            verdict="wrong",
            why="Nothing was said.",
            stave=stave,
            at_s=at_s,
        )
    if not unit:
        right = str(given).strip().lower() == str(wanted).lower()
        why = "That is it." if right else f"It is {wanted}."
        verdict: Verdict = "right" if right else "wrong"
        return MarkedPart(
            name=question.name,
            given=str(given),
            wanted=said,
            distance=0.0 if right else None,
            verdict=verdict,
            why=why,
            stave=stave,
            at_s=at_s,
        )
    value = _value(given, question, made)
    tolerance = made.tolerances.get(question.name, Tolerance(share=0.005))
    distance = tolerance.distance(value, float(wanted))
    verdict = verdict_of(distance)
    return MarkedPart(
        name=question.name,
        given=in_words(value, unit),
        wanted=said,
        distance=round(distance, 4),
        verdict=verdict,
        why=_why(value, float(wanted), unit, distance),
        stave=stave,
        at_s=at_s,
    )


def _value(given: float | str, question: Question, made: Made) -> float:
    """Return what was typed as a number; text is read with its unit, at the tempo of the task."""
    if not isinstance(given, str):
        return float(given)
    tempo = Tempo(made.task.tempo_bpm)
    return float(parse_value(given, question.unit, question.name, note_values=False, tempo=tempo).value)


def _why(value: float, wanted: float, unit: str, distance: float) -> str:
    way = "more" if value > wanted else "less"
    if distance <= 1.0:
        return "No ear tells it from the right one."
    off = in_words(float(f"{abs(value - wanted):.3g}"), unit)
    return f"{off} {way} than it is: {distance:.3g} times what is just noticed."


def yours(task: Task, answer: TaskAnswer) -> dict[str, Any]:
    """Return the patch of a heard task with the figures of an answer. Raises Problem where there are none to set."""
    whole = again(task)
    if whole.task.patch is None or not whole.task.heard:
        raise Problem("the task", whole.task.kind, "one that is heard")
    asked = {question.name: question for question in whole.task.questions if question.unit}
    values = {
        name: _value(given, asked[name], whole)
        for name, given in answer.values.items()
        if name in asked and given != ""
    }
    return with_values(whole.task.patch, values)


def _patch_of(answer: TaskAnswer) -> Patch | None:
    return None if answer.patch is None else check_patch(answer.patch)


def _nothing(name: str) -> MarkedPart:
    return MarkedPart(name=name, given="", wanted="a patch", distance=None, verdict="wrong", why="No patch was made.")


def _mended(made: Made, answer: TaskAnswer, cancelled: Callable[[], bool]) -> list[MarkedPart]:
    """Mark a patch that was put right: by the rule itself, and by what became of the rest."""
    patch = _patch_of(answer)
    if patch is None:
        return [_nothing("put right")]
    wrong = check_patch(made.task.patch)
    left = found_by(RULES[made.rule], Context(patch, cancelled=cancelled))
    part = MarkedPart(
        name="put right",
        given="still there" if left else "put right",
        wanted="put right",
        distance=None if left else 0.0,
        verdict="wrong" if left else "right",
        why=left[0].sentence if left else "The rule finds nothing any more.",
        stave=left[0].about if left else "",
        at_s=left[0].from_s if left else None,
    )
    was, right, now = (
        _curves(one, made.task.shown, cancelled) for one in (wrong, check_patch(made.answer.patch), patch)
    )
    meant, done = _apart(was, right), _apart(was, now)
    moved = {name: far for name, far in done.items() if meant[name] <= 1.0 < far}
    said = ", ".join(VOICE[name].title.lower() for name in moved)
    rest = MarkedPart(
        name="the rest",
        given=f"moved: {said}" if moved else "as it was",
        wanted="as it was",
        distance=round(max(moved.values(), default=0.0), 4),
        verdict=verdict_of(max(moved.values(), default=0.0)),
        why=f"{said} had nothing to do with it." if moved else "Nothing else was changed that is noticed.",
        stave=next(iter(moved), ""),
    )
    return [part, rest]


def _reached(made: Made, answer: TaskAnswer, cancelled: Callable[[], bool]) -> list[MarkedPart]:
    """Mark a patch that was to reach curves: by how far they are from them, and by how many changes it took."""
    patch = _patch_of(answer)
    if patch is None:
        return [_nothing("the curves"), _nothing("changes")]
    target = check_patch(made.answer.patch)
    parts: list[MarkedPart] = []
    velocities: list[float | None] = [*made.task.velocities] or [None]
    for velocity in velocities:
        played = (one.with_note(velocity=velocity) for one in (target, patch))
        parts += _reached_at(velocity, _apart(*(_curves(one, made.task.shown, cancelled) for one in played)))
    count = len(changes(*(_heard(document) for document in (made.task.patch or {}, patch.document()))))
    more = max(count - made.fewest, 0)
    parts.append(
        MarkedPart(
            name="changes",
            given=str(count),
            wanted=str(made.fewest),
            distance=float(more) + 1.0 if more else 0.0,
            verdict="right" if not more else verdict_of(1.0 + more),
            why="No change more than there had to be." if not more else f"{made.fewest} would have done.",
        )
    )
    return parts


def _reached_at(velocity: float | None, distances: dict[str, float]) -> Iterator[MarkedPart]:
    """Yield how near each curve is, at a velocity or at the patch's own."""
    for name, distance in distances.items():
        title = VOICE[name].title.lower()
        yield MarkedPart(
            name=title if velocity is None else f"{title} at {velocity:g}",
            given=f"{distance:.2g} differences off",
            wanted="on the curve",
            distance=round(distance, 4),
            verdict=verdict_of(distance),
            why="It lies on the curve." if distance <= 1.0 else f"{title} is off where it is farthest.",
            stave=name,
        )


def _heard(document: dict[str, Any]) -> dict[str, Any]:
    """Return a patch without what is only said of it."""
    return {name: value for name, value in document.items() if name not in _SAID}


def _apart(one: dict[str, Floats], other: dict[str, Floats]) -> dict[str, float]:
    """Return how far curves lie apart in just-noticeable differences, but for a twentieth of the time."""
    found = {}
    for name, curve in one.items():
        length = min(len(curve), len(other[name]))
        away = np.abs(curve[:length] - other[name][:length])
        found[name] = float(np.quantile(away, 0.95)) / _CURVES.get(name, LEVEL_DB) if length else math.inf
    return found


def _curves(patch: Patch, names: list[str], cancelled: Callable[[], bool]) -> dict[str, Floats]:
    """Return curves in what is heard of them: semitones of pitch and cutoff, decibels of level, over 60 dB of them."""
    found = trace(patch, DRAFT_RATE, cancelled=cancelled)
    curves = {}
    for name in names:
        at, lane = VOICE[name], found.lanes.get(name)
        values = lane.value if lane is not None else np.full(found.run.length, patch.base(at))
        if name == "pitch":
            curves[name] = values
        elif at.steps_per_octave:
            curves[name] = np.asarray(12.0 * np.log2(np.maximum(values, 1e-6)))
        else:
            curves[name] = np.asarray(20.0 * np.log10(np.maximum(values, 1e-3)))
    return curves


def _played(made: Made, answer: TaskAnswer) -> list[MarkedPart]:
    """Mark a played lane: how far its turns fall from the strokes, and the habit in that."""
    strokes = made.task.strokes
    found = [turn.at for turn in turns(answer.lane, 1.0)] if len(answer.lane) > 1 else []
    parts = []
    offs = []
    for number, stroke in enumerate(strokes):
        near = min(found, key=lambda at: abs(at - stroke), default=None)
        place: dict[str, Any] = {
            "name": f"stroke {number + 1}",
            "wanted": in_words(stroke, "s"),
            "at_s": stroke,
            "stave": "cutoff",
        }
        if near is None or abs(near - stroke) > NEARLY * 2 * TURN_S:
            parts.append(
                MarkedPart(given="no turn", distance=None, verdict="wrong", why="It does not turn there.", **place)
            )
            continue
        off = near - stroke
        offs.append(off)
        distance = abs(off) / TURN_S
        way = "late" if off > 0 else "early"
        parts.append(
            MarkedPart(
                given=in_words(near, "s"),
                distance=round(distance, 4),
                verdict=verdict_of(distance),
                why="On the stroke." if distance <= 1.0 else f"{1000 * abs(off):.0f} ms {way}.",
                **place,
            )
        )
    extra = len(found) - len(offs)
    if extra > 0:
        parts.append(
            MarkedPart(
                name="turns beside",
                given=str(extra),
                wanted="0",
                distance=1.0 + extra,
                verdict=verdict_of(1.0 + extra),
                why="It turns where there is no stroke.",
            )
        )
    if offs:
        parts[0] = parts[0].model_copy(update={"why": f"{parts[0].why} {habit(offs)}"})
    return parts


def habit(offs: list[float]) -> str:
    """Return how somebody plays: early, late, uneven, or steady; by the mean and the spread of the distances.

    >>> habit([0.03, 0.031, 0.029]), habit([-0.001, 0.001]), habit([-0.05, 0.05])
    ('You play 30 ms late, evenly.', 'You play on the beat, evenly.', 'You play on the beat, unevenly: ±50 ms.')
    """
    mean, spread = float(np.mean(offs)), float(np.std(offs))
    where = "on the beat" if abs(mean) <= TURN_S / 2 else f"{1000 * abs(mean):.0f} ms {'late' if mean > 0 else 'early'}"
    how = "evenly" if spread <= TURN_S else f"unevenly: ±{1000 * spread:.0f} ms"
    return f"You play {where}, {how}."


def check_answer(document: object) -> TaskAnswer:
    """Return an answer read from JSON. Raises Problem with the place, what was found and what would do."""
    return _checked(TaskAnswer, document)


def check_task(document: object) -> Task:
    """Return a task read from JSON: what it says beside its kind, level and seed counts for nothing."""
    if isinstance(document, dict) and isinstance(document.get("task"), dict):
        document = document["task"]
    return _checked(Task, document)


T = TypeVar("T", TaskAnswer, Task)


def _checked(model: type[T], document: object) -> T:
    from pydantic import ValidationError

    from jorvik.core.problems import from_validation, shown

    if not isinstance(document, dict):
        raise Problem("the document", shown(document), "an object")
    try:
        return model.model_validate(document)
    except ValidationError as error:
        raise from_validation(error, ()) from None
