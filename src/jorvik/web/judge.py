"""Requests for figures and judgements."""

import os
from collections.abc import Callable

from fastapi import APIRouter, Request

from jorvik.core.engine.reduce import reduce_run
from jorvik.core.engine.run import Run
from jorvik.core.findings import findings
from jorvik.core.findings.base import Context
from jorvik.core.measure.ladder import ladder, rung
from jorvik.core.measure.patch import measure_patch
from jorvik.core.patch import Patch, check_patch
from jorvik.web.forms import ComparedStep, CompareWish, Comparison, FindingView, Judgement, Play
from jorvik.web.rendered import played
from jorvik.web.sheet import row_of
from jorvik.web.work import computed

router = APIRouter()


@router.post("/judge")
async def post_judge(request: Request, wish: Play) -> Judgement:
    """Return the figures of a patch over its first note, and what the rules find in it."""

    def work(cancelled: Callable[[], bool]) -> Judgement:
        context = Context(played(wish), wish.rate, cancelled)
        aside = {meant.finding: meant.reason for meant in context.patch.set_aside}
        found = [
            FindingView(
                key=f.key,
                rule=f.rule,
                severity=f.severity,
                sentence=f.sentence,
                why=f.why,
                about=f.about,
                from_s=f.from_s,
                to_s=f.to_s,
                mend=f.mend.label if f.mend else "",
                mended=f.mend.patch.document() if f.mend else None,
                set_aside=aside.get(f.key),
            )
            for f in findings(context)
        ]
        return Judgement(measures=context.measures, findings=found)

    return await computed(request, work)


@router.post("/compare")
async def post_compare(request: Request, wish: CompareWish) -> Comparison:
    """Return a patch at a ladder of something, and beside other patches: lanes and figures of each step."""

    def work(cancelled: Callable[[], bool]) -> Comparison:
        patch = played(wish)
        patches = [rung(patch, wish.by, value) for value in wish.steps] or [patch]
        labels = [f"{value:g}" for value in wish.steps] or [patch.name]
        for other in wish.others:
            checked = check_patch(other)
            patches.append(checked)
            labels.append(checked.name)

        def one(of: Patch) -> ComparedStep:
            run = Run(of, wish.rate)
            reduced = reduce_run(run, wish.columns, cancelled)
            lanes = {name: row_of(reduced, lane.row) for name, lane in run.program.lanes.items() if "." not in name}
            found = measure_patch(of, wish.rate, cancelled)
            return ComparedStep(label="", seconds=run.length / wish.rate, lanes=lanes, measures=found)

        steps = ladder(patches, one, os.cpu_count() or 1)
        named = [step.model_copy(update={"label": label}) for step, label in zip(steps, labels, strict=True)]
        lanes = {name: lane for step in steps for name, lane in step.measures.lanes.items()}
        return Comparison(
            by=wish.by,
            titles={name: lane.title for name, lane in lanes.items()},
            units={name: lane.unit for name, lane in lanes.items()},
            steps=named,
        )

    return await computed(request, work)
