"""The catalogue as a page of documentation: ``python -m scripts.catalogue_page > docs/catalogue.md``."""

from collections.abc import Sequence

from jorvik.core.document.schema import Catalogue, FieldFacts, KindFacts, SectionFacts, catalogue

_HEAD = """# Catalogue

Written by `scripts/types` from the module kinds and the tables; a test keeps it current.
"""


def page(of: Catalogue) -> str:
    """Return the catalogue as Markdown."""
    parts = [_HEAD, "## Module kinds\n"]
    parts += [_kind(kind) for kind in of.kinds]
    parts.append("## Voice destinations\n")
    parts.append(_table(("name", "unit", "moved in", "range", "base when left out"), _destinations(of)))
    parts.append("## Performance signals\n")
    parts.append(_table(("name", "what it says"), [(f"`{name}`", text) for name, text in of.signals.items()]))
    parts.append("## The voice\n\nWhat a patch chooses under `voice`, and nothing moves.\n")
    parts += [_section(section) for section in of.sections]
    parts.append("## Scales\n")
    scales = [(f"`{name}`", ", ".join(map(str, degrees))) for name, degrees in of.scales.items()]
    parts.append(_table(("name", "semitones over the root"), scales))
    parts.append("## Wavetables\n")
    parts.append(_table(("name", "what it holds"), [(f"`{name}`", text) for name, text in of.tables.items()]))
    return "\n".join(parts)


def _destinations(of: Catalogue) -> list[tuple[str, ...]]:
    return [
        (f"`{at.name}`", at.unit, at.amount_unit, f"{at.low:g} to {at.high:g}", f"{at.base:g}")
        for at in of.destinations
    ]


def _kind(kind: KindFacts) -> str:
    text = " ".join(kind.help.split())
    rows = [(f"`{f.name}`", _values(f), _default(f), _movement(f), f.help) for f in kind.fields]
    table = _table(("field", "values", "default", "moved", "what it does"), rows)
    return f"### {kind.title} (`{kind.kind}`)\n\n{text}\n\n{table}"


def _section(section: SectionFacts) -> str:
    rows = [(f"`{f.name}`", _values(f), _default(f), f.help) for f in section.fields]
    table = _table(("field", "values", "default", "what it does"), rows)
    return f"### {section.title} (`voice.{'.'.join(section.path)}`)\n\n{section.help}\n\n{table}"


def _values(field: FieldFacts) -> str:
    if field.choices:
        return ", ".join("none" if c is None else str(c) for c in field.choices)
    if field.low is None or field.high is None:
        return field.role.replace("_", " ")
    unit = "" if field.unit in ("ratio", "signal", "x", "bend", "Q", "") else f" {field.unit}"
    return f"{field.low:g} to {field.high:g}{unit}{' or a note value' if field.note_values else ''}"


def _default(field: FieldFacts) -> str:
    return "none" if field.default is None else f"{field.default}" if field.default != "" else ""


def _movement(field: FieldFacts) -> str:
    if not field.movable:
        return ""
    how = "in octaves" if field.law == "octaves" else "yes"
    return f"{how}, read when a stage begins" if field.at_stage else how


def _table(head: tuple[str, ...], rows: Sequence[tuple[str, ...]]) -> str:
    lines = [head, tuple("---" for _ in head), *rows]
    return "\n".join("| " + " | ".join(cell.replace("|", "\\|") for cell in line) + " |" for line in lines) + "\n"


if __name__ == "__main__":
    print(page(catalogue()), end="")
