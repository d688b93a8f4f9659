"""What a rule is given, and what it says."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Final, Literal

from jorvik.core.engine.run import LaneTrace, Trace, never, trace
from jorvik.core.kernels import Floats
from jorvik.core.limits import DEFAULT_RATE
from jorvik.core.measure.patch import PatchMeasures, measure_trace
from jorvik.core.patch import Patch, Route, check_patch

Severity = Literal["fault", "caution", "note"]

SOFT: Final = 40.0
HARD: Final = 118.0
"""Velocities that are tried where soft and hard are compared."""


@dataclass(frozen=True)
class Mend:
    """What would put it right: the change in words, and the patch with it."""

    label: str
    patch: Patch


@dataclass(frozen=True)
class Finding:
    """Something worth knowing of a patch: what, where on the sheet, why it matters, and what would put it right."""

    rule: str
    severity: Severity
    sentence: str
    why: str
    about: str
    """A stave, ``signal.<id>`` or ``route.<id>``."""
    from_s: float
    to_s: float
    mend: Mend | None = None
    which: str = ""
    """Tells apart what a rule finds twice in one place."""

    @property
    def key(self) -> str:
        """What it is set aside by."""
        return f"{self.rule}: {self.about}{f' {self.which}' if self.which else ''}"


@dataclass
class Context:
    """A patch, its trace and its figures; what else a rule needs is made when it is asked for."""

    patch: Patch
    rate: int = DEFAULT_RATE
    cancelled: Callable[[], bool] = never
    _at: dict[float, Trace] = field(default_factory=dict)

    @cached_property
    def trace(self) -> Trace:
        """The patch at its own note."""
        return trace(self.patch, self.rate, cancelled=self.cancelled)

    @cached_property
    def measures(self) -> PatchMeasures:
        """The figures of that trace."""
        return measure_trace(self.trace)

    def at_velocity(self, velocity: float) -> Trace:
        """The patch at another velocity."""
        if velocity not in self._at:
            self._at[velocity] = trace(self.patch.with_note(velocity=velocity), self.rate, cancelled=self.cancelled)
        return self._at[velocity]

    @property
    def on_s(self) -> float:
        """When the first note begins."""
        return self.measures.on_s

    @property
    def off_s(self) -> float:
        """When its gate falls."""
        return self.measures.off_s

    @property
    def end_s(self) -> float:
        """How long the run lasts."""
        return self.measures.seconds

    def held(self, values: Floats) -> Floats:
        """Return the part of a row while the first note is held, two samples at least."""
        note = self.trace.run.notes[0]
        return values[note.on : max(note.off, note.on + 2)]

    def modules(self, kind: str) -> list[Any]:
        """Return the modules of a kind."""
        return [module for module in self.patch.modules if module.kind == kind]

    def routes_to(self, destination: str) -> list[Route]:
        """Return the routes that are on and reach a destination."""
        return [route for route in self.patch.live_routes if route.destination == destination]

    def routes_from(self, source: str) -> list[Route]:
        """Return the routes that are on and come from a source."""
        return [route for route in self.patch.live_routes if route.source == source]

    def lane(self, name: str) -> LaneTrace | None:
        """Return a lane that something moves."""
        found = self.trace.lanes.get(name)
        return found if found and found.lane.routes else None

    def is_read(self, name: str) -> bool:
        """Tell whether anything reads a module's output."""
        by_routes = any(name in (route.source, route.via) for route in self.patch.live_routes)
        return by_routes or any(value == name for m in self.patch.modules for _, value in m.input_signals())


def edited(
    patch: Patch,
    modules: Mapping[str, Mapping[str, Any]] | None = None,
    routes: Mapping[str, Mapping[str, Any]] | None = None,
    base: Mapping[str, float] | None = None,
    without_routes: tuple[str, ...] = (),
    more_routes: tuple[Mapping[str, Any], ...] = (),
) -> Patch:
    """Return a patch with fields of modules, routes and the base changed, checked as a whole."""
    document = patch.document()
    for module in document.get("modules", []):
        module.update((modules or {}).get(module["id"], {}))
    for route in document.get("routes", []):
        route.update((routes or {}).get(route["id"], {}))
    gone = {*without_routes, *(f"route:{name}.amount" for name in without_routes)}
    kept = [r for r in document.get("routes", []) if r["id"] not in gone and r["destination"] not in gone]
    document["routes"] = [*kept, *more_routes]
    if base:
        voice = document.setdefault("voice", {})
        voice["base"] = {**voice.get("base", {}), **base}
    return check_patch(document)
