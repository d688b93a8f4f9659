"""Phrases that are typed, made to a pattern, and changed as a whole."""

import unittest
from fractions import Fraction
from itertools import pairwise

from pydantic import ValidationError

from jorvik.core.document.pattern import Pattern
from jorvik.core.document.phrase import PhraseNote
from jorvik.core.phrases.changes import changed, repeated
from jorvik.core.phrases.patterns import with_pattern
from jorvik.core.phrases.typed import phrase_of, typed_notes
from jorvik.core.problems import Problem
from tests.support import Json


class Typed(unittest.TestCase):
    def test_a_row_of_notes_rests_lengths_and_strengths(self) -> None:
        notes = typed_notes("v70 C3 1/8 E3 1/8d . G3 1/4 v112 C3,Eb3 1/2t")
        rows = [(n["key"], n["at"], n["length"], n["velocity"]) for n in notes]
        # An eighth, a dotted eighth, a rest as long as that, a quarter, two thirds of a half note.
        third = float(Fraction(2, 3) * 2)
        self.assertEqual(rows[:3], [(48, 0, 0.5, 70), (52, 0.5, 0.75, 70), (55, 2.0, 1.0, 112)])
        self.assertEqual([row[:2] for row in rows[3:]], [(48, 3.0), (51, 3.0)])
        self.assertAlmostEqual(rows[3][2], third)
        self.assertEqual(phrase_of(notes).bars, 2)

    def test_a_word_that_is_not_understood_is_named(self) -> None:
        for text, said in (("C3 1/8 H3", 'word 3 of the row: found "H3"'), ("C3 v128", "v128"), ("C3 1/0", "1/0")):
            with self.subTest(text=text), self.assertRaisesRegex(Problem, said):
                typed_notes(text)
        with self.assertRaisesRegex(Problem, "letters"):
            typed_notes("C3 " * 20_000)


def made(pattern: str, chord: tuple[float, ...], rate: str, bars: int, **fields: object) -> list[PhraseNote]:
    settings = Pattern.model_validate({"kind": pattern, "chord": list(chord), "rate": rate, **fields})
    return with_pattern(phrase_of([], bars=bars), settings).played


class Patterns(unittest.TestCase):
    def keys(self, pattern: str, **fields: object) -> list[float]:
        return [n.key for n in made(pattern, (60, 48, 55), "1/4", 2, **fields)]

    def test_each_order(self) -> None:
        self.assertEqual(self.keys("up"), [48, 55, 60, 48, 55, 60, 48, 55])
        self.assertEqual(self.keys("down")[:3], [60, 55, 48])
        self.assertEqual(self.keys("as played")[:3], [60, 48, 55])
        self.assertEqual(self.keys("up and down")[:5], [48, 55, 60, 55, 48])
        self.assertEqual(self.keys("up", octaves=2)[:6], [48, 55, 60, 60, 67, 72])
        self.assertEqual(self.keys("registers"), [48, 55, 60, 48, 60, 67, 72, 60])
        drawn = [self.keys("random", seed=seed) for seed in (1, 1, 2)]
        self.assertEqual(drawn[0], drawn[1])
        self.assertNotEqual(drawn[0], drawn[2])
        self.assertLessEqual(set(drawn[2]), {48, 55, 60})

    def test_gate_swing_and_accents(self) -> None:
        swung = made("up", (48,), "1/8", 1, gate=0.5, swing=2 / 3, velocities=[120, 60, 80])
        pairs = [note.at for note in swung]
        # The second of each pair of eighths comes two thirds of the quarter in.
        self.assertAlmostEqual(pairs[1], 2 / 3)
        self.assertAlmostEqual(pairs[3], 1 + 2 / 3)
        self.assertEqual([note.velocity for note in swung[:4]], [120, 60, 80, 120])
        self.assertEqual({note.length for note in swung}, {0.25})

    def test_strokes_are_spread_evenly(self) -> None:
        for strokes, steps in ((3, 8), (5, 8), (7, 16), (4, 4)):
            of = made("strokes", (48,), "1/16", 4, strokes=strokes, steps=steps)
            places = [round(note.at * 4) for note in of]
            self.assertEqual(len(places), 64 * strokes // steps)
            gaps = {b - a for a, b in pairwise(places)}
            # As even as whole steps allow: no two gaps differ by more than one.
            self.assertLessEqual(max(gaps) - min(gaps), 1)

    def test_long_stands_beside_short(self) -> None:
        of = made("long and short", (48, 55), "1/8", 1)
        self.assertGreater(of[0].length, 4 * of[1].length)
        self.assertAlmostEqual(of[1].at, 1.5)

    def test_what_no_phrase_can_be_made_to_is_said(self) -> None:
        for rate, said in (("fast", "1/16"), ("1/999", "steps"), ("1/64", "512")):
            with self.subTest(rate=rate), self.assertRaisesRegex(Problem, said):
                made("up", (48,), rate, 40)
        wrong: list[tuple[Json, str]] = [
            ({"kind": "sideways"}, "up"),
            ({"chord": []}, "chord"),
            ({"chord": [200]}, "127"),
            ({"gate": 2.0}, "0.01 to 1"),
            ({"strokes": 9}, "9 in 8"),
        ]
        for fields, said in wrong:
            with self.subTest(fields=fields), self.assertRaisesRegex(ValidationError, said):
                Pattern.model_validate(fields)

    def test_a_step_may_be_longer_than_a_bar(self) -> None:
        keys = [note.key for note in made("registers", (48, 55), "2/1", 6)]
        # A step, the first key of the chord, stands for a bar in each octave.
        self.assertEqual(keys, [48, 60, 36])


class Changes(unittest.TestCase):
    def test_repeated_is_the_same_a_phrase_later(self) -> None:
        of = phrase_of(
            typed_notes("C3 1/4 E3"),
            hits=[{"id": "a", "strikes": [{"at": 1.0}]}],
            controls={"pressure": [[0, 0], [4, 1]]},
        )
        twice = repeated(of, 2)
        self.assertEqual([n.at for n in twice.played], [0, 1, 4, 5])
        self.assertEqual([s.at for s in twice.hits[0].strikes], [1, 5])
        self.assertEqual(twice.controls["pressure"], [[0, 0], [4, 1], [4, 0], [8, 1]])
        self.assertEqual(twice.beats, 8)
        with self.assertRaises(Problem):
            repeated(of, 500)

    def test_some_notes_are_moved_transposed_and_stretched(self) -> None:
        of = phrase_of(typed_notes("C3 1/4 E3 G3"))
        moved = changed(of, notes=[1], shift=0.5, transpose=12)
        self.assertEqual([(n.key, n.at) for n in moved.played], [(48, 0), (64, 1.5), (55, 2)])
        self.assertEqual([(n.at, n.length) for n in changed(of, stretch=2.0).played], [(0, 2), (2, 2), (4, 2)])
        # Some are stretched from where the first of them begins; all take hits and lanes with them.
        some = changed(of, notes=[1, 2], stretch=2.0)
        self.assertEqual([(n.at, n.length) for n in some.played], [(0, 1), (1, 2), (3, 2)])
        hit = {"id": "thud", "strikes": [{"at": 1.0, "strength": 0.5}, {}]}
        whole = changed(phrase_of([], hits=[hit], controls={"pressure": [[2, 1]]}), shift=1.0, stretch=0.5)
        self.assertEqual([strike.at for strike in whole.hits[0].strikes], [1.5, 1.0])
        self.assertEqual(whole.controls["pressure"], [[2, 1]])
        with self.assertRaisesRegex(Problem, "at: found -3"):
            changed(of, shift=-3)

    def test_a_human_hand_stays_within_12_ms_and_9_and_comes_again_from_its_seed(self) -> None:
        of = phrase_of(typed_notes(" ".join(["C3 1/16"] * 64)), tempo_bpm=120)
        one, again, other = (changed(of, human_seed=seed) for seed in (4, 4, 5))
        self.assertEqual(one, again)
        self.assertNotEqual(one, other)
        apart = [(b.at - a.at) * 0.5 for a, b in zip(of.played, one.played, strict=True)]
        self.assertLessEqual(max(map(abs, apart)), 0.012 + 1e-12)
        self.assertGreater(max(apart) - min(apart), 0.008)
        self.assertLessEqual(max(abs(n.velocity - 96) for n in one.played), 9)


if __name__ == "__main__":
    unittest.main()
