"""A phrase on paper: its notes by key and time, its hits and lanes under them, and tables of what is played."""

from collections.abc import Iterator, Sequence
from html import escape
from typing import Final

from jorvik.core.document.phrase import Phrase
from jorvik.core.units.words import in_words, note_name
from jorvik.formats.page import Paper, in_columns, page, table
from jorvik.formats.print_staves import WIDE, Row, hit_row

_LEFT: Final = 60
_KEY_TALL: Final = 7.0
_LANE_TALL: Final = 44.0
_MOST_LISTED: Final = 400


def printed_phrase(phrase: Phrase, paper: Paper = "A4") -> str:
    """Return a phrase as a page that stands alone and prints on so many sheets as it needs."""
    what = (
        f"{phrase.bars} bars of {phrase.beats_per_bar} at {phrase.tempo_bpm:g} bpm, {in_words(phrase.seconds, 's')}"
        + (f" · {escape(', '.join(phrase.tags))}" if phrase.tags else "")
    )
    parts = (
        ("", phrase_svg(phrase)),
        ("Notes as played", _notes(phrase)),
        ("Hits", _hits(phrase)),
        ("Notes", f"<p>{escape(phrase.notes)}</p>" if phrase.notes else ""),
    )
    return page(phrase.name, what, parts, paper)


def phrase_svg(phrase: Phrase) -> str:
    """Return what is played as a drawing: keys upward, time along, a note as thick as it is hard."""
    rows = [_keys(phrase)] if phrase.played else []
    rows += [
        hit_row(hit.id, [(_x(phrase, strike.at), strike.strength) for strike in hit.strikes], _LEFT)
        for hit in phrase.hits
    ]
    rows += [_lane(phrase, name, points) for name, points in phrase.controls.items()]
    head = 16.0
    tall = head + sum(row.tall for row in rows) + 4
    parts, top = [*_bars(phrase, tall)], head
    for row in rows:
        parts.append(f'<g transform="translate(0 {top:.1f})">{"".join(row.parts)}</g>')
        top += row.tall
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDE} {tall:.0f}" width="{WIDE}" height="{tall:.0f}"'
        f' font-family="sans-serif" font-size="9"><rect width="{WIDE}" height="{tall:.0f}" fill="white"/>'
        f"{''.join(parts)}</svg>"
    )


def _x(phrase: Phrase, beat: float) -> float:
    beats = phrase.bars * phrase.beats_per_bar
    return _LEFT + (WIDE - 4 - _LEFT) * min(beat, beats) / beats


def _bars(phrase: Phrase, tall: float) -> Iterator[str]:
    for bar in range(phrase.bars + 1):
        x = _x(phrase, bar * phrase.beats_per_bar)
        yield f'<line x1="{x:.1f}" x2="{x:.1f}" y1="12" y2="{tall:.0f}" stroke="#888" stroke-width="0.6"/>'
        if bar < phrase.bars:
            yield f'<text x="{x + 2:.1f}" y="9">{bar + 1}</text>'
            for beat in range(1, phrase.beats_per_bar):
                x = _x(phrase, bar * phrase.beats_per_bar + beat)
                yield f'<line x1="{x:.1f}" x2="{x:.1f}" y1="14" y2="{tall:.0f}" stroke="#ccc" stroke-width="0.4"/>'


def _keys(phrase: Phrase) -> Row:
    low = min(note.key for note in phrase.played)
    high = max(note.key for note in phrase.played)
    step = min(_KEY_TALL, 240.0 / (high - low + 1.0))

    def y(key: float) -> float:
        return 4 + step * (high - key + 0.5)

    parts = [f'<text x="0" y="{y(key) + 3:.1f}">{note_name(key)}</text>' for key in dict.fromkeys((low, high))]
    for note in phrase.played:
        x, end = _x(phrase, note.at), _x(phrase, note.at + note.length)
        thick = max(step * 0.9 * note.velocity / 127.0, 0.6)
        parts.append(
            f'<rect x="{x:.1f}" y="{y(note.key) - thick / 2:.1f}" width="{max(end - x, 0.8):.1f}"'
            f' height="{thick:.1f}" fill="black"/>'
        )
    return Row(y(low) + step, parts)


def _lane(phrase: Phrase, name: str, points: Sequence[Sequence[float]]) -> Row:
    values = [value for _, value in points] or [0.0]
    low, span = min(values), max(max(values) - min(values), 1e-9)
    ends = [(0.0, values[0]), *((at, value) for at, value in points), (phrase.bars * phrase.beats_per_bar, values[-1])]

    def y(value: float) -> float:
        return _LANE_TALL - 6 - (_LANE_TALL - 14) * (value - low) / span

    line = " ".join(f"{_x(phrase, at):.1f},{y(value):.1f}" for at, value in ends)
    said = "".join(
        f'<text x="{_LEFT - 4}" y="{y(value) + 3:.1f}" text-anchor="end">{value:.3g}</text>'
        for value in dict.fromkeys((low, low + span if max(values) > low else low))
    )
    title = f'<text x="0" y="12" font-weight="bold">{escape(name)}</text>'
    return Row(_LANE_TALL, [title, said, f'<polyline points="{line}" fill="none" stroke="black" stroke-width="1.2"/>'])


def _place(phrase: Phrase, at: float) -> str:
    """Return where a beat falls, as bar and beat counted from 1."""
    bar = int(at // phrase.beats_per_bar)
    return f"{bar + 1}.{f'{at - bar * phrase.beats_per_bar + 1:.4g}'}"


def _notes(phrase: Phrase) -> str:
    rows = [
        (_place(phrase, note.at), note_name(note.key), f"{note.length:.4g}", f"{note.velocity:g}")
        for note in sorted(phrase.played, key=lambda note: (note.at, note.key))[:_MOST_LISTED]
    ]
    left = len(phrase.played) - len(rows)
    more = f"<p>and {left} more</p>" if left else ""
    listed = table(("bar.beat", "key", "held, beats", "velocity"), rows, 2)
    return in_columns(listed, len(rows)) + more if rows else ""


def _hits(phrase: Phrase) -> str:
    rows = [
        (hit.id, hit.sound.replace("_", " "), " ".join(_place(phrase, s.at) for s in hit.strikes))
        for hit in phrase.hits
    ]
    return table(("track", "sound", "bar.beat of each stroke"), rows)
