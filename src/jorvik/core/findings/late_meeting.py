"""Movers of unlike period that do not meet again within the phrase: it never comes round to where it began."""

from collections.abc import Iterator
from typing import Any

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.beat import against_beat
from jorvik.core.measure.context import Context
from jorvik.core.measure.meeting import periods
from jorvik.core.units.words import time_text


def find(context: Context) -> Iterator[Finding]:
    """Yield a note where the meeting comes after the phrase has ended."""
    phrase = context.patch.phrase
    beats = periods(context)
    if phrase is None or len({round(float(value), 9) for value in beats.values()}) < 2:
        return
    met = against_beat(context).meeting
    if met is not None and met.beats <= phrase.beats * (1.0 + 1e-9):
        return
    when = f"after {met.beats:.6g} beats, {time_text(met.seconds)}" if met else "not within an hour"
    yield Finding(
        rule="late_meeting",
        severity="note",
        sentence=f"{', '.join(beats)} meet again {when}; the phrase has {phrase.beats:.6g}.",
        why="Each time round it sounds different. Some want that; then set this aside.",
        about=f"signal.{next(iter(beats))}",
        from_s=context.on_s,
        to_s=context.off_s,
        fix=_fix(context, list(beats)),
    )


def _fix(context: Context, names: list[str]) -> Fix | None:
    """Let all that have a rate go round once a bar."""
    changed: dict[str, dict[str, Any]] = {}
    for name in names:
        module = context.patch.modules_by_id[name]
        if module.repeats:
            changed[name] = {module.repeats: "1bar"}
    if len(changed) < len(names):
        return None
    return Fix(f"{', '.join(changed)} once a bar", edited(context.patch, modules=changed))
