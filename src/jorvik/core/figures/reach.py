"""How far chance can take a lane: its least and greatest reachable value, and how much of it falls silent.

The ends follow from the ranges of the sources, worked through what processes them; what has no such range (a filter,
drawn points) is taken from many draws. The share of silence, and of what lies outside of the range that is kept as
useful, is exact where one even source moves a lane alone, else it is counted over many draws.
"""

from collections.abc import Iterator

from jorvik.core.document.destinations import VOICE
from jorvik.core.figures.base import Figure
from jorvik.core.measure.chance import random_routes, reach_of_lane, share_under
from jorvik.core.measure.context import Context
from jorvik.core.measure.patch import musical_distance, musical_unit
from jorvik.core.units.noticed import SILENT
from jorvik.core.units.words import counted, in_words, share_text


def find(context: Context) -> Iterator[Figure]:
    """Yield the reach of each lane that a random source adds to."""
    for name in dict.fromkeys(route.destination for route in random_routes(context.patch)):
        lane = context.lane(name)
        if lane is None:
            continue
        at = lane.lane.destination
        least, greatest = reach_of_lane(context, name)
        help_ = "What the ranges of the sources allow, whatever is drawn, after the clamp."
        low, high = min(max(least, at.low), at.high), min(max(greatest, at.low), at.high)
        yield Figure(name, "least", low, at.unit, help_, "Reachable")
        yield Figure(name, "greatest", high, at.unit, help_, "Reachable")
        distance, unit = musical_distance(at, low, high), musical_unit(at)
        octaves = f", {distance / 12.0:.3g} octaves" if at.steps_per_octave else ""
        notes = f", {counted(round(distance / 100.0) + 1, 'note')}" if at.reads_as == "note" else ""
        words = f"{in_words(distance, unit)}{octaves}{notes}"
        yield Figure(name, "from end to end", distance, unit, "Greatest over least.", "Reachable", words=words)
        yield from _outside(context, name)
        if name in VOICE and VOICE[name].bare_at_0:
            share, how = share_under(context, name, SILENT)
            help_ = f"Share of its values at or under {SILENT:g}: {how}."
            yield Figure(name, "falls silent", share, "ratio", help_, "Reachable")
            missing = max(0.0, SILENT - least)
            if missing == 0.0:
                continue
            yield Figure(
                name,
                "offset that removes it",
                missing,
                "ratio",
                f"More on the set value, so that the least reachable one is {share_text(SILENT)}.",
                "Reachable",
            )


def _outside(context: Context, name: str) -> Iterator[Figure]:
    """Yield how many notes chance takes out of the range that is kept as useful: those are dull, silent or harsh."""
    kept = context.patch.useful_ranges.get(name)
    if kept is None:
        return
    under, how = share_under(context, name, kept.low)
    over = 1.0 - share_under(context, name, kept.high)[0]
    unit = context.trace.lanes[name].lane.destination.unit
    yield Figure(
        name,
        "outside of what is useful",
        under + over,
        "ratio",
        f"Useful is {in_words(kept.low, unit)} to {in_words(kept.high, unit)}, as it is kept with the patch: {how}.",
        "Reachable",
        words=f"{share_text(under + over)}: {share_text(under)} under it, {share_text(over)} over it",
    )
