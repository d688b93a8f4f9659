"""The envelope against its closed form, stage by stage, in every mode."""

import math
import unittest

import numpy as np
from numpy.typing import NDArray

from tests.support import RATE, Json, note, traced

Floats = NDArray[np.float64]


def bent(x: Floats, k: float) -> Floats:
    """B(x, k) as it is written in the model."""
    return x if k == 0 else (1 - np.exp(-k * x)) / (1 - math.exp(-k))


def envelope(length_s: float = 1.0, tail_s: float = 0.5, played: Json | None = None, **fields: object) -> Floats:
    """The trace of one envelope over one note, or over the performance given."""
    module = {"id": "e", "kind": "envelope", **fields}
    voice = {"mode": "mono"} if played else {}
    return traced([module], performance=played or note(length_s, tail_s), voice=voice).signals["e"]


def times(samples: Floats) -> Floats:
    return np.arange(samples.size) / RATE


STAGES: Json = {"delay_s": 0.02, "attack_s": 0.1, "hold_s": 0.05, "decay_s": 0.2, "sustain": 0.4, "release_s": 0.3}


class Gate(unittest.TestCase):
    def test_every_stage_follows_its_bend(self) -> None:
        y = envelope(attack_bend=3.0, decay_bend=-2.0, release_bend=5.0, **STAGES)
        t = times(y)
        wanted = np.select(
            [t < 0.02, t < 0.12, t < 0.17, t < 0.37, t < 1.0, t < 1.3],
            [
                np.zeros_like(t),
                bent((t - 0.02) / 0.1, 3.0),
                np.ones_like(t),
                1 - 0.6 * bent((t - 0.17) / 0.2, -2.0),
                np.full_like(t, 0.4),
                0.4 * (1 - bent((t - 1.0) / 0.3, 5.0)),
            ],
            0.0,
        )
        np.testing.assert_allclose(y, wanted, atol=1e-9)

    def test_stages_that_end_between_samples_keep_continuous_time(self) -> None:
        attack, decay = 0.01003, 0.02007
        y = envelope(attack_s=attack, decay_s=decay, sustain=0.0)
        t = times(y)
        falling = (t > attack) & (t < attack + decay)
        np.testing.assert_allclose(y[falling], 1 - (t[falling] - attack) / decay, atol=1e-9)

    def test_note_off_in_each_stage_releases_from_where_it_is(self) -> None:
        for length in (0.01, 0.07, 0.14, 0.27, 0.9):
            with self.subTest(length=length):
                held = envelope(length_s=2.0, **STAGES)
                y = envelope(length_s=length, **STAGES)
                off = round(length * RATE)
                level = held[off]
                t = np.arange(y.size - off) / RATE
                wanted = np.where(t < 0.3, level * (1 - t / 0.3), 0.0)
                np.testing.assert_allclose(y[off:], wanted, atol=1e-9)
                np.testing.assert_array_equal(y[:off], held[:off])

    def test_stages_of_no_length_take_no_sample(self) -> None:
        y = envelope(delay_s=0, attack_s=0, hold_s=0, decay_s=0, sustain=0.3, release_s=0)
        np.testing.assert_array_equal(y[:RATE], 0.3)
        np.testing.assert_array_equal(y[RATE:], 0.0)

    def test_a_delay_longer_than_the_note_is_silence(self) -> None:
        np.testing.assert_array_equal(envelope(length_s=0.2, delay_s=0.5), 0.0)

    def test_velocity_depth_scales_the_whole(self) -> None:
        full = envelope(**STAGES)
        soft = envelope(played=note(1.0, 0.5, velocity=32), velocity_depth=0.75, **STAGES)
        np.testing.assert_allclose(soft, full * (1 - 0.75 + 0.75 * 32 / 127), atol=1e-12)


class Trigger(unittest.TestCase):
    def test_it_runs_through_deaf_to_note_off(self) -> None:
        short = envelope(length_s=0.05, tail_s=1.0, mode="trigger", **STAGES)
        long = envelope(length_s=0.9, tail_s=0.15, mode="trigger", **STAGES)
        np.testing.assert_array_equal(short, long)
        t = times(short)
        release = (t >= 0.37) & (t < 0.67)
        np.testing.assert_allclose(short[release], 0.4 * (1 - (t[release] - 0.37) / 0.3), atol=1e-9)


class Loop(unittest.TestCase):
    def test_it_repeats_from_sustain_while_held(self) -> None:
        y = envelope(mode="loop", attack_s=0.1, decay_s=0.1, sustain=0.5, release_s=0.1, length_s=1.05)
        t = times(y)
        phase = t[(t >= 0.2) & (t < 1.05)] % 0.2
        wanted = np.where(phase < 0.1, 0.5 + 5.0 * phase, 1 - 5.0 * (phase - 0.1))
        np.testing.assert_allclose(y[(t >= 0.2) & (t < 1.05)], wanted, atol=1e-9)

    def test_note_off_in_mid_stage_releases(self) -> None:
        y = envelope(mode="loop", attack_s=0.1, decay_s=0.1, sustain=0.5, release_s=0.1, length_s=1.05)
        off = round(1.05 * RATE)
        self.assertAlmostEqual(y[off], 0.75, places=9)
        np.testing.assert_allclose(y[off : off + 4800], 0.75 * (1 - np.arange(4800) / 4800), atol=1e-9)

    def test_a_loop_goes_on_when_its_length_comes_back(self) -> None:
        """A square takes the decay away for a quarter of a second at a time."""
        modules = [
            {"id": "e", "kind": "envelope", "mode": "loop", "attack_s": 0, "decay_s": 0.1, "sustain": 0.25},
            {"id": "l", "kind": "lfo", "shape": "square", "rate": 2},
        ]
        routes = [{"source": "l", "destination": "e.decay_s", "amount": 0.1, "polarity": "as_is"}]
        y = traced(modules, routes, performance=note(1.0)).signals["e"]
        t = times(y)
        self.assertTrue(np.isfinite(y).all())
        resting = (t > 0.46) & (t < 0.5)
        np.testing.assert_array_equal(y[resting], 0.25)
        again = (t >= 0.5) & (t < 0.7)
        np.testing.assert_allclose(y[again], 1 - 0.75 * (t[again] - 0.5) / 0.2, atol=1e-9)

    def test_a_loop_shorter_than_a_sample_passes_whole_turns(self) -> None:
        for turn in (1e-5, 3e-9, 1e-12, 5e-324):
            with self.subTest(turn=turn):
                y = envelope(0.02, mode="loop", attack_s=0, decay_s=turn, sustain=0.5)
                self.assertTrue(np.isfinite(y).all())
                self.assertTrue(((y >= 0.0) & (y <= 1.0)).all())
        y = envelope(0.02, mode="loop", attack_s=0, decay_s=1e-5, sustain=0.5)
        held = times(y)[: int(0.02 * RATE)]
        np.testing.assert_allclose(y[: held.size], 1 - 0.5 * ((held + 1e-10) / 1e-5 % 1.0), atol=1e-4)

    def test_a_loop_of_no_length_rests_at_sustain(self) -> None:
        y = envelope(mode="loop", attack_s=0, hold_s=0, decay_s=0, sustain=0.25)
        np.testing.assert_array_equal(y[:RATE], 0.25)


class Retrigger(unittest.TestCase):
    PLAYED: Json = {"notes": [{"start_s": 0, "length_s": 0.3}, {"start_s": 0.4, "length_s": 0.3}], "tail_s": 0.1}

    def shaped(self, restart: str) -> Floats:
        fields: Json = {"attack_s": 0.1, "decay_s": 0.1, "sustain": 0.8, "release_s": 0.4, "restart": restart}
        return envelope(played=self.PLAYED, **fields)

    def test_from_zero(self) -> None:
        y = self.shaped("zero")
        on = round(0.4 * RATE)
        np.testing.assert_allclose(y[on : on + 4800], np.arange(4800) / 4800, atol=1e-9)

    def test_from_the_current_value(self) -> None:
        y = self.shaped("current")
        on = round(0.4 * RATE)
        level = 0.8 * (1 - 0.1 / 0.4)
        np.testing.assert_allclose(y[on : on + 4800], level + (1 - level) * np.arange(4800) / 4800, atol=1e-9)


class Moved(unittest.TestCase):
    def test_a_time_is_read_when_its_stage_begins(self) -> None:
        modules = [
            {"id": "ramp", "kind": "lfo", "shape": "saw_up", "rate": 0.5, "polarity": "unipolar"},
            {"id": "e", "kind": "envelope", "attack_s": 0.2, "decay_s": 0.1, "sustain": 0},
        ]
        routes = [{"source": "ramp", "destination": "e.decay_s", "amount": 1.0}]
        y = traced(modules, routes).signals["e"]
        decay = 0.1 + 0.2 * 0.5
        t = times(y)
        falling = (t >= 0.2) & (t < 0.2 + decay)
        np.testing.assert_allclose(y[falling], 1 - (t[falling] - 0.2) / decay, atol=1e-9)

    def test_velocity_shortens_the_attack(self) -> None:
        module = {"id": "e", "kind": "envelope", "attack_s": 0.3, "sustain": 1.0}
        routes = [{"source": "velocity", "destination": "e.attack_s", "amount": -0.25}]
        for velocity in (0, 64, 127):
            y = traced([module], routes, performance=note(velocity=velocity)).signals["e"]
            attack = 0.3 - 0.25 * velocity / 127
            self.assertEqual(int(np.argmax(y >= 1.0)), math.ceil(round(attack * RATE, 6)))


if __name__ == "__main__":
    unittest.main()
