"""From lanes to sound: tones, fold, drive, filters, amplifier, for every voice, then the sends and the limiter."""

import math
import os
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Final

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats, kernel
from jorvik.core.dsp.randomness import note_random, stream
from jorvik.core.dsp.svf import RESPONSES
from jorvik.core.dsp.wavetables import PULSED
from jorvik.core.engine.ahead import ahead
from jorvik.core.engine.notes import VoiceNote, run_length, windows
from jorvik.core.engine.run import Block, Run, never
from jorvik.core.engine.shared_rows import SharedRows, shared_by_voices
from jorvik.core.limits import DEFAULT_RATE, GATE_RAMP_S
from jorvik.core.voice.effects import SENDS, effects
from jorvik.core.voice.filters import PEAK_STATES, PEAKS, Filters, begun, filter_block, peak_block
from jorvik.core.voice.hits import hits_sound
from jorvik.core.voice.limiter import limit
from jorvik.core.voice.shaping import FACTORS, SHAPE_STATES, decimate, decimator, shape
from jorvik.core.voice.tones import ROWS, Generators, Tones

DC_HZ: Final = 5.0
"""Corner of the one-pole high-pass that keeps the output free of DC: a tenth of a dB at 30 Hz."""

_AMPLITUDE, _OPEN, _PAN = ROWS["amplitude"], ROWS["open"], ROWS["pan"]
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


@kernel
def _place(lanes: Floats, channels: Floats, out: Floats) -> None:
    """Add a voice's channels to ``out`` (2, frames) through the amplifier and the pan."""
    pan, left, right = math.nan, 0.0, 0.0
    for n in range(channels.shape[1]):
        if lanes[_PAN, n] != pan:
            pan = lanes[_PAN, n]
            angle = 0.25 * math.pi * (1.0 + pan)
            left, right = math.cos(angle) * math.sqrt(2.0), math.sin(angle) * math.sqrt(2.0)
        gain = lanes[_AMPLITUDE, n] * lanes[_OPEN, n]
        out[0, n] += channels[0, n] * gain * left
        out[1, n] += channels[-1, n] * gain * right


def render(
    patch: Patch,
    rate: int = DEFAULT_RATE,
    cancelled: Callable[[], bool] = never,
    blocked: bool = True,
    progress: Callable[[float], None] | None = None,
    with_hits: bool = False,
) -> Sound:
    """Return the sound of a whole performance, every voice in it, free of DC, after the limiter.

    Voices are independent and run on as many cores as there are, no more of them in memory at a time than that.
    ``blocked`` off leaves the DC in, for who looks for what causes it. ``progress`` is told, from threads of several
    voices but one at a time, which share of the work is done, from 0 to 1.

    Raises Problem where a voice comes to no finite number.
    """
    length = run_length(patch, rate)
    used = [name for name in SENDS if patch.at_work(name)]
    total = {name: np.zeros((2, length)).T for name in ("dry", *used)}
    spans, cores = windows(patch, rate), os.cpu_count() or 1
    count = len(spans)
    done = _Done(sum(span for _, span in spans), progress) if progress else None
    work = partial(_voice, patch, rate, used, cancelled, done, shared_by_voices(patch, rate, cancelled))
    with ThreadPoolExecutor(cores) as pool:
        for first in range(0, count, cores):
            together = range(first, min(first + cores, count))
            for (begin, span), made in zip(spans[first : first + cores], pool.map(work, together), strict=True):
                for name, samples in made.items():
                    total[name][begin : begin + span] += samples
    dry = total.pop("dry")
    if total:
        dry += effects(total, patch.voice.effects, patch.performance.tempo, rate)
    if blocked:
        dry = without_dc(dry, rate)
    if with_hits and patch.phrase is not None:
        dry = dry + hits_sound(patch.phrase, rate, length)
    limited = limit(dry, rate)
    return Sound(limited.samples, rate, limited.taken_db)


def without_dc(samples: Floats, rate: int) -> Floats:
    """Return sound of shape (frames, 2) through a one-pole high-pass at :data:`DC_HZ` (the bilinear transform)."""
    from scipy.signal import butter, lfilter

    b, a = butter(1, DC_HZ, "highpass", fs=rate)
    return np.asarray(lfilter(b, a, samples, axis=0))


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
    voice = _Voice(run)
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


class _Voice:
    """One voice, from block to block."""

    def __init__(self, run: Run) -> None:
        self.run = run
        patch = run.patch
        self.factor = max([factor for name, factor in FACTORS.items() if patch.at_work(name)], default=1)
        self.taps = decimator(self.factor)
        self.delay = (self.taps.size - 1) // (2 * self.factor)
        self.of = _generators(patch)
        self.filters = _filters(patch)
        stereo = self.of.unison > 1 and patch.at_work("stereo_spread")
        self.channels = 2 if stereo else 1
        moved = frozenset(name for name in VOICE if name in run.program.lanes)
        starts = _starts(patch, run.notes[0], self.of.unison)
        self.generators = Tones(self.of, starts, float(run.rate), self.factor, moved)
        self.shapes = np.zeros((self.channels, SHAPE_STATES))
        self.filtering = begun(self.filters, self.channels)
        self.peaks = {name: np.zeros((self.channels, PEAK_STATES)) for name in PEAKS if patch.at_work(f"{name}_gain")}
        self.history = np.zeros((self.channels, self.taps.size - 1))
        self.waiting = np.zeros((len(ROWS), self.delay))
        lanes = run.program.lanes
        self.moved = [(ROWS[name], lanes[name].row) for name in VOICE if name in lanes]
        self.moved.append((ROWS["key"], run.program.performance_rows["key"]))
        # Where a destination goes another's way, its row is written after that one's.
        self.moved += [
            (ROWS[name], lanes[at.follows].row)
            for name, at in VOICE.items()
            if patch.follows(at) and at.follows in lanes
        ]
        if patch.voice.signal is not None and patch.at_work("signal_level"):
            self.moved.append((ROWS["signal"], self.run.program.module_rows[patch.voice.signal]))
        self.still = np.zeros((len(ROWS), _BLOCK))
        for name, at in VOICE.items():
            self.still[ROWS[name]] = patch.base(at)
        self.gated = not any(route.destination == "amplitude" for route in patch.live_routes)

    def moves(self, blocks: Iterator[Block]) -> Iterator[tuple[int, Floats]]:
        """Yield from the note on, for each block of the run, its first sample and its lanes, a row for each of ROWS."""
        for block in blocks:
            if block.first < self.run.notes[0].on:
                continue
            length = block.rows.shape[1]
            lanes = self.still[:, :length].copy()
            for place, row in self.moved:
                lanes[place] = block.rows[row]
            end = block.first + length
            lanes[_OPEN] = _gate(self.run.notes, block.first, end, self.run.rate) if self.gated else 1.0
            yield block.first, lanes

    def tones(self, blocks: Iterator[tuple[int, Floats]]) -> Iterator[tuple[int, Floats, Floats]]:
        """Yield the tones beside the lanes, at ``factor`` times the rate, a row for each channel."""
        for first, lanes in blocks:
            yield first, lanes, self.generators.block(lanes, self.run.origin + first, self.channels)

    def sound(self, lanes: Floats, fine: Floats) -> tuple[Floats, Floats]:
        """Return the lanes and the sound (2, frames) of a block, both late by ``delay`` samples."""
        rate, length = float(self.run.rate), lanes.shape[1]
        channels = np.zeros((self.channels, length))
        late = lanes
        if self.delay:
            both = np.concatenate([self.waiting, lanes], axis=1)
            late, self.waiting = np.ascontiguousarray(both[:, :length]), both[:, length:]
        driving = self.run.patch.voice.drive
        for c in range(self.channels):
            if self.factor > 1:
                shape(lanes, self.shapes[c], driving.crossover_hz, driving.compensated, self.factor, rate, fine[c])
                whole = np.concatenate([self.history[c], fine[c]])
                self.history[c] = whole[whole.size - self.taps.size + 1 :]
                decimate(whole, self.taps, self.factor, channels[c])
            else:
                channels[c] = fine[c]
            filter_block(late, self.filters, self.filtering[c], rate, channels[c])
            for name, states in self.peaks.items():
                hz, gain, q = (late[ROWS[f"{name}_{what}"]] for what in ("frequency", "gain", "q"))
                peak_block(hz, gain, q, states[c], rate, channels[c])
        sound = np.zeros((2, length))
        _place(late, channels, sound)
        return late, sound


def _starts(patch: Patch, held: VoiceNote, unison: int) -> dict[str, list[float]]:
    """Return where each oscillator's phases start: at the fixed one, or at one of the note's own."""
    found = {}
    for which, count in (("osc1", unison), ("osc2", 1)):
        settings = getattr(patch.voice.oscillators, which)
        free = [note_random(stream(patch.performance.seed, f"{which} phase {u}"), held.number) for u in range(count)]
        fixed = settings.start == "fixed"
        found[which] = [settings.phase % 1.0 if fixed else 0.5 * (value + 1.0) for value in free]
    return found


def _generators(patch: Patch) -> Generators:
    of = patch.voice.oscillators
    return Generators(
        table1=of.table(of.osc1.table),
        table2=of.table(of.osc2.table),
        table_sub=of.table(of.sub.table),
        pulsed1=of.osc1.table in PULSED,
        pulsed2=of.osc2.table in PULSED,
        sub_octaves=float(of.sub.octaves),
        unison=of.unison,
        pink=of.noise.colour == "pink",
        noise_stream=stream(patch.performance.seed, "voice noise"),
    )


def _filters(patch: Patch) -> Filters:
    """Return the filters; the second is out of the path where it is left as it stands when a patch says nothing."""
    first, second = patch.voice.filter, patch.voice.filter2
    names = ("filter2_cutoff", "filter2_resonance", "filter_mix")
    moved = any(route.destination in names for route in patch.live_routes)
    said = moved or any(patch.base(VOICE[name]) != VOICE[name].base for name in names) or second.response != "low"
    return Filters(
        RESPONSES.index(first.response),
        first.slope == "steep",
        RESPONSES.index(second.response),
        second.slope == "steep",
        said,
        first.sings,
        second.sings,
    )


def _gate(notes: Sequence[VoiceNote], first: int, end: int, rate: int) -> Floats:
    """Return the opening of an amplifier that the gate alone drives, with a short straight ramp at either end."""
    ramp = max(GATE_RAMP_S * rate, 1.0)
    n = np.arange(first, end)
    opening = np.zeros(end - first)
    for held in notes:
        rise = np.clip((n - held.on + 1) / ramp, 0.0, 1.0)
        fall = np.clip(1.0 - (n - held.off) / ramp, 0.0, 1.0)
        opening = np.maximum(opening, np.minimum(rise, fall))
    return opening
