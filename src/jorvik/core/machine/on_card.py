"""A patch on a machine card: every figure as the panel has it, what it is off by, and what cannot be had."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Final

from jorvik.core.changes.fields import value_text
from jorvik.core.changes.patches import route_sentence
from jorvik.core.document.card import CardSource, Control, MachineCard, target_of
from jorvik.core.document.destinations import VOICE, Destination
from jorvik.core.document.patch import Patch, Route, edited
from jorvik.core.machine.assign import assign, by_slot, needed, unset
from jorvik.core.machine.law import count_of, figure_for, nearest, read, value_at
from jorvik.core.modules.base import Module, field_facts, field_title
from jorvik.core.units.levels import decibels
from jorvik.core.units.words import in_words

_CLOSE: Final = 1e-6


@dataclass(frozen=True)
class PanelRow:
    """One control, or slot, and where it is to stand."""

    control: str
    """Its name; of a slot its number and what it joins."""
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
    given = assign(patch, card, assigned or {})
    work = _Work(patch, card, given)
    rows = [*work.place_controls(), *work.fill_slots()]
    cannot = [*work.leave_settings(), *work.leave_routes(), *work.leave_set_values()]
    return OnCard(rows, cannot, given, work.made())


class _Work:
    """One patch on one card: each step tells what it comes to, and changes what the machine would make by it.

    The controls come first: what they make is not left.
    """

    def __init__(self, patch: Patch, card: MachineCard, given: dict[str, str]) -> None:
        self.patch, self.card, self.given = patch, card, given
        self.module_of = {source: module for module, source in given.items()}
        self.base: dict[str, float] = {}
        self.modules: dict[str, dict[str, Any]] = {}
        self.routes: dict[str, dict[str, Any]] = {}
        self.had: set[str] = set()
        """Routes that the machine has too."""

    def place_controls(self) -> Iterator[PanelRow]:
        """Yield where each control is to stand."""
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
            self._have(route, row.value)
        return row

    def _have(self, route: Route, depth: float) -> None:
        """Let the machine have a route, as far as it goes there."""
        self.had.add(route.id)
        if route.mode == "range":
            self.routes[route.id] = {"mode": "add", "amount": depth, "low": None, "high": None}
        elif route.mode == "scale":
            self.routes[route.id] = {"amount": min(max(depth, 0.0), 1.0)}
        else:
            self.routes[route.id] = {"amount": depth}

    def fill_slots(self) -> Iterator[PanelRow]:
        """Yield what each slot joins, in the order of the routes, for as long as slots are left."""
        left = math.inf if self.card.slots is None else self.card.slots
        number = 0
        for route in self.patch.live_routes:
            source = self._source_of(route.source)
            if source is None or route.id in self.had or not by_slot(self.card, source, route.destination):
                continue
            if number >= left:
                break
            number += 1
            yield self._slot(number, source, route)

    def _slot(self, number: int, source: CardSource, route: Route) -> PanelRow:
        at = VOICE[route.destination]
        wanted = _depth_of(self.patch, route, at)
        most = source.farthest.get(route.destination, math.inf)
        depth = min(max(wanted, -most), most)
        if depth == wanted:
            self.had.add(route.id)
        else:
            self._have(route, depth)
        error, error_unit = _error(wanted, depth, at.amount_unit, None)
        said = in_words(depth, at.amount_unit)
        return PanelRow(
            control=f"slot {number}: {source.name} to {at.title.lower()}",
            about=f"route:{route.id}",
            wanted=in_words(wanted, at.amount_unit),
            wanted_value=wanted,
            panel=said,
            nearest=said,
            figure=depth,
            value=depth,
            error=error,
            error_unit=error_unit,
            error_text=_error_text(error, error_unit),
            controller=None,
        )

    def leave_settings(self) -> Iterator[str]:
        """Yield which sources and settings of sources the machine has not."""
        for module in needed(self.patch):
            source = self._source_of(module.id)
            if source is not None:
                yield from (self._left(module, source, name, value) for name, value in unset(self.card, module, source))
                continue
            moved = [self._title(route) for route in self.patch.live_routes if route.source == module.id]
            what = ", ".join(dict.fromkeys(moved)) or "what reads it"
            yield f"no {module.title.lower()} is left for {module.id}: move {what} by hand, or let it stand"

    def leave_routes(self) -> Iterator[str]:
        """Yield which routes cannot be had."""
        for route in self.patch.live_routes:
            source = self._source_of(route.source)
            if source is not None and route.id not in self.had:
                said = route_sentence(self.patch, route)
                if by_slot(self.card, source, route.destination):
                    yield f"{said}: none of the {self.card.slots} slots is left for it; turn it by hand"
                else:
                    yield f"{said}: {source.name} cannot move {self._title(route)}; turn it by hand"
            elif route.source not in self.patch.modules_by_id:
                if route.source in self.card.scaled_by:
                    self.had.add(route.id)
                else:
                    yield f"{route_sentence(self.patch, route)}: {route.source} moves nothing on it"
            if route.via and route.id in self.had and route.via not in self.card.scaled_by:
                yield f"{route.source} on {self._title(route)} is as far at every {route.via}: nothing scales it"
                self.routes.setdefault(route.id, {})["via"] = None

    def leave_set_values(self) -> Iterator[str]:
        """Yield what the machine cannot set."""
        there = {target_of(control)[2] for control in self.card.controls if target_of(control)[0] == "base"}
        for name, at in VOICE.items():
            base = self.patch.base(at)
            if name not in there and base != at.base and not self.patch.follows(at):
                wanted, stands = in_words(base, at.unit), in_words(at.base, at.unit)
                yield f"{at.title.lower()} cannot be set: {wanted} is wanted, it stands at {stands}"
                self.base[name] = at.base

    def _source_of(self, module: str) -> CardSource | None:
        return self.card.sources_by_name.get(self.given.get(module, ""))

    def _title(self, route: Route) -> str:
        at = self.patch.destination(route.destination)
        return at.title.lower() if at else route.destination

    def _left(self, module: Module, source: CardSource, name: str, value: Any) -> str:
        """Return that a source has not a setting, and what it has instead."""
        field = type(module).model_fields[name]
        facts, title = field_facts(field), field_title(name)
        instead = field.default
        if facts.get("role") == "choice":
            knob = next((c for c in self.card.controls if target_of(c) == ("parameter", source.name, name)), None)
            there = [*source.choices.get(name, []), *(knob.positions if knob else [])]
            if there and str(instead) not in there:
                instead = there[0]
        self.modules.setdefault(module.id, {})[name] = instead
        unit = str(facts.get("unit", ""))
        rest = _BY_HAND.get(name, f"it is {value_text(instead, unit)}")
        return f"{source.name} has no {title}, {value_text(value, unit)} for {module.id}: {rest}"

    def made(self) -> Patch:
        """Return the patch as the machine would make it."""
        lost = [route.id for route in self.patch.routes if route.id not in self.had]
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
        error_text=_error_text(error, error_unit),
        controller=control.controller,
    )


def _error_text(error: float, unit: str) -> str:
    if abs(error) < _CLOSE:
        return "exact"
    return f"{in_words(abs(error), unit)} {'too much' if error > 0 else 'too little'}"


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
