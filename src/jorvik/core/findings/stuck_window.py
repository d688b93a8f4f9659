"""A comparator in a feedback loop that never switches.

It switches where the signal that comes back passes the middle by more than the hysteresis, either way. Told where the
window is too wide for that signal, or lies beside it.
"""

from collections.abc import Iterator

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.measure.window import Window, stuck_windows
from jorvik.core.units.words import in_words, rounded

CLEAR = 0.8
"""Share of the room that the fix's hysteresis takes."""


def find(context: Context) -> Iterator[Finding]:
    """Yield a fault for each comparator that its own loop never switches."""
    for window in stuck_windows(context):
        window_low, window_high = (_text(window.middle + sign * window.half) for sign in (-1.0, 1.0))
        ends = f"{_text(window.low)} to {_text(window.high)}"
        yield Finding(
            rule="stuck_window",
            severity="fault",
            sentence=f"{window.id} never switches: {window.comes_back} goes from {ends} and would have to pass {window_low} and {window_high}.",
            why=(
                "The loop runs only while the signal that comes back crosses the whole window: the middle must lie "
                "within its range, and the hysteresis must be less than the way from there to the nearer end."
            ),
            about=f"signal.{window.id}",
            from_s=context.on_s,
            to_s=context.off_s,
            fix=_fix(context, window),
        )


def _text(value: float) -> str:
    return in_words(value, "signal")


def _fix(context: Context, window: Window) -> Fix | None:
    """Narrow the window, and move its middle into the signal's range."""
    module, fields, words = context.patch.modules_by_id[window.id], {}, []
    room = window.room
    if room <= 0.0:
        if isinstance(getattr(module, window.middle_of), str) or window.high <= window.low:
            return None
        fields[window.middle_of] = rounded(0.5 * (window.low + window.high))
        words.append(f"{window.middle_of} {_text(fields[window.middle_of])}")
        room = 0.5 * (window.high - window.low)
    if window.half >= room:
        wanted = rounded(float(f"{CLEAR * room:.2g}"))
        fields["hysteresis"] = context.set_to(module, "hysteresis", wanted)
        words.append(f"hysteresis {_text(wanted)}")
    return Fix(", ".join(words), edited(context.patch, modules={window.id: fields})) if words else None
