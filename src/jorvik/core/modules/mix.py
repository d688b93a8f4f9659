"""Mix: several signals made into one."""

from collections.abc import Sequence
from typing import ClassVar, Literal

from pydantic import Field

from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.limits import MAX_MODULES
from jorvik.core.modules.base import Module, Reach, Signal, Strict, choice, param, signal, signal_text


class MixInput(Strict):
    """One input of a mix: gain x signal + offset."""

    source: Signal = signal("What is mixed in.")
    gain: float = param(1.0, "x", -1000.0, 1000.0, "The signal is multiplied by this.")
    offset: float = param(0.0, "signal", -1000.0, 1000.0, "Then this is added.")


class Mix(Module):
    """The sum, the larger, the smaller or the product of its inputs, each with a gain and an offset."""

    title: ClassVar[str] = "Mix"
    keeps_shape: ClassVar[bool] = True
    comes_to_end: ClassVar[bool] = True
    role: ClassVar[Literal["source", "processor", "control"]] = "processor"

    kind: Literal["mix"]
    inputs: list[MixInput] = Field(
        [], max_length=MAX_MODULES, description="What is mixed.", json_schema_extra={"role": "mix_inputs"}
    )
    operation: Literal["sum", "max", "min", "product"] = choice("sum", "How they become one.")

    def input_signals(self) -> list[tuple[str, Signal]]:
        """The source of each input."""
        return [(f"inputs[{i}].source", item.source) for i, item in enumerate(self.inputs)]

    def packed(self) -> list[float]:
        """Their number, then gain and offset of each input."""
        return [len(self.inputs), *(value for item in self.inputs for value in (item.gain, item.offset))]

    def span(self) -> tuple[float, float]:
        """As wide as any nominal signal."""
        return (-1.0, 1.0)

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return what the inputs' ends come to together; one that comes in twice is one movement."""
        if not self.inputs:
            return (0.0, 0.0)
        pairs = list(zip(self.inputs, inputs, strict=True))
        if self.operation == "sum":
            sources = {item.source: ends for item, ends in pairs}
            sums = [
                sorted(sum(x * item.gain + item.offset for item, _ in pairs if item.source == source) for x in ends)
                for source, ends in sources.items()
            ]
            return sum(low for low, _ in sums), sum(high for _, high in sums)
        scaled = [sorted(x * item.gain + item.offset for x in ends) for item, ends in pairs]
        if self.operation == "product":
            found = (1.0, 1.0)
            for low, high in scaled:
                ends = [a * b for a in found for b in (low, high)]
                found = (min(ends), max(ends))
            return found
        combine = {"max": max, "min": min}[self.operation]
        return combine(low for low, _ in scaled), combine(high for _, high in scaled)

    def summary(self) -> str:
        """Say what is mixed, and how."""
        return f"{self.operation} of {', '.join(signal_text(item.source) for item in self.inputs) or 'nothing yet'}"


_OPERATION = Mix.slot("operation")
_SUM, _MAX, _MIN, _PRODUCT = range(4)


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample."""
    count = int(d[0])
    if count == 0:
        return 0.0
    operation = int(p[_OPERATION])
    y = d[1] * x[0] + d[2]
    for i in range(1, count):
        term = d[2 * i + 1] * x[i] + d[2 * i + 2]
        if operation == _SUM:
            y += term
        elif operation == _MAX:
            y = max(y, term)
        elif operation == _MIN:
            y = min(y, term)
        else:
            y *= term
    return y
