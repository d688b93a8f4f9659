"""What makes a patch sound beyond the form of its parts: ids, what is read, where routes go, tables that are there."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Final

from jorvik.core.document.destinations import VOICE, Destination
from jorvik.core.dsp.wavetables import FORMULAS
from jorvik.core.problems import Problem, shown

if TYPE_CHECKING:
    from jorvik.core.document.patch import Patch, Route


def _check_ids(patch: "Patch") -> None:
    all_ids = {"modules": [module.id for module in patch.modules], "routes": [route.id for route in patch.routes]}
    for where, ids in all_ids.items():
        for index, name in enumerate(ids):
            if (other := ids.index(name)) < index:
                found = f"{shown(name)}, the id of {where}[{other}] too"
                raise Problem(f"{where}[{index}].id", found, "an id that nothing else has")


def _check_signals(patch: "Patch") -> None:
    wanted = "the id of a module, a performance signal, or a number"
    for index, module in enumerate(patch.modules):
        for path, value in module.input_signals():
            if not patch.has_signal(value):
                raise Problem(f"modules[{index}].{path}", shown(value), wanted)
    for index, route in enumerate(patch.routes):
        for name in ("source", "via"):
            value = getattr(route, name)
            if value is not None and not patch.has_signal(value):
                raise Problem(f"routes[{index}].{name}", shown(value), "the id of a module, or a performance signal")
    if patch.voice.signal is not None and patch.voice.signal not in patch.modules_by_id:
        raise Problem("voice.signal", shown(patch.voice.signal), "the id of a module")
    check_lanes(patch, "performance.controls")


def check_lanes(patch: "Patch", place: str) -> None:
    """Refuse a played lane of a macro that is not there; ``place`` is where the lanes stand."""
    for name in patch.performance.controls:
        _, colon, module_id = name.partition(":")
        module = patch.modules_by_id.get(module_id)
        if colon and (module is None or not module.control):
            raise Problem(place, shown(name), "a lane of a macro that is there")


def _check_routes(patch: "Patch") -> None:
    over: dict[str, Route] = {}
    for index, route in enumerate(patch.routes):
        place = f"routes[{index}]"
        at = patch.destination(route.destination)
        if at is None:
            wanted = "a voice destination, <module id>.<parameter that moves>, or route:<id>.amount"
            raise Problem(f"{place}.destination", shown(route.destination), wanted)
        if route.mode == "scale" and not 0.0 <= route.amount <= 1.0:
            raise Problem(f"{place}.amount", shown(route.amount), "0 to 1 for a route that scales")
        if route.in_hertz and not (at.takes_hertz and route.mode == "add"):
            named = ", ".join(name for name, other in VOICE.items() if other.takes_hertz)
            found = f'"Hz" on {at.name}' if route.mode == "add" else f'"Hz" for a route that {route.mode}s'
            raise Problem(f"{place}.amount_unit", found, f"left out, except for a route that adds to {named}")
        if route.mode == "range":
            _check_range(place, route, at, over)


def _check_tables(patch: "Patch") -> None:
    oscillators = patch.voice.oscillators
    names = [own.name for own in oscillators.tables]
    for index, name in enumerate(names):
        place = f"voice.oscillators.tables[{index}].name"
        if name in FORMULAS or name in names[:index]:
            raise Problem(place, shown(name), "a name that no other table has")
    for which in ("osc1", "osc2", "sub"):
        name = getattr(oscillators, which).table
        if not oscillators.has_table(name):
            wanted = f"a table of the patch, or one of {', '.join(FORMULAS)}"
            raise Problem(f"voice.oscillators.{which}.table", shown(name), wanted)


def _check_range(place: str, route: "Route", at: Destination, over: dict[str, "Route"]) -> None:
    for name in ("low", "high"):
        value = getattr(route, name)
        if value is None or not at.low <= value <= at.high:
            raise Problem(
                f"{place}.{name}", shown(value), f"{at.low:g} to {at.high:g} {at.unit}, the ends of the range"
            )
        if at.steps_per_octave and value <= 0.0:
            raise Problem(f"{place}.{name}", shown(value), "over 0: this destination is moved in ratios")
    if route.enabled:
        if (other := over.get(at.name)) is not None:
            found = f"{shown(route.id)}, while {shown(other.id)} sets the range of {at.name} already"
            raise Problem(place, found, "the only enabled range on its destination")
        over[at.name] = route


CHECKS: Final[tuple[Callable[["Patch"], None], ...]] = (_check_ids, _check_signals, _check_routes, _check_tables)
