"""Arrays in answers: base64 in JSON, or bytes in a binary message.

A binary message is the length of its header (4 bytes, little-endian), the header (JSON in UTF-8: ``chunks``, the length
of each chunk in bytes, and ``message``), and the chunks. Header and chunks are filled with zeros up to a multiple of 8,
so that arrays can be read where they lie. ``ui/src/api/wire.ts`` reads it.
"""

import base64
import json
import struct
from typing import Any, Final, Protocol

import numpy as np
from numpy.typing import NDArray

from jorvik.core.dsp.kernels import Floats
from jorvik.web.forms.common import Packed

_MOST: Final = float(np.finfo(np.float32).max)
_ALIGNED: Final = 8


class Packer(Protocol):
    """Packs the arrays of one answer."""

    def floats(self, values: Floats) -> Packed:
        """Pack finite numbers as float32; numbers beyond its range become its ends."""

    def doubles(self, values: NDArray[Any]) -> Packed:
        """Pack numbers as float64."""


class Base64:
    """Packs arrays as text."""

    def floats(self, values: Floats) -> str:
        """Pack finite numbers as base64 of little-endian float32."""
        return packed(values)

    def doubles(self, values: NDArray[Any]) -> str:
        """Pack numbers as base64 of little-endian float64."""
        return base64.b64encode(values.astype("<f8").tobytes()).decode()


class Chunks:
    """Packs arrays as chunks of a binary message, the same bytes once."""

    def __init__(self) -> None:
        self._numbers: dict[bytes, int] = {}

    def floats(self, values: Floats) -> int:
        """Pack finite numbers as little-endian float32; return the number of the chunk."""
        return self.add(_float32(values))

    def doubles(self, values: NDArray[Any]) -> int:
        """Pack numbers as little-endian float64; return the number of the chunk."""
        return self.add(values.astype("<f8").tobytes())

    def add(self, data: bytes) -> int:
        """Add bytes and return the number of their chunk."""
        return self._numbers.setdefault(data, len(self._numbers))

    def frame(self, message: str) -> bytes:
        """Return the binary message of a message in JSON and the chunks that it names."""
        lengths = json.dumps([len(data) for data in self._numbers])
        header = f'{{"chunks":{lengths},"message":{message}}}'.encode()
        header += b" " * (-(4 + len(header)) % _ALIGNED)
        parts = [struct.pack("<I", len(header)), header]
        for data in self._numbers:
            parts += [data, bytes(-len(data) % _ALIGNED)]
        return b"".join(parts)


def packed(values: Floats) -> str:
    """Return finite numbers as base64 of little-endian float32, clipped."""
    return base64.b64encode(_float32(values)).decode()


def _float32(values: Floats) -> bytes:
    return np.clip(values, -_MOST, _MOST).astype("<f4").tobytes()
