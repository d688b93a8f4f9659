"""What a control's figures come to: from a figure to a value and back, the nearest step, and how it is read."""

import numpy as np

from jorvik.core.document.card import Control

_CLOCK_FROM, _CLOCK_TO = 7.0, 17.0
"""Where a knob that is read by the clock begins and ends: seven, and five."""


def value_at(control: Control, figure: float) -> float:
    """Return the value at a figure of a control's scale, which is kept within it.

    >>> value_at(Control(name="Cutoff", sets="cutoff", law="logarithmic", from_value=20.0, to_value=20480.0), 5.0)
    640.0
    """
    figure = min(max(figure, control.low), control.high)
    if control.law == "table":
        figures, values = zip(*control.table, strict=True)
        return float(np.interp(figure, figures, values))
    share = (figure - control.low) / (control.high - control.low)
    if control.law == "logarithmic":
        return float(control.from_value * (control.to_value / control.from_value) ** share)
    return control.from_value + share * (control.to_value - control.from_value)


def figure_for(control: Control, value: float) -> float:
    """Return the figure at which a control comes nearest to a value: an end of its scale where that is beyond it."""
    if control.law == "table":
        figures, values = map(list, zip(*control.table, strict=True))
        if values[0] > values[-1]:
            figures, values = figures[::-1], values[::-1]
        return float(np.interp(value, values, figures))
    if control.law == "logarithmic":
        if value <= 0.0:
            return control.low if control.from_value < control.to_value else control.high
        share = np.log(value / control.from_value) / np.log(control.to_value / control.from_value)
    else:
        share = (value - control.from_value) / (control.to_value - control.from_value)
    return float(control.low + min(max(share, 0.0), 1.0) * (control.high - control.low))


def count_of(control: Control) -> int | None:
    """Return how many positions a control has; None where it is smooth."""
    return len(control.positions) if control.shown == "names" else control.steps


def nearest(control: Control, figure: float) -> float:
    """Return the position of a control that is nearest to a figure.

    >>> nearest(Control(name="Octave", sets="pitch", low=0, high=4, steps=5), 2.6)
    3.0
    """
    count = count_of(control)
    if count is None:
        return figure
    step = (control.high - control.low) / (count - 1)
    return float(control.low + round((figure - control.low) / step) * step)


def read(control: Control, figure: float) -> str:
    """Return a figure as the panel reads: a number, a name, or where the knob points as on a clock.

    >>> read(Control(name="Cutoff", sets="cutoff", shown="clock"), 5.0)
    "12 o'clock"
    """
    share = (figure - control.low) / (control.high - control.low)
    if control.shown == "names":
        return control.positions[round(share * (len(control.positions) - 1))]
    if control.shown == "clock":
        at = _CLOCK_FROM + share * (_CLOCK_TO - _CLOCK_FROM)
        hour, minutes = divmod(round(60 * at / 5) * 5, 60)
        return f"{(hour - 1) % 12 + 1}{f':{minutes:02d}' if minutes else ''} o'clock"
    return f"{figure:.4g}".replace("-", "−")
