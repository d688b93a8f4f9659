"""A sample-and-hold that never fires, fires at almost every sample, samples a still input, or tracks too little.

Constant firing: over a quarter of all samples, where it is a copy with a lag. One whose clock is no
signal is not looked at. A window: track is open for less than
2 % of the time, or only while the input does not move.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.patch import edited
from jorvik.core.dsp.kernels import Floats
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.words import share_text

CONSTANT = 0.25
NARROW = 0.02


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each sample-and-hold that cannot do its work."""
    for module in context.having("is_sampled"):
        # One that has just been added reads nothing yet; that is plain to see, and no fault.
        if not isinstance(module.clock, str):
            continue
        clock, given = context.row(module.clock), context.row(module.input)
        threshold = module.threshold
        high = clock > threshold
        rises = int((high[1:] & ~high[:-1]).sum())
        # A clock that is high at note-on and falls later takes one value a note, as a trigger does.
        is_struck = bool(high[0]) and not high.all()
        if module.track:
            yield from _window(context, module.id, clock, high, given)
        elif rises == 0 and not is_struck:
            yield from _never(context, module.id, clock, threshold)
        elif rises > CONSTANT * clock.size:
            yield _said(
                context,
                module.id,
                "caution",
                f"{module.id} takes its input at {share_text(rises / clock.size)} of all samples.",
                "It is a copy that comes late; a slower clock makes it hold.",
            )
        elif rises > 0 and np.ptp(given) < 1e-9:
            yield _said(
                context,
                module.id,
                "caution",
                f"{module.id} samples an input that never moves.",
                "Every value taken is the same one.",
            )


def _never(context: Context, name: str, clock: Floats, threshold: float) -> Iterator[Finding]:
    low, top = float(clock.min()), float(clock.max())
    fix = None
    middle = float(f"{0.5 * (low + top):.3g}")
    if top - low > 1e-6 and middle != threshold:
        fix = Fix(f"threshold {middle:g}", edited(context.patch, modules={name: {"threshold": middle}}))
        why = (
            f"It takes a value where the clock rises through {threshold:g}; the clock goes from {low:.3g} to {top:.3g}."
        )
    else:
        why = "Its clock never moves. It takes a value at a rising edge only; a falling edge does nothing."
    yield _said(context, name, "fault", f"{name} never takes a value after the first sample.", why, fix)


def _window(
    context: Context, name: str, clock: Floats, high: "np.ndarray[tuple[int], np.dtype[np.bool_]]", given: Floats
) -> Iterator[Finding]:
    share = float(high.mean())
    if share < NARROW:
        yield _said(
            context,
            name,
            "caution",
            f"{name} tracks for {share_text(share, 1)} of the time: too narrow a window to follow anything.",
            "It follows its input only while its clock is high.",
            _half_open(context, name, clock),
        )
    elif np.ptp(given) > 1e-9 and np.ptp(given[high]) < 0.02 * np.ptp(given):
        yield _said(
            context,
            name,
            "caution",
            f"{name} tracks only while its input stands still: the window is misplaced.",
            "What moves in the input moves while the clock is low.",
        )


def _half_open(context: Context, name: str, clock: Floats) -> Fix | None:
    """Put the threshold where the clock is over it for half of the time."""
    middle = float(f"{float(np.median(clock)):.3g}")
    if not 0.4 < float((clock > middle).mean()) < 0.6:
        return None
    return Fix(
        f"threshold {middle:g}, open half of the time", edited(context.patch, modules={name: {"threshold": middle}})
    )


def _said(context: Context, name: str, severity: str, sentence: str, why: str, fix: Fix | None = None) -> Finding:
    return Finding("sampling", severity, sentence, why, f"signal.{name}", context.on_s, context.end_s, fix)  # type: ignore[arg-type]
