"""A macro, or a route over a range, that spends more than a third of its travel where it is of no use.

Of no use is what lies outside the useful range that is kept with the patch: below it nothing is heard of the movement,
beyond it nothing more, or the sound is thin or harsh. Travel is told by the destination's law, in octaves of a
frequency. Of a macro that is kept itself the travel is its own, from 0 to 1.
"""

from collections.abc import Iterator

from jorvik.core.document.destinations import Destination
from jorvik.core.document.patch import Patch, Route, edited
from jorvik.core.findings.base import Finding, fix
from jorvik.core.measure.context import Context
from jorvik.core.units.words import in_words, share_text

SHARE = 1 / 3
_LEAST = 1e-9


def find(context: Context) -> Iterator[Finding]:
    """Yield a caution on each route and each macro whose travel lies so far outside what is useful."""
    patch = context.patch
    for route in patch.live_routes:
        at, kept = patch.destination(route.destination), patch.useful_ranges.get(route.destination)
        if at is None or kept is None:
            continue
        travel = _travel(patch, route, at)
        share = 0.0 if travel is None else _outside(at, travel, (kept.low, kept.high))
        if travel is None or share <= SHARE:
            continue
        lows = max(min(travel), kept.low), min(max(travel), kept.high)
        ends = lows if lows[0] < lows[1] else (kept.low, kept.high)
        low, high = ends if travel[0] <= travel[1] else ends[::-1]
        change = {"mode": "range", "low": low, "high": high}
        words = f"{in_words(ends[0], at.unit)} to {in_words(ends[1], at.unit)}"
        yield Finding(
            rule="idle_travel",
            severity="caution",
            sentence=(
                f"{route.source} spends {share_text(share)} of its travel over {at.title.lower()} outside of what is useful: "
                f"{in_words(min(travel), at.unit)} to {in_words(max(travel), at.unit)}."
            ),
            why=f"Of use is {in_words(kept.low, at.unit)} to {in_words(kept.high, at.unit)}; the rest of its way is lost.",
            about=f"route.{route.id}",
            from_s=context.on_s,
            to_s=context.off_s,
            fix=fix(f"{route.source} from {words}", lambda r=route, c=change: edited(patch, routes={r.id: c})),  # type: ignore[misc]
        )
    for module in patch.modules:
        kept = patch.useful_ranges.get(f"macro:{module.id}")
        if kept is None or not module.is_control:
            continue
        share = 1.0 - (min(kept.high, 1.0) - max(kept.low, 0.0))
        if share > SHARE:
            yield Finding(
                rule="idle_travel",
                severity="caution",
                sentence=f"{module.id} is of use over {share_text(1.0 - share)} of its travel only.",
                why=f"It is from {in_words(kept.low, 'ratio')} to {in_words(kept.high, 'ratio')}; narrow what it moves to that.",
                about=f"signal.{module.id}",
                from_s=context.on_s,
                to_s=context.off_s,
            )


def _travel(patch: Patch, route: Route, at: Destination) -> tuple[float, float] | None:
    """Return the values of a destination at both ends of what a route gives; None for what has no ends of its own."""
    if route.mode == "range" and route.low is not None and route.high is not None:
        return route.low, route.high
    source = patch.modules_by_id.get(route.source)
    if route.adds and source is not None and source.is_control and route.polarity != "bipolar":
        base = patch.base(at)
        return base, min(max(at.moved(base, route.amount), at.low), at.high)
    return None


def _outside(at: Destination, travel: tuple[float, float], useful: tuple[float, float]) -> float:
    """Return which share of a travel lies outside of what is useful, by the destination's law."""
    low, high = min(travel), max(travel)
    if at.law != "sum":
        low, high = max(low, _LEAST), max(high, 2 * _LEAST)
    inside = max(low, useful[0]), min(high, useful[1])
    whole = at.distance(low, high)
    return 1.0 if inside[0] >= inside[1] or whole <= 0.0 else 1.0 - at.distance(*inside) / whole
