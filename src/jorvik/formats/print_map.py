"""What leads where, as a drawing that prints: signals at the left, what they move at the right, lines between."""

from html import escape
from typing import Final

from jorvik.core.document.patch import Patch
from jorvik.formats.print_staves import WIDE, Drawing, dash_of

_STEP: Final = 15
_LEFT: Final = 150
_RIGHT: Final = WIDE - 190


def drawn_map(patch: Patch) -> Drawing | None:
    """Return the map of a patch; None where nothing moves anything."""
    read = [
        (value, module.id) for module in patch.modules for _, value in module.input_signals() if isinstance(value, str)
    ]
    sources = list(dict.fromkeys([*(route.source for route in patch.live_routes), *(value for value, _ in read)]))
    ends = list(dict.fromkeys([*(route.destination for route in patch.live_routes), *(name for _, name in read)]))
    if not sources:
        return None
    tall = _STEP * max(len(sources), len(ends)) + 8
    at = {name: _place(place, len(sources), tall) for place, name in enumerate(sources)}
    to = {name: _place(place, len(ends), tall) for place, name in enumerate(ends)}
    lines = [
        _line(at[route.source], to[route.destination], dash_of(patch, route.source)) for route in patch.live_routes
    ]
    lines += [_line(at[value], to[name], dash_of(patch, value)) for value, name in read]
    names = [f'<text x="{_LEFT - 6}" y="{y + 3:.1f}" text-anchor="end">{escape(n)}</text>' for n, y in at.items()]
    names += [f'<text x="{_RIGHT + 6}" y="{y + 3:.1f}">{escape(_title(patch, n))}</text>' for n, y in to.items()]
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDE} {tall}" width="{WIDE}" height="{tall}"'
        f' font-family="sans-serif" font-size="9" fill="black">{"".join([*lines, *names])}</svg>'
    )
    return Drawing(svg, tall)


def _place(place: int, count: int, tall: float) -> float:
    """Return how far down one of so many stands, spread over the whole height."""
    return 4 + (place + 0.5) * (tall - 8) / count


def _line(begin: float, end: float, dash: str) -> str:
    style = f' stroke-dasharray="{dash}"' if dash else ""
    bend = (_LEFT + _RIGHT) / 2
    path = f"M{_LEFT} {begin:.1f} C{bend} {begin:.1f} {bend} {end:.1f} {_RIGHT} {end:.1f}"
    return f'<path d="{path}" fill="none" stroke="black" stroke-width="0.8"{style}/>'


def _title(patch: Patch, name: str) -> str:
    at = patch.destination(name)
    return at.title if at else name
