"""What an answer is worth: by its measured distance from what is right, with the reason and the place on the sheet."""

import math
from collections.abc import Callable, Iterator
from functools import lru_cache
from typing import Any, Final, TypeVar

import numpy as np

from jorvik.core.changes.documents import changes
from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.run import never
from jorvik.core.findings import RULES, found_by
from jorvik.core.measure.context import Context
from jorvik.core.phrases.gesture import turns
from jorvik.core.practice.kinds.hear import with_values
from jorvik.core.practice.making import again
from jorvik.core.practice.near import Apart, Curves, apart, curves, heard
from jorvik.core.practice.task import KindName, Made, Marked, MarkedPart, Question, Task, TaskAnswer, Verdict
from jorvik.core.practice.tolerance import NEARLY, TURN_S, Tolerance
from jorvik.core.problems import Problem
from jorvik.core.units.tempo import Tempo
from jorvik.core.units.values import parse_value
from jorvik.core.units.words import in_words

_SAID: Final = ("name", "notes", "tags", "set_aside", "useful_ranges")
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


def _patch_of(made: Made, answer: TaskAnswer) -> Patch | None:
    """Return the patch of an answer at the note of the task: who has tried it at others has changed nothing by that."""
    if answer.patch is None:
        return None
    return check_patch({**answer.patch, "performance": (made.task.patch or {})["performance"]})


def _nothing(name: str) -> MarkedPart:
    return MarkedPart(name=name, given="", wanted="a patch", distance=None, verdict="wrong", why="No patch was made.")


def _mended(made: Made, answer: TaskAnswer, cancelled: Callable[[], bool]) -> list[MarkedPart]:
    """Mark a patch that was put right: by the rule itself, and by what became of the rest."""
    patch = _patch_of(made, answer)
    if patch is None:
        return [_nothing("put right")]
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
    was, right = _known(made.task, "wrong"), _known(made.task, "right")
    meant, done = apart(was, right), apart(was, curves(patch, made.task.shown, cancelled))
    moved = {name: far for name, far in done.items() if meant[name].distance <= 1.0 < far.distance}
    said = ", ".join(VOICE[name].title.lower() for name in moved)
    farthest = max((far.distance for far in moved.values()), default=0.0)
    rest = MarkedPart(
        name="the rest",
        given=f"moved: {said}" if moved else "as it was",
        wanted="as it was",
        distance=round(farthest, 4),
        verdict=verdict_of(farthest),
        why=f"{said} had nothing to do with it." if moved else "Nothing else was changed that is noticed.",
        stave=next(iter(moved), ""),
    )
    return [part, rest]


def _reached(made: Made, answer: TaskAnswer, cancelled: Callable[[], bool]) -> list[MarkedPart]:
    """Mark a patch that was to reach curves: by how far they are from them, and by how many changes it took."""
    patch = _patch_of(made, answer)
    if patch is None:
        return [_nothing("what is to be reached"), _nothing("changes")]
    parts: list[MarkedPart] = []
    velocities: list[float | None] = [*made.task.velocities] or [None]
    for velocity in velocities:
        now = _compared(made.task, patch.with_note(velocity=velocity), cancelled)
        wanted, before = (_known(made.task, which, velocity) for which in ("right", "wrong"))
        parts += _reached_at(velocity, apart(wanted, before), apart(wanted, now))
    count = len(changes(*(_without_words(document) for document in (made.task.patch or {}, patch.document()))))
    more = max(count - made.fewest, 0)
    parts.append(
        MarkedPart(
            name="changes",
            given=str(count),
            wanted=str(made.fewest),
            distance=None if not count else 1.0 + more if more else 0.0,
            verdict="wrong" if not count else verdict_of(1.0 + more) if more else "right",
            why=_of_changes(count, made.fewest),
        )
    )
    return parts


def _known(task: Task, which: str, velocity: float | None = None) -> Curves:
    """Return what the task's own patch, "right" or "wrong", is compared by: made once, however often it is tried."""
    return _made_once(task.kind, task.level, task.seed, which, velocity)


@lru_cache(maxsize=64)
def _made_once(kind: KindName, level: int, seed: int, which: str, velocity: float | None) -> Curves:
    whole = again(Task(kind=kind, level=level, seed=seed))
    patch = check_patch(whole.answer.patch if which == "right" else whole.task.patch)
    return _compared(whole.task, patch.with_note(velocity=velocity), never)


def _compared(task: Task, patch: Patch, cancelled: Callable[[], bool]) -> Curves:
    """Return what a patch is compared by: its curves, or what is heard of it."""
    return heard(patch, cancelled) if task.by_ear else curves(patch, task.shown, cancelled)


def _of_changes(count: int, fewest: int) -> str:
    if not count:
        return "Nothing was changed."
    return "No change more than there had to be." if count <= fewest else f"{fewest} would have done."


def _reached_at(velocity: float | None, before: dict[str, Apart], now: dict[str, Apart]) -> Iterator[MarkedPart]:
    """Yield how near each curve is, or what is heard of each, at a velocity or at the patch's own.

    What was right from the start is told only where it is not any more.
    """
    for name, (distance, at_s) in now.items():
        if before[name].distance <= 1.0 and distance <= 1.0:
            continue
        title = VOICE[name].title.lower() if name in VOICE else name
        yield MarkedPart(
            name=title if velocity is None else f"{title} at {velocity:g}",
            given=f"{distance:.2g} differences off",
            wanted="the same",
            distance=round(distance, 4),
            verdict=verdict_of(distance),
            why="No ear tells them apart." if distance <= 1.0 else f"It is farthest off at {in_words(at_s, 's')}.",
            stave=name if name in VOICE else "",
            at_s=None if distance <= 1.0 else at_s,
        )


def _without_words(document: dict[str, Any]) -> dict[str, Any]:
    """Return a patch without what is only said of it."""
    return {name: value for name, value in document.items() if name not in _SAID}


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
