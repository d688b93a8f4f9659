"""A route that changes nothing that can be seen or heard: it goes nowhere near far enough, or nothing sounds by it.

Less than 1 cent of pitch, 0.2 semitones of cutoff, 0.1 dB of level, a hundredth of any other range: a fifth or less of
what listeners notice at best (Moore, An Introduction to the Psychology of Hearing, chapters 4 and 6). What an
oscillator at level 0, a table without a pulse or a single voice would do is not heard at all.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.destinations import UNBOUNDED, VOICE
from jorvik.core.document.patch import Patch, Route, edited
from jorvik.core.dsp.wavetables import PULSED
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.measure.patch import effects
from jorvik.core.measure.window import stuck_windows
from jorvik.core.units.words import in_words

LEAST = {"st": 0.01, "oct": 0.02, "dB": 0.1, "cents": 0.2, "rad": 0.01, "s": 0.0005}


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
            limit = 0.2 if at.law == "semitones" and name != "pitch" else LEAST.get(at.amount_unit)
            if limit is None:
                limit = 0.01 * (at.high - at.low) if at.high - at.low < UNBOUNDED else 1e-6
            moved = given[route.id]
            reach = float(np.abs(moved).max()) if route.adds else float(np.ptp(moved))
            if reach < limit and not _idle(context.patch, name):
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


_PARTS = (
    ("sub", "sub_level", "the sub oscillator"),
    ("peak1", "peak1_gain", "peak 1"),
    ("peak2", "peak2_gain", "peak 2"),
)
"""What must be at work: the part, the destination that lets it, and what it is called."""


def _idle(patch: Patch, name: str) -> tuple[str, Fix] | None:
    """Return why nothing sounds by a destination of the voice and what would let it, or None where something may."""
    of = patch.voice.oscillators
    through = VOICE[name].heard_through if name in VOICE else ""
    second = patch.at_work("osc2_level") or patch.at_work("fm_index")
    if through == "osc2" and not second:
        fix = Fix("oscillator 2 at 50 %", edited(patch, base={"osc2_level": 0.5}))
        return "oscillator 2 stands at level 0 and modulates nothing", fix
    if through == "osc1" and not patch.at_work("osc1_level"):
        return "oscillator 1 stands at level 0", Fix("oscillator 1 at 100 %", edited(patch, base={"osc1_level": 1.0}))
    for part, level, title in _PARTS:
        if through == part and not patch.at_work(level):
            at = VOICE[level]
            return f"{title} stands at {in_words(0.0, at.unit)}", Fix(
                f"{at.title.lower()} {in_words(at.first_amount, at.unit)}", edited(patch, base={level: at.first_amount})
            )
    if name == "recording_level" and patch.voice.oscillators.recording is None:
        return "the patch has no recording", Fix("recording level 0", edited(patch, base={"recording_level": 0.0}))
    if name == "signal_level" and patch.voice.signal is None and patch.modules:
        first = patch.modules[0].id
        return "no signal is named to be heard", Fix(f"{first} as sound", edited(patch, voice={"signal": first}))
    if through == "unison" and of.unison == 1:
        fix = Fix("two voices in unison", _with_oscillators(patch, "unison", 2))
        return "there is one voice, and none to set apart from it", fix
    for width, which, table in (("pulse_width", "osc1", of.osc1.table), ("osc2_pulse_width", "osc2", of.osc2.table)):
        if name == width and table not in PULSED:
            pulse = {**getattr(of, which).model_dump(mode="json", exclude_unset=True), "table": min(PULSED)}
            fix = Fix(f"the table {min(PULSED)}", _with_oscillators(patch, which, pulse))
            return f"the table {table} has no pulse", fix
    return None


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
