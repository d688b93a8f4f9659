"""Loops: whole periods of what repeats, none where nothing does."""

import unittest

import numpy as np

from jorvik.core.analysis.loops import find_loop
from jorvik.core.dsp.kernels import Floats

RATE = 48_000
T = np.arange(2 * RATE) / RATE


def both(mono: Floats) -> Floats:
    return np.repeat(mono[:, None], 2, axis=1)


def partials(hertz: float, count: int = 12) -> Floats:
    return np.sum([np.sin(2 * np.pi * hertz * n * T + n) / n for n in range(1, count)], axis=0)


class Loops(unittest.TestCase):
    def test_a_steady_tone_loops_over_whole_periods(self) -> None:
        for hertz in (55.0, 110.0, 261.63, 480.0, 987.77):
            with self.subTest(hertz=hertz):
                loop = find_loop(both(partials(hertz)), RATE, hertz, 2.0)
                assert loop is not None
                periods = (loop.end - loop.start) * hertz / RATE
                self.assertLess(abs(periods - round(periods)) * RATE / hertz, 0.5)
                self.assertGreater(loop.correlation, 0.9995)

    def test_played_over_and_over_it_has_no_seam(self) -> None:
        sound = partials(220.0)
        loop = find_loop(both(sound), RATE, 220.0, 2.0)
        assert loop is not None
        again = np.concatenate([sound[: loop.end], *[sound[loop.start : loop.end]] * 3])
        steps = np.abs(np.diff(again))
        at_seam = max(steps[loop.end - 1 + n * (loop.end - loop.start)] for n in range(3))
        self.assertLess(at_seam, 1.05 * np.abs(np.diff(sound)).max())

    def test_slow_beating_is_looped_over_the_beat_or_not_at_all(self) -> None:
        beating = np.sin(2 * np.pi * 200.0 * T) + np.sin(2 * np.pi * 204.0 * T)
        loop = find_loop(both(beating), RATE, 200.0, 2.0)
        self.assertIsNone(loop)  # Its level goes up and down: a seam is not all that is heard.

    def test_what_settles_into_nothing_has_none(self) -> None:
        noise = np.random.default_rng(3).standard_normal(len(T))
        for name, sound in (
            ("noise", noise),
            ("falling", partials(110.0) * np.exp(-3.0 * T)),
            ("silence", np.zeros(len(T))),
            ("too short", partials(110.0)[:2000]),
        ):
            with self.subTest(name):
                self.assertIsNone(find_loop(both(sound), RATE, 110.0, len(sound) / RATE))

    def test_it_ends_before_the_key_is_let_go(self) -> None:
        loop = find_loop(both(partials(220.0)), RATE, 220.0, 0.8)
        assert loop is not None
        self.assertLessEqual(loop.end, round(0.8 * RATE))


if __name__ == "__main__":
    unittest.main()
