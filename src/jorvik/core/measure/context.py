"""What a rule or a reading is given: a patch, its trace and its figures."""

from collections.abc import Callable
from dataclasses import dataclass, field
from threading import RLock
from typing import Any, Final, TypeVar

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, Route
from jorvik.core.document.performance import Note
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.run import never
from jorvik.core.engine.trace import LaneTrace, Trace, trace
from jorvik.core.limits import DEFAULT_RATE, GATE_RAMP_S, MAX_SIDE_TRACE_BYTES
from jorvik.core.measure.patch import PatchMeasures, measure_trace
from jorvik.core.modules.base import Module, Signal
from jorvik.core.units.noticed import TEXTBOOK_EAR, Ear

T = TypeVar("T")

STRUCK: Final = 0.1
"""An input that moves by this share of its way within a quarter of a period makes a filter ring."""

_EVEN: Final = 0.02
"""Notes come at equal distances where these differ by less than this share."""


@dataclass
class Context:
    """A patch, its trace and its figures; what else a rule needs is made when it is asked for."""

    patch: Patch
    rate: int = DEFAULT_RATE
    cancelled: Callable[[], bool] = never
    voice: int = 0
    """Which voice of a poly patch it is of."""
    ear: Ear = TEXTBOOK_EAR
    """Whose ear rules go by."""
    _kept: dict[str, Any] = field(default_factory=dict)
    _locks: dict[str, Any] = field(default_factory=dict)

    def once(self, name: str, make: Callable[[], T]) -> T:
        """Return what is made the first time that it is asked for under a name, and kept for the next.

        Rules that run side by side wait for each other where they ask for the same.
        """
        with self._locks.setdefault(name, RLock()):
            if name not in self._kept:
                self._kept[name] = make()
        kept: T = self._kept[name]
        return kept

    @property
    def trace(self) -> Trace:
        """The patch at its own note."""
        return self.once("trace", lambda: trace(self.patch, self.rate, self.voice, self.cancelled))

    @property
    def note(self) -> Note:
        """The note that it is of."""
        return self.trace.run.note.note

    @property
    def measures(self) -> PatchMeasures:
        """The figures of that trace."""
        return self.once("measures", lambda: measure_trace(self.trace))

    def at_velocity(self, velocity: float) -> Trace:
        """The patch at another velocity."""
        struck = self.patch.with_note(velocity=velocity)
        return self.once(f"velocity {velocity}", lambda: self.beside(struck))

    def beside(self, patch: Patch, voice: int | None = None) -> Trace:
        """Trace another patch, to be compared with this one: in less memory."""
        return trace(
            patch, self.rate, self.voice if voice is None else voice, self.cancelled, most_bytes=MAX_SIDE_TRACE_BYTES
        )

    def in_window(self, at_s: float) -> float:
        """Return a moment of the performance in seconds from the first sample of the voice's window, 0 before it."""
        return max(at_s - self.trace.run.origin / self.rate, 0.0)

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

    @property
    def note_end(self) -> int:
        """The sample at which the next note begins, or the run ends."""
        return self.trace.run.note_end

    @property
    def note_gap_s(self) -> float | None:
        """Seconds from note to note, where three or more come at equal distances."""
        gaps = np.diff(sorted(note.start_s for note in self.patch.performance.notes))
        if gaps.size < 2 or gaps.mean() <= 0.0 or float(np.ptp(gaps)) > _EVEN * float(gaps.mean()):
            return None
        return float(gaps.mean())

    @property
    def closes_s(self) -> float:
        """When the amplifier has closed (60 dB under its peak), or the run has ended."""
        return self.once("closes", self._closes_s)

    def _closes_s(self) -> float:
        lane = self.lane("amplitude")
        if lane is None:
            return self.end_s
        heard = np.flatnonzero(lane.value > 1e-3 * max(float(lane.value.max()), 1e-9))
        return (int(heard[-1]) + 1) / self.rate if heard.size else self.off_s

    @property
    def shut_s(self) -> float:
        """When nothing is heard any more: the amplifier has closed, or, where nothing moves it, the gate has."""
        return self.closes_s if self.lane("amplitude") else min(self.off_s + GATE_RAMP_S, self.end_s)

    def last_struck_s(self, module: Module, hz: float) -> float | None:
        """Return when the input of a filter last moved fast enough to make it ring at a frequency, in seconds.

        Fast is a tenth of the input's whole way within a quarter of a period. None where it never did.
        """
        source = getattr(module, "input", 0.0)
        if not isinstance(source, str) or hz <= 0.0:
            return None
        values = self.row(source)
        span = float(np.ptp(values)) + abs(float(values[0]))
        quarter = max(1, min(round(0.25 * self.rate / hz), values.size - 1))
        if span <= 1e-9 or values.size < 2:
            return None
        # The filter starts from rest: what stands at the first sample is a step from 0.
        moved = np.abs(values[quarter:] - values[:-quarter])
        fast = np.flatnonzero(moved > STRUCK * span)
        if fast.size:
            return (int(fast[-1]) + 1) / self.rate
        return 0.0 if abs(float(values[0])) > STRUCK * span else None

    def row(self, signal: Signal) -> Floats:
        """Return a signal at every sample: a module's, a performance signal's, or a number's."""
        if not isinstance(signal, str):
            return np.full(self.trace.run.length, float(signal))
        found = self.trace.signals.get(signal)
        return found if found is not None else self.trace.performance[signal]

    def values(self, name: str) -> Floats:
        """Return a voice destination at every sample, its set value where nothing moves it."""
        lane = self.trace.lanes.get(name)
        return lane.value if lane else np.full(self.trace.run.length, self.patch.base(VOICE[name]))

    def setting(self, module: Module, name: str, at: int | None = None) -> float:
        """Return a module's parameter as it is at a sample of the run, at note-on where none is given."""
        moved = self.trace.lanes.get(f"{module.id}.{name}")
        if moved is None:
            return module.slot_value(name, self.patch.performance.tempo)
        return float(moved.value[self._sample(at)])

    def set_to(self, module: Module, name: str, wanted: float, at: int | None = None) -> float:
        """Return the set value with which a parameter, moved as it is at that sample, would be what is wanted of it."""
        moved = self.trace.lanes.get(f"{module.id}.{name}")
        if moved is None:
            return wanted
        limits, base = moved.lane.destination, module.slot_value(name, self.patch.performance.tempo)
        now = float(moved.raw[self._sample(at)])
        value = base * wanted / now if limits.law != "sum" and now > 0.0 else base + wanted - now
        return float(min(max(value, limits.low), limits.high))

    def _sample(self, at: int | None) -> int:
        return min(self.trace.run.note.on if at is None else at, self.trace.run.length - 1)

    def rate_of(self, name: str) -> float | None:
        """Return how often a signal repeats, in hertz: as set where nothing moves that, else as measured."""
        module = self.patch.modules_by_id.get(name)
        if module is None:
            return None
        if module.repeats and f"{name}.{module.repeats}" not in self.trace.lanes:
            return module.repeats_hz(self.patch.performance.tempo)
        periodic = self.measures.signals[name].periodic
        return periodic.rate_hz if periodic else None

    def held(self, values: Floats) -> Floats:
        """Return the part of a row while the first note is held, two samples at least."""
        return self.trace.held(values)

    def having(self, trait: str) -> list[Any]:
        """Return the modules that have a trait, see :class:`jorvik.core.modules.base.Module`."""
        return [module for module in self.patch.modules if getattr(module, trait)]

    def routes_to(self, destination: str) -> list[Route]:
        """Return the routes that are on and reach a destination."""
        return [route for route in self.patch.live_routes if route.destination == destination]

    def routes_from(self, source: str) -> list[Route]:
        """Return the routes that are on and come from a source."""
        return [route for route in self.patch.live_routes if route.source == source]

    @property
    def answers_to_velocity(self) -> bool:
        """Whether anything in the patch reads how hard a note is struck."""
        by_routes = any("velocity" in (route.source, route.via) for route in self.patch.live_routes)
        by_inputs = any(value == "velocity" for m in self.patch.modules for _, value in m.input_signals())
        return by_routes or by_inputs or any(getattr(m, "velocity_depth", 0.0) for m in self.patch.modules)

    def lane(self, name: str) -> LaneTrace | None:
        """Return a lane that something moves."""
        found = self.trace.lanes.get(name)
        return found if found and found.lane.routes else None

    def is_read(self, name: str) -> bool:
        """Tell whether anything reads a module's output."""
        by_routes = any(name in (route.source, route.via) for route in self.patch.live_routes)
        return by_routes or any(value == name for m in self.patch.modules for _, value in m.input_signals())
