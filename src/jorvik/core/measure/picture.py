"""A note small enough to stand in a list: the four staves that every sheet has, at a few columns."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from jorvik.core.document.destinations import ALWAYS_SHOWN, VOICE, Destination
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.reduce import reduce_run
from jorvik.core.engine.run import Run, never
from jorvik.core.limits import COARSE_RATE

COLUMNS: Final = 40
TALL: Final = 100
"""Of a stave, from its least to its greatest."""

_LEAST_OCTAVES, _LEAST_ST, _LEAST_SHARE = 1.0, 1.0, 0.25
"""How far a lane must go to fill its stave: what moves less is shown moving less."""


@dataclass(frozen=True)
class Picture:
    """The staves of one note; each of its lanes 0 to TALL high, the least of a column and then its greatest."""

    off: float
    """When the key is let go, as a share of the time."""
    staves: dict[str, list[int]]
    moved: list[str]
    """Which of them something moves."""


def picture(patch: Patch, cancelled: Callable[[], bool] = never) -> Picture:
    """Return the picture of a patch's first note. Raises Cancelled.

    >>> from jorvik.core.document.patch import check_patch
    >>> picture(check_patch({"format": "jorvik-patch", "version": 1})).moved
    []
    """
    run = Run(patch, COARSE_RATE)
    lanes = run.program.lanes
    moved = [name for name in ALWAYS_SHOWN if name in lanes]
    reduced = reduce_run(run, COLUMNS, cancelled) if moved else None
    staves = {}
    for name in ALWAYS_SHOWN:
        at = VOICE[name]
        if reduced is None or name not in lanes:
            staves[name] = [_height(at, patch.base(at))] * 2
            continue
        row = lanes[name].row
        ends = np.stack([reduced.least[row], reduced.greatest[row]], axis=1).ravel()
        staves[name] = _heights(at, ends)
    return Picture(off=round(run.note.off / run.length, 3), staves=staves, moved=moved)


def _place(at: Destination, values: Floats) -> Floats:
    """Return values in the unit of what moves them."""
    octave = at.steps_per_octave
    return octave * np.log2(np.maximum(values, 1e-9)) if octave else values


def _height(at: Destination, value: float) -> int:
    low, high, here = _place(at, np.array([at.low, at.high, value]))
    return round(TALL * float((here - low) / (high - low)))


def _heights(at: Destination, values: Floats) -> list[int]:
    """Return how high a lane stands: over its own way, or in the middle of the least way where it goes less far."""
    found = _place(at, values)
    low, high = float(found.min()), float(found.max())
    missing = max(0.0, _least_way(at) - (high - low)) / 2.0
    low, high = low - missing, high + missing
    return [round(TALL * float(value)) for value in (found - low) / max(high - low, 1e-9)]


def _least_way(at: Destination) -> float:
    if at.steps_per_octave:
        return _LEAST_OCTAVES * at.steps_per_octave
    return _LEAST_ST if at.unit == "st" else _LEAST_SHARE
