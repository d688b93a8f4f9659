"""One table, whatever became of the pieces; what stands out and what moved; levels; maps that sound one sample each."""

import csv
import io
import json
import re
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

import pyarrow.parquet

from jorvik.bank.against import moved
from jorvik.bank.doing import DONE, FAILED, Row
from jorvik.bank.finishing import exit_code, finish, levelled
from jorvik.bank.pieces import Plan, plan
from jorvik.bank.results import Record, read_table, records
from jorvik.bank.settings import BankSettings
from jorvik.bank.summary import outliers
from jorvik.core.document.patch import check_patch
from jorvik.core.measure.sound import loudness
from jorvik.core.problems import Problem
from jorvik.core.voice.render import render
from jorvik.formats.archive import Entry
from jorvik.formats.sfz import Mapped, read_sfz, sfz_text, spans, unsounded
from tests.support import document


def planned(work: str, count: int, **more: Any) -> Plan:
    entries = [
        Entry(f"{n}.json", document(name=f"P{n}", voice={"base": {"amplitude": 0.5, "cutoff": 300.0 + n}}))
        for n in range(count)
    ]
    return plan([*entries, Entry("x.json", None, "x.json: no JSON")], BankSettings(work=work, **more))


class Tables(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_texts_of_the_user_are_texts_in_the_table_whatever_they_begin_with(self) -> None:
        names = ["[brackets", "{braces}", "=1+1", "+2", "-3", "@x", "two\nlines", '"quoted"']
        entries = [Entry(f"{n}.json", document(name=name)) for n, name in enumerate(names)]
        made = plan(entries, BankSettings(work="check"))
        rows = {one.id: Row(one.id, DONE, figures={"rules": ["click"]}, files=["a.wav"]) for one in made.pieces}
        finish(made, rows, self.folder)
        read = read_table(self.folder)
        self.assertEqual([row["patch"] for row in read], names)
        self.assertEqual([row["rules"] for row in read], [["click"]] * len(names))
        with (self.folder / "results.csv").open(newline="") as file:
            cells = [row["patch"] for row in csv.DictReader(file)]
        # No spreadsheet takes them for formulas, and all else stands as it was typed.
        self.assertEqual(cells, [f"'{name}" if name[0] in "=+-@" else name for name in names])
        self.assertEqual({path.stat().st_mode & 0o077 for path in self.folder.iterdir()}, {0})

    def test_a_name_of_two_lines_is_one_line_of_a_map(self) -> None:
        text = sfz_text("Night\n<region> sample=x", [Mapped("a.wav", 60, 0, 127, 1, 127)])
        self.assertEqual([one.file for one in read_sfz(text)], ["a.wav"])

    def test_every_piece_has_a_row_that_says_what_became_of_it(self) -> None:
        made = planned("check", 3)
        first, second, _ = made.pieces
        rows = {
            first.id: Row(first.id, DONE, figures={"faults": 1, "rules": ["click"], "share": 0.5}, files=["a.wav"]),
            second.id: Row(second.id, FAILED, "It needs more, and says so."),
        }
        found = finish(made, rows, self.folder)
        states = [record["state"] for record in found]
        self.assertEqual(states, [DONE, FAILED, "set aside", FAILED])
        self.assertEqual(found[2]["said"], "Stopped before it was reached.")
        with (self.folder / "results.csv").open() as file:
            from_csv = list(csv.DictReader(file))
        from_parquet = pyarrow.parquet.read_table(self.folder / "results.parquet").to_pylist()
        self.assertEqual([row["said"] for row in from_csv], [row["said"] for row in from_parquet])
        self.assertEqual(read_table(self.folder)[0]["rules"], ["click"])
        self.assertEqual((from_parquet[0]["share"], from_parquet[1]["share"]), (0.5, None))
        page = (self.folder / "summary.html").read_text()
        self.assertIn("3 pieces: 1 done, 2 failed, 1 set aside", page)
        self.assertIn("It needs more, and says so.", page)
        self.assertNotIn("http", page.replace("http://www.w3.org", ""))

    def test_the_page_says_where_something_is_if_that_was_asked_for(self) -> None:
        for more, heads in (({"keys": [36.0]}, ["patch", "at", "why"]), ({}, ["patch", "why"])):
            made = planned("check", 1, **more)
            rows = {piece.id: Row(piece.id, FAILED, "It breaks.") for piece in made.pieces}
            finish(made, rows, self.folder)
            page = (self.folder / "summary.html").read_text()
            self.assertEqual(re.findall(r"<th>(.*?)</th>", page.partition("It breaks.")[0]), heads)
            self.assertEqual("<td>C2</td>" in page, bool(more))

    def test_numbers_and_whole_numbers_share_a_column(self) -> None:
        made = planned("measure", 2)
        rows = {p.id: Row(p.id, DONE, figures={"x": value}) for p, value in zip(made.pieces, (1, 2.5), strict=True)}
        finish(made, rows, self.folder)
        self.assertEqual([record["x"] for record in read_table(self.folder)[:2]], [1.0, 2.5])

    def test_gains_bring_all_to_one_loudness_and_stand_in_the_patches(self) -> None:
        made = planned("measure", 2, lufs=-20.0)
        lufs = [loudness(render(piece.performed()).samples, 48_000) for piece in made.pieces]
        rows = {
            p.id: Row(p.id, DONE, figures={"loudness_lufs": loud}) for p, loud in zip(made.pieces, lufs, strict=True)
        }
        found = finish(made, rows, self.folder)
        self.assertAlmostEqual(found[0]["gain_db"], -20.0 - lufs[0], places=3)
        data, trouble = levelled(made, found)
        self.assertEqual(trouble, [])
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            for name in ("patches/p0.json", "patches/p1.json"):
                sound = render(check_patch(json.loads(archive.read(name))))
                self.assertAlmostEqual(loudness(sound.samples, sound.rate), -20.0, delta=0.02)
        found[0]["gain_db"] = 20.0
        _, trouble = levelled(made, found)
        self.assertIn("its amplitude is full", trouble[0])


class Against(unittest.TestCase):
    def record(self, **figures: Any) -> Record:
        return {"patch": "Bell", "file": "a.json", "key": 48.0, "state": DONE, **figures}

    def test_what_moved_further_than_its_tolerance_is_told(self) -> None:
        before = [self.record(loudness_lufs=-20.0, centroid_hz=500.0, rules=["click"], x=1.0)]
        for after, names in (
            ({"loudness_lufs": -20.09, "centroid_hz": 504.9, "rules": ["click"], "x": 1.0009}, []),
            ({"loudness_lufs": -20.11, "centroid_hz": 500.0, "rules": ["click"], "x": 1.0}, ["loudness_lufs"]),
            ({"loudness_lufs": -20.0, "centroid_hz": 506.0, "rules": ["click"], "x": 1.0}, ["centroid_hz"]),
            ({"loudness_lufs": -20.0, "centroid_hz": 500.0, "rules": ["click", "dc"], "x": 1.0}, ["rules"]),
            ({"loudness_lufs": -20.0, "centroid_hz": 500.0, "rules": ["click"], "x": 1.01}, ["x"]),
            ({"loudness_lufs": -20.0, "centroid_hz": 500.0, "rules": ["click"]}, ["x"]),
        ):
            with self.subTest(after=after):
                self.assertEqual([one.name for one in moved(before, [self.record(**after)])], names)
        wider = moved(before, [self.record(loudness_lufs=-20.15, centroid_hz=500.0, rules=["click"], x=1.0)], 2.0)
        self.assertEqual(wider, [])

    def test_it_says_what_and_where(self) -> None:
        (one,) = moved([self.record(loudness_lufs=-20.0)], [self.record(loudness_lufs=-18.5)])
        self.assertEqual(one.sentence, "Bell at key 48: loudness_lufs -18.5, was -20")

    def test_what_is_new_or_gone_has_moved(self) -> None:
        other = {**self.record(), "file": "b.json"}
        told = moved([self.record()], [other])
        self.assertEqual([(one.before, one.after) for one in told], [("not there", DONE), (DONE, "gone")])

    def test_exit_codes(self) -> None:
        self.assertEqual(exit_code([self.record(faults=0)], 0), 0)
        self.assertEqual(exit_code([self.record(faults=2)], 0), 1)
        self.assertEqual(exit_code([self.record()], 1), 1)
        self.assertEqual(exit_code([self.record() | {"state": FAILED}], 0), 1)

    def test_what_stands_out_is_told_and_a_bank_that_is_alike_has_nothing(self) -> None:
        alike = [self.record(loudness_lufs=-20.0 + 0.3 * (n % 5)) for n in range(20)]
        self.assertEqual(outliers(alike, "loudness_lufs", 3.0), [])
        loud = self.record(loudness_lufs=-8.0)
        ((found, off),) = outliers([*alike, loud], "loudness_lufs", 3.0)
        self.assertIs(found, loud)
        self.assertAlmostEqual(off, -8.0 + 19.4, places=6)


class Maps(unittest.TestCase):
    def test_spans_are_all_keys_and_each_once(self) -> None:
        for values in ([60.0], [36.0, 48.0, 60.0], [0.0, 127.0], [60.0, 61.0], [126.0, 127.0]):
            for to_next in (True, False):
                found = spans(values, 0, 127, to_next)
                covered = [key for low, high in found.values() for key in range(low, high + 1)]
                self.assertEqual(sorted(covered), list(range(128)), values)
        with self.assertRaises(Problem):
            spans([60.0, 60.2, 60.4], 0, 127, True)

    def test_a_map_comes_back_as_it_was_written(self) -> None:
        samples = [
            Mapped("Barge Bell-C3-v40.wav", 48, 0, 127, 1, 80, -3.25, (100, 5000), 1, 2),
            Mapped("Barge Bell-C3-v40-r2.wav", 48, 0, 127, 1, 80, 0.0, None, 2, 2),
            Mapped("b.wav", 48, 0, 127, 81, 127),
        ]
        self.assertEqual(read_sfz(sfz_text("Barge Bell", samples)), samples)
        self.assertEqual(unsounded(samples), [])
        self.assertIn("C-1 at velocity 81 sounds 0 samples", unsounded(samples[:2]))
        self.assertIn("sounds 2 samples", unsounded([*samples, samples[2]])[0])
        with self.assertRaisesRegex(Problem, "region 1"):
            read_sfz("<region> sample=a.wav lokey=1")

    def test_records_keep_the_plans_order(self) -> None:
        made = planned("measure", 5)
        self.assertEqual([r["patch"] for r in records(made, {})], ["P0", "P1", "P2", "P3", "P4", ""])


if __name__ == "__main__":
    unittest.main()
