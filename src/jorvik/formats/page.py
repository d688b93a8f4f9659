"""A page that stands alone and prints: its style, its head, its parts, its tables."""

from collections.abc import Iterable, Sequence
from html import escape
from typing import Final, Literal

Paper = Literal["A4", "Letter"]

_STYLE: Final = """
@page { size: %s; margin: 14mm }
body { font: 10pt/1.35 sans-serif; color: black; background: white; margin: 0 auto; max-width: 182mm }
h1 { font-size: 17pt; margin: 0 } h2 { font-size: 11pt; margin: 5mm 0 1.5mm; border-bottom: .4mm solid black }
p { margin: 1mm 0 } .what { color: #333 } ul { margin: 1mm 0; padding-left: 5mm }
table { border-collapse: collapse; width: 100%%; font-size: 8.5pt; break-inside: auto }
th { text-align: left; font-weight: 600; border-bottom: .3mm solid black }
td, th { padding: .5mm 2mm .5mm 0; vertical-align: top } tr { break-inside: avoid }
td.figure, th.figure { text-align: right; font-variant-numeric: tabular-nums }
svg { width: 100%%; height: auto; break-inside: avoid; display: block; margin-top: 2mm }
.columns { columns: 2; column-gap: 8mm } h2 { break-after: avoid }
"""


def page(name: str, what: str, parts: Iterable[tuple[str, str]], paper: Paper) -> str:
    """Return a page: what it is of, a line of HTML on it, and parts: a title, or none, and HTML each.

    A part without content is left out.
    """
    body = "".join((f"<h2>{title}</h2>" if title else "") + part for title, part in parts if part)
    title = escape(name)
    head = f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{title}</title>'
    style = f"<style>{_STYLE % paper.lower()}</style>"
    return f'{head}{style}<body><h1>{title}</h1><p class="what">{what}</p>{body}</body></html>\n'


_IN_ONE: Final = 12
"""Up to so many rows stand in one column: a short table is not torn from its head."""


def in_columns(html: str, rows: int) -> str:
    """Return a narrow list or table, in two columns where it is long."""
    return f'<div class="columns">{html}</div>' if rows > _IN_ONE else html


def table(heads: Sequence[str], rows: Sequence[Sequence[str]], figures: int = 0) -> str:
    """Return a table of text; the last columns, as many as ``figures``, stand right."""

    def cells(row: Sequence[str], tag: str) -> str:
        first = len(row) - figures
        return "".join(
            f"<{tag}{' class=figure' if place >= first else ''}>{escape(text)}</{tag}>"
            for place, text in enumerate(row)
        )

    if not rows:
        return ""
    body = "".join(f"<tr>{cells(row, 'td')}</tr>" for row in rows)
    return f"<table><tr>{cells(heads, 'th')}</tr>{body}</table>"
