"""A sweep of 48 steps of Ferry Horn, and when its first curve is there; a recorded note, read and matched."""

import time

import numpy as np

from benchmarks.timing import median
from benchmarks.workloads import demo
from jorvik.core.analysis.matching import matched
from jorvik.core.analysis.recording import recorded
from jorvik.core.analysis.swept import one_note, patch_at, swept
from jorvik.core.analysis.useful_range import UsefulRange, held_part, useful_range
from jorvik.core.compiling import compile_analysis
from jorvik.core.document.patch import check_patch
from jorvik.core.voice.render import render

CURVE_STEPS = 5
"""As many steps make a first curve: both ends and three between."""


def analysis() -> None:
    """Print the figures of sweeps and of matching, against the sounds that they are made of, one after the other."""
    compile_analysis()
    horn = check_patch(demo("ferry-horn"))
    of, noted = swept(horn, "cutoff"), one_note(horn)
    values = of.values(None, None, 48)
    alone = median(lambda: [held_part(patch_at(noted, of, value)) for value in values], 3)
    began, first = 0.0, 0.0

    def told(so_far: UsefulRange, _: float) -> None:
        nonlocal first
        if first == 0.0 and len(so_far.steps) >= CURVE_STEPS:
            first = time.perf_counter() - began

    began = time.perf_counter()
    useful_range(horn, "cutoff", tell=told)
    whole = time.perf_counter() - began
    print(
        f"Ferry Horn, a sweep of 48 steps: {whole:.1f} s (aim: 10 s on two cores), ratio {whole / alone:.2f} to their "
        f"sounds one after the other; the first curve after {first:.1f} s (aim: 1 s)"
    )
    sound = np.concatenate([np.zeros((4_800, 2)), render(horn).samples])
    read = median(lambda: recorded(sound, 48_000), 3)
    found = recorded(sound, 48_000)
    near = median(lambda: matched(found), 3)
    print(f"its sound read as a recording: {read:.1f} s; a new patch brought near: {near:.1f} s (aim: under a minute)")
