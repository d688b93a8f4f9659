"""What a random source is like: how long it waits from target to target, how far it spreads, how fast it moves."""

from collections.abc import Iterator

import numpy as np

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context


def find(context: Context) -> Iterator[Figure]:
    """Yield waits, spread and speed of each random source while the note is held."""
    tempo = context.patch.performance.tempo
    for module in context.having("draws_at_rate"):
        about = f"signal.{module.id}"
        moved = context.trace.lanes.get(f"{module.id}.rate")
        note = context.trace.run.note
        first = 0 if module.start == "free" else note.on
        size = min(context.trace.run.held.stop, context.trace.run.length) - first
        rate = moved.value[first : first + size] if moved else np.full(size, module.slot_value("rate", tempo))
        phase = np.concatenate([[0.0], np.cumsum(rate)]) / context.rate
        targets = np.interp(np.arange(1.0, np.floor(phase[-1]) + 1.0), phase, np.arange(size + 1) / context.rate)
        waits = np.diff(np.concatenate([[0.0], targets]))
        if waits.size:
            yield Figure(about, "average wait", float(waits.mean()), "s", "From one target to the next.")
            yield Figure(about, "longest wait", float(waits.max()), "s", "From one target to the next.")
        values = context.held(context.trace.signals[module.id])
        yield Figure(about, "spread", float(values.std()), "", "The standard deviation of its values.")
        speed = float(np.abs(np.diff(values)).sum()) * context.rate / values.size
        yield Figure(about, "speed of change", speed, "a second", "How far it goes up and down, in all, in a second.")
