"""Requests for figures and judgements."""

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import TypeAdapter

from jorvik.core.cores import cores
from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.engine.reduce import reduce_run
from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.run import Run
from jorvik.core.engine.trace import trace
from jorvik.core.limits import MAX_TRACE_BYTES
from jorvik.core.measure.context import Context
from jorvik.core.measure.differences import constant_measures, constants, differences
from jorvik.core.measure.lane import Measures
from jorvik.core.measure.patch import Stretch, measure_patch, over
from jorvik.core.measure.sound import level_gains, loudness, spectral_centroid
from jorvik.core.measure.sweep import at_step, sweep
from jorvik.core.problems import Problem, shown
from jorvik.core.units.noticed import Ear
from jorvik.core.voice.render import render
from jorvik.web.forms.common import Play
from jorvik.web.forms.judging import (
    ComparedStep,
    CompareRequest,
    Comparison,
    Judgement,
    Reached,
    ReachedRequest,
    StepLevel,
    StretchRequest,
)
from jorvik.web.services.judging import judgement
from jorvik.web.services.rendered import voice_of, with_test_note
from jorvik.web.services.scheduler import TheScheduler, as_json
from jorvik.web.services.sheet import level_row, row_of
from jorvik.web.services.workers import Cancel, Tell

router = APIRouter()


@router.post("/judge", response_model=Judgement)
async def post_judge(request: Request, form: Play, scheduler: TheScheduler) -> Response:
    """Return the figures of a patch over its first note, and what the rules find in it."""
    return await as_json(scheduler.make(request, "judgement", _judged, form, request.app.state.ear))


def _judged(form: Play, ear: Ear, cancelled: Cancel, _: Tell) -> bytes:
    patch = with_test_note(form)
    return judgement(Context(patch, form.rate, cancelled, voice_of(form, patch), ear)).model_dump_json().encode()


@router.post("/compare", response_model=Comparison)
async def post_compare(request: Request, form: CompareRequest, scheduler: TheScheduler) -> Response:
    """Return a patch at a sweep of something, and beside other patches: lanes and figures of each step."""
    return await as_json(scheduler.make(request, "judgement", _compared, form))


def _steps_of(form: CompareRequest) -> tuple[list[Patch], list[str]]:
    """Return the patches that a form compares, each with the note it is played at, and what each is called."""
    patch = with_test_note(form)
    patches = [at_step(patch, form.by, value) for value in form.steps]
    labels = [f"{value:g}" for value in form.steps]
    for document in form.phrases:
        phrase = None if document is None else check_phrase(document)
        patches.append(patch.under(phrase))
        labels.append("" if phrase is None else phrase.name)
    if not patches:
        patches, labels = [patch], [patch.name]
    for other in form.others:
        patches.append(check_patch(other).under(patch.phrase))
        labels.append(patches[-1].name)
    return patches, labels


def _compared(form: CompareRequest, cancelled: Cancel, _: Tell) -> bytes:
    patches, labels = _steps_of(form)

    def one(of: Patch, cache: RowCache) -> ComparedStep:
        voice = voice_of(form, of)
        run = Run(of, form.rate, voice)
        kept = cache if run.size_bytes <= MAX_TRACE_BYTES else None
        reduced = reduce_run(run, form.columns, cancelled, cache=kept)
        lanes = {name: row_of(reduced, lane.row) for name, lane in run.program.lanes.items() if "." not in name}
        found = measure_patch(of, form.rate, cancelled, cache, voice)
        return ComparedStep(
            label="",
            performance=of.document().get("performance", {}),
            phrase=of.phrase.document() if of.phrase else None,
            seconds=run.length / form.rate,
            lanes=lanes,
            measures=found,
        )

    steps = sweep(patches, one, cores())
    unmoved = constants(patches, [step.lanes for step in steps])
    for step, label, values in zip(steps, labels, unmoved, strict=True):
        step.label = label
        for name, value in values.items():
            step.lanes[name] = level_row(value)
            step.measures.lanes[name] = constant_measures(name, value)
    lanes = {name: lane for step in steps for name, lane in step.measures.lanes.items()}
    order = [*(name for name in VOICE if name in lanes), *(name for name in lanes if name not in VOICE)]
    made = Comparison(
        by=form.by,
        titles={name: lanes[name].title for name in order},
        units={name: lanes[name].unit for name in order},
        steps=steps,
        differences=differences(patches) if form.others else [],
    )
    return made.model_dump_json().encode()


@router.post("/levels", response_model=list[StepLevel])
async def post_levels(request: Request, form: CompareRequest, scheduler: TheScheduler) -> Response:
    """Return how loud each step of a comparison is, and the gain that makes all as loud as the quietest that sounds."""
    return await as_json(scheduler.make(request, "judgement", _levels, form))


def _levels(form: CompareRequest, cancelled: Cancel, _: Tell) -> bytes:
    def one(of: Patch, _room: RowCache) -> StepLevel:
        sound = render(of, form.rate, cancelled)
        return StepLevel(
            loudness_lufs=loudness(sound.samples, sound.rate),
            limited_db=sound.limited_db,
            brightness_hz=spectral_centroid(sound.samples, sound.rate),
            gain_db=0.0,
        )

    found = sweep(_steps_of(form)[0], one, 1)
    for step, gain in zip(found, level_gains([step.loudness_lufs for step in found]), strict=True):
        step.gain_db = gain
    return TypeAdapter(list[StepLevel]).dump_json(found)


@router.post("/reached", response_model=list[Reached])
async def post_reached(request: Request, form: ReachedRequest, scheduler: TheScheduler) -> Response:
    """Return what a lane comes to at each of some keys and velocities, by key, then by velocity."""
    return await as_json(scheduler.make(request, "judgement", _reached, form))


def _reached(form: ReachedRequest, cancelled: Cancel, _: Tell) -> bytes:
    patch = with_test_note(form)
    pairs = [(key, velocity) for key in form.keys for velocity in form.velocities]
    patches = [patch.with_note_at(voice_of(form, patch), velocity, key) for key, velocity in pairs]

    def one(of: Patch, cache: RowCache) -> Measures:
        lanes = measure_patch(of, form.rate, cancelled, cache, voice_of(form, of)).lanes
        if form.lane not in lanes:
            raise Problem("the lane", shown(form.lane), f"one that something moves: {', '.join(lanes)}")
        return lanes[form.lane].measures

    found = sweep(patches, one, cores())
    pairs_found = zip(pairs, found, strict=True)
    made = [Reached(key=key, velocity=velocity, measures=of) for (key, velocity), of in pairs_found]
    return TypeAdapter(list[Reached]).dump_json(made)


@router.post("/stretch", response_model=Stretch)
async def post_stretch(request: Request, form: StretchRequest, scheduler: TheScheduler) -> Response:
    """Return how far a lane goes between two moments, and each route's share of it."""
    return await as_json(scheduler.make(request, "judgement", _stretch, form))


def _stretch(form: StretchRequest, cancelled: Cancel, _: Tell) -> bytes:
    patch = with_test_note(form)
    made_of = trace(patch, form.rate, voice_of(form, patch), cancelled)
    begins_s = made_of.run.origin / form.rate
    made = over(made_of, form.lane, max(form.from_s - begins_s, 0.0), max(form.to_s - begins_s, 0.0))
    return TypeAdapter(Stretch).dump_json(made)
