"""Constant: a number with a name."""

from typing import ClassVar, Literal

from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.modules.base import Module, param


class Constant(Module):
    """A number that others can read, and that routes can move."""

    title: ClassVar[str] = "Constant"

    kind: Literal["constant"]
    value: float = param(0.0, "signal", -1e6, 1e6, "The number.")

    def span(self) -> tuple[float, float]:
        """Around zero, wide enough for the number."""
        size = max(1.0, abs(self.value))
        return (-size if self.value < 0.0 else 0.0, size)

    def summary(self) -> str:
        """Say the number."""
        return f"always {self.value:g}"


_VALUE = Constant.slot("value")


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Return the number."""
    return p[_VALUE]
