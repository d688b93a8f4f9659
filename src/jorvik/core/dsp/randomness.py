"""Random numbers from a place instead of a history, so that any stretch can be made alone."""

import hashlib

import numpy as np

from jorvik.core.dsp.kernels import inline_kernel, kernel

_A = np.uint64(0x9E3779B97F4A7C15)
_B = np.uint64(0xD1B54A32D192ED03)
_M1 = np.uint64(0xBF58476D1CE4E5B9)
_M2 = np.uint64(0x94D049BB133111EB)
_S30, _S27, _S31, _S11 = np.uint64(30), np.uint64(27), np.uint64(31), np.uint64(11)


def stream(seed: int, name: str) -> float:
    """Return the number of the random stream that ``seed`` and ``name`` stand for.

    A whole number under 2**52, so that a float64 holds it exactly.
    """
    digest = hashlib.blake2b(f"{seed}\0{name}".encode(), digest_size=8).digest()
    return float(int.from_bytes(digest, "big") >> 12)


@inline_kernel
def uniform(of_stream: float, row: int, index: int) -> float:
    """Return number ``index`` of ``row`` of a stream, uniform in -1..1.

    The finaliser is splitmix64 (Steele, Lea and Flood, "Fast splittable pseudorandom number generators", 2014),
    run over a sum of the three places with odd multipliers.
    """
    h = np.uint64(of_stream) * _M2 + np.uint64(row) * _B + np.uint64(index) * _A
    h = (h ^ (h >> _S30)) * _M1
    h = (h ^ (h >> _S27)) * _M2
    h = h ^ (h >> _S31)
    h = (h + _A) * _M1
    h = h ^ (h >> _S30)
    return np.float64(h >> _S11) * (2.0 / 9007199254740992.0) - 1.0


@kernel
def note_random(of_stream: float, note: int) -> float:
    """Return the one random number of a note, uniform in -1..1."""
    return uniform(of_stream, 0, note)
