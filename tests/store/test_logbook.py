"""The logbook: saves enter themselves with what changed, and stay when their document goes."""

import unittest
import uuid
from datetime import UTC, datetime

from jorvik.formats.logbook import Written, logbook_html, logbook_markdown
from jorvik.store.documents import Conflict, DocumentStore, Missing
from jorvik.store.kinds import PATCHES, PHRASES
from jorvik.store.logbook import Logbook, LogQuery
from tests.support import Json, document, fresh_engine


def cutoff(hz: float, **more: object) -> Json:
    return document(voice={"base": {"cutoff": hz}}, name="Bell", **more)  # type: ignore[arg-type]


class Book(unittest.TestCase):
    def setUp(self) -> None:
        engine = fresh_engine()
        self.addCleanup(engine.dispose)
        self.patches, self.book = DocumentStore(engine, PATCHES), Logbook(engine)
        self.phrases = DocumentStore(engine, PHRASES)
        self.bell = self.patches.create(cutoff(500.0)).id

    def save(self, hz: float, reason: str = "saved") -> None:
        kept = self.patches.get(self.bell)
        kept = self.patches.write_draft(self.bell, cutoff(hz), kept.sequence)
        self.patches.save(self.bell, kept.sequence, reason)

    def titles(self, **query: object) -> list[str]:
        return [entry.title for entry in self.book.entries(LogQuery(**query))]  # type: ignore[arg-type]

    def test_a_save_says_what_changed_since_the_one_before(self) -> None:
        self.save(400.0)
        self.save(250.0, "for the ice")
        self.save(250.0, "again")
        again, named, plain = self.book.entries(LogQuery())
        self.assertEqual((plain.act, plain.title, plain.document_name), ("saved", "saved", "Bell"))
        self.assertEqual(plain.changes, ["cutoff set at 400 Hz, was 500 Hz"])
        self.assertEqual((named.title, named.changes), ("saved as for the ice", ["cutoff set at 250 Hz, was 400 Hz"]))
        self.assertEqual(again.changes, [])
        self.assertEqual(self.book.document(plain.id), cutoff(400.0))

    def test_what_is_not_saved_is_not_entered(self) -> None:
        with self.assertRaises(Conflict):
            self.patches.save(self.bell, 7)
        self.assertEqual(self.titles(), [])

    def test_it_outlives_its_document(self) -> None:
        self.save(400.0)
        self.patches.delete(self.bell)
        [entry] = self.book.entries(LogQuery(document=self.bell))
        self.assertEqual(self.book.document(entry.id), cutoff(400.0))

    def test_what_is_lacking_is_worked_out_once(self) -> None:
        self.save(400.0)
        [(entry, before, after)] = self.book.lacking()
        self.assertEqual((before, after), (cutoff(500.0), cutoff(400.0)))
        self.book.complete(entry, ["cutoff stands 4 st lower"], {"off": 0.5})
        self.assertEqual(self.book.lacking(), [])
        [told] = self.book.entries(LogQuery())
        self.assertEqual((told.figures, told.picture), (["cutoff stands 4 st lower"], {"off": 0.5}))

    def test_it_is_searched_marked_and_told_by_day_and_by_patch(self) -> None:
        self.save(400.0)
        fixed = self.book.enter("fix", "fix: release 300 ms", self.bell, cutoff(400.0), cutoff(390.0))
        noted = self.book.note("The wharf was cold: 50 % of it_was ice.", None, "")
        self.assertEqual(self.titles(search="WHARF"), ["noted"])
        self.assertEqual(self.titles(search="390 cutoff"), ["fix: release 300 ms"])
        self.assertEqual((self.titles(search="it%was"), self.titles(search="50 %")), ([], ["noted"]))
        self.assertEqual(self.titles(document=self.bell), ["fix: release 300 ms", "saved"])
        self.assertEqual(self.book.say(fixed.id, why="too long").why, "too long")
        self.assertTrue(self.book.say(fixed.id, marked=True).marked)
        self.assertEqual(self.titles(marked=True), ["fix: release 300 ms"])
        self.assertEqual(self.titles(search="too long"), ["fix: release 300 ms"])
        [day] = self.book.days(LogQuery())
        self.assertEqual((day.count, self.titles(day=day.day)), (3, ["noted", "fix: release 300 ms", "saved"]))
        with self.assertRaises(Missing):
            self.book.say(uuid.uuid4(), why="x")
        with self.assertRaises(Missing):
            self.book.document(noted.id)

    def test_every_kind_of_document_enters_itself(self) -> None:
        phrase: Json = {"format": "jorvik-phrase", "version": 1, "name": "Tide", "tempo_bpm": 90.0}
        kept = self.phrases.create(phrase)
        kept = self.phrases.write_draft(kept.id, phrase | {"tempo_bpm": 80.0}, kept.sequence)
        self.phrases.save(kept.id, kept.sequence)
        self.assertEqual(self.book.entries(LogQuery())[0].changes, ["tempo 80 bpm, was 90 bpm"])


class WrittenOut(unittest.TestCase):
    ENTRIES = (
        Written(datetime(2026, 3, 2, 9, 5, tzinfo=UTC), "Bell", "saved", ["cutoff 2 * 3 <b>"], [], "", marked=False),
        Written(datetime(2026, 3, 1, 8, 0, tzinfo=UTC), "Horn", "fix", [], ["4 st lower"], "a_b\n# no", marked=True),
    )

    def test_markdown_is_read_forward_and_nothing_in_it_is_markup_by_accident(self) -> None:
        text = logbook_markdown(self.ENTRIES)
        self.assertLess(text.index("## 2026-03-01"), text.index("## 2026-03-02"))
        self.assertIn("### 08:00 Horn: fix ★\n\n> a\\_b\n> \\# no\n\n- 4 st lower\n", text)
        self.assertIn("- cutoff 2 \\* 3 \\<b\\>", text)

    def test_html_is_a_page_in_which_text_stays_text(self) -> None:
        page = logbook_html(self.ENTRIES)
        self.assertIn("<li>cutoff 2 * 3 &lt;b&gt;</li>", page)
        self.assertIn('<p class="why">a_b\n# no</p>', page)
        self.assertTrue(page.startswith("<!doctype html>"))
