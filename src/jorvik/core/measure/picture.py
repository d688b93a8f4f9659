"""A note small enough to stand in a list: the four staves that every sheet has, at a few columns."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from jorvik.core.document.destinations import VOICE, Destination
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.reduce import reduce_run
from jorvik.core.engine.run import Run, never
from jorvik.core.limits import DRAFT_RATE

STAVES: Final = ("pitch", "cutoff", "wavetable_position", "amplitude")
COLUMNS: Final = 40
TALL: Final = 100
"""Of a stave, from its least to its greatest."""

_LEAST_WAY: Final = {"pitch": 1.0, "cutoff": 12.0, "wavetable_position": 0.25, "amplitude": 0.25}
"""How far a lane must go, in its modulation unit, to fill its stave: what moves less is shown moving less."""


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
    run = Run(patch, DRAFT_RATE)
    lanes = run.program.lanes
    moved = [name for name in STAVES if name in lanes]
    reduced = reduce_run(run, COLUMNS, cancelled) if moved else None
    staves = {}
    for name in STAVES:
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
    missing = max(0.0, _LEAST_WAY[at.name] - (high - low)) / 2.0
    low, high = low - missing, high + missing
    return [round(TALL * float(value)) for value in (found - low) / max(high - low, 1e-9)]
