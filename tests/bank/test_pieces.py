"""What a work is cut into: each piece told by content, settings and version, and by nothing else."""

import unittest
from typing import Any

from jorvik.bank.pieces import plan
from jorvik.bank.settings import BankSettings, typed_notes
from jorvik.core.problems import Problem
from jorvik.formats.archive import Entry
from tests.support import Json, document, note


def settings(work: str = "measure", **more: Any) -> BankSettings:
    return BankSettings.model_validate({"work": work, **more})


def entries(*documents: Json) -> list[Entry]:
    return [Entry(f"{n}.json", one) for n, one in enumerate(documents)]


BELL = document(name="Bell", performance=note(0.5, tail_s=0.25))
TIDE: Json = {"format": "jorvik-phrase", "version": 1, "name": "Tide", "tempo_bpm": 60.0, "bars": 1}


class Pieces(unittest.TestCase):
    def ids(self, *documents: Json, **more: Any) -> list[str]:
        return [piece.id for piece in plan(entries(*documents), settings(**more)).pieces]

    def test_each_patch_at_each_setting_is_one(self) -> None:
        made = plan(entries(BELL, BELL), settings(keys=[36, 48, 60], velocities=[40, 118], seeds=[1, 2]))
        self.assertEqual(len(made.pieces), 2 * 3 * 2 * 2)
        self.assertEqual(len({piece.id for piece in made.pieces}), 24)
        self.assertEqual(len({piece.stem for piece in made.pieces}), 24)
        first = made.pieces[0].performed()
        self.assertEqual((first.performance.notes[0].key, first.performance.notes[0].velocity), (36.0, 40.0))
        self.assertEqual(first.performance.seed, 1)

    def test_a_work_of_too_many_pieces_is_refused_before_any_is_made(self) -> None:
        many: Json = {"keys": list(range(128)), "velocities": list(range(1, 128)), "seeds": list(range(128))}
        with self.assertRaisesRegex(Problem, "2080768 pieces"):
            plan(entries(BELL), settings(**many))

    def test_the_same_again_is_the_same_and_anything_else_another(self) -> None:
        once = self.ids(BELL)
        self.assertEqual(self.ids(BELL), once)
        self.assertEqual(self.ids({**BELL, "notes": "said", "tags": ["x"]}), once)
        for other in (
            self.ids({**BELL, "voice": {"base": {"cutoff": 900.0}}}),
            self.ids(BELL, velocities=[64]),
            self.ids(BELL, rate=44_100),
            self.ids(BELL, work="render"),
            self.ids(BELL, phrases=[TIDE]),
        ):
            self.assertNotEqual(other, once)

    def test_what_makes_no_difference_to_a_work_makes_no_other_piece(self) -> None:
        self.assertEqual(self.ids(BELL), self.ids(BELL, steps=7, of="resonance"))
        self.assertEqual(len(self.ids(BELL, work="sheet", keys=[36, 48])), 1)

    def test_it_plans_how_long_and_how_large(self) -> None:
        made = plan(entries(BELL), settings("render", lengths_s=[1.0, 2.0], rate=48_000, depth="16"))
        self.assertAlmostEqual(made.seconds, 1.25 + 2.25)
        self.assertAlmostEqual(made.file_bytes, 3.5 * 48_000 * 2 * 2)
        under = plan(entries(BELL), settings("render", phrases=[TIDE]))
        self.assertAlmostEqual(under.seconds, 4.0 + 0.25)

    def test_what_is_no_patch_is_left_alone_and_what_is_broken_is_named(self) -> None:
        broken = document(voice={"base": {"cutoff": -1.0}})
        made = plan([*entries(BELL, TIDE, broken), Entry("x.json", None, "x.json: no JSON")], settings())
        self.assertEqual(len(made.pieces), 1)
        self.assertEqual([entry.document is None for entry in made.unfit], [True, False, False])
        self.assertIn("a phrase", made.unfit[0].trouble)
        self.assertIn("cutoff", made.unfit[1].trouble)
        self.assertEqual(made.unfit[2].trouble, "x.json: no JSON")

    def test_notes_are_typed_with_commas_and_units(self) -> None:
        typed = {"keys": "C2, F#3", "velocities": "40,118", "lengths": "250ms, 1s", "seeds": "1, 2, 3"}
        made = BankSettings.model_validate({"work": "measure", **typed_notes(typed)})
        self.assertEqual((made.keys, made.velocities), ([36.0, 54.0], [40.0, 118.0]))
        self.assertEqual((made.lengths_s, made.seeds), ([0.25, 1.0], [1, 2, 3]))
        self.assertEqual(len(plan(entries(BELL), made).pieces), 2 * 2 * 2 * 3)
        with self.assertRaisesRegex(Problem, "--keys"):
            typed_notes({"keys": "C2, H9"}, "--")

    def test_bad_settings_are_refused(self) -> None:
        with self.assertRaisesRegex(Problem, "the machine card"):
            plan(entries(BELL), settings("card"))
        with self.assertRaises(Problem):
            plan(entries(BELL), settings(phrases=[{"format": "other"}]))
        for bad in ({"keys": [128]}, {"velocities": [-1]}, {"lengths_s": [0]}, {"steps": 1}, {"other": 1}):
            with self.assertRaises(ValueError):
                settings(**bad)


if __name__ == "__main__":
    unittest.main()
