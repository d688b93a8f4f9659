"""What an able programmer would write for one patch and nothing else: one fused loop, compiled."""

import math

import numba
import numpy as np
from scipy import signal

from jorvik.core.dsp.kernels import Floats


@numba.njit(nogil=True, error_model="numpy")
def bend(x: float, k: float) -> float:
    """The bend of the model."""
    return x if k == 0.0 else (1.0 - math.exp(-k * x)) / (1.0 - math.exp(-k))


@numba.njit(nogil=True, error_model="numpy")
def stroke_envelope(
    t: float, off: float, attack: float, decay: float, bend_d: float, release: float, bend_r: float
) -> float:
    """A gate envelope without sustain: attack straight, decay and release bent."""
    held = min(t, off)
    if held < attack:
        y = held / attack
    elif held < attack + decay:
        y = 1.0 - bend((held - attack) / decay, bend_d)
    else:
        y = 0.0
    if t < off:
        return y
    return y * (1.0 - bend((t - off) / release, bend_r)) if t - off < release else 0.0


@numba.njit(nogil=True, error_model="numpy")
def barge_bell(length: int, rate: float, velocity: float, key: float, striker: float, out: Floats) -> None:
    """The demo Barge Bell by hand: five sources, nine routes, four lanes, every row kept, as the engine keeps them."""
    sway_phase = beat_phase = 0.0
    gain = 0.5 + 0.5 * velocity
    for n in range(length):
        t = n / rate
        stroke = stroke_envelope(t, 0.9, 0.003, 2.1, 5.0, 1.5, 4.0) * gain
        if t < 0.001:
            tongue = t / 0.001
        elif t < 0.091:
            tongue = 1.0 - bend((t - 0.001) / 0.09, 3.0)
        else:
            tongue = 0.0
        if sway_phase < 0.25:
            sway = 4.0 * sway_phase
        elif sway_phase < 0.75:
            sway = 2.0 - 4.0 * sway_phase
        else:
            sway = 4.0 * sway_phase - 4.0
        beat = math.sin(2.0 * math.pi * beat_phase)
        sway_phase += 0.9 / rate
        sway_phase -= math.floor(sway_phase)
        beat_phase += 3.4 / rate
        beat_phase -= math.floor(beat_phase)
        out[0, n], out[1, n], out[2, n], out[3, n], out[4, n] = stroke, tongue, sway, beat, striker
        a, b = 0.7 * tongue, 0.06 * sway
        out[5, n], out[6, n] = a, b
        pitch = a + b
        out[7, n], out[8, n], out[9, n] = min(max(pitch, -60.0), 60.0), pitch, 0.0
        a, b, c = 34.0 * stroke, 12.0 * key, 18.0 * striker * tongue
        out[10, n], out[11, n], out[12, n] = a, b, c
        cutoff = 700.0 * math.exp((a + b + c) / 12.0 * math.log(2.0))
        out[13, n], out[14, n], out[15, n] = min(max(cutoff, 16.0), 20_000.0), cutoff, 700.0
        a, b = 0.8 * striker, 0.12 * sway
        out[16, n], out[17, n] = a, b
        table = 0.1 + a + b
        out[18, n], out[19, n], out[20, n] = min(max(table, 0.0), 1.0), table, 0.1
        a, b = 0.85 * stroke, 0.7 + 0.3 * 0.5 * (beat + 1.0)
        out[21, n], out[22, n] = a, b
        amplitude = a * b
        out[23, n], out[24, n], out[25, n] = min(max(amplitude, 0.0), 1.0), amplitude, 0.0


@numba.njit(nogil=True, error_model="numpy")
def slew_oscillator(length: int, rate: float, out: Floats) -> None:
    """Slew and comparator wired to each other, and a low-pass on the result that bends the rise: every row, by hand."""
    slew = high = ring = s1 = s2 = 0.0
    dt = 1.0 / rate
    g = math.tan(math.pi * 40.0 * dt)
    k = 1.0 / 6.0
    for n in range(length):
        bent = 0.002 * ring
        before_clamp = 0.004 + bent
        rise = min(max(before_clamp, 0.0), 60.0)
        target = 1.0 - high
        if n == 0:
            slew = target
        else:
            time = rise if target > slew else 0.003
            most = dt / time
            gap = target - slew
            slew = target if abs(gap) <= most else slew + math.copysign(most, gap)
        if slew > 0.5 + 0.4:
            high = 1.0
        elif slew < 0.5 - 0.4:
            high = 0.0
        v1 = (s1 + g * (slew - s2)) / (1.0 + g * (g + k))
        v2 = s2 + g * v1
        s1, s2 = 2.0 * v1 - s1, 2.0 * v2 - s2
        ring = v2
        out[0, n], out[1, n], out[2, n], out[3, n] = target, slew, high, ring
        out[4, n], out[5, n], out[6, n], out[7, n] = bent, rise, before_clamp, 0.004


def rows(count: int, length: int) -> Floats:
    """Return room for a rival's rows."""
    return np.zeros((count, length))


def scipy_voice(length: int, rate: int) -> Floats:
    """Return a filtered saw with an envelope as a Python user would write it: no lane moves, nothing can be asked."""
    t = np.arange(4 * length) / (4.0 * rate)
    fine = signal.sawtooth(2.0 * np.pi * 110.0 * t)
    tone = signal.resample_poly(fine, 1, 4)
    sos = signal.butter(2, 1200.0, fs=rate, output="sos")
    envelope = np.minimum(np.arange(length) / (0.005 * rate), 1.0)
    mono = signal.sosfilt(sos, tone) * envelope
    return np.asarray(np.stack([mono, mono], axis=1))


@numba.njit(nogil=True)
def arithmetic(times: int) -> float:
    """Nothing but arithmetic, from no memory: how much faster it is in several threads is what the machine gives."""
    x = 0.5
    for _ in range(times):
        x = x * 1.0000001 + 1e-9
    return x
