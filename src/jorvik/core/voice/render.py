"""From lanes to sound: tones, fold, drive, filters, amplifier, for every voice, then the sends and the limiter."""

import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Final

import numpy as np

from jorvik.core.cores import cores
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.ahead import ahead
from jorvik.core.engine.notes import run_length, windows
from jorvik.core.engine.run import Run, never
from jorvik.core.engine.shared_rows import SharedRows, shared_by_voices
from jorvik.core.limits import DEFAULT_RATE, GATE_RAMP_S
from jorvik.core.voice.effects import SENDS, effects
from jorvik.core.voice.hits import hits_sound
from jorvik.core.voice.limiter import limit
from jorvik.core.voice.output import dc_filter
from jorvik.core.voice.sounding import VoiceSound
from jorvik.core.voice.tones import ROWS

_BLOCK: Final = 4096
"""Samples at a time: few enough that all lanes of a block stay near the processor, enough for three threads in turn."""


@dataclass(frozen=True)
class Sound:
    """A rendered performance."""

    samples: Floats
    """Shape (frames, 2), within -1..1."""
    rate: int
    limited_db: float
    """The most that the limiter took, in dB."""


def render(
    patch: Patch,
    rate: int = DEFAULT_RATE,
    cancelled: Callable[[], bool] = never,
    blocked: bool = True,
    progress: Callable[[float], None] | None = None,
    with_hits: bool = False,
    wet: bool = True,
    only: int | None = None,
) -> Sound:
    """Return the sound of a whole performance, every voice in it, free of DC, after the limiter.

    Voices are independent and run on as many cores as there are, no more of them in memory at a time than that.
    ``blocked`` off leaves the DC in, for who looks for what causes it. ``progress`` is told, from threads of several
    voices but one at a time, which share of the work is done, from 0 to 1. ``wet`` off leaves the effects out; ``only``
    is the one voice that is heard.

    Raises Problem where a voice comes to no finite number.
    """
    length = run_length(patch, rate)
    used = [name for name in SENDS if patch.at_work(name)]
    total: dict[str, Floats] = {}
    spans, at_once = windows(patch, rate), cores()
    numbers = list(range(len(spans))) if only is None else [only]
    done = _Done(sum(spans[number][1] for number in numbers), progress) if progress else None
    work = partial(_voice, patch, rate, used, cancelled, done, shared_by_voices(patch, rate, cancelled))
    with ThreadPoolExecutor(at_once) as pool:
        for first in range(0, len(numbers), at_once):
            together = numbers[first : first + at_once]
            for number, made in zip(together, pool.map(work, together), strict=True):
                _add(total, made, spans[number][0], length)
    dry = total.pop("dry")
    for sent in effects(total if wet else {}, patch.voice.effects, patch.performance.tempo, rate):
        dry += sent
    if blocked:
        dry = without_dc(dry, rate)
    if with_hits and patch.phrase is not None:
        dry = dry + hits_sound(patch.phrase, rate, length)
    limited = limit(dry, rate)
    return Sound(limited.samples, rate, limited.taken_db)


def _add(total: dict[str, Floats], made: dict[str, Floats], begin: int, length: int) -> None:
    """Add what a voice made, from sample ``begin`` on, to the sum of all; a voice as long as that may become it."""
    for name, samples in made.items():
        if name not in total and len(samples) == length:
            total[name] = samples
            continue
        if name not in total:
            total[name] = np.zeros((2, length)).T
        total[name][begin : begin + len(samples)] += samples


def without_dc(samples: Floats, rate: int) -> Floats:
    """Return sound of shape (frames, 2) through a one-pole high-pass at :data:`DC_HZ` (the bilinear transform)."""
    from scipy.signal import lfilter

    return np.asarray(lfilter(*dc_filter(rate), samples, axis=0))


class _Done:
    """How many samples of all voices are made."""

    def __init__(self, whole: int, tell: Callable[[float], None]) -> None:
        self._whole, self._made, self._tell = whole, 0, tell
        self._lock = threading.Lock()

    def add(self, samples: int) -> None:
        with self._lock:
            self._made += samples
            self._tell(self._made / self._whole)


def _voice(
    patch: Patch,
    rate: int,
    sends: Sequence[str],
    cancelled: Callable[[], bool],
    done: _Done | None,
    shared: SharedRows | None,
    number: int,
) -> dict[str, Floats]:
    """Return one voice's sound, and what it sends.

    What moves, the tones of it, and what is made of these go through three stages side by side.
    """
    run = Run(patch, rate, number, shared)
    voice = VoiceSound(run)
    made = {name: np.zeros((2, run.length)).T for name in ("dry", *sends)}
    begin = run.notes[0].on
    edges = sorted({begin, run.length, *range(_BLOCK, run.length, _BLOCK)} - {0})
    for before, lanes, fine in ahead(voice.tones(ahead(voice.moves(run.blocks(edges, cancelled))))):
        late, sound = voice.sound(lanes, fine)
        # What a filter delays comes out so much earlier that sound and lanes stay together.
        first = before - voice.delay
        skip = max(0, begin - first)
        late, sound = late[:, skip:], sound[:, skip:]
        stretch = slice(first + skip, first + skip + sound.shape[1])
        made["dry"][stretch] = sound.T
        for name in sends:
            made[name][stretch] = (sound * late[ROWS[name]]).T
        if done is not None:
            done.add(fine.shape[1] // voice.factor)
    if patch.phrase is not None:
        # A window may end while something still sounds.
        closing = min(round(GATE_RAMP_S * rate), run.length)
        for samples in made.values():
            samples[run.length - closing :] *= np.linspace(1.0, 0.0, closing)[:, None]
    return made
