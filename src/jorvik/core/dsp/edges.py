"""Edges of a signal."""

from jorvik.core.dsp.kernels import Floats, inline_kernel

HALF = 0.5
"""What a reset rises through."""


@inline_kernel
def rises(s: Floats, at: int, now: float) -> bool:
    """Tell whether a signal rises through one half, and keep it in ``s[at]`` for the next sample."""
    before = s[at]
    s[at] = now
    return before <= HALF < now
