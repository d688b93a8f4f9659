"""A route that changes nothing that can be seen or heard: it goes nowhere near far enough, or nothing sounds by it.

Less than a fifth of what listeners notice of the destination (Moore, An Introduction to the Psychology of Hearing,
chapters 4 and 6): 1 cent of pitch, 0.1 semitones of cutoff, 0.2 dB of level, 1/250 of a range. What an oscillator at
level 0, a table without a pulse or a single voice would do is not heard at all.
"""

from collections.abc import Iterator
from typing import Final

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, Route, edited
from jorvik.core.dsp.wavetables import PULSED
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.measure.patch import effects
from jorvik.core.measure.window import stuck_windows
from jorvik.core.units.words import in_words

UNNOTICED: Final = 0.2
"""Share of the just-noticeable difference under which a route does nothing."""


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each route whose effect stays under the least that could be noticed."""
    for route in context.patch.live_routes:
        idle = _idle(context.patch, route.destination)
        if idle:
            why, fix = idle
            title = VOICE[route.destination].title.lower()
            yield _said(context, route, f"{route.source} on {title} is not heard: {why}.", fix)
    for name, lane in context.trace.lanes.items():
        at = lane.lane.destination
        given = effects(lane, 0, lane.value.size)
        for route in lane.lane.routes:
            if f"route:{route.id}.amount" in context.trace.lanes or _waits(context, route.source):
                continue
            moved = given[route.id]
            reach = float(np.abs(moved).max()) if route.adds else float(np.ptp(moved))
            if reach < UNNOTICED * at.noticed and not _idle(context.patch, name):
                title = at.title.lower()
                said = f"{route.source} on {title} does nothing: {in_words(reach, at.amount_unit)} at most."
                gone = edited(context.patch, without_routes=(route.id,))
                yield _said(context, route, said, Fix(f"remove {route.source} from {title}", gone))


def _said(context: Context, route: Route, sentence: str, fix: Fix) -> Finding:
    return Finding(
        rule="no_effect",
        severity="note",
        sentence=sentence,
        why="A route that nobody notices costs the next reader of the patch a look.",
        about=f"route.{route.id}",
        from_s=context.on_s,
        to_s=context.end_s,
        fix=fix,
    )


def _idle(patch: Patch, name: str) -> tuple[str, Fix] | None:
    """Return why nothing sounds by a destination of the voice and what would let it, or None where something may."""
    at = VOICE.get(name)
    if at is None:
        return None
    if at.heard_through and not any(map(patch.at_work, at.heard_through)):
        through = VOICE[at.heard_through[0]]
        level = through.first_amount if through.base == 0.0 else through.base
        opened = f"{through.title.lower()} {in_words(level, through.unit)}"
        fix = Fix(opened, edited(patch, base={through.name: level}))
        titles = [VOICE[name].title.lower() for name in at.heard_through]
        return f"{' and '.join(titles)} {'stands' if len(titles) == 1 else 'stand'} at 0", fix
    if at.needs and (why := _NEEDED[at.needs](patch, name)):
        return why
    return _no_pulse(patch, at.pulse_of) if at.pulse_of else None


def _no_unison(patch: Patch, _: str) -> tuple[str, Fix] | None:
    if patch.voice.oscillators.unison > 1:
        return None
    fix = Fix("two voices in unison", _with_oscillators(patch, "unison", 2))
    return "there is one voice, and none to set apart from it", fix


def _no_recording(patch: Patch, name: str) -> tuple[str, Fix] | None:
    if patch.voice.oscillators.recording is not None:
        return None
    return "the patch has no recording", Fix(f"{VOICE[name].title.lower()} 0", edited(patch, base={name: 0.0}))


def _no_signal(patch: Patch, _: str) -> tuple[str, Fix] | None:
    if patch.voice.signal is not None or not patch.modules:
        return None
    first = patch.modules[0].id
    return "no signal is named to be heard", Fix(f"{first} as sound", edited(patch, voice={"signal": first}))


_NEEDED: Final = {"unison": _no_unison, "recording": _no_recording, "signal": _no_signal}


def _no_pulse(patch: Patch, oscillator: str) -> tuple[str, Fix] | None:
    of = getattr(patch.voice.oscillators, oscillator)
    if of.table in PULSED:
        return None
    pulse = {**of.model_dump(mode="json", exclude_unset=True), "table": min(PULSED)}
    fix = Fix(f"the table {min(PULSED)}", _with_oscillators(patch, oscillator, pulse))
    return f"the table {of.table} has no pulse", fix


def _with_oscillators(patch: Patch, name: str, value: object) -> Patch:
    return edited(
        patch, voice={"oscillators": {**patch.document().get("voice", {}).get("oscillators", {}), name: value}}
    )


def _waits(context: Context, source: str) -> bool:
    """Return True for a source at rest on purpose or by a fault told elsewhere.

    These are wheels, macros and loops that are stuck.
    """
    if source in ("mod_wheel", "pressure", "pitch_bend", "key"):
        return True
    if any(source in (window.id, window.comes_back) for window in stuck_windows(context)):
        return True
    module = context.patch.modules_by_id.get(source)
    return module is not None and module.is_control
