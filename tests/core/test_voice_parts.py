"""The parts of the voice, each against what theory says of it."""

import math
import unittest
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import signal, special

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.voice_settings import OWN_SAMPLES, DelaySettings, ReverbSettings, packed_cycles
from jorvik.core.dsp.wavetables import FORMULAS, mip_levels, spectra_of
from jorvik.core.engine.trace import trace
from jorvik.core.problems import Problem
from jorvik.core.units.tempo import Tempo
from jorvik.core.voice.effects import delay, reverb
from jorvik.core.voice.render import render
from jorvik.core.voice.shaping import decimator
from tests.support import RATE, Json, note, patch

Floats = NDArray[np.float64]
OPEN: Json = {"cutoff": 20_000, "resonance": 0.0}
SECOND = slice(4800, 4800 + RATE)


def key_of(hz: float) -> float:
    return 69 + 12 * math.log2(hz / 440)


def sound(base: Json | None = None, hz: float = 440.0, length: float = 1.2, **rest: Any) -> Floats:
    """The left channel of an open voice at a frequency."""
    voice = {"base": {**OPEN, **(base or {})}, **rest}
    return render(patch(performance=note(length, 0.0, key=key_of(hz)), voice=voice)).samples[:, 0]


def levels(samples: Floats) -> Floats:
    """The amplitude in each bin of 1 Hz, of a second of sound."""
    window = signal.windows.blackmanharris(RATE, sym=False)
    return np.abs(np.fft.rfft(samples[SECOND] * window)) / window.sum() * 2


def peak(found: Floats, hz: float) -> float:
    at = round(hz)
    return float(found[at - 4 : at + 5].max())


class Clean(unittest.TestCase):
    """Nothing sounds but the harmonics of the tone: the rest lies 60 dB under it."""

    def worst(self, samples: Floats, hz: float) -> float:
        found = levels(samples)
        f = np.arange(found.size)
        harmonic = np.abs(f / hz - np.round(f / hz)) * hz <= 5
        heard = (f > 20) & (f < 20_000)
        return float(20 * np.log10(found[heard & ~harmonic].max() / found.max()))

    def test_a_sine_of_1_khz_at_full_fold(self) -> None:
        # 1003.3 Hz, for aliases of 1000 Hz would fall on its own harmonics, and of 1001 Hz beside them.
        self.assertLess(self.worst(sound({"fold": 1.0}, 1003.3), 1003.3), -60)

    def test_driven_hard_over_the_keyboard(self) -> None:
        for hz in (110.7, 1003.3, 3307.1):
            self.assertLess(self.worst(sound({"drive": 36.0}, hz), hz), -60, hz)

    def test_modulated_deeply(self) -> None:
        for index, hz in ((8.0, 1003.3), (20.0, 503.3), (4.0, 2003.3)):
            self.assertLess(self.worst(sound({"fm_index": index, "fm_ratio": 1.0}, hz), hz), -60, hz)

    def test_every_table_of_the_bank(self) -> None:
        for name in FORMULAS:
            for hz in (311.7, 2093.9):
                osc = {"osc1": {"table": name}}
                self.assertLess(
                    self.worst(sound({"wavetable_position": 0.9, "osc1_level": 0.25}, hz, oscillators=osc), hz),
                    -60,
                    name,
                )

    def test_the_way_down_is_flat_and_dark(self) -> None:
        for factor in {at.runs_at for at in VOICE.values()} - {1}:
            f, answer = signal.freqz(decimator(factor), worN=4096, fs=factor * RATE)
            size = 20 * np.log10(np.abs(answer) + 1e-12)
            self.assertLess(np.abs(size[f < 20_000]).max(), 0.01)
            self.assertLess(size[f > 28_000].max(), -85)

    def test_against_the_ideal_sum_under_fast_movement(self) -> None:
        """Eight harmonics, the pitch swung over two octaves 25 times a second: the sum of eight sines, filtered."""
        frame = [[1.0 / h, 0.0] for h in range(1, 9)]
        swing: Json = {"id": "w", "kind": "lfo", "rate": 25.0}
        routes = [{"source": "w", "destination": "pitch", "amount": 12}]
        tables = [{"name": "eight", "frames": [frame]}]
        voice = {"base": OPEN, "oscillators": {"osc1": {"table": "eight"}, "tables": tables}}
        of = patch([swing], routes, performance=note(1.0, 0.0, key=69), voice=voice)
        y = render(of, blocked=False).samples[:, 0]
        hz = 440 * 2 ** (trace(of).lanes["pitch"].value / 12)
        phase = np.concatenate([[0.0], np.cumsum(hz[:-1] / RATE)])
        ideal = np.sum([np.sin(2 * np.pi * h * phase) / h for h in range(1, 9)], axis=0)
        ideal *= 0.3 / math.sqrt(0.5 * sum(1 / h**2 for h in range(1, 9)))
        w = 2 * math.tan(math.pi * 20_000 / RATE)
        b, a = signal.bilinear([w * w], [1, 2 * w, w * w], 1.0)
        inside = slice(2000, 40_000)
        error = (y - signal.lfilter(b, a, ideal))[inside]
        self.assertLess(20 * math.log10(float(np.abs(error).max() / np.abs(y).max())), -60)

    def test_slow_movement_makes_no_clicks(self) -> None:
        slow: Json = {"id": "s", "kind": "lfo", "rate": 1.3}
        names = (("osc1_level", -0.3), ("pan", 0.5), ("cutoff", 12), ("wavetable_position", 0.05), ("resonance", 0.2))
        routes = [{"source": "s", "destination": name, "amount": amount} for name, amount in names]
        voice = {"base": {"cutoff": 2000, "osc1_level": 0.6, "wavetable_position": 0.05, "resonance": 0.3}}
        y = render(patch([slow], routes, performance=note(1.3, 0.0, key=57), voice=voice)).samples[:, 0]
        found = levels(y)
        self.assertLess(20 * math.log10(float(found[8000:].max() / found.max())), -95)


class Tones(unittest.TestCase):
    def test_fm_sidebands_are_bessel_functions(self) -> None:
        for index in (0.5, 2.0, 5.0):
            found = levels(sound({"fm_index": index, "fm_ratio": 0.125}, 4000.0))
            for n in range(-3, 4):
                wanted = 0.3 * math.sqrt(2) * abs(float(special.jv(n, index)))
                self.assertAlmostEqual(peak(found, 4000 + 500 * n), wanted, delta=0.005, msg=f"{index} {n}")

    def test_a_detuned_pair_beats_at_its_difference(self) -> None:
        cents = 20.0
        found = levels(sound({"detune": cents}, 4000.0, oscillators={"unison": 2}))
        low, high = (4000 * 2 ** (side * cents / 2400) for side in (-1, 1))
        self.assertAlmostEqual(peak(found, low), 0.3, delta=0.02)
        self.assertAlmostEqual(peak(found, high), 0.3, delta=0.02)
        self.assertLess(found[4000], 0.01)

    def test_oscillator_2_a_fifth_above_and_the_sub_an_octave_below(self) -> None:
        base = {"osc1_level": 0.5, "osc2_level": 0.25, "osc2_pitch": 12 * math.log2(1.5), "sub_level": 1.0}
        found = levels(sound(base, 800.0))
        for hz, level in ((800, 0.5), (1200, 0.25), (400, 1.0)):
            self.assertAlmostEqual(peak(found, hz), 0.3 * math.sqrt(2) * level, delta=0.002)

    def test_pulse_width(self) -> None:
        for width in (0.5, 0.25, 0.1):
            osc = {"osc1": {"table": "pulse"}}
            found = levels(sound({"pulse_width": width}, 200.0, oscillators=osc))
            first = peak(found, 200)
            for h in range(2, 9):
                wanted = abs(math.sin(math.pi * h * width) / h / math.sin(math.pi * width))
                self.assertAlmostEqual(peak(found, 200 * h) / first, wanted, delta=0.02)

    def test_noise_is_white_or_pink(self) -> None:
        for colour, slope in (("white", 0.0), ("pink", -3.0)):
            base = {"osc1_level": 0.0, "noise_level": 1.0}
            y = sound(base, length=4.0, oscillators={"noise": {"colour": colour}})[4800:]
            f, power = signal.welch(y, RATE, nperseg=8192)
            octaves = [10 * np.log10(power[(f >= a) & (f < 2 * a)].mean()) for a in (125, 500, 2000)]
            # At 4 kHz the open low-pass itself still takes nothing worth telling.
            self.assertAlmostEqual((octaves[2] - octaves[0]) / 4, slope, delta=0.35)

    def test_a_fixed_start_repeats_and_a_free_one_does_not_but_is_seeded(self) -> None:
        notes = [{"key": 57, "start_s": s, "length_s": 0.1, "velocity": 90} for s in (0.0, 0.2)]
        for start, alike in (("fixed", True), ("free", False)):
            voice = {"base": OPEN, "oscillators": {"osc1": {"start": start}}}
            of = patch(performance={"notes": notes, "tail_s": 0.1}, voice=voice)
            y = render(of, blocked=False).samples[:, 0]
            self.assertEqual(bool(np.abs(y[:4800] - y[9600:14_400]).max() < 1e-9), alike)
            np.testing.assert_array_equal(render(of, blocked=False).samples[:, 0], y)

    def test_a_table_set_by_hand_has_its_harmonics(self) -> None:
        own = {"name": "mine", "frames": [[[1.0, 0.0], [0.0, 0.0], [0.5, 0.25]]]}
        found = levels(sound(hz=300.0, oscillators={"osc1": {"table": "mine"}, "tables": [own]}))
        self.assertAlmostEqual(peak(found, 900) / peak(found, 300), 0.5, delta=0.003)
        self.assertLess(peak(found, 600), 1e-4)

    def test_a_cycle_survives_being_kept(self) -> None:
        x = np.arange(OWN_SAMPLES) / OWN_SAMPLES
        cycle = 0.5 * np.sin(2 * np.pi * x) + 0.2 * np.cos(2 * np.pi * 5 * x)
        own = {"name": "read", "cycles": packed_cycles(cycle[None, :])}
        of = patch(voice={"oscillators": {"osc1": {"table": "read"}, "tables": [own]}})
        found = np.abs(spectra_of(of.voice.oscillators.table("read")[0]))[0]
        self.assertAlmostEqual(found[4] / found[0], 0.4, delta=1e-3)

    def test_an_unknown_table_is_refused_with_the_ones_there_are(self) -> None:
        with self.assertRaisesRegex(Problem, "voice.oscillators.osc2.table: found .none.*ladder"):
            patch(voice={"oscillators": {"osc2": {"table": "none"}}})

    def test_the_bank(self) -> None:
        self.assertGreaterEqual(len(FORMULAS), 16)
        shapes = []
        for name, formula in FORMULAS.items():
            self.assertTrue((formula.__doc__ or "").strip(), name)
            shapes.append(np.abs(np.fft.rfft(mip_levels(name)[0, 8])))
        for i, a in enumerate(shapes):
            for b in shapes[:i]:
                self.assertLess(float(a @ b / math.sqrt((a @ a) * (b @ b))), 0.999)


class After(unittest.TestCase):
    def test_nothing_is_driven_under_the_crossover(self) -> None:
        driven = levels(sound({"drive": 30.0}, 100.0))
        spared = levels(sound({"drive": 30.0}, 100.0, drive={"crossover_hz": 2000.0}))
        self.assertGreater(peak(driven, 300) / peak(driven, 100), 0.1)
        self.assertLess(peak(spared, 300) / peak(spared, 100), 0.02)

    def test_no_fold_and_no_drive_leave_the_tone_alone(self) -> None:
        plain = sound(hz=500.0)
        touched = sound({"fold": 0.0, "drive": 0.0, "fm_index": 1e-12}, 500.0)
        inside = slice(2000, 40_000)
        np.testing.assert_allclose(touched[inside], plain[inside], atol=2e-4)

    def test_two_filters_in_series_and_in_parallel(self) -> None:
        """A low-pass at 500 Hz and a high-pass at 4 kHz: in series little passes, in parallel both ends do."""
        at = {"cutoff": 500, "filter2_cutoff": 4000}
        rest: Json = {"filter2": {"response": "high"}}
        for hz in (100.0, 1400.0, 10_000.0):
            plain = peak(levels(sound(hz=hz)), hz) / abs(self.second_order(hz, 20_000)[0])
            low, high = self.second_order(hz, 500)[0], self.second_order(hz, 4000)[1]
            for mix, wanted in ((0.0, low * high), (1.0, low + high), (0.5, 0.5 * (low * high + low + high))):
                got = peak(levels(sound({**at, "filter_mix": mix}, hz, **rest)), hz) / plain
                self.assertAlmostEqual(got, abs(wanted), delta=0.002, msg=f"{hz} {mix}")

    @staticmethod
    def second_order(hz: float, cutoff: float) -> tuple[complex, complex]:
        """The low-pass and the high-pass of Q 0.5 at a frequency, both frequencies bent as the bilinear design does."""
        s = 1j * math.tan(math.pi * hz / RATE) / math.tan(math.pi * cutoff / RATE)
        below = s * s + 2 * s + 1
        return 1 / below, s * s / below

    def test_echoes_come_at_the_note_value_and_lose_what_the_feedback_takes(self) -> None:
        hit = np.zeros((RATE * 2, 2))
        hit[0, 0] = 1.0
        settings = DelaySettings(time="1/8d", feedback=0.5, damp_hz=20_000.0)
        echoes = delay(hit, settings, Tempo(120), RATE)
        step = round(0.375 * RATE)
        sums = [np.abs(echoes[k * step : k * step + 200].sum(axis=0)).max() for k in range(1, 5)]
        np.testing.assert_allclose(sums, [1.0, 0.5, 0.25, 0.125], rtol=0.01)
        self.assertEqual(float(np.abs(echoes[:step]).max()), 0.0)

    def test_the_room_falls_by_60_db_in_its_decay(self) -> None:
        hit = np.zeros((RATE * 2, 2))
        hit[0] = 1.0
        tail = reverb(hit, ReverbSettings(decay_s=1.0, damp_hz=20_000.0), RATE)[:, 0]
        power = [10 * np.log10((tail[round(t * RATE) :][:4800] ** 2).mean()) for t in (0.2, 0.7)]
        self.assertAlmostEqual(power[1] - power[0], -30.0, delta=1.5)


if __name__ == "__main__":
    unittest.main()
