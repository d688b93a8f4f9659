"""Each stroke of a hit: the farthest a lane goes, when, and what is left of it."""

from collections.abc import Iterator

from jorvik.core.document.destinations import VOICE
from jorvik.core.figures.base import Figure
from jorvik.core.measure.beat import LEVEL, AtStrike, against_beat, followed_tracks
from jorvik.core.measure.context import Context
from jorvik.core.units.words import in_words, share_text, time_text

MOST = 16
"""Strokes that are told one by one."""
STAYS = 0.995
"""A lane that keeps this share of its way until the next stroke does not fall."""
HELP = "From this stroke to the next: the farthest it goes, how long after the stroke, and what is left of that then."
LEVEL_HELP = "The sound's level near this stroke, the hits left out: how far it dips, and when it is there again."


def find(context: Context) -> Iterator[Figure]:
    """Yield a figure for each stroke on each moving lane and on the sound's level.

    A track that nothing of the patch listens to is told on levels only, which may have dips drawn under it.
    """
    if context.patch.phrase is None:
        return
    beat, followed = against_beat(context), followed_tracks(context)
    for track, lanes in beat.hits.items():
        for name, strikes in lanes.items():
            is_level = name == LEVEL or (name in VOICE and VOICE[name].part == "level")
            if track not in followed and not is_level:
                continue
            if all(strike.peak is None and strike.dip_db is None and name != LEVEL for strike in strikes):
                continue
            for strike in strikes[:MOST]:
                yield _figure(context, track, name, strike)
        low = beat.low_db.get(track)
        if low is not None and track in followed:
            help_ = "The sound's level under 150 Hz in the first 80 ms after strokes, against the rest of it."
            yield Figure("", f"low end under {track}", low, "dB", help_, f"The sound against {track}")


def _figure(context: Context, track: str, name: str, strike: AtStrike) -> Figure:
    at = f"at {time_text(strike.at_s)}, {share_text(strike.strength)}"
    dip = ""
    if strike.dip_db is not None:
        away = strike.dip_offset_s or 0.0
        when = f"{time_text(abs(away))} {'late' if away > 0 else 'early'}" if abs(away) >= 5e-4 else "on it"
        dip = f"dips {strike.dip_db:.3g} dB, {when}"
    if name == LEVEL:
        gap = f"there after {time_text(strike.gap_s)}" if strike.gap_s is not None else "silent"
        words = f"{dip}; {gap}" if dip else gap
        return Figure("", at, strike.gap_s or 0.0, "s", LEVEL_HELP, f"The sound against {track}", words=words)
    lane = context.trace.lanes[name].lane.destination
    if strike.peak is None:
        moved = f"stays at {in_words(strike.value, lane.unit)}"
    else:
        left = strike.left_at_next or 0.0
        closed = "closed by the next" if strike.found_closed else f"{share_text(left)} left at the next"
        if left >= STAYS:
            closed = "and stays there"
        moved = f"{in_words(strike.peak, lane.unit)} after {time_text(strike.peak_after_s or 0.0)}, {closed}"
    words = f"{moved}; {dip}" if dip and name in VOICE else moved
    return Figure(name, at, strike.value, lane.unit, HELP, f"Against {track}", words=words)
