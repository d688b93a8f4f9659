"""LFOs, oscillators and clocks against closed forms; phase that never jumps."""

import unittest

import numpy as np
from numpy.typing import NDArray

from tests.support import RATE, Json, note, traced

Floats = NDArray[np.float64]


def lfo(performance: Json | None = None, **fields: object) -> Floats:
    modules = [{"id": "l", "kind": "lfo", **fields}]
    return traced(modules, performance=performance or note(2.0, 0.0), voice={"mode": "mono"}).signals["l"]


def exact_phase(count: int, hz: int, rate: int = RATE) -> Floats:
    """Phase in exact whole-number arithmetic, for rates that are whole numbers of hertz."""
    return (np.arange(count) * hz % rate) / rate


class Shapes(unittest.TestCase):
    def test_each_shape_at_every_sample(self) -> None:
        phase = exact_phase(2 * RATE, 7)
        wanted = {
            "sine": np.sin(2 * np.pi * phase),
            "triangle": 1 - np.abs(((phase + 0.75) % 1) * 4 - 2),
            "saw_up": 2 * phase - 1,
            "saw_down": 1 - 2 * phase,
            "square": np.where(phase < 0.5, 1.0, -1.0),
        }
        wanted["triangle"] = np.where(phase < 0.25, 4 * phase, np.where(phase < 0.75, 2 - 4 * phase, 4 * phase - 4))
        for shape, values in wanted.items():
            with self.subTest(shape=shape):
                np.testing.assert_allclose(lfo(shape=shape, rate=7), values, atol=1e-9)

    def test_jumps_fall_on_the_exact_sample(self) -> None:
        for hz in (3, 10, 25, 1000):
            y = lfo(shape="square", rate=hz, pulse_width=0.25)
            np.testing.assert_array_equal(y, np.where(exact_phase(2 * RATE, hz) < 0.25, 1.0, -1.0))

    def test_a_drawn_shape_follows_its_points(self) -> None:
        y = lfo(shape="drawn", rate=2, points=[[0, 0], [0.5, 1, 4], [1, -1]])
        phase = exact_phase(2 * RATE, 2)
        x = (phase - 0.5) / 0.5
        falling = 1 - 2 * (1 - np.exp(-4 * x)) / (1 - np.exp(-4))
        np.testing.assert_allclose(y, np.where(phase < 0.5, 2 * phase, falling), atol=1e-9)

    def test_unipolar_is_half_of_one_more(self) -> None:
        np.testing.assert_allclose(lfo(rate=3, polarity="unipolar"), (lfo(rate=3) + 1) / 2, atol=1e-12)

    def test_near_half_the_sample_rate(self) -> None:
        np.testing.assert_allclose(lfo(rate=23_999), np.sin(2 * np.pi * exact_phase(2 * RATE, 23_999)), atol=1e-8)


class Fading(unittest.TestCase):
    def test_delay_and_fade_multiply_the_output(self) -> None:
        t = np.arange(2 * RATE) / RATE
        gain = np.clip((t - 0.4) / 0.5, 0, 1)
        for polarity in ("bipolar", "unipolar"):
            steady = lfo(rate=5, polarity=polarity)
            faded = lfo(rate=5, polarity=polarity, delay_s=0.4, fade_in_s=0.5)
            np.testing.assert_allclose(faded, steady * gain, atol=1e-9)


class StartRules(unittest.TestCase):
    PLAYED: Json = {"notes": [{"start_s": 0, "length_s": 0.4}, {"start_s": 0.55, "length_s": 0.4}], "tail_s": 0.5}

    def setUp(self) -> None:
        self.on = round(0.55 * RATE)

    def test_note_restarts_at_each_note(self) -> None:
        y = lfo(self.PLAYED, rate=3, phase=0.2)
        np.testing.assert_allclose(y[self.on : self.on + 9000], y[:9000], atol=1e-9)

    def test_free_counts_from_time_0(self) -> None:
        y = lfo(self.PLAYED, rate=3, start="free")
        np.testing.assert_allclose(y, np.sin(2 * np.pi * exact_phase(y.size, 3)), atol=1e-9)

    def test_once_holds_the_last_value_of_its_cycle(self) -> None:
        y = lfo(self.PLAYED, rate=10, shape="saw_up", start="once")
        last = 2 * 4799 / 4800 - 1
        np.testing.assert_allclose(y[4800 : self.on], last, atol=1e-9)
        self.assertAlmostEqual(y[self.on], -1.0)

    def test_legato_does_not_restart_while_notes_overlap(self) -> None:
        played = {"notes": [{"start_s": 0, "length_s": 0.6}, {"start_s": 0.5, "length_s": 0.5}], "tail_s": 0.0}
        module = [{"id": "l", "kind": "lfo", "rate": 3}]
        legato = traced(module, performance=played, voice={"mode": "legato"}).signals["l"]
        mono = traced(module, performance=played, voice={"mode": "mono"}).signals["l"]
        np.testing.assert_allclose(legato, np.sin(2 * np.pi * exact_phase(legato.size, 3)), atol=1e-9)
        np.testing.assert_allclose(mono[24000:30000], mono[:6000], atol=1e-9)


class Rates(unittest.TestCase):
    def test_a_note_value_follows_the_tempo(self) -> None:
        played = {**note(2.0, 0.0), "tempo_bpm": 90}
        np.testing.assert_allclose(lfo(played, rate="1/8d"), lfo(rate=90 / 60 / 0.75), atol=1e-9)

    def test_a_moved_rate_never_makes_the_phase_jump(self) -> None:
        modules = [{"id": "sweep", "kind": "lfo", "rate": 1.3}, {"id": "l", "kind": "lfo", "rate": 20}]
        t = traced(modules, [{"source": "sweep", "destination": "l.rate", "amount": 5}])
        rate = 20 * 2 ** (5 * t.signals["sweep"])
        np.testing.assert_allclose(t.lanes["l.rate"].value, rate, rtol=1e-9)
        phase = np.concatenate([[0], np.cumsum(rate[:-1] / RATE)])
        np.testing.assert_allclose(t.signals["l"], np.sin(2 * np.pi * phase), atol=1e-7)


class Oscillators(unittest.TestCase):
    def test_it_tracks_the_note_the_pitch_or_nothing(self) -> None:
        cases = {"note": 220.0, "pitch": 440.0, "none": 100.0}
        for tracks, hz in cases.items():
            module = {"id": "o", "kind": "oscillator", "tracks": tracks, "hz": 100.0}
            y = traced([module], performance=note(key=57), voice={"base": {"pitch": 12}}).signals["o"]
            np.testing.assert_allclose(y, np.sin(2 * np.pi * hz * np.arange(y.size) / RATE), atol=1e-7)


class Clocks(unittest.TestCase):
    def pulses(self, **fields: object) -> list[int]:
        module = {"id": "c", "kind": "clock", **fields}
        y = traced([module], performance={**note(4.0, 0.0), "tempo_bpm": 120}).signals["c"]
        return np.flatnonzero(np.diff(y, prepend=0.0) > 0).tolist()

    def test_it_counts_from_time_0_in_beats(self) -> None:
        self.assertEqual(self.pulses(rate="1/4"), list(range(0, 4 * RATE, 24_000)))

    def test_divided_multiplied_and_delayed(self) -> None:
        self.assertEqual(self.pulses(rate="1/4", divide=3), list(range(0, 4 * RATE, 72_000)))
        self.assertEqual(self.pulses(rate="1/4", multiply=3), list(range(0, 4 * RATE, 8_000)))
        self.assertEqual(self.pulses(rate="1/4", delay=0.25), list(range(6_000, 4 * RATE, 24_000)))


if __name__ == "__main__":
    unittest.main()
