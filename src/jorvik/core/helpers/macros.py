"""What a macro does, told and set by doing: put it somewhere, and say what its destinations are there."""

from dataclasses import dataclass
from typing import Any, Final

from jorvik.core.document.destinations import Destination
from jorvik.core.document.patch import Patch, Route, check_patch, edited
from jorvik.core.dsp.bend import bend
from jorvik.core.engine.trace import trace
from jorvik.core.helpers.routes import with_new_route, with_route
from jorvik.core.limits import COARSE_RATE, MAX_BEND
from jorvik.core.measure.closed_forms import bend_for
from jorvik.core.modules.base import Module
from jorvik.core.problems import Problem, shown

PLACES: Final = (0.0, 0.5, 1.0)
"""Where a macro is looked at: at 0, half, and full."""


@dataclass(frozen=True)
class MacroRow:
    """One destination of a macro, and what it is at each of :data:`PLACES`, the macro alone moving it."""

    destination: str
    title: str
    unit: str
    low: float
    high: float
    values: list[float]


def _macro(patch: Patch, name: str) -> Module:
    module = patch.modules_by_id.get(name)
    if module is None or not module.is_control:
        raise Problem("macro", shown(name), "a macro of this patch")
    return module


def macro_table(patch: Patch, macro: str) -> list[MacroRow]:
    """Return what each destination of a macro is with it at 0, half and full, at note-on, nothing else moving them.

    Raises Problem for a macro that is not there.
    """
    control = _macro(patch, macro).control
    assert control is not None
    field, prefix = control
    document = patch.document()
    document["routes"] = [route for route in document.get("routes", []) if route["source"] == macro]
    played = document.get("performance", {})
    if prefix + macro in played.get("controls", {}):
        lanes = {name: lane for name, lane in played["controls"].items() if name != prefix + macro}
        document["performance"] = {**played, "controls": lanes}
    found: dict[str, list[float]] = {}
    for value in PLACES:
        modules = [{**m, field: value} if m["id"] == macro else m for m in document["modules"]]
        made = trace(check_patch({**document, "modules": modules}).with_note(tail_s=0.0, length_s=0.05), COARSE_RATE)
        for name, lane in made.lanes.items():
            if lane.lane.routes:
                found.setdefault(name, []).append(float(lane.value[made.run.note.on]))
    rows = []
    for name, values in found.items():
        at = patch.destination(name)
        assert at is not None
        rows.append(MacroRow(name, at.title, at.unit, at.low, at.high, values))
    return rows


def macro_set(patch: Patch, macro: str, place: float, values: dict[str, float]) -> Patch:
    """Return a patch in which a macro, at one of :data:`PLACES`, sets destinations to given values.

    What it is at the other end stays: all that the macro does to a destination becomes one range, from what it comes to
    at 0 to what it comes to at full; half is set by bending it.

    Raises Problem for a macro or a destination that is not there, and for a half that no bend leads to.
    """
    _macro(patch, macro)
    if place not in PLACES:
        raise Problem("the macro's place", f"{place:g}", "0, 0.5 or 1")
    replaced: list[str] = []
    now = {row.destination: row.values for row in macro_table(patch, macro)}
    document = patch.document()
    for name, value in values.items():
        at = patch.destination(name)
        if at is None or name.startswith("route:"):
            raise Problem("destination", shown(name), "a destination of the voice or a parameter of a module")
        mine = [r for r in patch.live_routes if r.source == macro and r.destination == name]
        low, _, high = now.get(name, [patch.base(at)] * 3)
        fields: dict[str, Any] = {"mode": "range", "low": low, "high": high}
        if place == PLACES[1]:
            fields["bend"] = _half_bend(at, low, high, value)
        else:
            fields["low" if place == PLACES[0] else "high"] = value
        document = _with_range(document, macro, name, mine[0] if mine else None, fields)
        # One range does what all of them did.
        replaced += [other.id for other in mine[1:]]
    return edited(patch.with_document(document), without_routes=tuple(replaced))


def _with_range(
    document: dict[str, Any], macro: str, name: str, route: Route | None, fields: dict[str, Any]
) -> dict[str, Any]:
    if route is None:
        return with_new_route(document, {"source": macro, "destination": name, **fields})[0]
    # What is typed is what it comes to: nothing else of the route is left to change it.
    plain = dict.fromkeys(("amount", "amount_unit", "polarity", "via", "via_depth"))
    return with_route(document, route.id, {**plain, **fields})


def _half_bend(at: Destination, low: float, high: float, value: float) -> float:
    """Return the bend with which a range is at a value half-way."""
    whole = at.distance(low, high)
    share = at.distance(low, value) / whole if whole else 0.0
    least, most = (bend(0.5, k) for k in (-MAX_BEND, MAX_BEND))
    if not least <= share <= most:
        ends = sorted(at.moved(low, part * whole) for part in (least, most))
        wanted = f"within {ends[0]:.4g} to {ends[1]:.4g} {at.unit}, between what it is at 0 and full"
        raise Problem(f"{at.title.lower()} at half", f"{value:.4g}", wanted)
    return bend_for(0.5, share)
