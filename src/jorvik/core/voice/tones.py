"""The tone generators: two oscillators, the first in unison and modulated by the second, a sub, and noise."""

import math
from typing import Final, NamedTuple

import numpy as np

from jorvik.core.destinations import VOICE
from jorvik.core.kernels import Floats, inline_kernel, kernel
from jorvik.core.randomness import uniform
from jorvik.core.voice.oscillator import mip, tone
from jorvik.core.voice_settings import MAX_UNISON

ROWS: Final = {name: i for i, name in enumerate((*VOICE, "key", "open"))}
"""Where each lane stands in the table that the voice reads; ``open`` is how far the gate has opened."""

KEY60_HZ: Final = 440.0 * 2.0 ** (-9.0 / 12.0)
SINE_PEAK: Final = 0.3 * math.sqrt(2.0)
"""Peak of a sine from a table: what modulates fully, and what is folded fully."""

_PITCH, _KEY, _OSC2_PITCH, _RATIO = (ROWS[n] for n in ("pitch", "key", "osc2_pitch", "fm_ratio"))
_INDEX, _POSITION, _DETUNE, _SPREAD = (ROWS[n] for n in ("fm_index", "wavetable_position", "detune", "stereo_spread"))
_WIDTH1, _WIDTH2 = ROWS["pulse_width"], ROWS["osc2_pulse_width"]
_LEVEL1, _LEVEL2, _SUB, _NOISE = (ROWS[n] for n in ("osc1_level", "osc2_level", "sub_level", "noise_level"))

PHASE2: Final = MAX_UNISON
_PHASE_SUB, _LAST_INDEX, _P0, _P1, _P2 = range(PHASE2 + 1, PHASE2 + 6)
TONE_STATES: Final = _P2 + 1
"""Phases of the unison, of oscillator 2 and of the sub; the FM index before; what pink noise keeps."""


class Generators(NamedTuple):
    """What the tone generators read and nothing moves."""

    table1: Floats
    table2: Floats
    table_sub: Floats
    pulsed1: bool
    pulsed2: bool
    sub_position: float
    sub_octaves: float
    unison: int
    pink: bool
    noise_stream: float


@inline_kernel
def _advance(s: Floats, at: int, cycles: float) -> None:
    s[at] += cycles
    s[at] -= math.floor(s[at])


@inline_kernel
def _noise(s: Floats, stream: float, pink: bool, n: int) -> float:
    """Return noise at rms 0.3; pink by three one-poles over white (Kellet's economy filter)."""
    white = uniform(stream, 0, n)
    if not pink:
        return 0.3 * math.sqrt(3.0) * white
    s[_P0] = 0.99765 * s[_P0] + white * 0.0990460
    s[_P1] = 0.96300 * s[_P1] + white * 0.2965164
    s[_P2] = 0.57000 * s[_P2] + white * 1.0526913
    return 0.3 * (s[_P0] + s[_P1] + s[_P2] + white * 0.1848)


@kernel
def make_tones(lanes: Floats, of: Generators, s: Floats, first: int, factor: int, rate: float, out: Floats) -> None:
    """Write the tones of a block into ``out``, shape (1 or 2 channels, samples x factor), at ``factor`` times the rate.

    ``s`` carries the phases from block to block. Frequencies hold over a sample; the FM index goes straight from one
    to the next. What needs a logarithm or a sine is worked out again only where what it depends on has changed.
    """
    fine = rate * factor
    stereo = out.shape[0] > 1
    share = 1.0 / math.sqrt(of.unison)
    own, left_gain, right_gain = np.ones(of.unison), np.ones(of.unison), np.ones(of.unison)
    sub_factor = math.exp2(-of.sub_octaves)
    octaves_at_key60 = math.log2(KEY60_HZ / fine)
    pitch = detune = spread = ratio = pitch2 = reach = math.nan
    cycles1 = octaves1 = octaves2 = factor2 = level1 = octaves_of_reach = 0.0
    for n in range(lanes.shape[1]):
        if lanes[_DETUNE, n] != detune:
            detune = lanes[_DETUNE, n]
            for u in range(1, of.unison):
                own[u] = math.exp2(detune * (u / (of.unison - 1) - 0.5) / 1200.0)
            own[0] = 1.0 / own[of.unison - 1]
        if lanes[_RATIO, n] != ratio or lanes[_OSC2_PITCH, n] != pitch2:
            ratio, pitch2 = lanes[_RATIO, n], lanes[_OSC2_PITCH, n]
            octaves2 = math.log2(ratio) + pitch2 / 12.0
            factor2 = math.exp2(octaves2)
        if lanes[_KEY, n] * 12.0 + lanes[_PITCH, n] != pitch:
            pitch = lanes[_KEY, n] * 12.0 + lanes[_PITCH, n]
            octaves1 = octaves_at_key60 + pitch / 12.0
            cycles1 = math.exp2(octaves1)
        cycles2 = cycles1 * factor2
        level2 = mip(of.table2.shape[0], octaves1 + octaves2)
        level_sub = mip(of.table_sub.shape[0], octaves1 - of.sub_octaves)
        cycles_sub = cycles1 * sub_factor
        index = lanes[_INDEX, n]
        if index == 0.0 and s[_LAST_INDEX] == 0.0:
            level1 = mip(of.table1.shape[0], octaves1 + 0.5 * detune / 1200.0)
        else:
            deepest = own[of.unison - 1] + max(index, s[_LAST_INDEX]) * factor2
            if deepest != reach:
                reach = deepest
                octaves_of_reach = math.log2(deepest)
            level1 = mip(of.table1.shape[0], octaves1 + octaves_of_reach)
        if factor > 1:
            # What would fade from one level to the next lies over twice the highest pitch that is heard.
            level1, level2, level_sub = math.floor(level1), math.floor(level2), math.floor(level_sub)
        if stereo and lanes[_SPREAD, n] != spread:
            spread = lanes[_SPREAD, n]
            for u in range(of.unison):
                angle = 0.25 * math.pi * (1.0 + (2.0 * u / (of.unison - 1) - 1.0) * spread)
                left_gain[u], right_gain[u] = math.cos(angle) * math.sqrt(2.0), math.sin(angle) * math.sqrt(2.0)
        sounds2 = index != 0.0 or s[_LAST_INDEX] != 0.0 or lanes[_LEVEL2, n] != 0.0
        for k in range(factor):
            y2 = 0.0
            if sounds2:
                y2 = tone(of.table2, of.pulsed2, lanes[_POSITION, n], s[PHASE2], lanes[_WIDTH2, n], level2)
            swing = 0.0
            if index != 0.0 or s[_LAST_INDEX] != 0.0:
                depth = s[_LAST_INDEX] + (index - s[_LAST_INDEX]) * (k + 1) / factor
                swing = depth * y2 / (SINE_PEAK * 2.0 * math.pi)
            left = right = 0.0
            for u in range(of.unison):
                if lanes[_LEVEL1, n] != 0.0:
                    phase = s[u] + swing
                    phase -= math.floor(phase)
                    y = tone(of.table1, of.pulsed1, lanes[_POSITION, n], phase, lanes[_WIDTH1, n], level1)
                    y *= share * lanes[_LEVEL1, n]
                    left += y * left_gain[u]
                    right += y * right_gain[u]
                _advance(s, u, cycles1 * own[u])
            middle = y2 * lanes[_LEVEL2, n]
            if lanes[_SUB, n] != 0.0:
                y = tone(of.table_sub, False, of.sub_position, s[_PHASE_SUB], 0.5, level_sub)
                middle += y * lanes[_SUB, n]
            if lanes[_NOISE, n] != 0.0:
                at = (first + n) * factor + k
                middle += _noise(s, of.noise_stream, of.pink, at) * lanes[_NOISE, n] * math.sqrt(factor)
            _advance(s, PHASE2, cycles2)
            _advance(s, _PHASE_SUB, cycles_sub)
            out[0, n * factor + k] = left + middle
            if stereo:
                out[1, n * factor + k] = right + middle
        s[_LAST_INDEX] = index
