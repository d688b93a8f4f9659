"""A patch that can be played at its test note, and not at others: at the softest or the hardest, or with other draws.

Looked for where something answers to velocity, or is left to chance: one run at velocity 1 and one at 127, and two
with other seeds. A run that comes to no finite number is played by nobody.
"""

from collections.abc import Iterator
from functools import partial
from typing import Any

from jorvik.core.document.patch import Patch, edited, fresh_id
from jorvik.core.engine.finite import NotFinite
from jorvik.core.engine.run import Run
from jorvik.core.findings.base import Finding, fix
from jorvik.core.measure.chance import is_random
from jorvik.core.measure.context import Context
from jorvik.core.measure.sweep import at_step
from jorvik.core.modules.base import field_facts

SOFTEST, HARDEST = 1.0, 127.0
SEEDS = (1001, 1002)
WITHIN = 10.0


def find(context: Context) -> Iterator[Finding]:
    """Yield a fault for the first way of playing at which the run comes to no finite number."""
    for words, patch in _otherwise(context):
        try:
            for _ in Run(patch, context.rate).blocks(cancelled=context.cancelled):
                pass
        except NotFinite as problem:
            yield Finding(
                rule="breaks_elsewhere",
                severity="fault",
                sentence=f"{words} the patch cannot be played. {problem}",
                why="It plays as it stands; a player will strike the note at which it does not.",
                about=f"signal.{problem.signal}" if problem.signal else "",
                from_s=context.on_s,
                to_s=context.off_s,
                fix=fix(f"keep {problem.signal} within ±{WITHIN:g}", partial(_clipped, context.patch, problem.signal))
                if problem.signal
                else None,
            )
            return


def _otherwise(context: Context) -> Iterator[tuple[str, Patch]]:
    if context.answers_to_velocity:
        for velocity in (HARDEST, SOFTEST):
            yield f"At velocity {velocity:g}", at_step(context.patch, "velocity", velocity)
    if any(is_random(context.patch, module.id) for module in context.patch.modules) or context.is_read("note_random"):
        for seed in SEEDS:
            yield "With other random numbers", at_step(context.patch, "seed", seed)


def _clipped(patch: Patch, name: str) -> Patch:
    """Return the patch in which whatever read a module reads it through a clip."""
    kept = fresh_id(f"{name} kept", patch.signal_names)
    inputs: dict[str, dict[str, Any]] = {
        m.id: {field: kept for field, value in m.input_signals() if value == name} for m in patch.modules
    }
    for module in patch.modules:
        for field, about in type(module).model_fields.items():
            if field_facts(about).get("role") == "mix_inputs":
                parts = [part.model_dump(mode="json", exclude_unset=True) for part in getattr(module, field)]
                inputs[module.id] = {
                    field: [{**part, "source": kept} if part.get("source") == name else part for part in parts]
                }
    routes = {
        route.id: {end: kept for end in ("source", "via") if getattr(route, end) == name} for route in patch.routes
    }
    clip = {"id": kept, "kind": "shape", "input": name, "clip": [-WITHIN, WITHIN]}
    return edited(patch, modules=inputs, routes=routes, more_modules=(clip,))
