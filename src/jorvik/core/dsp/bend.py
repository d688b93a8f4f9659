"""The bend: one law of curvature for stages, drawn curves and routes."""

import math

from jorvik.core.dsp.kernels import inline_kernel, unlikely

_SMALL = 1e-3


@inline_kernel
def bend(x: float, k: float) -> float:
    """Return B(x, k) = (1 - e^(-kx)) / (1 - e^(-k)), the bend from 0 to 1 over x in 0..1.

    ``k`` > 0 is quick at first, ``k`` < 0 is slow at first, and B(x, 0) = x. Past x = 1 it goes on straight with the
    slope that it has there, k e^(-k) / (1 - e^(-k)), so that no input makes it overflow. Near k = 0 both differences
    lose their digits, and ``expm1``, which is slower, keeps them.

    >>> bend(0.5, 0.0)
    0.5
    >>> round(bend(0.5, 2.0), 6)
    0.731059
    >>> bend(3.0, 0.0)
    3.0
    """
    return bend_part(x, k, bend_whole(k))


@inline_kernel
def bend_whole(k: float) -> float:
    """Return what :func:`bend_part` divides by: the same for every x."""
    return 1.0 - math.exp(-k) if abs(k) > _SMALL else -math.expm1(-k)


@inline_kernel
def bend_part(x: float, k: float, whole: float) -> float:
    """Return :func:`bend`, where :func:`bend_whole` of k is known already."""
    if k == 0.0:
        return x
    if unlikely(x > 1.0):
        return 1.0 + (x - 1.0) * k / math.expm1(k)
    if abs(k) > _SMALL:
        return (1.0 - math.exp(-k * x)) / whole
    return -math.expm1(-k * x) / whole


@inline_kernel
def bend_signed(x: float, k: float) -> float:
    """Return the bend of the size of ``x``, with the sign of ``x``."""
    if k == 0.0:
        return x
    return math.copysign(bend(abs(x), k), x)
