"""Work it out for me: targets for a lane, solved for amounts, times and the set value.

Where routes only add, a lane is a straight sum in its modulation unit, and wanted levels are a linear system in the set
value and the amounts: it is solved, and the answer traced. Else, or where that does not hold (a peak that moves to
another moment, a clamp, a wanted time), a bounded least-squares fit (scipy's trust-region reflective) over traces at a
low rate; each residual is a target missed, in its tolerance. What cannot be met together comes out as what is left.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from jorvik.core.document.destinations import Destination
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.run import never
from jorvik.core.engine.trace import trace
from jorvik.core.helpers.changeable import Changeable, Target, What, chosen, with_values
from jorvik.core.limits import COARSE_RATE, MAX_SECONDS
from jorvik.core.measure.lane import measure
from jorvik.core.problems import Problem, shown
from jorvik.core.units.words import in_words

MET: Final = 1.0
"""A target is met within its tolerance: a tenth of a semitone, a five-hundredth of the range, 2 ms."""


_UNRANGED: Final = 5.0
"""What stands for the range of a destination that is wider: a hundredth of its unit is then near enough."""


@dataclass(frozen=True)
class Met:
    """What became of a target."""

    target: Target
    got: float
    met: bool


@dataclass(frozen=True)
class Solved:
    """A patch that comes as near to the targets as it can."""

    patch: Patch
    changes: list[str]
    met: list[Met]


def checked(
    patch: Patch, lane: str, targets: Sequence[Target], names: Sequence[str] | None = None
) -> tuple[Destination, list[Changeable]]:
    """Return what is aimed at and what may be changed for it: what is named, or what is usual.

    Raises Problem when there is nothing to aim at, or nothing to change.
    """
    at = aimed_at(patch, lane)
    if not 1 <= len(targets) <= 16:
        raise Problem("targets", str(len(targets)), "1 to 16 of them")
    for target in targets:
        if not target.what.endswith("_s") and not at.low <= target.value <= at.high:
            raise Problem(f"the target for {target.what}", f"{target.value:g}", f"{at.low:g} to {at.high:g} {at.unit}")
        if target.what.endswith("_s") and not 0.0 <= target.value <= MAX_SECONDS:
            raise Problem(f"the target for {target.what}", f"{target.value:g} s", f"0 to {MAX_SECONDS:g} s")
    return at, chosen(patch, at, targets, names)


def aimed_at(patch: Patch, lane: str) -> Destination:
    """Return the destination that a lane is of. Raises Problem when the patch has no such."""
    at = patch.destination(lane)
    if at is None:
        raise Problem("lane", shown(lane), "a destination of this patch")
    return at


def solve(
    patch: Patch,
    lane: str,
    targets: Sequence[Target],
    names: Sequence[str] | None = None,
    cancelled: Callable[[], bool] = never,
    progress: Callable[[int], None] | None = None,
    voice: int = 0,
) -> Solved:
    """Return the patch that meets targets of a lane best, changed only in what is named (see :mod:`.changeable`).

    With no names, in what is usual; the lane is that of a voice. Raises Problem when there is nothing to aim at, or nothing to change.
    """
    at, free = checked(patch, lane, targets, names)
    trials = _Trials(patch, at, free, cancelled, progress, voice)
    x, got = trials.toward(targets)
    if not _all_met(at, targets, got):
        # Of all that come as near as that, the one with the least change is wanted.
        x, _ = trials.toward([replace(target, value=value) for target, value in zip(targets, got, strict=True)])
    return trials.solved(targets, x)


class _Trials:
    """Tries values of what may change, and tells how many were tried."""

    def __init__(
        self,
        patch: Patch,
        at: Destination,
        free: Sequence[Changeable],
        cancelled: Callable[[], bool],
        progress: Callable[[int], None] | None,
        voice: int,
    ) -> None:
        self.patch, self.at, self.free, self.voice = patch, at, free, voice
        self.cancelled, self.progress = cancelled, progress
        self.lows, self.highs = (np.array(ends) for ends in zip(*(f.ends for f in free), strict=True))
        self.start: Floats = np.clip([f.tried(f.value) for f in free], self.lows, self.highs)
        self.runs = 0

    def figures(self, x: Floats, targets: Sequence[Target]) -> list[float]:
        """Return what the lane has of each target. Raises InterruptedError when it is no longer wanted."""
        self.runs += 1
        if self.cancelled():
            raise InterruptedError
        if self.progress:
            self.progress(self.runs)
        return _figures(with_values(self.patch, self.free, x.tolist()), self.at, targets, self.voice)

    def toward(self, targets: Sequence[Target]) -> tuple[Floats, list[float]]:
        """Return the values that come nearest to targets, and what the lane then has of each."""
        from scipy.optimize import least_squares

        straight = _straight(self.patch, self.at, targets, self.free, self.start, self.voice)
        if straight is not None and np.all((self.lows <= straight) & (straight <= self.highs)):
            got = self.figures(straight, targets)
            if _all_met(self.at, targets, got):
                return straight, got
        way = self.highs - self.lows

        def residuals(along: Floats) -> Floats:
            x = self.lows + (along - 1.0) * way
            missed = [_missed(self.at, w, got) for w, got in zip(targets, self.figures(x, targets), strict=True)]
            # A little is charged for change, so that of many answers the nearest is taken.
            return np.concatenate([missed, 1e-3 * (x - self.start) / way])

        # Each is tried along its way from 1 to 2, so that steps relative to it are steps of the way: wide ones for what
        # is tried in octaves, since times are read off whole samples.
        best = least_squares(
            residuals,
            np.clip(1.0 + (self.start - self.lows) / way, 1.0 + 1e-9, 2.0 - 1e-9),
            bounds=(1.0, 2.0),
            diff_step=np.array([1e-2 if f.log else 1e-3 for f in self.free]),
            max_nfev=40,
        )
        x = self.lows + (best.x - 1.0) * way
        return x, self.figures(x, targets)

    def solved(self, targets: Sequence[Target], x: Floats) -> Solved:
        """Return an answer with figures that can be read, and what it comes to."""
        tidy = [round(float(f"{b:.5g}"), 9) for b in x]
        both = zip(self.free, self.start, tidy, strict=True)
        moved = [(f, a, b) for f, a, b in both if abs(a - b) > 1e-4 * max(1.0, abs(a))]
        patch = with_values(self.patch, [f for f, _, _ in moved], [b for _, _, b in moved])
        got = _figures(patch, self.at, targets, self.voice)
        changes = [f"{f.label} {in_words(f.value, f.unit)} to {in_words(f.value_of(b), f.unit)}" for f, _, b in moved]
        met = [Met(w, g, abs(_missed(self.at, w, g)) <= MET) for w, g in zip(targets, got, strict=True)]
        return Solved(patch, changes, met)


def _straight(
    patch: Patch, at: Destination, targets: Sequence[Target], free: Sequence[Changeable], start: Floats, voice: int
) -> Floats | None:
    """Return the set value and amounts that bring each wanted level about at the moment where that figure is now.

    Of many answers the one with the least change is taken; the set value is kept where nothing is wanted of it. None
    where the lane is no plain sum, or something else may change.
    """
    routes = [route for route in patch.live_routes if route.destination == at.name]
    moved = any(route.destination == f"route:{r.id}.amount" for r in routes for route in patch.live_routes)
    amounts = {f"route:{route.id}.amount": route for route in routes if route.amount != 0.0}
    if moved or any(not route.adds for route in routes) or not {f.name for f in free} <= {at.name, *amounts}:
        return None
    rows, missing = [], []
    n = at.steps_per_octave
    for target in targets:
        of = trace(patch.with_note_at(voice, target.velocity, target.key), COARSE_RATE, voice)
        lane = of.lanes.get(at.name)
        if lane is None or target.what.endswith("_s") or (n and target.value <= 0.0):
            return None
        moment = _moment(target.what, lane.value, of.run.note.on, of.run.note.off)
        given = {name: lane.contributions[route.id][moment] / route.amount for name, route in amounts.items()}
        rows.append([given.get(f.name, n or 1.0) for f in free])
        missing.append(at.distance(float(lane.raw[moment]), target.value))
    system = np.array(rows)
    # The set value is left alone where amounts will do; and what is all but one target twice is not told apart, since
    # amounts without measure would be needed for that.
    alone = np.array([0.0 if f.name == at.name else 1.0 for f in free])
    near = 0.1 * _tolerance(at)
    for apart in (1e-2, 1e-6):
        for ease in (alone, np.where(alone > 0.0, 1.0, 1.0 / (n or 1.0))):
            change = ease * (np.linalg.pinv(system * ease, rcond=apart) @ missing)
            if np.allclose(system @ change, missing, rtol=0.0, atol=near):
                return np.asarray(start + change)
    return None


def _moment(what: What, values: Floats, on: int, off: int) -> int:
    """Return the sample at which a lane has a figure."""
    held = values[on : max(off, on + 1)]
    if what in ("peak", "greatest"):
        return on + int(values[on:].argmax())
    if what == "least":
        return on + int(values[on:].argmin())
    if what == "settle":
        last = held[-max(1, held.size // 5) :]
        return on + held.size - last.size + int(np.abs(last - np.median(last)).argmin())
    return on if what == "start" else on + held.size - 1


def _figures(patch: Patch, at: Destination, targets: Sequence[Target], voice: int) -> list[float]:
    """Return what a lane has of each target, one trace for each velocity and key that is asked for."""
    played = {(target.velocity, target.key) for target in targets}
    had = {note: _had(patch.with_note_at(voice, *note), at, voice) for note in played}
    return [had[target.velocity, target.key][target.what] for target in targets]


def _had(patch: Patch, at: Destination, voice: int) -> dict[What, float]:
    """Return everything that can be aimed at on a lane of a voice, as it is."""
    of = trace(patch, COARSE_RATE, voice)
    note = of.run.note
    values = of.lanes[at.name].value if at.name in of.lanes else np.full(of.run.length, patch.base(at))
    figures = measure(values, note.on, note.off, COARSE_RATE)
    held = values[note.on : max(note.off, note.on + 1)]
    # What does not fall in this note takes longer than there is.
    half, tenth, _ = figures.fall_s or (None, None, None)
    beyond = values.size / COARSE_RATE
    return {
        "start": figures.start,
        "peak": figures.peak,
        "peak_s": figures.peak_s,
        "settle": float(np.median(held[-max(1, held.size // 5) :])),
        "least": figures.least,
        "greatest": figures.peak,
        "at_off": figures.at_off,
        "half_s": beyond if half is None else half,
        "tenth_s": beyond if tenth is None else tenth,
    }


def _all_met(at: Destination, targets: Sequence[Target], got: Sequence[float]) -> bool:
    return all(abs(_missed(at, target, value)) <= MET for target, value in zip(targets, got, strict=True))


def _missed(at: Destination, target: Target, got: float) -> float:
    """Return by how many tolerances a target is missed."""
    if target.what.endswith("_s"):
        return (got - target.value) / 0.002
    if at.steps_per_octave:
        return at.distance(max(target.value, 1e-6), max(got, 1e-6)) / _tolerance(at)
    return (got - target.value) / _tolerance(at)


def _tolerance(at: Destination) -> float:
    """Return how near is near enough, in the modulation unit."""
    return 0.1 if at.steps_per_octave else 0.002 * min(at.high - at.low, _UNRANGED)
