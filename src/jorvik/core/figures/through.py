"""What a processor does to the times of what it is given: the attack it costs, and its fall before and after."""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.chance import is_drawn
from jorvik.core.measure.context import Context
from jorvik.core.units.words import time_text

FALLS = ("−6 dB", "−20 dB", "−40 dB")
LEAST_S = 1e-4


def find(context: Context) -> Iterator[Figure]:
    """Yield the times of each processor's output against its first input's."""
    for module in context.patch.modules:
        if not module.keeps_shape:
            continue
        inputs = [name for _, name in module.input_signals() if isinstance(name, str)]
        given = context.measures.signals.get(inputs[0]) if inputs else None
        made = context.measures.signals[module.id]
        if given is None or not is_drawn(context.patch, inputs[0]):
            continue
        about, group = f"signal.{module.id}", f"Against {inputs[0]}"
        if given.rise_s and made.rise_s and abs(made.rise_s[2] - given.rise_s[2]) >= LEAST_S:
            later = made.rise_s[2] - given.rise_s[2]
            yield Figure(
                about,
                "attack",
                later,
                "s",
                "How much later (or earlier) it has come 90 % of its way up.",
                group,
                words=f"{time_text(abs(later))} {'later' if later > 0 else 'earlier'}",
            )
        for name, before, after in zip(FALLS, given.fall_s or (), made.fall_s or (), strict=False):
            if before and after and abs(after - before) >= LEAST_S:
                yield Figure(
                    about,
                    f"falls to {name}",
                    after - before,
                    "s",
                    "After the peak: when this much of the fall is left, before it and after it.",
                    group,
                    words=f"{time_text(before)} → {time_text(after)}",
                )
