"""What can be aimed at on a lane, and what may be changed for it: its set value, amounts, times, bends."""

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np

from jorvik.core.document.destinations import Destination
from jorvik.core.document.patch import Patch, Route, edited
from jorvik.core.modules.base import field_facts
from jorvik.core.problems import Problem, shown
from jorvik.core.signals import PERFORMANCE_SIGNALS

What = Literal["start", "peak", "peak_s", "settle", "least", "greatest", "at_off", "half_s", "tenth_s"]
"""Levels, when the peak comes, and how long after it a half and a tenth of the fall are left."""

_WIDEST: Final = 1000.0
"""How far an amount or a set value without a range of its own is tried."""

_LEAST: Final = 1e-3
"""The shortest time and the lowest frequency that is tried, in seconds and hertz."""

_DEEPEST: Final = 8

_SERVES: Final = {"attack_s": ("peak_s",), "decay_s": ("half_s", "tenth_s")}
"""Which targets an envelope's own times are changed for without being asked to."""


@dataclass(frozen=True)
class Target:
    """A figure that a lane shall have; a level in the lane's unit, a time in seconds after note-on."""

    what: What
    value: float
    velocity: float | None = None
    key: float | None = None


@dataclass(frozen=True)
class Changeable:
    """A figure of a patch that may be changed."""

    name: str
    """As a destination is named: ``cutoff``, ``swell.attack_s``, ``route:r1.amount``; also ``route:r1.low``."""
    label: str
    value: float
    unit: str
    low: float
    high: float
    log: bool
    """Whether it is tried in octaves."""
    usual: bool
    """Whether it is changed when nothing else is said."""

    @property
    def ends(self) -> tuple[float, float]:
        """Least and greatest, as tried."""
        return self.tried(self.low), self.tried(self.high)

    def tried(self, value: float) -> float:
        """Return a value as it is tried: in octaves, or as it is."""
        return float(np.log2(max(value, _LEAST))) if self.log else value

    def value_of(self, tried: float) -> float:
        """Return the value of what was tried."""
        return float(2.0**tried) if self.log else tried


def changeable(patch: Patch, at: Destination, targets: Sequence[Target]) -> list[Changeable]:
    """Return what may be changed for targets of a lane, and what is changed when nothing is chosen.

    That is the set value and what adds to it, or the range that takes its place; an attack where a time to the peak is
    aimed at, a decay where a time of the fall is, and its bend where two of them are; where times alone are aimed
    at, nothing else is changed for them. What only key or velocity does is left alone while all targets are for one
    key or velocity.
    """
    wanted = {target.what for target in targets}
    varied = {name for name in ("velocity", "key") if len({getattr(target, name) for target in targets}) > 1}
    ranged = any(route.mode == "range" for route in _onto(patch, at.name))
    found = [_of(patch, at, f"{at.title.lower()} set at", not ranged)]
    for route in _onto(patch, at.name):
        if route.mode == "range":
            found.extend(_ends(at, route))
        else:
            found.extend(_amounts(patch, at, route, varied))
    times = [one for name in dict.fromkeys(_sources(patch, at.name)) for one in _settings(patch, name, wanted)]
    if all(what.endswith("_s") for what in wanted) and any(one.usual for one in times):
        found = [replace(one, usual=False) for one in found]
    return [*found, *times]


def chosen(patch: Patch, at: Destination, targets: Sequence[Target], names: Sequence[str] | None) -> list[Changeable]:
    """Return those of :func:`changeable` that are named, or the usual ones.

    Raises Problem when none is named, or one that is none of them.
    """
    known = {one.name: one for one in changeable(patch, at, targets)}
    if names is None:
        return [one for one in known.values() if one.usual]
    for name in names:
        if name not in known:
            raise Problem("what may change", shown(name), f"one of {', '.join(known)}"[:300])
    if not names:
        raise Problem("what may change", "nothing", "at least one set value, amount, time or bend")
    return [one for name, one in known.items() if name in names]


def with_values(patch: Patch, changes: Sequence[Changeable], tried: Sequence[float]) -> Patch:
    """Return a patch in which changeable figures have the values that were tried."""
    base: dict[str, float] = {}
    fields: dict[str, dict[str, float]] = {}
    for change, raw in zip(changes, tried, strict=True):
        head, _, tail = change.name.partition(".")
        of = fields.setdefault(head, {}) if tail else base
        of[tail or head] = float(f"{change.value_of(float(raw)):.7g}")
    routes = {name.removeprefix("route:"): of for name, of in fields.items() if name.startswith("route:")}
    return edited(patch, modules=fields, routes=routes, base=base)


def _onto(patch: Patch, name: str) -> Iterator[Route]:
    """Yield the routes that add to a destination or set its range."""
    return (route for route in patch.live_routes if route.destination == name and route.mode != "scale")


def _of(patch: Patch, at: Destination, label: str, usual: bool) -> Changeable:
    """Return a destination's own set value, to be changed."""
    log = at.law != "sum" or at.unit == "s"
    low, high = max(at.low, -_WIDEST), min(at.high, _WIDEST if at.law == "sum" else at.high)
    return Changeable(at.name, label, patch.base(at), at.unit, max(low, _LEAST) if log else low, high, log, usual)


def _most(at: Destination) -> float:
    """Return how far an amount may go to bring a destination from one end to the other, in its modulation unit."""
    if at.law != "sum":
        return at.distance(max(at.low, _LEAST), at.high)
    return min(at.high, _WIDEST) - max(at.low, -_WIDEST)


def _amounts(patch: Patch, at: Destination, route: Route, varied: Collection[str]) -> Iterator[Changeable]:
    """Yield the amount of a route that adds, and the amounts of what adds to that."""
    amount = patch.destination(f"route:{route.id}.amount")
    if amount is None:
        return
    most = _most(at)
    label = f"{route.source} on {at.title.lower()}"
    usual = route.source not in PERFORMANCE_SIGNALS or route.source in varied
    yield Changeable(amount.name, label, route.amount, at.amount_unit, -most, most, False, usual)
    for moving in _onto(patch, amount.name):
        if moving.adds:
            label = f"{moving.source} on the amount of {route.source}"
            name = f"route:{moving.id}.amount"
            yield Changeable(name, label, moving.amount, at.amount_unit, -most, most, False, moving.source in varied)


def _ends(at: Destination, route: Route) -> Iterator[Changeable]:
    """Yield both ends of a route's range."""
    log = at.law != "sum"
    for end, value in (("low", route.low), ("high", route.high)):
        label = f"{route.source}'s {end} end"
        low = max(at.low, _LEAST) if log else at.low
        yield Changeable(f"route:{route.id}.{end}", label, value or 0.0, at.unit, low, at.high, log, True)


def _sources(patch: Patch, name: str, depth: int = 0) -> Iterator[str]:
    """Yield the modules that reach a destination, nearest first."""
    for route in patch.live_routes:
        if route.destination == name and depth < _DEEPEST:
            for signal in (route.source, route.via):
                yield from _behind(patch, signal)
            yield from _sources(patch, f"route:{route.id}.amount", depth + 1)


def _behind(patch: Patch, signal: object, depth: int = 0) -> Iterator[str]:
    """Yield a module and those that it listens to."""
    module = patch.modules_by_id.get(signal) if isinstance(signal, str) else None
    if module is None or depth >= _DEEPEST:
        return
    yield module.id
    for _, value in module.input_signals():
        yield from _behind(patch, value, depth + 1)


def _settings(patch: Patch, name: str, wanted: Collection[str]) -> Iterator[Changeable]:
    """Yield the numbers that a module is set by."""
    module = patch.modules_by_id[name]
    for field, info in type(module).model_fields.items():
        facts = field_facts(info)
        at = patch.destination(f"{name}.{field}")
        if at is None or facts.get("role") != "number":
            continue
        plain = not isinstance(getattr(module, field), str)
        both = field == "decay_bend" and {"half_s", "tenth_s"} <= set(wanted)
        usual = module.is_staged and plain and (both or bool(set(_SERVES.get(field, ())) & set(wanted)))
        yield _of(patch, at, at.title, usual)
