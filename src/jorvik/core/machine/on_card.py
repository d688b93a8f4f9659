"""A patch on a machine card: every figure as the panel has it, what it is off by, and what cannot be had."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from jorvik.core.changes.patches import route_sentence
from jorvik.core.document.card import CardSource, Control, MachineCard, target_of
from jorvik.core.document.destinations import VOICE, Destination
from jorvik.core.document.patch import Patch, Route, edited
from jorvik.core.machine.law import count_of, figure_for, nearest, read, value_at
from jorvik.core.modules.base import Module, field_facts, field_title
from jorvik.core.problems import Problem, shown
from jorvik.core.units.levels import decibels
from jorvik.core.units.words import in_words

_IMPOSSIBLE: Final = 1e6
_UNMOVED: Final = 10.0
"""What it costs to give a module to a source that cannot move what it moves, for each route; a setting costs 1."""
_CLOSE: Final = 1e-6


@dataclass(frozen=True)
class PanelRow:
    """One control, and where it is to stand."""

    control: str
    about: str
    """What of the patch it is: a destination, ``module:<id>`` or ``route:<id>``."""
    wanted: str
    wanted_value: float
    panel: str
    """The figure that would be exact, or the nearest end of the scale."""
    nearest: str
    """The position that there is."""
    figure: float
    value: float
    """What it comes to there."""
    error: float
    error_unit: str
    """cents, ms, dB, or the destination's own."""
    error_text: str
    controller: int | None


@dataclass(frozen=True)
class OnCard:
    """A patch as a machine can make it."""

    rows: list[PanelRow]
    cannot: list[str]
    """What cannot be had, each with the nearest that can."""
    assigned: dict[str, str]
    """Which source of the machine each module is given to."""
    patch: Patch
    """The patch as the machine would make it: for the ghost, and to hear."""


def on_card(patch: Patch, card: MachineCard, assigned: Mapping[str, str] | None = None) -> OnCard:
    """Return a patch in a machine's own figures.

    ``assigned`` gives modules to sources where the user says so; the rest is given so that as little as possible is
    lost. Raises Problem where it names a module or a source that is not there, or a source of another kind.
    """
    given = _assign(patch, card, assigned or {})
    work = _Work(patch, card, given)
    rows = list(work.rows())
    cannot = list(work.cannot())
    return OnCard(rows, cannot, given, work.made())


def _needed(patch: Patch) -> list[Module]:
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


def _assign(patch: Patch, card: MachineCard, asked: Mapping[str, str]) -> dict[str, str]:
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
    modules = [module for module in _needed(patch) if module.id not in asked]
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
    depths = {target_of(control)[2] for control in card.controls if target_of(control)[:2] == ("amount", source.name)}
    moved = [route.destination for route in patch.live_routes if route.source == module.id]
    lost = sum(not _may_move(source, depths, destination) for destination in moved)
    return _UNMOVED * lost + len(list(_unset(card, module, source)))


def _may_move(source: CardSource, depths: set[str], destination: str) -> bool:
    return destination in depths or destination in source.moves or (not source.moves and not depths)


def _unset(card: MachineCard, module: Module, source: CardSource) -> Iterator[tuple[str, Any]]:
    """Yield the settings of a module that its source has no control for, and their values."""
    known = {target_of(control)[2] for control in card.controls if target_of(control)[:2] == ("parameter", source.name)}
    by_hand = module.control[0] if module.is_control and module.control else None
    for name, field in type(module).model_fields.items():
        if name not in module.model_fields_set or name in ("id", "kind", by_hand):
            continue
        value = getattr(module, name)
        role = field_facts(field).get("role")
        if name in known or value == field.default or role not in ("number", "choice"):
            continue
        if role == "choice" and str(value) in source.choices.get(name, []):
            continue
        yield name, value


class _Work:
    """One patch on one card, worked through control by control."""

    def __init__(self, patch: Patch, card: MachineCard, given: dict[str, str]) -> None:
        self.patch, self.card, self.given = patch, card, given
        self.module_of = {source: module for module, source in given.items()}
        self.base: dict[str, float] = {}
        self.modules: dict[str, dict[str, Any]] = {}
        self.routes: dict[str, dict[str, Any]] = {}
        self.had: set[str] = set()
        """Routes that a depth control makes."""

    def rows(self) -> Iterator[PanelRow]:
        """Yield where each control is to stand, and note what it comes to."""
        for control in self.card.controls:
            what, source, name = target_of(control)
            if what == "base":
                yield self._base(control, VOICE[name])
            elif source in self.module_of:
                module = self.patch.modules_by_id[self.module_of[source]]
                row = (
                    self._parameter(control, module, name)
                    if what == "parameter"
                    else self._depth(control, module, name)
                )
                if row is not None:
                    yield row

    def _base(self, control: Control, at: Destination) -> PanelRow:
        # What takes a destination over a range begins at its low end: there the machine's own knob is to stand.
        over = next((r for r in self.patch.live_routes if (r.destination, r.mode) == (at.name, "range")), None)
        wanted = self.patch.base(at) if over is None or over.low is None else over.low
        row = _row(control, at.name, wanted, at.unit, at)
        self.base[at.name] = min(max(row.value, at.low), at.high)
        return row

    def _parameter(self, control: Control, module: Module, name: str) -> PanelRow | None:
        facts = field_facts(type(module).model_fields[name])
        if facts.get("role") == "choice":
            return self._choice(control, module, name)
        wanted = module.slot_value(name, self.patch.performance.tempo)
        row = _row(control, f"module:{module.id}", wanted, str(facts.get("unit", "")), None)
        low, high = facts["minimum"], facts["maximum"]
        self.modules.setdefault(module.id, {})[name] = min(max(row.value, low), high)
        return row

    def _choice(self, control: Control, module: Module, name: str) -> PanelRow | None:
        """Return a row of a switch: its positions are named as the choices are."""
        value = str(getattr(module, name))
        if value not in control.positions:
            return None
        figure = control.low + control.positions.index(value) * (control.high - control.low) / (
            len(control.positions) - 1
        )
        return PanelRow(
            control.name,
            f"module:{module.id}",
            value,
            0.0,
            value,
            value,
            figure,
            figure,
            0.0,
            "",
            "",
            control.controller,
        )

    def _depth(self, control: Control, module: Module, destination: str) -> PanelRow:
        """Return how far a source is turned up on a destination: at nothing where the patch does not move it so."""
        at = VOICE[destination]
        route = next((r for r in self.patch.live_routes if (r.source, r.destination) == (module.id, destination)), None)
        wanted = 0.0 if route is None else _depth_of(self.patch, route, at)
        row = _row(control, f"route:{route.id}" if route else destination, wanted, at.amount_unit, None)
        if route is not None:
            self.had.add(route.id)
            if route.mode == "range":
                self.routes[route.id] = {"mode": "add", "amount": row.value, "low": None, "high": None}
            elif route.mode == "scale":
                self.routes[route.id] = {"amount": min(max(row.value, 0.0), 1.0)}
            else:
                self.routes[route.id] = {"amount": row.value}
        return row

    def cannot(self) -> Iterator[str]:
        """Yield what cannot be had, in sentences."""
        for module in _needed(self.patch):
            source = self.card.sources_by_name.get(self.given.get(module.id, ""))
            if source is None:
                left = [r for r in self.patch.live_routes if r.source == module.id]
                moves = ", ".join(dict.fromkeys(self._title(route) for route in left)) or "what reads it"
                yield f"no {module.title.lower()} is left for {module.id}: move {moves} by hand, or let it stand"
                continue
            for name, value in _unset(self.card, module, source):
                yield self._unset_text(module, source, name, value)
        free = self.card.slots
        for route in self.patch.live_routes:
            if route.id in self.had or route.source not in self.patch.modules_by_id:
                continue
            source = self.card.sources_by_name.get(self.given.get(route.source, ""))
            if source is None:
                continue
            if route.destination in source.moves and route.destination in VOICE and free:
                free -= 1
                self.had.add(route.id)
                continue
            said = route_sentence(self.patch, route)
            yield f"{said}: {source.name} cannot move {self._title(route)}; turn it by hand"
        for route in self.patch.live_routes:
            if route.via and route.id in self.had and route.via not in self.card.scaled_by:
                yield (
                    f"{route.source} on {self._title(route)} cannot be scaled by {route.via}: it is as far at every "
                    f"{route.via}"
                )
                self.routes.setdefault(route.id, {})["via"] = None
            if route.source not in self.patch.modules_by_id and route.source not in self.card.scaled_by:
                yield f"{route_sentence(self.patch, route)}: {route.source} moves nothing on it"
        set_here = {target_of(control)[2] for control in self.card.controls if target_of(control)[0] == "base"}
        for name, at in VOICE.items():
            base = self.patch.base(at)
            if name not in set_here and base != at.base and not self.patch.follows(at):
                wanted, stands = in_words(base, at.unit), in_words(at.base, at.unit)
                yield f"{at.title.lower()} cannot be set: {wanted} is wanted, it stands at {stands}"
                self.base[name] = at.base

    def _title(self, route: Route) -> str:
        at = self.patch.destination(route.destination)
        return at.title.lower() if at else route.destination

    def _unset_text(self, module: Module, source: CardSource, name: str, value: Any) -> str:
        field = type(module).model_fields[name]
        unit = str(field_facts(field).get("unit", ""))
        said = in_words(float(value), unit) if isinstance(value, int | float) and not isinstance(value, bool) else value
        default = field.default
        self.modules.setdefault(module.id, {})[name] = default
        rest = _BY_HAND.get(
            name, f"leave it at {in_words(default, unit)}" if isinstance(default, float) else f"it is {default}"
        )
        return f"{source.name} has no {field_title(name)}, {said} for {module.id}: {rest}"

    def made(self) -> Patch:
        """Return the patch as the machine would make it."""
        lost = [
            route.id
            for route in self.patch.routes
            if not route.enabled
            or (route.source in self.patch.modules_by_id and route.id not in self.had)
            or (route.source not in self.patch.modules_by_id and route.source not in self.card.scaled_by)
        ]
        off = {name: {"enabled": False} for name in lost}
        return edited(self.patch, modules=self.modules, routes={**self.routes, **off}, base=self.base)


_BY_HAND: Final = {
    "delay_s": "bring it in by hand, or leave it from the start",
    "fade_in_s": "fade it in by hand, or leave it full from the start",
    "start": "when it starts is the machine's own",
}
"""What a player can do instead of a setting."""


def _depth_of(patch: Patch, route: Route, at: Destination) -> float:
    """Return how far a route goes in the unit of what moves its destination."""
    if route.mode == "range":
        low, high = route.low or 0.0, route.high or 0.0
        if at.steps_per_octave and low > 0.0 and high > 0.0:
            return at.distance(low, high)
        return high - low
    return route.amount


def _row(control: Control, about: str, wanted: float, unit: str, at: Destination | None) -> PanelRow:
    exact = figure_for(control, wanted)
    figure = nearest(control, exact)
    value = value_at(control, figure)
    error, error_unit = _error(wanted, value, unit, at)
    how = "too much" if error > 0 else "too little"
    text = "exact" if abs(error) < _CLOSE else f"{in_words(abs(error), error_unit)} {how}"
    return PanelRow(
        control=control.name,
        about=about,
        wanted=in_words(wanted, unit),
        wanted_value=wanted,
        panel=read(control, exact) if count_of(control) is None else f"{exact:.4g}".replace("-", "−"),
        nearest=read(control, figure),
        figure=figure,
        value=value,
        error=error,
        error_unit=error_unit,
        error_text=text,
        controller=control.controller,
    )


def _error(wanted: float, value: float, unit: str, at: Destination | None) -> tuple[float, str]:
    """Return by how much a value is off, in cents, ms, dB or its own unit."""
    if unit == "Hz" and wanted > 0.0 and value > 0.0:
        return 1200.0 * math.log2(value / wanted), "cents"
    if unit == "st":
        return 100.0 * (value - wanted), "cents"
    if unit == "s":
        return 1000.0 * (value - wanted), "ms"
    if at is not None and at.part == "level" and unit == "ratio" and wanted > 0.0 and value > 0.0:
        return decibels(value) - decibels(wanted), "dB"
    return value - wanted, unit
