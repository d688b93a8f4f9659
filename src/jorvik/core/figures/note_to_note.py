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


def find(of: Context) -> Iterator[Figure]:
    """Yield the greatest difference of each voice lane between a note and the next."""
    if not _asked(of):
        return
    later = next_note(of)
    for name, apart in lanes_apart(of, later, later.run.notes[-1]):
        if apart < LEAST:
            continue
        value, unit = musical_difference(of, name, apart)
        yield Figure(
            name,
            "next note differs by",
            value,
            unit,
            "The greatest difference from the same note struck again after it, at the same moment of the note.",
        )


def prepare(of: Context) -> None:
    """Trace the next note where it will be asked for. It waits for nothing that is made of the first."""
    if _asked(of):
        next_note(of)


def _asked(of: Context) -> bool:
    return any(of.is_read(name) for name in _unlike(of))


def _unlike(of: Context) -> list[str]:
    """Return what may stand elsewhere, or draw anew, at the next note."""
    unlike = [m.id for m in of.patch.modules if m.runs_free or m.is_random]
    return [*unlike, "note_random"]


def next_note(of: Context) -> Trace:
    """Return the first note played twice, traced as the second."""
    return of.once("next note", lambda: _next_note(of))


def _next_note(of: Context) -> Trace:
    document = of.patch.document()
    note = of.patch.performance.notes[0]
    first = {"key": note.key, "velocity": note.velocity, "start_s": 0.0, "length_s": min(note.length_s, LONGEST_S)}
    poly = of.patch.voice.mode == "poly"
    dies_away = 0.0 if poly else of.patch.performance.tail_s
    again = min(first["length_s"] + dies_away + LATER_S, 2.0 * LONGEST_S)
    notes = [{**first, "start_s": note.start_s}, {**first, "start_s": note.start_s + again}]
    document["performance"] = {**document.get("performance", {}), "notes": notes, "controls": {}, "tail_s": 0.0}
    patch = check_patch(document)
    return of.beside(patch, voice=1 if poly else 0)
