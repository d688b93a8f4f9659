"""A map of two controls: how bright, how loud, and how unlike the present sound it is at each pair of values."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass

import numpy as np

from jorvik.core.analysis.bands import Spectrum, change_db, spectrum
from jorvik.core.analysis.swept import Swept, one_note, patch_at, swept
from jorvik.core.analysis.useful_range import held_part
from jorvik.core.cores import cores
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.run import Cancelled, never
from jorvik.core.limits import DEFAULT_RATE
from jorvik.core.measure.sound import loudness
from jorvik.core.measure.sweep import MAX_SWEEP_S
from jorvik.core.problems import Problem

STEPS = 12
"""Along each side, unless it is said."""


@dataclass(frozen=True)
class RangeMap:
    """Figures over two controls, each of shape (values of the second, values of the first)."""

    across: Swept
    up: Swept
    across_values: list[float]
    up_values: list[float]
    centroid_hz: Floats
    loudness_lufs: Floats
    change_db: Floats
    """From the patch as it is."""


def range_map(
    patch: Patch,
    across: str,
    up: str,
    steps: int = STEPS,
    *,
    ends: tuple[float | None, float | None] = (None, None),
    up_ends: tuple[float | None, float | None] = (None, None),
    cancelled: Callable[[], bool] = never,
    tell: Callable[[float], None] | None = None,
) -> RangeMap:
    """Return what is heard where two controls stand at each pair of their values; routes on them are off.

    Raises Problem where they are one and the same, or as :func:`jorvik.core.analysis.useful_range.useful_range` does.
    """
    first, second = swept(patch, across), swept(patch, up)
    if first == second:
        raise Problem("the second control", second.title.lower(), "another one than the first")
    xs, ys = first.values(*ends, steps), second.values(*up_ends, steps)
    noted = one_note(patch)
    if steps**2 * noted.performance.notes[0].length_s > MAX_SWEEP_S:
        raise Problem("the map", f"{steps**2} sounds", f"{MAX_SWEEP_S:.0f} s in all: fewer steps, or a shorter note")

    def heard(place: tuple[int, int]) -> tuple[tuple[int, int], Spectrum, float]:
        if cancelled():
            raise Cancelled
        held, _ = held_part(patch_at(patch_at(noted, first, xs[place[1]]), second, ys[place[0]]))
        return place, spectrum(held, DEFAULT_RATE), loudness(held, DEFAULT_RATE)

    centroid, level = np.zeros((steps, steps)), np.zeros((steps, steps))
    bands = np.zeros((steps, steps, 40))
    with ThreadPoolExecutor(cores()) as pool:
        try:
            making = [pool.submit(heard, (row, column)) for row in range(steps) for column in range(steps)]
            for done, made in enumerate(as_completed(making), 1):
                place, found, level[place] = made.result()
                centroid[place], bands[place] = found.centroid_hz, found.bands_db
                if tell is not None:
                    tell(done / steps**2)
        finally:
            pool.shutdown(cancel_futures=True)
    present = spectrum(held_part(noted)[0], DEFAULT_RATE).bands_db
    loudest = max(float(bands.max()), float(present.max()))
    changes = np.array([[change_db(present, each, loudest) for each in row] for row in bands])
    return RangeMap(first, second, xs, ys, centroid, level, changes)
