"""A click: the amplifier jumps at the start, the end, between two notes or within one.

A step is heard as a click where the level goes further in a millisecond than a 3 ms ramp would, while the sound is not
quiet: a third of full scale within 1 ms. Ramps of 3 ms are the usual cure. Jumps that fill a fifth of the run are a
tone of their own, not clicks.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from typing import Final

import numpy as np

from jorvik.core.document.patch import edited, fresh_id
from jorvik.core.engine.trace import Trace
from jorvik.core.findings.base import Finding, Fix, fix
from jorvik.core.measure.context import Context
from jorvik.core.units.noticed import CLICK_JUMP, CLICK_WITHIN_S
from jorvik.core.units.words import time_text

ATTACK_S: Final = 0.003
RELEASE_S: Final = 0.005
A_TONE: Final = 0.2
AN_EDGE_S: Final = 0.01
"""What comes so soon after a note's edge belongs to it."""

_STAGES: Final = {"opens": ("attack_s", ATTACK_S), "closes": ("release_s", RELEASE_S)}
_WHERE: Final = {"falls": " where the next note begins", "jumps": " in the middle of the note"}


@dataclass(frozen=True)
class _Jump:
    """The first jump of its kind: opens, closes, falls (at the next note) or jumps (anywhere else)."""

    word: str
    sample: int
    by: float


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for the first jump of each kind."""
    for jump in _jumps(context.trace):
        at_s = jump.sample / context.rate
        where = _WHERE.get(jump.word, "")
        yield Finding(
            rule="click",
            severity="caution",
            sentence=f"The amplifier {jump.word} by {jump.by * 100:.0f} % within {time_text(CLICK_WITHIN_S)}{where}: a click.",
            why="An edge this steep sounds at every frequency at once. Some want it; then set this aside.",
            about="amplitude",
            from_s=at_s,
            to_s=at_s + 0.005,
            fix=_fix(context, jump),
            which=jump.word,
        )


def _jumps(of: Trace) -> list[_Jump]:
    """Return the first jump of each kind on the amplifier, which is shut before the first note."""
    lane = of.lanes.get("amplitude")
    if lane is None or not lane.lane.routes:
        return []
    notes = of.run.notes
    width = max(1, round(CLICK_WITHIN_S * of.rate))
    level = np.concatenate([np.zeros(width), np.where(np.arange(lane.value.size) < notes[0].on, 0.0, lane.value)])
    gone = level[width:] - level[:-width]
    far = np.flatnonzero(np.abs(gone) >= CLICK_JUMP)
    if far.size > A_TONE * gone.size:
        return []
    found: dict[str, _Jump] = {}
    for first in far[np.diff(far, prepend=-2) > 1]:
        by = gone[first : first + width]
        most = float(by[np.abs(by).argmax()])

        def near(samples: list[int], at: int = int(first)) -> bool:
            return any(-width <= at - sample <= AN_EDGE_S * of.rate for sample in samples)

        if near([notes[0].on]) and most > 0.0:
            word = "opens"
        elif near([note.on for note in notes[1:]]):
            word = "falls"
        else:
            word = "closes" if near([note.off for note in notes]) and most < 0.0 else "jumps"
        found.setdefault(word, _Jump(word, int(first), abs(most)))
    return list(found.values())


def _fix(context: Context, jump: _Jump) -> Fix | None:
    """Return the least change that takes the jump away."""
    for tried in _tried(context, jump):
        if tried is None:
            continue
        left = _jumps(context.beside(tried.patch))
        if jump.word not in [other.word for other in left]:
            return tried
    return None


def _tried(context: Context, jump: _Jump) -> Iterator[Fix | None]:
    """Yield what may take a jump away: longer stages, a start from where it is, ramps for the gate, a slew."""
    routes = context.routes_to("amplitude")
    envelopes = [m for m in context.having("is_staged") if m.id in {route.source for route in routes}]
    if jump.word in _STAGES:
        name, least = _STAGES[jump.word]
        short = [m for m in envelopes if context.setting(m, name) < least]
        if short:
            changed = {m.id: {name: context.set_to(m, name, least)} for m in short}
            label = f"{name.removesuffix('_s')} of {', '.join(changed)} {time_text(least)}"
            yield Fix(label, edited(context.patch, modules=changed))
    if jump.word == "falls":
        zeroed = {m.id: {"restart": "current"} for m in envelopes if m.restart == "zero"}
        if zeroed:
            yield Fix(f"{', '.join(zeroed)} goes on from where it is", edited(context.patch, modules=zeroed))
    names = context.patch.signal_names
    ramp = fresh_id("ramp", names)
    ramps = {"id": ramp, "kind": "envelope", "attack_s": ATTACK_S, "sustain": 1.0, "release_s": RELEASE_S}
    with_ramp = partial(edited, context.patch, more_modules=(ramps,))
    gated = {route.id: {"source": ramp} for route in routes if route.source == "gate"}
    if gated:
        label = f"the gate with {time_text(ATTACK_S)} up, {time_text(RELEASE_S)} down"
        yield fix(label, partial(with_ramp, routes=gated))
    if jump.word in _STAGES:
        name = fresh_id(f"{ramp} on amplitude", context.patch.routes_by_id)
        route = {"id": name, "source": ramp, "destination": "amplitude", "amount": 1, "mode": "scale"}
        label = f"{time_text(ATTACK_S)} up and {time_text(RELEASE_S)} down over it all"
        yield fix(label, partial(with_ramp, more_routes=(route,)))
    given = context.trace.lanes["amplitude"].contributions
    before = max(jump.sample - 1, 0)
    steepest = max(routes, key=lambda route: abs(given[route.id][jump.sample] - given[route.id][before]))
    smooth = fresh_id(f"{steepest.source} smoothed", names)
    slew = {"id": smooth, "kind": "slew", "input": steepest.source, "rise_s": RELEASE_S, "fall_s": RELEASE_S}
    label = f"{steepest.source} smoothed over {time_text(RELEASE_S)}"
    yield fix(label, partial(edited, context.patch, routes={steepest.id: {"source": smooth}}, more_modules=(slew,)))
