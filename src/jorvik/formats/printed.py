"""A patch on paper: staves, sources and routes as sentences and tables, what macros, velocities and keys do, notes."""

from collections.abc import Callable, Iterator, Sequence
from html import escape
from typing import Final, Literal

import numpy as np

from jorvik.core.changes.fields import value_text
from jorvik.core.changes.patches import route_sentence
from jorvik.core.document.card import MachineCard
from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch
from jorvik.core.engine.run import never
from jorvik.core.engine.trace import trace
from jorvik.core.helpers.macros import macro_table
from jorvik.core.limits import COARSE_RATE
from jorvik.core.machine.on_card import on_card
from jorvik.core.measure.patch import measure_trace
from jorvik.core.measure.volts import lane_volts
from jorvik.core.modules.base import field_facts, field_title
from jorvik.core.units.velocities import VELOCITIES
from jorvik.core.units.words import in_words, note_name
from jorvik.formats.page import Paper, in_columns, page, table
from jorvik.formats.print_map import drawn_map
from jorvik.formats.print_staves import Texted, dash_of, drawn

Units = Literal["jorvik", "volts"]

FULL_SCALE_V: Final = 5.0
_KEYS: Final = (-12.0, 0.0, 12.0)
"""From the test note's, in semitones."""
_ROWS_A_PAGE: Final = 11
_MOST_LANES: Final = 12


def said_in(units: Units) -> Texted:
    """Return what says a value: in Jorvik's units, or in volts, pitches and frequencies at 1 V an octave."""
    if units == "jorvik":
        return in_words

    def in_volts(value: float, unit: str) -> str:
        at = next((at for at in VOICE.values() if at.unit == unit), None)
        if at is None or unit in ("s", "dB", "bpm"):
            return in_words(value, unit)
        return in_words(float(lane_volts(np.array([value]), at, FULL_SCALE_V)[0]), "V")

    return in_volts


def printed_svg(patch: Patch, units: Units = "jorvik", cancelled: Callable[[], bool] = never) -> str:
    """Return the staves of a patch as one drawing."""
    return drawn(patch, said_in(units), cancelled=cancelled)[0].svg


def printed_html(
    patch: Patch,
    units: Units = "jorvik",
    paper: Paper = "A4",
    more: Sequence[tuple[str, str]] = (),
    cancelled: Callable[[], bool] = never,
) -> str:
    """Return a patch, or what is played of it, as a page that stands alone and prints on so many sheets as it needs.

    ``more`` are further parts, a title and its HTML each. Raises Problem where the run comes to no finite number.
    """
    said = said_in(units)
    parts = (
        *(("", drawing.svg) for drawing in drawn(patch, said, _ROWS_A_PAGE, cancelled)),
        ("Sources", _sources(patch)),
        ("What moves what", _routes(patch)),
        ("Map", leads.svg if (leads := drawn_map(patch)) is not None else ""),
        ("Set values", _set_values(patch, said)),
        ("Macros", _macros(patch, said)),
        ("At other velocities", _at_velocities(patch, said, cancelled)),
        ("At other keys", _at_keys(patch, said, cancelled)),
        ("Meant as it is", _set_aside(patch)),
        *more,
        ("Notes", f"<p>{escape(patch.notes)}</p>" if patch.notes else ""),
    )
    return page(patch.name, _what(patch), parts, paper)


def _what(patch: Patch) -> str:
    """Return how it is played, and its tags."""
    test, phrase = patch.performance.notes[0], patch.phrase
    played = (
        f"under {escape(phrase.name)}, {phrase.bars} bars at {phrase.tempo_bpm:g} bpm"
        if phrase is not None
        else f"test note {note_name(test.key)} at velocity {test.velocity:g}, held {in_words(test.length_s, 's')},"
        f" {patch.performance.tempo.bpm:g} bpm"
    )
    tags = f" · {escape(', '.join(patch.tags))}" if patch.tags else ""
    return played + tags


_PATTERNS: Final = {"": "full", "7 4": "dashes", "2 3": "dots", "9 3 2 3": "dash and dot", "12 4": "long dashes"}


def _sources(patch: Patch) -> str:
    rows = [
        (module.id, module.title, _PATTERNS[dash_of(patch, module.id)], _settings(patch, number))
        for number, module in enumerate(patch.modules)
    ]
    return table(("name", "kind", "line", "settings"), rows)


def _settings(patch: Patch, number: int) -> str:
    module = patch.modules[number]
    said = []
    for name, field in type(module).model_fields.items():
        value = getattr(module, name)
        if name in ("id", "kind") or (name not in module.model_fields_set and value == field.default):
            continue
        if isinstance(value, list | dict):
            said.append(f"{field_title(name)}: {_listed(value)}")
        else:
            said.append(f"{field_title(name)} {value_text(value, str(field_facts(field).get('unit', '')))}")
    return ", ".join(said) or "as it comes"


def _listed(value: object, most: int = 12) -> str:
    if isinstance(value, list) and len(value) <= most:
        return (
            " ".join(
                "/".join(f"{part:.4g}" for part in one) if isinstance(one, list) else f"{one:.4g}"
                for one in value
                if isinstance(one, list | int | float)
            )
            or f"{len(value)} parts"
        )
    return f"{len(value)} of them"  # type: ignore[arg-type]


def _routes(patch: Patch) -> str:
    sentences = [
        f"<li>{escape(route_sentence(patch, route))}{'' if route.enabled else ' (muted)'}</li>"
        for route in patch.routes
    ]
    rows = []
    for route in patch.routes:
        at = patch.destination(route.destination)
        unit = "ratio" if route.mode == "scale" else "Hz" if route.in_hertz else at.amount_unit if at else ""
        ends = [in_words(end or 0.0, at.unit if at else "") for end in (route.low, route.high)]
        amount = f"{ends[0]} to {ends[1]}" if route.mode == "range" else in_words(route.amount, unit)
        title = at.title if at else route.destination
        bend = f"{route.bend:g}" if route.bend else ""
        rows.append((route.source, title, route.mode, route.via or "", bend, amount))
    listed = table(("from", "to", "how", "scaled by", "bend", "amount"), rows, 2)
    return f'<ul class="columns">{"".join(sentences)}</ul>{listed}' if rows else ""


def _set_values(patch: Patch, said: Texted) -> str:
    rows = [
        (at.title, said(patch.base(at), at.unit))
        for name, at in VOICE.items()
        if patch.base(at) != at.base or at.always_shown
    ]
    return in_columns(table(("destination", "set at"), rows, 1), len(rows))


def _macros(patch: Patch, said: Texted) -> str:
    rows = []
    for module in patch.modules:
        if not module.control:
            continue
        for row in macro_table(patch, module.id):
            at = patch.destination(row.destination)
            unit = at.unit if at else ""
            rows.append((module.id, row.title, *(said(value, unit) for value in row.values)))
    return table(("macro", "destination", "at 0", "half", "full"), rows, 3)


def _at(patches: Sequence[Patch], said: Texted, cancelled: Callable[[], bool]) -> Iterator[tuple[str, ...]]:
    """Yield for each destination that moves its peak in each of some patches, and where it settles."""
    found = [measure_trace(trace(patch, COARSE_RATE, cancelled=cancelled)).lanes for patch in patches]
    names = [name for name in VOICE if any(name in lanes for lanes in found)][:_MOST_LANES]
    for name in names:
        at = VOICE[name]
        cells = []
        for lanes, patch in zip(found, patches, strict=True):
            if name not in lanes:
                cells.append(said(patch.base(at), at.unit))
                continue
            of = lanes[name].measures
            rests = of.at_off if of.settle is None else of.settle
            peak, at_rest = said(of.peak, at.unit), said(rests, at.unit)
            cells.append(f"{peak} → {at_rest}" if of.peak != of.least else at_rest)
        yield (at.title, *cells)


def _at_velocities(patch: Patch, said: Texted, cancelled: Callable[[], bool]) -> str:
    rows = list(_at([patch.with_note(velocity=velocity) for velocity in VELOCITIES.values()], said, cancelled))
    return table(("peak → settled, or at note-off", *(f"{v:g}" for v in VELOCITIES.values())), rows, len(VELOCITIES))


def _at_keys(patch: Patch, said: Texted, cancelled: Callable[[], bool]) -> str:
    first = patch.performance.notes[0].key
    keys = [first + step for step in _KEYS if 0.0 <= first + step <= 127.0]
    if not any(route.source == "key" or route.via == "key" for route in patch.live_routes):
        return ""
    rows = list(_at([patch.with_note(key=key) for key in keys], said, cancelled))
    return table(("peak → settled, or at note-off", *map(note_name, keys)), rows, len(keys))


def _set_aside(patch: Patch) -> str:
    rows = [(aside.finding.partition(":")[0].replace("_", " "), aside.reason) for aside in patch.set_aside]
    return table(("finding", "why it is meant"), rows)


def card_part(patch: Patch, card: MachineCard) -> tuple[str, str]:
    """Return a further part of a sheet: where each control of a machine stands for it, and what cannot be had."""
    found = on_card(patch, card)
    rows = [(row.control, row.nearest, row.wanted, row.error_text) for row in found.rows]
    cannot = "".join(f"<li>{escape(sentence)}</li>" for sentence in found.cannot)
    listed = table(("control", "stands at", "wanted", "off by"), rows, 3)
    return f"On {escape(card.name)}", listed + (f"<ul>{cannot}</ul>" if cannot else "")
