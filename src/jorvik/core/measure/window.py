"""The window of a comparator in a feedback loop, in which it keeps its state."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from jorvik.core.document.patch import Patch, edited
from jorvik.core.measure.context import Context
from jorvik.core.modules.base import Module
from jorvik.core.problems import Problem

_AT_REST: Final = 1e-3
"""Greatest share of its range that a signal at rest moves before note-off."""


@dataclass(frozen=True)
class Window:
    """A comparator in a feedback loop that never switches while the note is held."""

    id: str
    middle_of: str
    """The operand that does not come back, ``a`` or ``b``: the middle of the window."""
    middle: float
    half: float
    """Its hysteresis: the window goes from ``middle - half`` to ``middle + half``."""
    comes_back: str
    """The signal that comes back."""
    low: float
    high: float
    """The ends of that signal's range, reached with the output held at 0 and at 1."""

    @property
    def room(self) -> float:
        """The hysteresis below which it switches; 0 or less where no value does."""
        return min(self.middle - self.low, self.high - self.middle)


def stuck_windows(context: Context) -> list[Window]:
    """Return the windows of the comparators in loops that never switch.

    Where the signal that comes back would go is found by two runs in which the comparator's output is held, at 0 and
    at 1. A loop that drives itself away from the switching point, which is a latch, is left out.
    """
    return context.once("stuck windows", lambda: [w for m in context.having("compares") if (w := _window(context, m))])


def _window(context: Context, module: Module) -> Window | None:
    held = context.held(context.row(module.id))
    # One switch may be the start from rest.
    if np.count_nonzero(np.diff(held)) > 1:
        return None
    back = [name for name, signal in module.input_signals() if module.id in _read_by(context.patch, signal)]
    if len(back) != 1:
        return None
    [name] = back
    [other] = [field for field, _ in module.input_signals() if field != name]
    comes_back, middle = str(getattr(module, name)), context.held(context.row(getattr(module, other)))
    try:
        off, on = (_held_at(context, module, state, comes_back) for state in (0.0, 1.0))
    except Problem:
        return None
    if off is None or on is None or np.ptp(middle) > 0.0 or (on > off) != (name == "b"):
        return None
    half = context.setting(module, "hysteresis")
    found = Window(module.id, other, float(middle[-1]), half, comes_back, min(on, off), max(on, off))
    # A loop whose window leaves room runs, though a short note may see it switch only once.
    return found if found.half >= found.room else None


def _held_at(context: Context, module: Module, state: float, signal: str) -> float | None:
    """Return the value at which a signal rests with the output held at 0 or 1.

    None where it still moves at note-off.
    """
    held = {"a": 2.0 * state - 1.0, "b": 0.0, "hysteresis": 0.0}
    run = context.beside(edited(context.patch, modules={module.id: held}))
    values = run.held(run.signals[signal])
    last = values[-max(1, values.size // 20) :]
    return float(last[-1]) if np.ptp(last) <= _AT_REST * max(float(np.ptp(values)), 1e-12) else None


def _read_by(patch: Patch, signal: object) -> set[str]:
    """Return every module that a signal is made of, itself included."""
    found: set[str] = set()
    left = [signal]
    while left:
        name = left.pop()
        module = patch.modules_by_id.get(name) if isinstance(name, str) else None
        if module is None or module.id in found:
            continue
        found.add(module.id)
        left += [value for _, value in module.input_signals()]
        left += [route.source for route in patch.live_routes if route.destination.startswith(f"{module.id}.")]
    return found
