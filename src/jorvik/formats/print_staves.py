"""The staves of a patch as a drawing that prints: black lines on white, told apart by pattern, with their figures."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from html import escape
from typing import Final

import numpy as np

from jorvik.core.document.destinations import ALWAYS_SHOWN, VOICE, Destination
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.reduce import Reduced, reduce_run
from jorvik.core.engine.run import Run, never
from jorvik.core.engine.trace import trace
from jorvik.core.limits import COARSE_RATE, DEFAULT_RATE
from jorvik.core.measure.lane import Measures
from jorvik.core.measure.patch import LaneMeasures, measure_trace
from jorvik.core.units.words import in_words, time_text

WIDE: Final = 700
"""Of the drawing, in its own units; a page is as wide."""

_LEFT: Final = 142
_ROW: Final = 30
_HITS: Final = 14
_STAVE: Final = 92
_COLUMNS: Final = 560
_DASHES: Final = ("", "7 4", "2 3", "9 3 2 3", "12 4")
"""Patterns by which sources are told apart, in their order, again from the first."""

Texted = Callable[[float, str], str]
"""Says a value with its unit: in Jorvik's units, or in another's."""


@dataclass(frozen=True)
class Drawing:
    """A drawing, and how tall it is."""

    svg: str
    tall: float


def dash_of(patch: Patch, source: str) -> str:
    """Return the pattern of a source's line; of a signal that is no module, points."""
    ids = [module.id for module in patch.modules]
    return _DASHES[ids.index(source) % len(_DASHES)] if source in ids else "1 3"


def drawn(
    patch: Patch, said: Texted = in_words, most: int | None = None, cancelled: Callable[[], bool] = never
) -> list[Drawing]:
    """Return the sheet of a patch's first voice: its sources, then its staves, in drawings of ``most`` rows each.

    ``said`` says the values beside the scales. Raises Cancelled, and Problem where the run comes to no finite number.
    """
    run = Run(patch, DEFAULT_RATE)
    reduced = reduce_run(run, _COLUMNS, cancelled)
    figures = measure_trace(trace(patch, COARSE_RATE, cancelled=cancelled)).lanes
    rows = [*_sources(run, reduced), *_hits(run), *_staves(run, reduced, figures, said)]
    size = most or len(rows)
    return [_drawing(run, rows[at : at + size]) for at in range(0, len(rows), size)]


@dataclass(frozen=True)
class Row:
    """A part of a drawing, as wide as it."""

    tall: float
    parts: list[str]
    """With 0 at the top of the row."""


def _drawing(run: Run, rows: Sequence[Row]) -> Drawing:
    head = 16.0
    tall = head + sum(row.tall for row in rows) + 4.0
    parts = [*_time_axis(run, head, tall)]
    top = head
    for row in rows:
        parts.append(f'<g transform="translate(0 {top:.1f})">{"".join(row.parts)}</g>')
        top += row.tall
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDE} {tall:.0f}" width="{WIDE}" height="{tall:.0f}"'
        ' font-family="sans-serif" font-size="9" fill="black">'
        f'<rect width="{WIDE}" height="{tall:.0f}" fill="white"/>{"".join(parts)}</svg>'
    )
    return Drawing(svg, tall)


def _x(run: Run, sample: float) -> float:
    return _LEFT + (WIDE - _LEFT - 4) * sample / run.length


def _time_axis(run: Run, head: float, tall: float) -> Iterator[str]:
    seconds = run.length / run.rate
    step = next(s for s in (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 60, 600) if seconds / s <= 9)
    for number in range(int(seconds / step) + 1):
        x = _x(run, number * step * run.rate)
        yield f'<line x1="{x:.1f}" x2="{x:.1f}" y1="{head - 3}" y2="{tall:.0f}" stroke="#bbb" stroke-width="0.4"/>'
        yield f'<text x="{x + 2:.1f}" y="9">{time_text(round(number * step, 3)) if number else "0"}</text>'
    for note in run.notes:
        for at in {note.on, min(note.off, run.length)}:
            x = _x(run, at)
            yield f'<line x1="{x:.1f}" x2="{x:.1f}" y1="{head - 3}" y2="{tall:.0f}" stroke="black" stroke-width="0.8"/>'


def _line(run: Run, reduced: Reduced, row: int, height: Callable[[Floats], Floats], dash: str, width: float) -> str:
    """Return a row of a run; where a column goes further than from its first sample to the next one's, its ends too."""
    first, least, greatest = (height(of[row]) for of in (reduced.first, reduced.least, reduced.greatest))
    following = np.append(first[1:], first[-1])
    low, high = np.minimum(first, following), np.maximum(first, following)
    # Heights count downward: the least value lies lowest on the page.
    swings = (np.maximum(least, greatest) > high + 0.5) | (np.minimum(least, greatest) < low - 0.5)
    points = []
    for place, start in enumerate(reduced.starts):
        x = _x(run, float(start))
        points.append(f"{x:.1f},{first[place]:.1f}")
        if swings[place]:
            points += [f"{x:.1f},{least[place]:.1f}", f"{x:.1f},{greatest[place]:.1f}"]
    style = f' stroke-dasharray="{dash}"' if dash else ""
    return f'<polyline points="{" ".join(points)}" fill="none" stroke="black" stroke-width="{width}"{style}/>'


def _sources(run: Run, reduced: Reduced) -> Iterator[Row]:
    for module in run.patch.modules:
        row = run.program.module_rows[module.id]
        low, high = float(reduced.least[row].min()), float(reduced.greatest[row].max())
        span = max(high - low, 1e-9)

        def height(values: Floats, low: float = low, span: float = span) -> Floats:
            return np.asarray(_ROW - 5 - (_ROW - 9) * (values - low) / span)

        yield Row(
            _ROW,
            [
                f'<text x="0" y="11" font-weight="bold">{escape(module.id)}</text>',
                f'<text x="0" y="21" fill="#444">{escape(module.title)}</text>',
                _line(run, reduced, row, height, dash_of(run.patch, module.id), 1.0),
            ],
        )


def hit_row(name: str, strikes: Sequence[tuple[float, float]], left: float) -> Row:
    """Return a track of hits: a stroke at each place along the page, as tall as it is strong."""
    base = _HITS - 2
    parts = [f'<text x="0" y="{base - 2}" font-weight="bold">{escape(name)}</text>']
    parts.append(f'<line x1="{left}" x2="{WIDE - 4}" y1="{base}" y2="{base}" stroke="#ccc" stroke-width="0.4"/>')
    for x, strength in strikes:
        top = base - 10 * max(strength, 0.1)
        parts.append(f'<line x1="{x:.1f}" x2="{x:.1f}" y1="{base}" y2="{top:.1f}" stroke="black" stroke-width="2"/>')
    return Row(_HITS, parts)


def _hits(run: Run) -> Iterator[Row]:
    """Yield the hits of the phrase that a patch is played under."""
    phrase = run.patch.phrase
    if phrase is None:
        return
    beat = run.rate * 60.0 / phrase.tempo_bpm
    for hit in phrase.hits:
        strikes = [(strike.at * beat, strike.strength) for strike in hit.strikes if strike.at * beat < run.length]
        yield hit_row(hit.id, [(_x(run, at), strength) for at, strength in strikes], _LEFT)


def _staves(run: Run, reduced: Reduced, figures: Mapping[str, LaneMeasures], said: Texted) -> Iterator[Row]:
    lanes = run.program.lanes
    for name in [*ALWAYS_SHOWN, *(name for name in VOICE if name in lanes and name not in ALWAYS_SHOWN)]:
        at = VOICE[name]
        if name in lanes:
            row = lanes[name].row
            yield _stave(run, reduced, at, row, said, figures.get(name))
        else:
            value = escape(said(run.patch.base(at), at.unit))
            title = f'<text x="0" y="11" font-weight="bold">{at.title}</text>'
            yield Row(18, [title, f'<text x="{_LEFT + 4}" y="11">stands at {value}</text>'])


def _stave(run: Run, reduced: Reduced, at: Destination, row: int, said: Texted, figures: LaneMeasures | None) -> Row:
    low, high = float(reduced.least[row].min()), float(reduced.greatest[row].max())
    if high - low < 1e-9:
        low, high = (low / 2, high * 2) if at.steps_per_octave and low > 0 else (low - 0.5, high + 0.5)
    log = bool(at.steps_per_octave) and low > 0.0
    ends = np.log2([low, high]) if log else np.array([low, high])

    def height(values: Floats) -> Floats:
        placed = np.log2(np.maximum(values, 1e-9)) if log else values
        return np.asarray(_STAVE - 10 - (_STAVE - 22) * (placed - ends[0]) / (ends[1] - ends[0]))

    marks = [low, float(2.0 ** ends.mean()) if log else float(ends.mean()), high]
    parts = [f'<line x1="0" x2="{WIDE}" y1="1" y2="1" stroke="black" stroke-width="0.5"/>']
    parts.append(f'<text x="0" y="13" font-weight="bold">{at.title}</text>')
    parts.append(f'<text x="0" y="24">set at {escape(said(run.patch.base(at), at.unit))}</text>')
    for place, text in enumerate(_figures(at, figures.measures, said) if figures else ()):
        parts.append(f'<text x="0" y="{35 + 11 * place}">{escape(text)}</text>')
    for value in marks:
        y = float(height(np.array([value]))[0])
        parts.append(f'<line x1="{_LEFT}" x2="{WIDE - 4}" y1="{y:.1f}" y2="{y:.1f}" stroke="#ccc" stroke-width="0.4"/>')
        parts.append(f'<text x="{_LEFT - 4}" y="{y + 3:.1f}" text-anchor="end">{escape(said(value, at.unit))}</text>')
    base = run.patch.base(at)
    if low <= base <= high:
        y = float(height(np.array([base]))[0])
        parts.append(
            f'<line x1="{_LEFT}" x2="{WIDE - 4}" y1="{y:.1f}" y2="{y:.1f}" stroke="black" stroke-width="0.5"'
            ' stroke-dasharray="1 4"/>'
        )
    parts.append(_line(run, reduced, row, height, "", 1.4))
    return Row(_STAVE, parts)


def _figures(at: Destination, of: Measures, said: Texted) -> Iterator[str]:
    """Yield what stands under a stave's title: its peak and when, and where it settles."""
    if of.peak == of.least:
        return
    yield f"peak {said(of.peak, at.unit)} at {time_text(float(f'{of.peak_s:.4g}'))}"
    rests = "moving at note-off" if of.settle is None else f"settles {said(of.settle, at.unit)}"
    yield rests
    if of.periodic is not None:
        yield f"swings at {of.periodic.rate_hz:.3g} Hz"
