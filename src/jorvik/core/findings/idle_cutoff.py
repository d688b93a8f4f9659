"""A moving cutoff that changes nothing, or that lies so far below the tone that its steps fall silent.

Changes nothing: every harmonic that counts passes within 1 dB for 95 % of the steps or of the time, as the figure of
that name has it. Falls silent: the loudest that is left of the tone lies 40 dB or more under the loudest of it, for a
twentieth of the steps or of the time; that far under what was heard before, a note is missed.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.measure.moved_cutoff import MovedCutoff
from jorvik.core.units.words import rate_text, share_text

NOTHING = 0.95
SILENT_DB = -40.0
SILENT_SHARE = 0.05


def find(context: Context) -> Iterator[Finding]:
    """Yield a caution on a cutoff that is not heard, and one on a cutoff that leaves nothing to be heard."""
    moved = MovedCutoff.of(context)
    if moved is None or any(context.patch.at_work(at.name) for at in VOICE.values() if at.adds_partials):
        return
    what = "steps" if moved.stepped else "time"
    idle = moved.unchanged_share()
    if idle >= NOTHING:
        yield _said(
            context,
            f"The cutoff moves, and changes nothing {share_text(idle)} of the {what}: no harmonic by as much as 1 dB.",
            "It lies beyond everything that the tone has; what moves it is not heard.",
            _brought(context, moved, moved.hz.min() * 2.0, "into the tone"),
            "idle",
        )
        return
    silent = float((moved.loudest_db() <= SILENT_DB).mean())
    if silent >= SILENT_SHARE:
        yield _said(
            context,
            f"{share_text(silent)} of the {what} the cutoff lies so far from the tone that it is {-SILENT_DB:g} dB down or more.",
            "Those notes or moments fall silent though nothing closes the amplifier.",
            _nearer(context, moved),
            "silent",
        )


def _said(context: Context, sentence: str, why: str, fix: Fix | None, which: str) -> Finding:
    return Finding("idle_cutoff", "caution", sentence, why, "cutoff", context.on_s, context.off_s, fix, which)


def _nearer(context: Context, moved: MovedCutoff) -> Fix | None:
    """Bring the set cutoff so far toward the tone that its farthest step lies within what is heard."""
    far = moved.cutoffs.min() if moved.response in ("low", "band") else moved.cutoffs.max()
    near = moved.hz.min() * 0.5 if moved.response in ("low", "band") else moved.hz.max() * 2.0
    base = context.patch.base(VOICE["cutoff"])
    return _brought(context, moved, base * near / far, "nearer to the tone")


def _brought(context: Context, moved: MovedCutoff, wanted: float, words: str) -> Fix | None:
    """Set the cutoff elsewhere, where its routes add to it; None where one takes it over."""
    if any(route.mode == "range" for route in context.routes_to("cutoff")):
        return None
    at = VOICE["cutoff"]
    base = float(f"{float(np.clip(wanted, at.low, at.high)):.4g}")
    return Fix(f"cutoff {rate_text(base)}, {words}", edited(context.patch, base={"cutoff": base}))
