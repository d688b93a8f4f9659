"""An attack that a control filter in series slows down.

From 5 ms later at 90 % of the rise: about where two onsets are first told apart (Hirsh, JASA 31, 1959: 2 ms for
separate, 17 ms for order; 5 ms for a change of character).
"""

from collections.abc import Iterator
from functools import partial
from typing import Any

from jorvik.core.document.patch import Patch, edited, fresh_id
from jorvik.core.findings.base import Finding, fix
from jorvik.core.measure.context import Context
from jorvik.core.units.words import time_text

LATER_S = 0.005


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each low-pass between an envelope and what it moves that costs the attack."""
    for module in context.having("rings"):
        source = context.patch.modules_by_id.get(str(module.input))
        if module.response != "low" or source is None or not source.single_shape:
            continue
        raw, soft = context.measures.signals[source.id].rise_s, context.measures.signals[module.id].rise_s
        routes = context.routes_from(module.id)
        if raw is None or soft is None or not routes or soft[2] - raw[2] < LATER_S:
            continue
        yield Finding(
            rule="softened_attack",
            severity="caution",
            sentence=f"{module.id} in series makes {source.id}'s attack {time_text(soft[2] - raw[2])} later.",
            why="A filter in the way of an envelope slows its edge; at_step beside it, the edge stays and the ring is mixed in.",
            about=f"signal.{module.id}",
            from_s=context.on_s,
            to_s=context.on_s + soft[2],
            fix=fix(
                f"ring {module.id} in parallel, {source.id} straight",
                partial(_in_parallel, context, module.id, source.id),
            ),
        )


def _in_parallel(context: Context, filter_id: str, source: str) -> Patch:
    """Ring in parallel: the source moves it straight, and the filter, as a band-pass, adds only the ring."""
    more: list[dict[str, Any]] = []
    for route in context.routes_from(filter_id):
        fields = route.model_dump(mode="json", exclude_unset=True)
        taken = [*context.patch.routes_by_id, *(other["id"] for other in more)]
        more.append({**fields, "id": fresh_id(f"{route.id} straight", taken), "source": source})
    return edited(context.patch, modules={filter_id: {"response": "band"}}, more_routes=tuple(more))
