"""The bend: its ends, its order, its mirror, and no seam where the way of computing it changes."""

import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from jorvik.core.dsp.bend import bend, bend_signed

BENDS = st.floats(-12, 12)
SHARES = st.floats(0, 1)


class Bend(unittest.TestCase):
    @given(BENDS)
    def test_it_runs_from_0_to_1(self, k: float) -> None:
        self.assertEqual(bend(0.0, k), 0.0)
        self.assertAlmostEqual(bend(1.0, k), 1.0, places=12)

    @given(BENDS, SHARES, SHARES)
    def test_it_never_falls(self, k: float, a: float, b: float) -> None:
        self.assertLessEqual(bend(min(a, b), k), bend(max(a, b), k) + 1e-12)

    @given(BENDS, SHARES)
    def test_the_opposite_bend_is_its_mirror(self, k: float, x: float) -> None:
        self.assertAlmostEqual(bend(x, -k), 1 - bend(1 - x, k), places=10)

    @given(SHARES)
    def test_there_is_no_seam_towards_a_straight_line(self, x: float) -> None:
        for k in (1e-12, 1e-6, 0.999e-3, 1.001e-3):
            second_order = x + k * x * (1 - x) / 2
            self.assertAlmostEqual(bend(x, k), second_order, delta=1e-6 * 0.2 + 1e-15)
        self.assertEqual(bend(x, 0.0), x)

    def test_above_0_it_is_quick_at_first(self) -> None:
        self.assertAlmostEqual(bend(0.5, 4.0), 1 / (1 + math.exp(-2)), places=12)
        self.assertLess(bend(0.5, -4.0), 0.5)

    def test_past_its_end_it_goes_on_straight(self) -> None:
        for k in (-12.0, -3.0, 0.5, 12.0):
            with self.subTest(k=k):
                slope = (bend(1.0, k) - bend(1.0 - 1e-7, k)) / 1e-7
                self.assertAlmostEqual(bend(3.0, k), 1.0 + 2.0 * slope, delta=1e-4 * max(1.0, slope))
                self.assertAlmostEqual(bend(1e6, k) - bend(1e6 - 1.0, k), slope, delta=1e-4 * max(1.0, slope))
        self.assertAlmostEqual(bend_signed(-3.0, 2.0), -bend_signed(3.0, 2.0))

    @given(BENDS, st.floats(-1, 1))
    def test_signed_it_is_odd(self, k: float, x: float) -> None:
        self.assertEqual(bend_signed(-x, k), -bend_signed(x, k))


if __name__ == "__main__":
    unittest.main()
