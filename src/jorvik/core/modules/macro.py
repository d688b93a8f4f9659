"""Macro: one named control that moves many things."""

from typing import ClassVar, Literal

from pydantic import Field

from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.limits import MAX_NAME
from jorvik.core.modules.base import Module, param


class Macro(Module):
    """A named control, 0 to 1, played by hand, by its control lane, or by a source."""

    title: ClassVar[str] = "Macro"
    role: ClassVar[Literal["source", "processor", "control"]] = "control"
    control: ClassVar[tuple[str, str] | None] = ("value", "macro:")

    kind: Literal["macro"]
    name: str = Field("", max_length=MAX_NAME, description="What the player sees.", json_schema_extra={"role": "text"})
    value: float = param(0.0, "ratio", 0.0, 1.0, "Where it stands when nothing plays it.")

    def summary(self) -> str:
        """Say the name and where it stands."""
        at = f"at {self.value * 100:.3g} %"
        return f"{self.name}, {at}" if self.name else at


_VALUE = Macro.slot("value")


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Return the control's value."""
    return p[_VALUE]
