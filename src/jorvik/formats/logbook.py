"""The logbook written out: Markdown to go on writing in, HTML to read."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from html import escape
from itertools import groupby
from typing import Final

_STYLE: Final = (
    "body{font:15px/1.45 Georgia,serif;max-width:44rem;margin:2rem auto;padding:0 1rem;color:#22242a}"
    "h2{border-bottom:1px solid #cfc8b6;margin-top:2.2rem}h3{font-size:1rem;margin:1.2rem 0 .2rem}"
    "ul{margin:.2rem 0;padding-left:1.2rem}.why{font-style:italic;margin:.3rem 0}time{color:#645f55}"
)


@dataclass(frozen=True)
class Written:
    """What is written of an entry."""

    at: datetime
    document_name: str
    title: str
    changes: list[str]
    figures: list[str]
    why: str
    marked: bool


def _days(entries: Sequence[Written]) -> Iterator[tuple[str, list[Written]]]:
    """Yield each day with its entries, the earliest first: a book is read forward."""
    forward = sorted(entries, key=lambda entry: entry.at)
    for day, some in groupby(forward, key=lambda entry: f"{entry.at:%Y-%m-%d}"):
        yield day, list(some)


def _plain(text: str) -> str:
    """Return text in which nothing reads as Markdown by accident."""
    return "".join(f"\\{letter}" if letter in "\\`*_{}[]<>#|" else letter for letter in text)


def logbook_markdown(entries: Sequence[Written]) -> str:
    """Return entries as Markdown: a heading a day, an entry a part of it."""
    lines = ["# Logbook", ""]
    for day, some in _days(entries):
        lines += [f"## {day}", ""]
        for entry in some:
            mark = " ★" if entry.marked else ""
            name = f"{_plain(entry.document_name)}: " if entry.document_name else ""
            lines += [f"### {entry.at:%H:%M} {name}{_plain(entry.title)}{mark}", ""]
            if entry.why:
                lines += [*(f"> {_plain(line)}" for line in entry.why.splitlines()), ""]
            told = [*entry.changes, *entry.figures]
            lines += [*(f"- {_plain(sentence)}" for sentence in told), ""] if told else []
    return "\n".join(lines).rstrip() + "\n"


def logbook_html(entries: Sequence[Written]) -> str:
    """Return entries as a page that stands alone."""
    parts = [f'<!doctype html><html lang="en"><meta charset="utf-8"><title>Logbook</title><style>{_STYLE}</style>']
    parts.append("<h1>Logbook</h1>")
    for day, some in _days(entries):
        parts.append(f"<h2>{day}</h2>")
        for entry in some:
            mark = " ★" if entry.marked else ""
            name = f"{escape(entry.document_name)}: " if entry.document_name else ""
            parts.append(f"<h3><time>{entry.at:%H:%M}</time> {name}{escape(entry.title)}{mark}</h3>")
            if entry.why:
                parts.append(f'<p class="why">{escape(entry.why)}</p>')
            told = "".join(f"<li>{escape(sentence)}</li>" for sentence in (*entry.changes, *entry.figures))
            parts.append(f"<ul>{told}</ul>" if told else "")
    return "".join(parts) + "</html>\n"
