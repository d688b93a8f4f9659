"""An amplifier that stays open after note-off.

Without a route the amplifier follows the gate; with one it does what its routes say, and nothing else closes it. Told
where, over the tail, the level is still over a hundredth of its peak and does not fall by as much as 2 %; a tail
shorter than 50 ms tells nothing.
"""

from collections.abc import Iterator
from functools import partial

from jorvik.core.document.patch import Patch, edited, fresh_id
from jorvik.core.findings.base import Finding, fix
from jorvik.core.measure.context import Context
from jorvik.core.units.words import share_text, time_text

LEAST_TAIL_S = 0.05
OPEN = 0.01
FALLS = 0.98


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding where the level goes on after the note has ended."""
    lane = context.lane("amplitude")
    if lane is None or context.end_s - context.off_s < LEAST_TAIL_S or context.note_end < context.trace.run.length:
        return
    tail = lane.value[context.trace.run.note.off :]
    fifth = max(1, tail.size // 5)
    first, last = float(tail[:fifth].max()), float(tail[-fifth:].max())
    if last <= OPEN * float(lane.value.max()) or last < FALLS * first:
        return
    sources = ", ".join(dict.fromkeys(route.source for route in lane.lane.routes))
    yield Finding(
        rule="never_closes",
        severity="caution",
        sentence=f"The amplifier is still at {share_text(last)} when the run ends, {time_text(context.end_s - context.off_s)} after note-off: {sources} moves it, and nothing closes it.",
        why="Once a route reaches the amplitude the gate no longer closes the amplifier; the note goes on until it is cut.",
        about="amplitude",
        from_s=context.off_s,
        to_s=context.end_s,
        fix=fix("the gate closes it, in 60 ms", partial(_closed, context)),
    )


def _closed(context: Context) -> Patch:
    """Let an envelope that does nothing but follow the gate scale the level."""
    name = fresh_id("closing", context.patch.signal_names)
    module = {"id": name, "kind": "envelope", "attack_s": 0.003, "decay_s": 0.0, "sustain": 1.0, "release_s": 0.06}
    route = fresh_id(f"{name} to amplitude", list(context.patch.routes_by_id))
    scale = {"id": route, "source": name, "destination": "amplitude", "mode": "scale", "amount": 1.0}
    return edited(context.patch, more_modules=(module,), more_routes=(scale,))
