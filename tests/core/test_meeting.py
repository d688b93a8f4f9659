"""When sources meet, by counting."""

import unittest

import numpy as np

from jorvik.core.figures import KINDS
from jorvik.core.measure.context import Context
from jorvik.core.measure.meeting import meet, periods
from tests.support import Json, note, patch


def moving(*rates: float | str) -> Context:
    lfos: list[Json] = [{"id": f"l{i}", "kind": "lfo", "rate": rate} for i, rate in enumerate(rates)]
    routes = [{"source": lfo["id"], "destination": "cutoff", "amount": 3} for lfo in lfos]
    return Context(patch(lfos, routes, performance=note(1.0, 0.0, tempo_bpm=90)))


class Meeting(unittest.TestCase):
    def test_note_values_meet_where_counting_in_triplet_sixteenths_first_finds_them(self) -> None:
        of = moving("1/4", "3/8", "1/8t")
        together = meet(periods(of), 60 / 90, 4)
        assert together is not None
        # A twenty-fourth of a quarter note divides them all: 24, 36 and 8 of them.
        counted = next(n for n in range(1, 10_000) if n % 24 == n % 36 == n % 8 == 0)
        self.assertAlmostEqual(together.beats, counted / 24, places=12)
        self.assertAlmostEqual(together.seconds, counted / 24 * 60 / 90, places=12)
        self.assertTrue(together.is_exact)

    def test_free_rates_meet_where_all_phases_are_near_a_whole_turn(self) -> None:
        rates = (0.31, 0.47, 0.83)
        together = meet(periods(moving(*rates)), 60 / 90, 4)
        assert together is not None
        turns = np.arange(1, 2000) / rates[0]
        near = [t for t in turns if all(abs(t * r - round(t * r)) <= 0.01 for r in rates)]
        self.assertAlmostEqual(together.seconds, near[0], places=6)
        self.assertFalse(together.is_exact)

    def test_what_does_not_meet_within_an_hour_is_said(self) -> None:
        [first, *_] = KINDS["sources_meet"](moving(0.001, 0.001 * 2**0.5, 0.001 * 3**0.5))
        self.assertEqual(first.said, "not within an hour")

    def test_alike_alone_moved_or_too_fast_there_is_nothing_to_meet(self) -> None:
        for of in (moving(2.0), moving("1/4", "1/4"), moving(2.0, 440.0)):
            self.assertEqual(list(KINDS["sources_meet"](of)), [])


if __name__ == "__main__":
    unittest.main()
