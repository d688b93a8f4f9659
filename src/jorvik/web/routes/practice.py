"""Requests about practice: what comes next, a task with its curves, its marks, pairs for one's own thresholds."""

import uuid
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from importlib import import_module
from random import SystemRandom
from typing import Annotated, Any, Final

import numpy as np
from anyio.to_thread import run_sync
from fastapi import APIRouter, Request
from pydantic import Field, StrictBool
from sqlalchemy.exc import SQLAlchemyError

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.trace import trace
from jorvik.core.figures import KINDS as FIGURES
from jorvik.core.findings import RULES
from jorvik.core.limits import COARSE_RATE, MAX_NAME
from jorvik.core.practice import ears
from jorvik.core.practice.ears import Dimension, Threshold, Trial
from jorvik.core.practice.making import abouts, made, seed_about
from jorvik.core.practice.marking import mark, yours
from jorvik.core.practice.progress import (
    Attempt,
    Practice,
    Skill,
    check_practice,
    next_seed,
    next_task,
    own_ear,
    skills,
    thresholds,
    with_marks,
)
from jorvik.core.practice.task import KindName, Marked, Task, TaskAnswer
from jorvik.core.problems import Problem, shown
from jorvik.core.units.noticed import TEXTBOOK_EAR, Ear
from jorvik.store.documents import Conflict, DocumentStore, Kept
from jorvik.web.forms.common import Document, Form
from jorvik.web.services.scheduler import TheScheduler
from jorvik.web.services.workers import Cancel, Tell

router = APIRouter(prefix="/practice")

_POINTS: Final = 400
_LATEST: Final = 40
_TRIES: Final = 5


@dataclass(frozen=True)
class TaskCurve:
    """A destination over a note, as it is drawn."""

    name: str
    title: str
    unit: str
    log: bool
    seconds: float
    values: list[float]


class TaskView(Form):
    """A task, and the curves that go with it."""

    task: Task
    curves: list[TaskCurve]
    options: list[list[TaskCurve]]
    """Of each patch that is chosen among."""
    target: list[TaskCurve]
    more: str
    """What the help says of what it is about."""


class MarkedView(Form):
    """The marks, and the curves of what was right and of what was given."""

    marked: Marked
    curves: list[TaskCurve]


class Standing(Form):
    """How far somebody is."""

    skills: list[Skill]
    latest: list[Attempt]
    thresholds: dict[str, Threshold]
    textbook: dict[str, float]
    units: dict[str, str]
    own_thresholds: bool


class NextRequest(Form):
    """Which task: what comes next, of a kind, of its level too, about something, or one that is named."""

    kind: str = ""
    about: Annotated[str, Field(max_length=MAX_NAME)] = ""
    level: Annotated[int, Field(strict=True, ge=1, le=3)] | None = None
    seed: Annotated[int, Field(strict=True, ge=0, le=2**53)] | None = None


class AnswerRequest(Form):
    """An answer to a task."""

    kind: KindName
    level: Annotated[int, Field(strict=True, ge=1, le=3)]
    seed: Annotated[int, Field(strict=True, ge=0, le=2**53)]
    answer: TaskAnswer


class PairRequest(Form):
    """Of which threshold."""

    dimension: Dimension


class HeardPair(Form):
    """Two patches, and which is more."""

    asks: str
    patches: list[Document]
    difference: float
    more: int


class TrialRequest(Form):
    """What was answered of a pair."""

    dimension: Dimension
    trial: Trial


class OwnRequest(Form):
    """Whether findings go by one's own thresholds."""

    on: StrictBool


class PracticeFile(Form):
    """What was taken out before."""

    document: Document


def _store(request: Request) -> DocumentStore:
    store: DocumentStore = request.app.state.stores["practice"]
    return store


def _kept(store: DocumentStore) -> Kept:
    """Return the document of practice, made where there is none."""
    first = _first(store)
    return store.create(Practice().document()) if first is None else store.get(first)


def _first(store: DocumentStore) -> uuid.UUID | None:
    """Return which document is the one: of several, as an archive may bring them in, always the same."""
    return min((head.id for head in store.heads()), default=None)


def ear_of(store: DocumentStore) -> Ear:
    """Return whose ear judgements go by: the textbook's where nothing was practised, or the store is away."""
    try:
        first = _first(store)
        return TEXTBOOK_EAR if first is None else own_ear(check_practice(store.get(first).document))
    except SQLAlchemyError:
        return TEXTBOOK_EAR


def _changed(request: Request, change: Callable[[Practice], Practice]) -> Practice:
    """Change what was practised and keep it; where another page changed it meanwhile, change that."""
    store = _store(request)
    for _ in range(_TRIES):
        kept = _kept(store)
        practice: Practice = change(check_practice(kept.document))
        try:
            store.write_draft(kept.id, practice.document(), kept.sequence)
        except Conflict:
            continue
        request.app.state.ear = own_ear(practice)
        return practice
    raise Problem("what was practised", "changed from elsewhere again and again", "tried again")


def _standing(practice: Practice) -> Standing:
    return Standing(
        skills=skills(practice),
        latest=practice.attempts[-_LATEST:][::-1],
        thresholds=thresholds(practice),
        textbook=ears.TEXTBOOK,
        units=ears.UNITS,
        own_thresholds=practice.own_thresholds,
    )


@router.get("")
def get_standing(request: Request) -> Standing:
    """Return what is sure, what is due, and what is known of one's own ear."""
    return _standing(check_practice(_kept(_store(request)).document))


@router.get("/abouts")
async def get_abouts(request: Request, scheduler: TheScheduler) -> list[str]:
    """Return the rules and figures that there are tasks about."""
    known: list[str] = await scheduler.make(request, "judgement", _abouts)
    return known


def _abouts(_: Cancel, __: Tell) -> list[str]:
    return sorted(abouts())


@router.post("/next")
async def post_next(request: Request, form: NextRequest, scheduler: TheScheduler) -> TaskView:
    """Return the task that comes next, or the one that is named."""
    practice = check_practice((await run_sync(_kept, _store(request))).document)
    view: TaskView = await scheduler.make(request, "judgement", _next, practice, form)
    return view


def _next(practice: Practice, form: NextRequest, cancelled: Cancel, _: Tell) -> TaskView:
    return _view(*_chosen(practice, form), cancelled)


def _chosen(practice: Practice, form: NextRequest) -> tuple[str, int, int]:
    if form.about:
        known = abouts().get(form.about)
        if known is None:
            raise Problem("about", shown(form.about), f"one of {', '.join(sorted(abouts()))}")
        # What is asked for from a finding is found, or else worked out, before it is heard.
        kind, level = next((one for one in known if one[0] == "find"), known[0])
        done = sum(one.about == form.about for one in practice.attempts)
        return kind, level, seed_about(form.about, kind, level, 1 + 7 * done)
    if form.level is not None:
        seed = next_seed(practice, form.kind, form.level) if form.seed is None else form.seed
        return form.kind, form.level, seed
    return next_task(practice, form.kind)


def _view(kind: str, level: int, seed: int, cancelled: Cancel) -> TaskView:
    task = made(kind, level, seed).task
    shown_of = partial(_curves, task, cancelled=cancelled)
    return TaskView(
        task=task,
        curves=shown_of(task.patch) if task.patch and not task.heard else [],
        options=[shown_of(one) for one in task.options],
        target=shown_of(task.target) if task.target and not task.by_ear else [],
        more=_help_of(task.about),
    )


def _curves(task: Task, document: Document, cancelled: Cancel) -> list[TaskCurve]:
    patch = check_patch(document)
    if not task.velocities:
        return _curves_of(task.shown, patch, cancelled)
    return [
        replace(curve, name=f"{curve.name} {velocity:g}", title=f"{curve.title} at velocity {velocity:g}")
        for velocity in task.velocities
        for curve in _curves_of(task.shown, patch.with_note(velocity=velocity), cancelled)
    ]


def _curves_of(names: list[str], patch: Patch, cancelled: Cancel) -> list[TaskCurve]:
    found = trace(patch, COARSE_RATE, cancelled=cancelled)
    length = found.run.length
    places = np.linspace(0, length - 1, min(_POINTS, length)).astype(int)
    curves = []
    for name in names:
        at = VOICE[name]
        lane = found.lanes.get(name)
        values = lane.value[places] if lane is not None else np.full(len(places), patch.base(at))
        curves.append(
            TaskCurve(
                name,
                at.title,
                at.unit,
                bool(at.steps_per_octave),
                length / COARSE_RATE,
                [float(f"{value:.6g}") for value in values],
            )
        )
    return curves


def _help_of(about: str) -> str:
    """Return what the file of a rule or a figure says of it."""
    folder = "findings" if about in RULES else "figures" if about in FIGURES else ""
    return (import_module(f"jorvik.core.{folder}.{about}").__doc__ or "").strip() if folder else ""


@router.post("/mark")
async def post_mark(request: Request, form: AnswerRequest, scheduler: TheScheduler) -> MarkedView:
    """Return the marks of an answer, with what is right; it counts for what comes next."""
    about, view = await scheduler.make(request, "judgement", _marked, form)
    change = partial(with_marks, kind=form.kind, level=form.level, seed=form.seed, about=about, marked=view.marked)
    await run_sync(_changed, request, change)
    marks: MarkedView = view
    return marks


def _marked(form: AnswerRequest, cancelled: Cancel, _: Tell) -> tuple[str, MarkedView]:
    whole = made(form.kind, form.level, form.seed)
    marked = mark(whole.task, form.answer, cancelled)
    right = whole.answer.patch or (whole.task.patch if whole.task.heard else None)
    curves = _curves(whole.task, right, cancelled) if right else []
    return whole.task.about, MarkedView(marked=marked, curves=curves)


@router.post("/yours")
def post_yours(form: AnswerRequest) -> dict[str, Any]:
    """Return the patch of a heard task with the figures that somebody set, to be heard beside it."""
    return yours(made(form.kind, form.level, form.seed).task, form.answer)


@router.post("/pair")
def post_pair(request: Request, form: PairRequest) -> HeardPair:
    """Return a pair of sounds that tells the most of a threshold."""
    practice = check_practice(_kept(_store(request)).document)
    trials = list(practice.trials.get(form.dimension, []))
    difference = ears.next_difference(form.dimension, trials)
    patches, more = ears.pair(form.dimension, difference, SystemRandom().randrange(2**31))
    return HeardPair(asks=ears.ASKS[form.dimension], patches=patches, difference=difference, more=more)


@router.post("/trial")
def post_trial(request: Request, form: TrialRequest) -> Standing:
    """Keep what was answered of a pair; return what is known now."""

    def change(practice: Practice) -> Practice:
        known = [*practice.trials.get(form.dimension, []), form.trial][-ears.MOST_TRIALS :]
        return practice.model_copy(update={"trials": {**practice.trials, form.dimension: known}})

    return _standing(_changed(request, change))


@router.delete("/trials/{dimension}")
def delete_trials(request: Request, dimension: Dimension) -> Standing:
    """Forget what was answered of a threshold, to begin anew."""

    def change(practice: Practice) -> Practice:
        rest = {name: known for name, known in practice.trials.items() if name != dimension}
        return practice.model_copy(update={"trials": rest})

    return _standing(_changed(request, change))


@router.put("/own")
def put_own(request: Request, form: OwnRequest) -> Standing:
    """Let findings go by one's own thresholds, or by the textbook's."""
    return _standing(_changed(request, lambda practice: practice.model_copy(update={"own_thresholds": form.on})))


@router.get("/file")
def get_file(request: Request) -> dict[str, Any]:
    """Return everything that was practised, as a document."""
    return check_practice(_kept(_store(request)).document).document()


@router.put("/file")
def put_file(request: Request, form: PracticeFile) -> Standing:
    """Take in what was taken out before, in place of what is there."""
    read = check_practice(form.document)
    return _standing(_changed(request, lambda _: read))
