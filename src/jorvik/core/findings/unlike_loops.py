"""Loops of unlike length, and when they meet again: after their least common multiple."""

from collections.abc import Iterator
from fractions import Fraction
from typing import Any

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.closed_forms import meeting
from jorvik.core.measure.context import Context
from jorvik.core.measure.loops import loops
from jorvik.core.units.words import time_text


def find(context: Context) -> Iterator[Finding]:
    """Yield a note where loops differ in length."""
    beat = 60.0 / context.patch.performance.tempo.bpm
    lengths = loops(context)
    if len(set(lengths.values())) < 2:
        return
    beats = meeting(list(lengths.values()))
    said = ", ".join(f"{name} {float(length):g}" for name, length in lengths.items())
    yield Finding(
        rule="unlike_loops",
        severity="note",
        sentence=f"Loops of {said} beats meet again after {float(beats):g} beats, {time_text(float(beats) * beat)}.",
        why="Until then the pattern never repeats.",
        about=f"signal.{next(iter(lengths))}",
        from_s=context.on_s,
        to_s=context.end_s,
        fix=_fix(context, lengths),
    )


def _fix(context: Context, lengths: dict[str, Fraction]) -> Fix | None:
    """Let every row run as long as the longest: steps go round again, holds take more values."""
    longest = max(lengths.values())
    changed: dict[str, dict[str, Any]] = {}
    for name, length in lengths.items():
        if length == longest:
            continue
        longer = context.patch.modules_by_id[name].looped_longer(longest / length)
        if longer is None:
            return None
        changed[name] = longer
    label = f"{', '.join(changed)} as long as the longest, {float(longest):g} beats"
    return Fix(label, edited(context.patch, modules=changed))
