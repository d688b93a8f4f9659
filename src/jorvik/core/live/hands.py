"""Control lanes under a hand: what it plays, and how it writes over what a phrase beside it plays."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Final, Literal

from jorvik.core.document.patch import Patch
from jorvik.core.live.beat import Beat
from jorvik.core.live.voices import Lanes
from jorvik.core.problems import Problem
from jorvik.core.signals import CONTROL_RANGES, lane_kind

Write = Literal["touch", "latch", "trim"]
"""How a hand writes over a lane that plays beside it: while it holds it; from then on until the next turn; or by as
much as it moves it while it holds it."""

_NEEDED: Final = 4
"""Points of a lane that a block reads, and those before them."""


@dataclass
class _Hand:
    """One control lane: where it stands, and what was played of it just now, in samples and values."""

    value: float
    points: list[list[float]] = field(default_factory=list)
    """The last ones."""
    fresh: list[list[float]] = field(default_factory=list)
    """Those of which nobody was told yet."""
    wanted: float = 0.0
    """Where the hand has it."""
    grabbed: float | None = None
    """Where it stood when the hand took it; None where no hand holds it."""
    turn: int | None = None
    """The turn of the phrase beside it in which it was written over."""

    def over(self, base: float, write: Write, turn: int, low: float, high: float) -> float:
        """Return where it goes, that goes to ``base`` where no hand writes over it."""
        if write == "trim":
            by = 0.0 if self.grabbed is None else self.wanted - self.grabbed
            return min(max(base + by, low), high)
        written = self.grabbed is not None or (write == "latch" and self.turn == turn)
        return self.wanted if written else base


class Hands:
    """All control lanes. What comes in goes straight to its value over the next samples, a block of them."""

    def __init__(self, block: int) -> None:
        self.write: Write = "touch"
        self._block = block
        self._hands: dict[str, _Hand] = {}
        self._present: Lanes | None = None

    @property
    def values(self) -> Mapping[str, float]:
        """Where each lane stands."""
        return {name: hand.value for name, hand in self._hands.items()}

    def of(self, patch: Patch) -> dict[str, float]:
        """Return the lanes that a patch has, and where each stands: a macro at first where it is set."""
        there = {name: 0.0 for name in CONTROL_RANGES if lane_kind(name)}
        for module in patch.modules:
            if module.control:
                field, prefix = module.control
                there[prefix + module.id] = getattr(module, field)
        for name, value in there.items():
            self._hands.setdefault(name, _Hand(value))
        self._present = None
        return {name: hand.value for name, hand in self._hands.items() if name in there}

    def begun_as(self, other: "Hands") -> "Hands":
        """Return them as at a beginning, each lane where another has it."""
        begun = Hands(self._block)
        begun.write = other.write
        begun._hands = {
            name: _Hand(hand.value, points=[[0, hand.value]], fresh=[[0, hand.value]])
            for name, hand in {**self._hands, **other._hands}.items()
        }
        return begun

    def control(self, name: str, value: float | None, now: int, beat: Beat | None) -> None:
        """Move a lane, or let it go. Raises Problem for a value out of its range."""
        hand = self._hands[name]
        if value is None:
            hand.grabbed = None
            return
        low, high = _range_of(name)
        if not low <= value <= high:
            raise Problem(name, f"{value:g}", f"{low:g} to {high:g}")
        if hand.grabbed is None:
            hand.grabbed = hand.value
        hand.wanted = value
        if beat is None or beat.lane(name, now) is None:
            self._move(hand, value, now, self._block)
        else:
            hand.turn = beat.turn(now)

    def follow(self, now: int, length: int, beat: Beat, names: Iterable[str]) -> None:
        """Let each lane that a phrase beside it plays go, over a block, where that has it, or a hand that writes."""
        for name in names:
            base, hand = beat.lane(name, now + length), self._hands[name]
            if base is not None:
                to = hand.over(base, self.write, beat.turn(now), *_range_of(name))
                if to != hand.value:
                    self._move(hand, to, now, length)

    def _move(self, hand: _Hand, value: float, now: int, length: int) -> None:
        end = now + length
        if hand.points and hand.points[-1][0] == end:
            # Moved again before the block is made: it goes straight to where it came last.
            hand.points[-1][1] = value
        else:
            # A lane that goes on from where it came to last needs no second point there.
            goes_on = bool(hand.points) and hand.points[-1] == [now, hand.value]
            points = [[end, value]] if goes_on else [[now, hand.value], [end, value]]
            hand.fresh += points
            hand.points = [*hand.points, *points][-_NEEDED:]
        hand.value = value
        self._present = None

    def present(self, rate: int) -> Lanes:
        """Return what is played just now, in seconds: the same object as long as nothing moves."""
        if self._present is None:
            self._present = {
                name: [[at / rate, value] for at, value in hand.points] or [[0.0, hand.value]]
                for name, hand in self._hands.items()
            }
        return self._present

    def fresh(self) -> dict[str, list[list[float]]]:
        """Return what was played since this was asked for last, in samples."""
        found = {name: [list(point) for point in hand.fresh] for name, hand in self._hands.items() if hand.fresh}
        for name in found:
            self._hands[name] = replace(self._hands[name], fresh=[])
        return found


def _range_of(name: str) -> tuple[float, float]:
    """Return the least and the greatest value of a control lane."""
    return CONTROL_RANGES[name.split(":")[0]]
