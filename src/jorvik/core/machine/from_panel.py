"""Panel figures to a patch: what the panel says is typed, and the note is seen."""

import re
from collections.abc import Mapping
from typing import Any, Final

from jorvik.core.document.card import Control, MachineCard, target_of
from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.machine.law import figure_for, nearest, read, value_at
from jorvik.core.modules import KINDS
from jorvik.core.modules.base import field_facts
from jorvik.core.problems import Problem, shown

_CLOCK: Final = re.compile(r"^(\d{1,2})(?::(\d{2}))?(?: ?o'clock)?$")


def figure_of(control: Control, typed: str) -> float:
    """Return the figure that was typed for a control: a number of its scale, a position's name, or a time as 10:30.

    Raises Problem with the control, what was typed and what would do.

    >>> figure_of(Control(name="Cutoff", sets="cutoff", shown="clock"), "12 o'clock")
    5.0
    """
    text = typed.strip().replace("−", "-")
    if control.shown == "names":
        places = [name.lower() for name in control.positions]
        if text.lower() in places:
            share = places.index(text.lower()) / (len(places) - 1)
            return control.low + share * (control.high - control.low)
        raise Problem(control.name, shown(typed), f"one of {', '.join(control.positions)}")
    if control.shown == "clock" and (match := _CLOCK.match(text)):
        hour = int(match[1]) + int(match[2] or 0) / 60.0
        share = ((hour - 7.0) % 12.0) / 10.0
        if share <= 1.0:
            return control.low + share * (control.high - control.low)
    elif control.shown == "number":
        try:
            figure = float(text)
        except ValueError:
            figure = float("nan")
        if control.low <= figure <= control.high:
            return figure
    raise Problem(control.name, shown(typed), f"{read(control, control.low)} to {read(control, control.high)}")


def from_panel(card: MachineCard, figures: Mapping[str, str]) -> Patch:
    """Return the patch that a panel makes as it stands.

    A control that is not told stands where it does nothing: at what its destination or its parameter is by itself.

    Raises Problem for a control that the card has not, or a figure that is not on its scale.
    """
    controls = {control.name: control for control in card.controls}
    for name in figures:
        if name not in controls:
            raise Problem(name, "no such control", f"one of {', '.join(list(controls)[:12])}")
    base: dict[str, float] = {}
    modules: dict[str, dict[str, Any]] = {s.name: {"id": s.name, "kind": s.kind} for s in card.sources}
    routes: list[dict[str, Any]] = []
    for control in card.controls:
        figure = figure_of(control, figures[control.name]) if control.name in figures else _at_rest(card, control)
        what, source, name = target_of(control)
        if what == "base":
            at = VOICE[name]
            base[name] = min(max(value_at(control, figure), at.low), at.high)
        elif what == "amount":
            amount = value_at(control, figure)
            if amount:
                mode = VOICE[name].first_mode
                routes.append({"source": source, "destination": name, "amount": amount, "mode": mode})
        else:
            modules[source][name] = _setting(modules[source]["kind"], name, control, figure)
    head = {"format": "jorvik-patch", "version": 1, "name": f"{card.name}, as it stands"}
    used = {route["source"] for route in routes}
    kept = [module for name, module in modules.items() if name in used]
    for route in routes:
        route["id"] = f"{route['source']} to {route['destination']}"
    return check_patch({**head, "voice": {"base": base}, "modules": kept, "routes": routes})


def _at_rest(card: MachineCard, control: Control) -> float:
    """Return the figure at which a control leaves things as they are where nobody touches it."""
    what, source, name = target_of(control)
    if what == "amount":
        return nearest(control, figure_for(control, 0.0))
    if what == "base":
        return nearest(control, figure_for(control, VOICE[name].base))
    default = KINDS[card.sources_by_name[source].kind].model_fields[name].default
    if isinstance(default, str):
        count = max(len(control.positions) - 1, 1)
        place = control.positions.index(default) if default in control.positions else 0
        return control.low + place * (control.high - control.low) / count
    return nearest(control, figure_for(control, float(default)))


def _setting(kind: str, name: str, control: Control, figure: float) -> Any:
    facts = field_facts(KINDS[kind].model_fields[name])
    if facts.get("role") == "choice":
        return read(control, figure)
    return min(max(value_at(control, figure), facts["minimum"]), facts["maximum"])
