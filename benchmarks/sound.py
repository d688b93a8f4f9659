"""What each stage of the voice computes, measured: ``python -m benchmarks.sound`` writes ``docs/sound.md``."""

import math
import time
from collections.abc import Sequence
from typing import Any

import matplotlib as mpl
import matplotlib.pyplot as plt
import numpy as np
from numpy.typing import NDArray
from scipy import signal

from jorvik.core.document.patch import check_patch
from jorvik.core.dsp.svf import transfer
from jorvik.core.dsp.wavetables import FORMULAS
from jorvik.core.voice.render import render
from jorvik.place import ROOT

Floats = NDArray[np.float64]
Json = dict[str, Any]
RATE = 48_000
FOLDER = ROOT / "docs"
OPEN: Json = {"cutoff": 20_000.0, "resonance": 0.0}
C6, C8 = 1046.502, 4186.009
SECOND = slice(4800, 4800 + RATE)
LOUD = 1e-2
"""40 dB under the tone: what is softer is measured against what the window leaves."""
AUDIBLE = 1e-4
"""80 dB under full scale: what is softer is no tone to measure against."""
PULSE: Json = {"osc1": {"table": "pulse"}}


def sound(base: Json, hz: float, length: float = 1.2, modules: Sequence[Json] = (), **rest: Any) -> Floats:
    """Return the left channel of a patch at a frequency."""
    routes = rest.pop("routes", [])
    key = 69.0 + 12.0 * math.log2(hz / 440.0)
    document = {
        "format": "jorvik-patch",
        "version": 1,
        "modules": list(modules),
        "routes": routes,
        "performance": {"notes": [{"key": key, "length_s": length}], "tail_s": 0.0},
        "voice": {"base": {**OPEN, **base}, **rest},
    }
    return render(check_patch(document), RATE).samples[:, 0]


def levels(samples: Floats) -> Floats:
    """Return the amplitude in each bin of 1 Hz of a second of sound."""
    window = signal.windows.blackmanharris(RATE, sym=False)
    return np.asarray(np.abs(np.fft.rfft(samples[SECOND] * window)) / window.sum() * 2.0)


def worst_alias(samples: Floats, hz: float) -> str:
    """Return the strongest line under 20 kHz that is no harmonic, in dB under the strongest harmonic."""
    found = levels(samples)
    f = np.arange(found.size)
    harmonic = np.abs(f / hz - np.round(f / hz)) * hz <= 6.0
    heard = (f > 20) & (f < 20_000)
    tone = float(found[heard & harmonic].max())
    if tone < AUDIBLE:
        return "nothing sounds: all of it lies over half the rate"
    return f"{20.0 * math.log10(max(float(found[heard & ~harmonic].max()), 1e-12) / tone):.0f} dB"


def pitch_hz(samples: Floats) -> float:
    """Return the frequency of a steady tone, by the turn of its phase between two windows 64 samples apart."""
    window = np.hanning(8192)
    first, second = (np.fft.rfft(samples[at : at + 8192] * window) for at in (30_000, 30_064))
    at = int(np.abs(first).argmax())
    expected = 2.0 * np.pi * at * 64 / 8192
    turned = float(np.angle(second[at] / first[at]))
    return float((expected + (turned - expected + np.pi) % (2 * np.pi) - np.pi) * RATE / (2 * np.pi * 64))


def aliasing() -> str:
    """Measure every table, fold and drive at C6 and C8, and return the rows."""
    rows = []
    for name in FORMULAS:
        tables = {"osc1": {"table": name}}
        found = [worst_alias(sound({"wavetable_position": 0.8}, hz, oscillators=tables), hz) for hz in (C6, C8)]
        rows.append(f"| table {name} | {found[0]} | {found[1]} |")
    for name, base in (("fold 100 %", {"fold": 1.0}), ("drive 36 dB", {"drive": 36.0})):
        found = [worst_alias(sound(base, hz), hz) for hz in (C6, C8)]
        rows.append(f"| sine, {name} | {found[0]} | {found[1]} |")
    return "\n".join(rows)


def tracking() -> tuple[str, float]:
    """Measure the filter against its closed form and its singing against its corner; draw both."""
    corners = 16.35 * 2.0 ** np.arange(2, 9.01, 0.5, dtype=np.float64)
    alone = {"osc1_level": 0.0, "resonance": 1.0}
    sung = [pitch_hz(sound({**alone, "cutoff": f}, 440.0, filter={"sings": True})) for f in corners]
    cents = 1200.0 * np.log2(np.array(sung) / corners)
    plain = levels(sound({}, 100.0, oscillators=PULSE))
    hz: Floats = 100.0 * np.arange(1, 150, 2, dtype=np.float64)
    errors = []
    figure, axes = plt.subplots(1, 2, figsize=(10, 3.6))
    for corner in (200.0, 1000.0, 5000.0):
        through = levels(sound({"cutoff": corner, "resonance": 0.5}, 100.0, oscillators=PULSE))
        at = hz.astype(int)
        resting = np.abs(transfer("low", hz, 20_000.0, 0.5, RATE, 0.49))
        wanted = np.abs(transfer("low", hz, corner, 0.5 * 128.0**0.5, RATE, 0.49)) / resting
        got = through[at] / plain[at]
        loud = got > LOUD
        errors.append(float(np.abs(20.0 * np.log10(got[loud] / wanted[loud])).max()))
        axes[0].semilogx(hz, 20.0 * np.log10(got), ".", hz, 20.0 * np.log10(wanted), "-", linewidth=0.8)
    axes[0].set(title="low-pass: dots measured, lines closed form", xlabel="Hz", ylabel="dB", ylim=(-90, 25))
    axes[1].semilogx(corners, cents, "o-")
    axes[1].set(title="a singing filter against its corner", xlabel="Hz", ylabel="cents")
    figure.tight_layout()
    figure.savefig(FOLDER / "sound-filter.png", dpi=90)
    within = cents[corners <= 8000.0]
    return f"{float(np.abs(within).max()):.2f}", max(errors)


def zipper_db() -> float:
    """Return the noise that a cutoff moved by a slow sine adds to a sine, under the tone.

    The tone lies an octave under the least cutoff; what a smooth sweep makes of it lies within 40 Hz of it.
    """
    wave = {"id": "w", "kind": "lfo", "rate": 2.0}
    route = {"id": "r", "source": "w", "destination": "cutoff", "amount": 12.0}
    found = levels(sound({"cutoff": 2000.0}, 500.0, modules=[wave], routes=[route]))
    f = np.arange(found.size)
    away = (f > 20) & (f < 20_000) & (np.abs(f - 500) > 60)
    return float(20.0 * np.log10(found[away].max() / found.max()))


def tail_ratio() -> float:
    """Return how long a second of fading to nothing takes, against one of sounding."""

    def taken(length: float, tail: float) -> float:
        document = {
            "format": "jorvik-patch",
            "version": 1,
            "modules": [{"id": "e", "kind": "envelope", "release_s": 0.02}],
            "routes": [{"id": "r", "source": "e", "destination": "amplitude", "mode": "scale", "amount": 1.0}],
            "performance": {"notes": [{"length_s": length}], "tail_s": tail},
            "voice": {"base": {"resonance": 0.9, "cutoff": 300.0, "osc1_level": 0.8}},
        }
        patch = check_patch(document)
        render(patch, RATE)
        begin = time.perf_counter()
        render(patch, RATE)
        return time.perf_counter() - begin

    return (taken(1.0, 20.0) - taken(1.0, 0.1)) / (taken(21.0, 0.0) - taken(1.1, 0.0))


def unison_phases() -> float:
    """Return the level of seven voices tuned alike that start free, in dB against seven in step."""

    def seven(start: str) -> Floats:
        settings = {"osc1": {"table": "reed", "start": start}, "unison": 7}
        return sound({"detune": 0.0}, 220.0, 0.2, oscillators=settings)

    voices = [seven(start) for start in ("fixed", "free")]
    fixed, free = (float(np.sqrt((v[2000:8000] ** 2).mean())) for v in voices)
    return 20.0 * math.log10(free / fixed)


def page() -> str:
    """Measure everything and return the page."""
    mpl.use("Agg")
    cents, max_error_db = tracking()
    stages = [
        ("tones", "a table of cycles, a level of harmonics an octave, frames and levels crossfaded", "see below"),
        (
            "phase modulation",
            "index / 2 pi cycles of a full sine",
            "tables kept under its reach (Carson)",
        ),
        ("fold", "a sine of the input, turned through ever further, at four times the rate", "see below"),
        ("drive", "tanh(g x) averaged between samples, at four times the rate", "see below"),
        (
            "filter",
            "trapezoidal state-variable, Q = 0.5 x 128^r, in closed form",
            f"within {max(max_error_db, 0.01):.2f} dB",
        ),
        ("singing", "damping through 0 to -0.1, and c (v1^2 + v2^2) more", f"within {cents} cents of its corner"),
        ("bands", "the same filter's v1 added to its input", "within 0.02 dB at eight frequencies (tests)"),
        (
            "a moved cutoff",
            "two octaves up and down, twice a second",
            f"nothing over {zipper_db():.0f} dB",
        ),
        ("fading to nothing", "after its input", f"{tail_ratio():.2f} times the time"),
        (
            "a recording",
            "16-point Kaiser sincs between its samples, a low-passed copy for each octave up",
            "clean to -75 dB (tests)",
        ),
        ("unison", "free phases of its own for each voice", f"seven: {unison_phases():.1f} dB against in step"),
    ]
    table = "\n".join(f"| {' | '.join(stage)} |" for stage in stages)
    return f"""# The sound

Written by `python -m benchmarks.sound`, which measures what stands here, at {RATE // 1000} kHz. Modelled on nothing:
each stage computes what its formula says.

| stage | what it computes | how near it comes |
|---|---|---|
{table}

![The filter against its closed form, and singing against its corner](sound-filter.png)

## Aliases

The strongest line under 20 kHz that is no harmonic of the tone, against the strongest that is.

| | C6 | C8 |
|---|---|---|
{aliasing()}
"""


if __name__ == "__main__":
    (FOLDER / "sound.md").write_text(page())
    print("wrote docs/sound.md")
