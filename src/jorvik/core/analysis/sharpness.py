"""Sharpness in acum (DIN 45692), of the loudness of ISO 532-1, both by ``mosqito``.

The library takes seconds to import and a third of a processor to ask, so it is asked in a process of its own: that one
starts while the first sounds are made, and does not hold up those who make more.
"""

import os
import signal
import subprocess
import sys
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from typing import TYPE_CHECKING, Final, Self

import numpy as np

if TYPE_CHECKING:
    # Not where it is asked: what compiles takes a second to import.
    from jorvik.core.analysis.bands import Spectrum
    from jorvik.core.dsp.kernels import Floats

SHARP_ACUM: Final = 2.0
"""From here on a sound is called harsh."""

_COUNT: Final = np.dtype("<i4")
_NUMBER: Final = np.dtype("<f8")


def sharpness(hz: "Floats", power: "Floats") -> float:
    """Return the sharpness of a spectrum in acum, where full scale is a pascal; 0 of silence.

    How loud it is played changes it by little: 6 dB by about 2 %.
    """
    if power.sum() < 1e-12:
        return 0.0
    import warnings

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from mosqito.sq_metrics import sharpness_din_freq

        found = float(sharpness_din_freq(np.sqrt(power), hz, weighting="din"))
    return found if np.isfinite(found) else 0.0


class SharpnessProcess:
    """A process that is asked for the sharpness of one spectrum after another.

    >>> with SharpnessProcess() as asked:  # doctest: +SKIP
    ...     asked.ask(spectrum(samples, 48_000)).result()
    1.04
    """

    def __enter__(self) -> Self:
        """Start it: it imports what it needs while others do their work."""
        command = [sys.executable, "-m", "jorvik.core.analysis.sharpness"]
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        self._asking = ThreadPoolExecutor(1)
        return self

    def ask(self, of: "Spectrum") -> "Future[float]":
        """Return what will be the sharpness of a spectrum. It raises RuntimeError where the process is gone."""
        return self._asking.submit(self._ask, np.stack([of.hz, of.power]).astype(_NUMBER))

    def _ask(self, sent: "Floats") -> float:
        reads, writes = self._process.stdin, self._process.stdout
        assert reads is not None and writes is not None
        try:
            reads.write(np.array(sent.shape[1], dtype=_COUNT).tobytes() + sent.tobytes())
            reads.flush()
            answer = writes.read(_NUMBER.itemsize)
        except (OSError, ValueError):
            answer = b""
        if len(answer) < _NUMBER.itemsize:
            raise RuntimeError("sharpness: the process that finds it has ended")
        return float(np.frombuffer(answer, _NUMBER)[0])

    def __exit__(self, *error: object) -> None:
        """End it, at whatever it is."""
        self._process.kill()
        self._asking.shutdown(cancel_futures=True)
        self._process.communicate()


def _serve() -> None:
    """Answer until nobody asks."""
    reads, writes = sys.stdin.buffer, sys.stdout.buffer
    # What the library prints would lie among the answers.
    sys.stdout = sys.stderr
    # Ctrl-C is for whoever asks, and ends us by closing the pipe.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    sharpness(np.linspace(0.0, 24_000.0, 481), np.full(481, 1e-4))
    with suppress(BrokenPipeError):
        while len(count := reads.read(_COUNT.itemsize)) == _COUNT.itemsize:
            size = int(np.frombuffer(count, _COUNT)[0])
            hz, power = np.frombuffer(reads.read(2 * size * _NUMBER.itemsize), _NUMBER).reshape(2, size)
            writes.write(np.array(sharpness(hz, power), dtype=_NUMBER).tobytes())
            writes.flush()
    # What could not be handed over is not tried again as the process ends.
    os.dup2(os.open(os.devnull, os.O_WRONLY), writes.fileno())


if __name__ == "__main__":
    _serve()
