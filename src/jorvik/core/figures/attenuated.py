"""What a plain gain does to a signal: its gain in decibels, and whether it turns it over."""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.units.levels import decibels
from jorvik.core.units.words import in_words


def find(context: Context) -> Iterator[Figure]:
    """Yield the gain of each module that gives its input times a gain, and of each input of a mix."""
    for module in context.having("is_scaled"):
        gain = context.setting(module, "gain") * (-1.0 if getattr(module, "invert", False) else 1.0)
        yield _gain(f"signal.{module.id}", "gain", gain)
    for module in context.patch.modules:
        for number, item in enumerate(getattr(module, "inputs", ()), 1):
            yield _gain(f"signal.{module.id}", f"gain of input {number}, {item.source}", item.gain)


def _gain(about: str, name: str, gain: float) -> Figure:
    if abs(gain) < 1e-9:
        return Figure(about, name, -180.0, "dB", "Nothing of it passes.", words="nothing passes")
    words = in_words(decibels(abs(gain), -180.0), "dB") + (", turned over: 180°" if gain < 0.0 else ", 0°")
    help_ = "20 log of the output's size over the input's; a gain below 0 turns it over. It is alike at every rate."
    return Figure(about, name, decibels(abs(gain), -180.0), "dB", help_, words=words)
