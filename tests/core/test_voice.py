"""The sound: tuned, clean, shaped by its lanes, kept under the ceiling."""

import unittest
from itertools import combinations, pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.voice_settings import packed_samples
from jorvik.core.dsp.wavetables import FORMULAS, HARMONICS, mip_levels
from jorvik.core.engine.trace import trace
from jorvik.core.voice.limiter import CEILING_DB, limit
from jorvik.core.voice.render import render
from tests.support import RATE, Json, demos, note, patch

Floats = NDArray[np.float64]
OPEN: Json = {"cutoff": 20_000, "resonance": 0.0}


def sound(modules: list[Json] | None = None, routes: list[Json] | None = None, **rest: object) -> Floats:
    return render(patch(modules, routes, **rest)).samples


def spectrum(samples: Floats) -> tuple[Floats, Floats]:
    """Frequencies, and levels in dB under the strongest."""
    window = signal.windows.blackmanharris(samples.size)
    size = np.abs(np.fft.rfft(samples * window))
    return np.asarray(np.fft.rfftfreq(samples.size, 1 / RATE)), np.asarray(20 * np.log10(size / size.max() + 1e-15))


class Tone(unittest.TestCase):
    def test_it_is_tuned_and_has_its_tables_harmonics(self) -> None:
        voice = {"base": {**OPEN, "wavetable_position": 1.0}, "oscillators": {"osc1": {"table": "hollow"}}}
        y = sound(performance=note(1.1, 0.0, key=57), voice=voice)[4800:52_800, 0]
        f, level = spectrum(y)
        for h in range(1, 8):
            near = level[np.abs(f - 220 * h) < 4].max()
            if h % 2:
                self.assertAlmostEqual(near, -20 * np.log10(h), delta=0.3)
            else:
                self.assertLess(near, -80)

    def test_no_alias_over_the_keyboard(self) -> None:
        for key in (33, 57, 81, 96, 105):
            voice = {"base": {**OPEN, "wavetable_position": 1.0}, "oscillators": {"osc1": {"table": "ladder"}}}
            y = sound(performance=note(1.1, 0.0, key=key), voice=voice)[4800:52_800, 0]
            f, level = spectrum(y)
            tone = 440 * 2 ** ((key - 69) / 12)
            off = np.abs(f / tone - np.round(f / tone)) * tone
            self.assertLess(level[(off > 12) & (f > 20)].max(), -60, f"key {key}")

    def test_every_table_is_finite_and_its_levels_thin_out(self) -> None:
        for name in FORMULAS:
            levels = mip_levels(name)
            self.assertTrue(np.isfinite(levels).all())
            for k in range(levels.shape[0]):
                spectra = np.abs(np.fft.rfft(levels[k], axis=1))
                self.assertLessEqual(spectra[:, (HARMONICS >> k) + 1 :].max(), 1e-9 * spectra.max())

    def test_pitch_lane_is_recovered_from_the_sound(self) -> None:
        bend = {"id": "b", "kind": "lfo", "shape": "saw_up", "rate": 1, "polarity": "unipolar"}
        routes = [{"source": "b", "destination": "pitch", "amount": 12}]
        y = sound([bend], routes, performance=note(1.0, 0.0, key=57), voice={"base": OPEN})[:, 0]
        analytic = signal.hilbert(y)
        hz = np.diff(np.unwrap(np.angle(analytic))) * RATE / (2 * np.pi)
        at = np.arange(hz.size) / RATE
        middle = (at > 0.1) & (at < 0.9)
        np.testing.assert_allclose(hz[middle], 220 * 2 ** at[middle], rtol=0.01)

    def test_amplitude_lane_is_recovered_from_the_sound(self) -> None:
        module = {"id": "e", "kind": "envelope", "attack_s": 0.3, "decay_s": 0.3, "sustain": 0.5, "release_s": 0.2}
        routes = [{"source": "e", "destination": "amplitude", "mode": "scale", "amount": 1}]
        of = patch([module], routes, performance=note(0.8, 0.3, key=81), voice={"base": OPEN})
        lane = trace(of).lanes["amplitude"].value
        y = np.abs(signal.hilbert(render(of).samples[:, 0]))
        steady = 0.3 * np.sqrt(2)
        inside = slice(2000, lane.size - 2000)
        self.assertLess(np.abs(y / steady - lane)[inside].max(), 0.02)


class Shaping(unittest.TestCase):
    def test_the_filter_has_its_slopes(self) -> None:
        for slope, per_octave in (("gentle", 12), ("steep", 24)):
            levels = []
            for cutoff in (250, 500):
                voice = {"base": {"cutoff": cutoff}, "filter": {"slope": slope}}
                y = sound(performance=note(0.6, 0.0, key=105), voice=voice)[14_400:, 0]
                levels.append(20 * np.log10(np.sqrt((y**2).mean())))
            self.assertAlmostEqual(levels[1] - levels[0], per_octave, delta=0.7)

    def test_it_stays_stable_under_the_wildest_cutoff(self) -> None:
        wild = {"id": "w", "kind": "oscillator", "tracks": "none", "hz": 3000.0}
        routes = [{"source": "w", "destination": "cutoff", "amount": 60}]
        voice = {"base": {"cutoff": 600, "resonance": 1.0, "wavetable_position": 1.0}}
        y = sound([wild], routes, performance=note(1.0, 0.0), voice=voice)
        self.assertTrue(np.isfinite(y).all())
        self.assertLessEqual(np.abs(y).max(), 1.0)

    def test_pan_keeps_the_power(self) -> None:
        for pan in (-1.0, -0.3, 0.0, 0.8):
            y = sound(performance=note(0.5, 0.0), voice={"base": {**OPEN, "pan": pan}})
            power = (y**2).sum(axis=1).mean()
            self.assertAlmostEqual(power, 2 * 0.09, delta=0.005)

    def test_an_amplifier_that_nothing_moves_follows_the_gate(self) -> None:
        y = sound(performance=note(0.2, 0.3, start_s=0.1), voice={"base": OPEN})[:, 0]
        self.assertEqual(np.abs(y[:4800]).max(), 0)
        self.assertGreater(np.abs(y[5000:14_000]).max(), 0.3)
        # What is left is the output's high-pass at 5 Hz coming to rest: e^(-2 pi 5 t), 60 dB down 0.22 s later.
        self.assertLess(np.abs(y[14_400 + 200 :]).max(), 1e-3)
        self.assertLess(np.abs(y[-200:]).max(), 1e-6)

    def test_each_voice_of_a_chord_is_there(self) -> None:
        notes = [{"key": key, "start_s": 0, "length_s": 1.0, "velocity": 90} for key in (57, 61, 64)]
        y = sound(performance={"notes": notes, "tail_s": 0}, voice={"base": OPEN})[:, 0]
        f, level = spectrum(y)
        for key in (57, 61, 64):
            self.assertGreater(level[np.abs(f - 440 * 2 ** ((key - 69) / 12)) < 3].max(), -3)

    def test_every_destination_is_heard(self) -> None:
        base = {"cutoff": 3000, "resonance": 0.4, "wavetable_position": 0.3, "osc1_level": 0.6, "amplitude": 0.4}
        base |= {"osc2_level": 0.3, "osc2_pitch": 7, "filter2_cutoff": 900, "fm_index": 0.5, "stereo_spread": 0.2}
        base |= {"detune": 15, "filter_mix": 0.3, "pulse_width": 0.3, "osc2_pulse_width": 0.3, "sub_level": 0.2}
        base |= {"peak1_gain": 6, "peak2_gain": -6, "signal_level": 0.1, "osc2_wavetable_position": 0.9}
        wave = {"id": "w", "kind": "lfo", "rate": 300.0}
        recording = {"samples": packed_samples(np.sin(np.arange(RATE // 2) * 0.05))}
        pulses = {"osc1": {"table": "pulse"}, "osc2": {"table": "pulse"}, "unison": 3, "recording": recording}
        for name, at in VOICE.items():
            other = {**base, name: 0.5 * (at.low + at.high) if at.low != -at.high else 0.6 * at.high}
            if at.unit == "Hz":
                other[name] = 5000.0
            voices = [{"base": b, "oscillators": pulses, "signal": "w"} for b in (base, other)]
            still, changed = (sound([wave], performance=note(0.4, 0.0), voice=voice) for voice in voices)
            self.assertGreater(np.abs(changed - still).max(), 0.005, name)


class Limiter(unittest.TestCase):
    def test_it_keeps_the_ceiling_and_says_what_it_took(self) -> None:
        t = np.arange(RATE) / RATE
        loud = np.stack([3.0 * np.sin(2 * np.pi * 100 * t)] * 2, axis=1)
        limited = limit(loud, RATE)
        ceiling = 10 ** (CEILING_DB / 20)
        self.assertLessEqual(np.abs(limited.samples).max(), ceiling + 1e-12)
        self.assertAlmostEqual(limited.taken_db, 20 * np.log10(3.0 / ceiling), delta=0.01)

    def test_it_leaves_quiet_sound_alone(self) -> None:
        quiet = np.full((1000, 2), 0.5)
        limited = limit(quiet, RATE)
        self.assertIs(limited.samples, quiet)
        self.assertEqual(limited.taken_db, 0.0)


class Demos(unittest.TestCase):
    def test_each_sounds_and_none_is_like_another(self) -> None:
        means: dict[str, Floats] = {}
        for name, doc in demos().items():
            y = render(patch(**{k: v for k, v in doc.items() if k not in ("format", "version")})).samples
            self.assertGreater(np.abs(y).max(), 0.05, name)
            self.assertLessEqual(np.abs(y).max(), 10 ** (CEILING_DB / 20) + 1e-9)
            if "Frost Fair" not in doc["tags"]:
                continue
            size = np.abs(np.fft.rfft(y[:48_000, 0], 48_000))
            bands = np.array([size[a:b].sum() for a, b in pairwise(np.geomspace(20, 20_000, 30).astype(int))])
            means[name] = np.log(bands / bands.sum() + 1e-6)
        self.assertGreaterEqual(len(means), 8)
        for a, b in combinations(means, 2):
            # On average over the spectrum, and beyond one plain level: a third of an octave band differs by this much.
            self.assertGreater(float(np.abs(means[a] - means[b]).mean()), 0.35, f"{a} is like {b}")


if __name__ == "__main__":
    unittest.main()
