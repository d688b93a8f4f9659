"""What a hand has played as points: thinned, its turning points against the beat, pulled towards it."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray

from jorvik.core.dsp.kernels import Floats
from jorvik.core.dsp.thinning import fewest
from jorvik.core.limits import MAX_GESTURE_POINTS
from jorvik.core.problems import Problem

Points = Sequence[Sequence[float]]
"""Each a time, in rising order, and a value."""

TRAVEL: Final = 0.05
"""Share of a lane's travel that a rise or a fall has at least, to turn at its end."""

_HALVINGS: Final = 24
"""How often the tolerance is halved in the search for the least one that leaves few enough points."""


@dataclass(frozen=True)
class Thinned:
    """A lane with the fewest of its points, and how far it lies from all of them."""

    points: list[list[float]]
    points_before: int
    points_after: int
    greatest_error: float
    """In the lane's own unit."""
    at: float
    """The time of the point that lies furthest from the lines."""


@dataclass(frozen=True)
class Turn:
    """A point at which a lane turns, and the beat that is nearest."""

    number: int
    """Which of the lane's points it is."""
    at: float
    value: float
    is_top: bool
    beat: float
    """The time of the nearest line of the grid."""
    off: float
    """How much later than that it turns; early is negative."""


def thinned(points: Points, within: float, keep_turns: bool = False) -> Thinned:
    """Return the fewest points, ends included, whose lines stay within a tolerance of all of them.

    Parameters
    ----------
    points
        Pairs of a time and a value, times in rising order.
    within
        The tolerance, in the unit of the values.
    keep_turns
        Keep every turning point (see :func:`turns`) too, so that none moves in time: the fewest points are then
        searched between each two of them.

    Raises
    ------
    Problem
        For too many points, or a tolerance below 0.

    Examples
    --------
    >>> thinned([[0, 0], [1, 0.5], [2, 1], [3, 0]], 0.01).points
    [[0, 0], [2, 1], [3, 0]]
    >>> thinned([[0, 0], [1, 1], [2, 0.99], [3, 0]], 0.5).points
    [[0, 0], [2, 0.99], [3, 0]]
    >>> thinned([[0, 0], [1, 1], [2, 0.99], [3, 0]], 0.5, keep_turns=True).points
    [[0, 0], [1, 1], [3, 0]]
    """
    if not within >= 0.0:
        raise Problem("the tolerance", f"{within:g}", "0 or more")
    times, values = _columns(points)
    fixed = [turn.number for turn in turns(points, 1.0)] if keep_turns else []
    sections = pairwise([0, *fixed, len(points) - 1])
    kept = [start + fewest(times[start : end + 1], values[start : end + 1], float(within)) for start, end in sections]
    return _kept(points, np.unique(np.concatenate(kept)))


def thinned_to(points: Points, most: int) -> Thinned:
    """Return a lane with so many points at most: within the least tolerance that leaves no more.

    Raises Problem for too many points to begin with.

    >>> thinned_to([[0, 0], [1, 0.1], [2, 1], [3, 0]], 3).greatest_error
    0.4
    """
    times, values = _columns(points)
    low, high = 0.0, float(np.ptp(values))
    best = fewest(times, values, low)
    if best.size > most:
        best = fewest(times, values, high)
        for _ in range(_HALVINGS):
            middle = 0.5 * (low + high)
            found = fewest(times, values, middle)
            if found.size <= most:
                best, high = found, middle
            else:
                low = middle
    return _kept(points, best)


def turns(points: Points, grid: float) -> list[Turn]:
    """Return where a lane turns, each with its distance from the nearest multiple of ``grid``.

    A rise or a fall counts where it is at least a twentieth of the lane's travel. Of a top that is held, the moment
    when it is reached counts.

    >>> [(turn.at, turn.off) for turn in turns([[0, 0], [0.9, 1], [2.2, 0], [3, 0.5]], 1.0)]
    [(0.9, -0.09999999999999998), (2.2, 0.20000000000000018)]
    """
    if not grid > 0.0:
        raise Problem("the grid", f"{grid:g}", "longer than nothing")
    times, values = _columns(points)
    least = TRAVEL * float(np.ptp(values))
    if least == 0.0:
        return []
    found: list[Turn] = []
    # The lowest and the highest point since the last turn: whichever is left behind by enough was the turn.
    low = high = 0
    rising: bool | None = None
    for i in range(1, len(values)):
        if values[i] > values[high]:
            high = i
        if values[i] < values[low]:
            low = i
        if rising is not False and values[high] - values[i] >= least:
            if rising or high > 0:
                found.append(_turn(high, times, values, True, grid))
            rising, low, high = False, i, i
        elif rising is not True and values[i] - values[low] >= least:
            if rising is False or low > 0:
                found.append(_turn(low, times, values, False, grid))
            rising, low, high = True, i, i
    return found


def pulled(points: Points, grid: float, share: float, end: float) -> list[list[float]]:
    """Return a lane whose turning points lie nearer to the grid by a share, all between them stretched with them.

    The beginning and ``end`` stay where they are.

    >>> pulled([[0, 0], [0.9, 1], [2, 0]], 1.0, 0.5, 2.0)
    [[0.0, 0.0], [0.95, 1.0], [2.0, 0.0]]
    """
    if not 0.0 <= share <= 1.0:
        raise Problem("the share", f"{share:g}", "0 to 1")
    times, values = _columns(points)
    found = turns(points, grid)
    kept, moved = [0.0], [0.0]
    for turn in found:
        to = turn.at - share * turn.off
        # Two that would pass each other keep their order.
        if turn.at > kept[-1] and to > moved[-1]:
            kept.append(turn.at)
            moved.append(to)
    if end > kept[-1] and end > moved[-1]:
        kept.append(end)
        moved.append(end)
    stretched = np.interp(times, kept, moved)
    stretched[times > kept[-1]] = np.maximum(times[times > kept[-1]], moved[-1])
    return [[float(time), float(value)] for time, value in zip(stretched, values, strict=True)]


def smoothed(points: Points, width: float) -> list[list[float]]:
    """Return a lane of which each moment is the mean over a stretch of ``width`` around it; its ends stay.

    The mean of straight lines is made of parabolas: they are exact where one begins, and once between. Near an end
    the stretch is as narrow as that allows.

    >>> smoothed([[0, 0], [1, 1], [2, 0]], 1.0)[4]
    [1.0, 0.75]
    """
    if not width >= 0.0:
        raise Problem("the width", f"{width:g}", "0 or more")
    times, values = _columns(points)
    if width == 0.0 or times[0] == times[-1]:
        return [list(point) for point in points]
    half = 0.5 * width
    knots = np.concatenate([times, times - half, times + half])
    knots = np.unique(np.clip(knots, times[0], times[-1]))
    at = np.union1d(knots, 0.5 * (knots[1:] + knots[:-1]))
    reach = np.minimum(half, np.minimum(at - times[0], times[-1] - at))
    inside = reach > 0.0
    means = np.interp(at, times, values)
    means[0], means[-1] = values[0], values[-1]
    means[inside] = (
        _integral(times, values, (at + reach)[inside]) - _integral(times, values, (at - reach)[inside])
    ) / (2.0 * reach[inside])
    return [[float(time), float(value)] for time, value in zip(at, means, strict=True)]


def scaled(points: Points, by: float, shift: float, low: float, high: float) -> list[list[float]]:
    """Return a lane whose values are multiplied and shifted, and held within a range.

    >>> scaled([[0, 0.2], [1, 0.8]], 0.5, 0.4, 0.0, 1.0)
    [[0, 0.5], [1, 0.8]]
    """
    return [[at, min(max(value * by + shift, low), high)] for at, value in points]


def _integral(times: Floats, values: Floats, until: Floats) -> Floats:
    """Return the integral of the lines through points, from the first of them until each of some times."""
    sums = np.concatenate([[0.0], np.cumsum(0.5 * (values[1:] + values[:-1]) * np.diff(times))])
    place = np.clip(np.searchsorted(times, until, side="right") - 1, 0, times.size - 2)
    within = until - times[place]
    here = np.interp(until, times, values)
    # At a jump two points share a time: the line begins from the later one.
    return np.asarray(sums[place] + 0.5 * (values[place] + here) * within)


def _turn(number: int, times: Floats, values: Floats, is_top: bool, grid: float) -> Turn:
    at = float(times[number])
    beat = round(at / grid) * grid
    return Turn(number, at, float(values[number]), is_top, beat, at - beat)


def _columns(points: Points) -> tuple[Floats, Floats]:
    if not 1 <= len(points) <= MAX_GESTURE_POINTS:
        raise Problem("the lane", f"{len(points)} points", f"1 to {MAX_GESTURE_POINTS}")
    table = np.array(points, dtype=np.float64)
    if not np.isfinite(table).all() or (np.diff(table[:, 0]) < 0.0).any():
        raise Problem("the lane", "points that go back in time, or are no numbers", "times that rise")
    return np.ascontiguousarray(table[:, 0]), np.ascontiguousarray(table[:, 1])


def _kept(points: Points, places: NDArray[np.int64]) -> Thinned:
    table = np.array(points, dtype=np.float64)
    lines = np.interp(table[:, 0], table[places, 0], table[places, 1])
    off = np.abs(table[:, 1] - lines)
    # At a jump, where several points stand at one time, a line passes through all that lies between its ends.
    for first, last in pairwise(places):
        if table[first, 0] == table[last, 0]:
            low, high = sorted((table[first, 1], table[last, 1]))
            inside = table[first : last + 1, 1]
            off[first : last + 1] = np.maximum(np.maximum(low - inside, inside - high), 0.0)
    off[places] = 0.0
    furthest = int(off.argmax())
    return Thinned(
        points=[list(points[i]) for i in places],
        points_before=len(points),
        points_after=len(places),
        greatest_error=float(off[furthest]),
        at=float(table[furthest, 0]),
    )
