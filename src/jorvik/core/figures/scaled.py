"""How far a shape reaches, and the gain and offset with which it would reach from here to there."""

from collections.abc import Iterator
from functools import partial

from jorvik.core.document.patch import Patch, edited
from jorvik.core.figures.base import Figure
from jorvik.core.measure.chance import reach
from jorvik.core.measure.closed_forms import scale_and_offset
from jorvik.core.measure.context import Context
from jorvik.core.modules.shape import Shape
from jorvik.core.problems import Problem
from jorvik.core.units.words import rounded

HELP = "What its input allows, chance counted with its whole range; type another, and gain and offset are set."


def find(context: Context) -> Iterator[Figure]:
    """Yield the ends of each straight shape."""
    for module in context.having("is_scaled"):
        if module.fold or module.points or module.power != 1.0 or not isinstance(module.input, str):
            continue
        inside = reach(context, module.input)
        low, high = sorted((-x if module.invert else x) * module.gain + module.offset for x in inside)
        if high - low <= 1e-9:
            continue
        about = f"signal.{module.id}"
        scale = partial(_scaled, context, module, inside)
        yield Figure(about, "never below", low, "", HELP, "Reach", with_value=lambda y, s=scale, h=high: s(y, h))  # type: ignore[misc]
        yield Figure(about, "never above", high, "", HELP, "Reach", with_value=lambda y, s=scale, w=low: s(w, y))  # type: ignore[misc]


def _scaled(context: Context, module: Shape, inside: tuple[float, float], low: float, high: float) -> Patch:
    if low >= high:
        raise Problem(f"the reach of {module.id}", f"from {low:g} to {high:g}", "a least value under the greatest")
    turned = sorted(-x if module.invert else x for x in inside)
    ends = (low, high) if module.gain >= 0.0 else (high, low)
    gain, offset = scale_and_offset(turned[0], turned[1], *ends)
    return edited(context.patch, modules={module.id: {"gain": rounded(gain), "offset": rounded(offset)}})
