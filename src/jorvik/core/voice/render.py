"""From lanes to sound: oscillator, filter, amplifier, for every voice, at the trace's own rate."""

import math
import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Final

import numpy as np

from jorvik.core.destinations import VOICE
from jorvik.core.engine.notes import Held, run_length, voices
from jorvik.core.engine.run import Run, never
from jorvik.core.kernels import Floats, kernel
from jorvik.core.limits import DEFAULT_RATE
from jorvik.core.patch import Patch
from jorvik.core.voice.limiter import limit
from jorvik.core.voice.oscillator import wavetable
from jorvik.core.wavetables import mip_levels

HEARD: Final = ("pitch", "osc1_level", "wavetable_position", "cutoff", "resonance", "amplitude", "pan")
"""The destinations that the voice sounds, in the order of the rows that it reads."""

GATE_RAMP_S: Final = 0.003
"""Rise and fall of an amplifier that nothing moves, so that the gate alone does not click."""

_PITCH, _LEVEL, _POSITION, _CUTOFF, _RESONANCE, _AMPLITUDE, _PAN, _KEY, _OPEN = range(len(HEARD) + 2)
_KEY60_HZ = 440.0 * 2.0 ** (-9.0 / 12.0)
_BLOCK = 4096
_PHASE, _S1, _S2, _S3, _S4, _LAST_CUTOFF, _LAST_RESONANCE, _G, _K = range(9)
_RESPONSES = ("low", "high", "band", "notch")


@dataclass(frozen=True)
class Sound:
    """A rendered performance."""

    samples: Floats
    """Shape (frames, 2), within -1..1."""
    rate: int
    limited_db: float
    """The most that the limiter took, in dB."""


@kernel
def _sound(lanes: Floats, table: Floats, s: Floats, response: int, steep: bool, rate: float, out: Floats) -> None:
    """Add one voice's block to ``out`` (frames, 2); ``s`` carries phase and filter from block to block."""
    for n in range(lanes.shape[1]):
        hz = _KEY60_HZ * math.exp2(lanes[_KEY, n] + lanes[_PITCH, n] / 12.0)
        cycles = hz / rate
        y = wavetable(table, lanes[_POSITION, n], s[_PHASE], cycles) * lanes[_LEVEL, n]
        s[_PHASE] += cycles
        s[_PHASE] -= math.floor(s[_PHASE])
        if lanes[_CUTOFF, n] != s[_LAST_CUTOFF] or lanes[_RESONANCE, n] != s[_LAST_RESONANCE]:
            s[_LAST_CUTOFF], s[_LAST_RESONANCE] = lanes[_CUTOFF, n], lanes[_RESONANCE, n]
            s[_G] = math.tan(math.pi * min(s[_LAST_CUTOFF] / rate, 0.49))
            s[_K] = 2.0 * 128.0 ** (-s[_LAST_RESONANCE])
        g, k = s[_G], s[_K]
        for stage in range(2 if steep else 1):
            a, b = _S1 + 2 * stage, _S2 + 2 * stage
            v1 = (s[a] + g * (y - s[b])) / (1.0 + g * (g + k))
            v2 = s[b] + g * v1
            s[a], s[b] = 2.0 * v1 - s[a], 2.0 * v2 - s[b]
            if response == 0:
                y = v2
            elif response == 1:
                y = y - k * v1 - v2
            elif response == 2:
                y = k * v1
            else:
                y = y - k * v1
        y *= lanes[_AMPLITUDE, n] * lanes[_OPEN, n]
        angle = 0.25 * math.pi * (1.0 + lanes[_PAN, n])
        out[n, 0] += y * math.cos(angle) * math.sqrt(2.0)
        out[n, 1] += y * math.sin(angle) * math.sqrt(2.0)


def render(patch: Patch, rate: int = DEFAULT_RATE, cancelled: Callable[[], bool] = never) -> Sound:
    """Return the sound of a whole performance, every voice in it, after the limiter.

    Voices are independent and run on as many cores as there are, no more of them in memory at a time than that.
    """
    total = np.zeros((run_length(patch, rate), 2))
    count, cores = len(voices(patch, rate)), os.cpu_count() or 1
    work = partial(_voice, patch, rate, cancelled)
    with ThreadPoolExecutor(cores) as pool:
        for first in range(0, count, cores):
            for samples in pool.map(work, range(first, min(first + cores, count))):
                total += samples
    limited = limit(total, rate)
    return Sound(limited.samples, rate, limited.taken_db)


def _voice(patch: Patch, rate: int, cancelled: Callable[[], bool], number: int) -> Floats:
    """Return one voice's sound."""
    run = Run(patch, rate, number)
    table = mip_levels(patch.voice.oscillators.osc1.table)
    response = _RESPONSES.index(patch.voice.filter.response)
    steep = patch.voice.filter.slope == "steep"
    out = np.zeros((run.length, 2))
    state = np.zeros(_K + 1)
    state[_PHASE] = patch.voice.oscillators.osc1.phase % 1.0
    begin = run.notes[0].on
    edges = sorted({begin, run.length, *range(_BLOCK, run.length, _BLOCK)} - {0})
    gated = not any(route.destination == "amplitude" for route in patch.live_routes)
    for block in run.blocks(edges, cancelled):
        if block.first < begin:
            continue
        end = block.first + block.rows.shape[1]
        lanes = _lanes(run, block.rows)
        lanes[_OPEN] = _gate(run.notes, block.first, end, rate) if gated else 1.0
        _sound(lanes, table, state, response, steep, float(rate), out[block.first : end])
    return out


def _lanes(run: Run, rows: Floats) -> Floats:
    """Return what the voice reads, a row for each of HEARD, then key, then how far the gate is open."""
    lanes = np.empty((len(HEARD) + 2, rows.shape[1]))
    for i, name in enumerate(HEARD):
        moved = run.program.lanes.get(name)
        lanes[i] = rows[moved.row] if moved else run.patch.base(VOICE[name])
    lanes[_KEY] = rows[run.program.performance_rows["key"]]
    return lanes


def _gate(notes: Sequence[Held], first: int, end: int, rate: int) -> Floats:
    """Return the opening of an amplifier that the gate alone drives, with a short straight ramp at either end."""
    ramp = max(GATE_RAMP_S * rate, 1.0)
    n = np.arange(first, end)
    opening = np.zeros(end - first)
    for held in notes:
        rise = np.clip((n - held.on + 1) / ramp, 0.0, 1.0)
        fall = np.clip(1.0 - (n - held.off) / ramp, 0.0, 1.0)
        opening = np.maximum(opening, np.minimum(rise, fall))
    return opening
