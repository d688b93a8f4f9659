"""A route that arrives in steps large enough to be heard.

From what is just noticed of its destination on: 5 cents of pitch (about the least difference between successive pure
tones: Moore, JASA 54, 1973), 1 dB of level (Jesteadt, Wier and Green, JASA 61, 1977), 0.5 semitones of cutoff.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.patch import Route, edited
from jorvik.core.engine.trace import LaneTrace
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.levels import levels_db
from jorvik.core.units.noticed import LEVEL_DB
from jorvik.core.units.words import in_words

LEVEL_FLOOR = 0.01


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each stepped route whose greatest step can be heard."""
    for route in context.patch.live_routes:
        lane = context.trace.lanes.get(route.destination)
        if lane is None or (route.resolution == "smooth" and route.update_every == 1):
            continue
        at = lane.lane.destination
        if at.part == "level":
            yield from _of_level(context, route, lane)
            continue
        step = float(np.abs(np.diff(context.held(lane.contributions[route.id]))).max(initial=0.0))
        if step > at.noticed:
            yield _said(context, route, lane, in_words(step, at.amount_unit), in_words(at.noticed, at.amount_unit))


def _of_level(context: Context, route: Route, lane: LaneTrace) -> Iterator[Finding]:
    """A level is told in dB, from 40 dB under its peak on: what is softer is masked by what was louder before it."""
    level, given = context.held(lane.value), context.held(lane.contributions[route.id])
    floor = max(LEVEL_FLOOR * float(level.max(initial=0.0)), 1e-9)
    steps_db = np.diff(levels_db(np.maximum(level, floor), -200.0))
    step = float(np.abs(steps_db)[np.diff(given) != 0.0].max(initial=0.0))
    if step > LEVEL_DB:
        yield _said(context, route, lane, in_words(step, "dB"), in_words(LEVEL_DB, "dB"))


def _said(context: Context, route: Route, lane: LaneTrace, step: str, heard: str) -> Finding:
    return Finding(
        rule="coarse_steps",
        severity="caution",
        sentence=f"{route.source} moves {lane.lane.destination.title.lower()} in steps of up to {step}; from {heard} on they are heard.",
        why="A controller of 128 values, or a slow control rate, is heard as a staircase where its steps are large.",
        about=f"route.{route.id}",
        from_s=context.on_s,
        to_s=context.off_s,
        fix=Fix("no steps", edited(context.patch, routes={route.id: {"resolution": "smooth", "update_every": 1}})),
    )
