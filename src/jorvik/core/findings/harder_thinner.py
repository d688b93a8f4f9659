"""A harder note that settles lower than a soft one: it loses its bottom, or its top.

From 2 semitones of cutoff, or a twentieth of another range, between velocity 40 and 118.
"""

from collections.abc import Iterator

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.measure.patch import in_modulation_unit
from jorvik.core.units.velocities import HARD, SOFT
from jorvik.core.units.words import in_words

LEAST_ST = 2.0
LEAST_SHARE = 0.05


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each lane on which hard settles under soft."""
    for name in [at.name for at in VOICE.values() if at.fuller_up]:
        if context.lane(name) is None or not context.answers_to_velocity:
            continue
        soft, hard = (_settled(context, velocity, name) for velocity in (SOFT, HARD))
        at = context.trace.lanes[name].lane.destination
        least = LEAST_ST if at.steps_per_octave else LEAST_SHARE * (at.high - at.low)
        if soft - hard < least:
            continue
        yield Finding(
            rule="harder_thinner",
            severity="caution",
            sentence=f"A hard note settles {in_words(soft - hard, at.amount_unit)} lower on {at.title.lower()} than a soft one.",
            why="Velocity that is added or taken away shifts the whole curve; scaled, it opens further and settles alike.",
            about=name,
            from_s=context.off_s - 0.2 * (context.off_s - context.on_s),
            to_s=context.off_s,
            fix=_fix(context, name),
        )


def _settled(context: Context, velocity: float, name: str) -> float:
    lane = context.at_velocity(velocity).lanes[name]
    held = context.held(in_modulation_unit(lane))
    return float(held[-max(1, held.size // 5) :].mean())


def _fix(context: Context, name: str) -> Fix | None:
    """Let velocity scale the envelope's route instead of adding to the destination."""
    added = next((r for r in context.routes_to(name) if r.source == "velocity" and r.adds), None)
    envelope = next(
        (r for r in context.routes_to(name) if context.patch.modules_by_id.get(r.source) and r.via is None), None
    )
    if added is None or envelope is None:
        return None
    patch = edited(context.patch, routes={envelope.id: {"via": "velocity"}}, without_routes=(added.id,))
    return Fix(f"velocity scales {envelope.source} instead of adding", patch)
