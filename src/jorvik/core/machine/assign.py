"""Which of a machine's own sources each source of a patch is given to, so that as little as possible is lost."""

from collections.abc import Iterator, Mapping
from typing import Any, Final

import numpy as np

from jorvik.core.document.card import CardSource, MachineCard, target_of
from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch
from jorvik.core.modules.base import Module, field_facts
from jorvik.core.problems import Problem, shown

_IMPOSSIBLE: Final = 1e6
_UNMOVED: Final = 10.0
"""What it costs to give a module to a source that cannot move what it moves, for each route; a setting costs 1."""


def needed(patch: Patch) -> list[Module]:
    """Return the modules that are heard: those that routes come from or scale by, or that others read."""
    heard = {name for route in patch.live_routes for name in (route.source, route.via) if name}
    frontier = set(heard)
    while frontier:
        read_by = {
            value
            for name in frontier
            if (module := patch.modules_by_id.get(name)) is not None
            for _, value in module.input_signals()
            if isinstance(value, str)
        }
        frontier = read_by - heard
        heard |= frontier
    if patch.voice.signal:
        heard.add(patch.voice.signal)
    return [module for module in patch.modules if module.id in heard]


def assign(patch: Patch, card: MachineCard, asked: Mapping[str, str]) -> dict[str, str]:
    """Return which source each module is given to, at the least cost in all (the Hungarian method)."""
    from scipy.optimize import linear_sum_assignment

    sources = card.sources_by_name
    for module, source in asked.items():
        if module not in patch.modules_by_id:
            raise Problem("the assignment", shown(module), "a source of the patch")
        if source and source not in sources:
            raise Problem(f"the assignment of {module}", shown(source), f"one of {', '.join(sources)}")
        if source and sources[source].kind != patch.modules_by_id[module].kind:
            kind = patch.modules_by_id[module].kind
            raise Problem(f"the assignment of {module}", f"{source}, {sources[source].kind}", f"one that is {kind}")
    modules = [module for module in needed(patch) if module.id not in asked]
    free = [source for source in card.sources if source.name not in asked.values()]
    given = {module: source for module, source in asked.items() if source}
    if not modules or not free:
        return given
    cost = np.array([[_cost(patch, card, module, source) for source in free] for module in modules])
    for row, column in zip(*linear_sum_assignment(cost), strict=True):
        if cost[row, column] < _IMPOSSIBLE:
            given[modules[row].id] = free[column].name
    return given


def _cost(patch: Patch, card: MachineCard, module: Module, source: CardSource) -> float:
    if source.kind != module.kind:
        return _IMPOSSIBLE
    moved = [route.destination for route in patch.live_routes if route.source == module.id]
    lost = sum(not (destination in depths(card, source) or by_slot(card, source, destination)) for destination in moved)
    return _UNMOVED * lost + len(list(unset(card, module, source)))


def depths(card: MachineCard, source: CardSource) -> set[str]:
    """Return the destinations on which a control says how far a source moves them."""
    targets = map(target_of, card.controls)
    return {destination for what, name, destination in targets if (what, name) == ("amount", source.name)}


def by_slot(card: MachineCard, source: CardSource, destination: str) -> bool:
    """Tell whether a source can move a destination by a slot, where one is left: any where the card names none."""
    if destination not in VOICE:
        return False
    return destination in source.moves or (not source.moves and not depths(card, source))


def unset(card: MachineCard, module: Module, source: CardSource) -> Iterator[tuple[str, Any]]:
    """Yield the settings of a module that its source cannot have, and their values."""
    knobs = {target_of(c)[2]: c for c in card.controls if target_of(c)[:2] == ("parameter", source.name)}
    # Where a hand has a macro is no setting of it.
    by_hand = module.control[0] if module.control else None
    for name, field in type(module).model_fields.items():
        value, role = getattr(module, name), field_facts(field).get("role")
        if name == by_hand or role not in ("number", "choice") or value == field.default:
            continue
        if role == "choice":
            there = [*source.choices.get(name, []), *(knobs[name].positions if name in knobs else [])]
            if str(value) not in there:
                yield name, value
        elif name not in knobs:
            yield name, value
