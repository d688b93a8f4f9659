"""How unlike the next note is: the same key struck again as hard, a third of a second after the first.

One voice for all notes takes the next when it has died away, since it begins from what is left of the last.
What runs free stands elsewhere by then, and what is random draws anew.
"""

from collections.abc import Iterator

from jorvik.core.document.patch import check_patch
from jorvik.core.engine.trace import Trace
from jorvik.core.figures.base import Figure
from jorvik.core.measure.apart import lanes_apart, musical_difference
from jorvik.core.measure.context import Context

LATER_S = 0.37
LONGEST_S = 10.0
LEAST = 1e-6


def find(context: Context) -> Iterator[Figure]:
    """Yield the greatest difference of each voice lane between a note and the next."""
    if not _asked(context):
        return
    later = next_note(context)
    for name, apart in lanes_apart(context, later, later.run.notes[-1]):
        if apart < LEAST:
            continue
        value, unit = musical_difference(context, name, apart)
        yield Figure(
            name,
            "next note differs by",
            value,
            unit,
            "The greatest difference from the same note struck again after it, at the same moment of the note.",
        )


def prepare(context: Context) -> None:
    """Trace the next note where it will be asked for. It waits for nothing that is made of the first."""
    if _asked(context):
        next_note(context)


def _asked(context: Context) -> bool:
    return any(context.is_read(name) for name in _unlike(context))


def _unlike(context: Context) -> list[str]:
    """Return what may stand elsewhere, or draw anew, at the next note."""
    unlike = [m.id for m in context.patch.modules if m.runs_free or m.is_random]
    return [*unlike, "note_random"]


def next_note(context: Context) -> Trace:
    """Return the first note played twice, traced as the second."""
    return context.once("next note", lambda: _next_note(context))


def _next_note(context: Context) -> Trace:
    document = context.patch.document()
    note = context.patch.performance.notes[0]
    first = {"key": note.key, "velocity": note.velocity, "start_s": 0.0, "length_s": min(note.length_s, LONGEST_S)}
    poly = context.patch.voice.mode == "poly"
    dies_away = 0.0 if poly else context.patch.performance.tail_s
    again = min(first["length_s"] + dies_away + LATER_S, 2.0 * LONGEST_S)
    notes = [{**first, "start_s": note.start_s}, {**first, "start_s": note.start_s + again}]
    document["performance"] = {**document.get("performance", {}), "notes": notes, "controls": {}, "tail_s": 0.0}
    patch = check_patch(document)
    return context.beside(patch, voice=1 if poly else 0)
