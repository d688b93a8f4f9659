"""The store: nothing is overwritten, nothing is lost, and the tables are what the migrations make."""

import json
import threading
import unittest
import uuid
from concurrent.futures import ThreadPoolExecutor
from typing import Any, ClassVar

from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from pydantic import BaseModel
from sqlalchemy import Engine, event, text
from sqlalchemy.orm import Session

from jorvik.core.problems import Problem
from jorvik.store.database import connect, migrate, migration_config, newest_revision
from jorvik.store.documents import Conflict, DocumentStore, Missing, rewrite
from jorvik.store.kinds import PATCHES, Kind, Labels
from jorvik.store.tables import Base, DocumentRow
from tests.support import cluster, document, fresh_engine, wait_until


class Store(unittest.TestCase):
    engine: ClassVar[Engine]
    store: ClassVar[DocumentStore]

    @classmethod
    def setUpClass(cls) -> None:
        cls.engine = fresh_engine()
        cls.addClassCleanup(cls.engine.dispose)
        cls.store = DocumentStore(cls.engine, PATCHES)

    def test_migrations_make_the_tables(self) -> None:
        with self.engine.connect() as connection:
            difference = compare_metadata(MigrationContext.configure(connection), Base.metadata)
        self.assertEqual(difference, [])

    def test_a_new_patch_has_one_revision_and_nothing_unsaved(self) -> None:
        kept = self.store.create(document(name="One"))
        self.assertEqual((kept.name, kept.saved_number, kept.unsaved), ("One", 1, False))
        self.assertEqual([r.reason for r in self.store.revisions(kept.id)], ["created"])

    def test_a_bad_document_is_not_kept(self) -> None:
        before = len(self.store.heads())
        with self.assertRaises(Problem):
            self.store.create({"format": "jorvik-patch", "version": 1, "x": 1})
        kept = self.store.create(document())
        with self.assertRaises(Problem):
            self.store.write_draft(kept.id, document(voice={"mode": "duo"}), kept.sequence)
        self.assertEqual(self.store.get(kept.id).document, document())
        self.assertEqual(len(self.store.heads()), before + 1)

    def test_drafts_and_revisions(self) -> None:
        kept = self.store.create(document(name="Draft"))
        later = self.store.write_draft(kept.id, document(name="Renamed"), kept.sequence)
        self.assertEqual((later.name, later.unsaved, later.saved_number), ("Renamed", True, 1))
        saved = self.store.save(kept.id, later.sequence)
        self.assertEqual((saved.unsaved, saved.saved_number), (False, 2))
        self.assertEqual(self.store.revision(kept.id, 1)["name"], "Draft")
        self.assertEqual(self.store.revision(kept.id, 2)["name"], "Renamed")

    def test_the_later_of_two_windows_is_told_and_loses_nothing(self) -> None:
        kept = self.store.create(document(name="Shared"))
        self.store.write_draft(kept.id, document(name="First window"), kept.sequence)
        with self.assertRaises(Conflict) as caught:
            self.store.write_draft(kept.id, document(name="Second window"), kept.sequence)
        self.assertEqual(self.store.get(kept.id).document["name"], "First window")
        with self.assertRaises(Conflict):
            self.store.save(kept.id, kept.sequence)
        self.assertEqual(caught.exception.sequence, kept.sequence + 1)

    def test_a_write_whose_answer_was_lost_is_known_when_it_comes_again(self) -> None:
        kept = self.store.create(document(name="Lost"), write="write-new")
        self.assertEqual(self.store.create(document(name="Lost"), write="write-new").id, kept.id)
        first = self.store.write_draft(kept.id, document(name="A"), kept.sequence, write="write-a")
        again = self.store.write_draft(kept.id, document(name="A"), kept.sequence, write="write-a")
        self.assertEqual((again.sequence, again.name), (first.sequence, "A"))
        saved = self.store.save(kept.id, first.sequence, write="write-save")
        self.assertEqual(self.store.save(kept.id, first.sequence, write="write-save").saved_number, saved.saved_number)

    def test_a_document_sent_twice_is_created_once(self) -> None:
        with ThreadPoolExecutor(4) as pool:
            made = pool.map(lambda _: self.store.create(document(name="Twice"), write="write-twice").id, range(4))
        (once,) = set(made)
        kept = self.store.get(once)
        self.store.write_draft(kept.id, document(name="Later"), kept.sequence, write="write-later")
        self.assertEqual(self.store.create(document(name="Twice"), write="write-twice").id, kept.id)

    def test_a_database_of_the_version_before_keeps_everything(self) -> None:
        engine = connect(cluster().fresh_database(f"old_{uuid.uuid4().hex[:8]}"))
        self.addCleanup(engine.dispose)
        config = migration_config()
        old_draft = document(
            [{"id": "swell", "kind": "envelope"}], name="Old Draft", tags=["Brass", "long"], notes="Of the  ferry."
        )
        rows: list[Any] = [
            {"id": uuid.uuid4(), "name": "Old Draft", "draft": old_draft, "demo": "horn", "gone": None},
            {"id": uuid.uuid4(), "name": "Gone", "draft": document(name="Gone"), "demo": None, "gone": "2026-01-01"},
            {"id": uuid.uuid4(), "name": "Bare", "draft": document(), "demo": None, "gone": None},
        ]
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "0002")
            for row in rows:
                connection.execute(
                    text(
                        "INSERT INTO patches (id, name, draft, demo, sequence, saved_number, saved_sequence,"
                        " deleted_at, last_write) VALUES (:id, :name, :draft, :demo, 3, 2, 2, :gone, :last)"
                    ),
                    {**row, "id": str(row["id"]), "last": str(row["id"]), "draft": json.dumps(row["draft"])},
                )
            for number, name in ((1, "First"), (2, "Second")):
                connection.execute(
                    text(
                        "INSERT INTO revisions (id, patch_id, number, reason, document)"
                        " VALUES (:id, :patch, :number, 'saved', :document)"
                    ),
                    {
                        "id": str(uuid.uuid4()),
                        "patch": str(rows[0]["id"]),
                        "number": number,
                        "document": json.dumps(document(name=name)),
                    },
                )
        migrate(engine)
        store = DocumentStore(engine, PATCHES)
        old = store.get(rows[0]["id"])
        self.assertEqual((old.name, old.sequence, old.unsaved, old.demo), ("Old Draft", 3, True, "horn"))
        self.assertEqual((old.document, old.tags, old.last_write), (old_draft, ["Brass", "long"], str(old.id)))
        self.assertEqual([(r.number, r.name) for r in store.revisions(old.id)], [(2, "Second"), (1, "First")])
        self.assertEqual(store.revision(old.id, 1)["name"], "First")
        self.assertEqual([head.name for head in store.heads()], ["Bare", "Old Draft"])
        with self.assertRaises(Missing):
            store.get(rows[1]["id"])
        self.assertEqual(store.undelete(rows[1]["id"]).document, rows[1]["draft"])
        # It is found by what it would have been found by, had it been written today.
        with engine.connect() as connection:
            words = connection.scalar(text("SELECT words FROM documents WHERE id = :id"), {"id": str(old.id)})
        self.assertEqual(" ".join(str(words).split()), PATCHES.check(old_draft).words)
        written = store.write_draft(old.id, document(name="On"), 3, write="write-on")
        self.assertEqual((written.sequence, written.tags), (4, []))
        store.put_demo("horn", document(name="Horn"))
        self.assertEqual(len(store.heads()), 3)
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.downgrade(config, "0002")
            self.assertEqual(connection.scalar(text("SELECT count(*) FROM patches")), 3)

    def test_the_newest_revision_is_the_head_of_the_migrations(self) -> None:
        self.assertEqual(newest_revision(), ScriptDirectory.from_config(migration_config()).get_current_head())

    def test_a_list_comes_by_pages_and_by_words_without_documents(self) -> None:
        engine = connect(cluster().fresh_database(f"many_{uuid.uuid4().hex[:8]}"))
        self.addCleanup(engine.dispose)
        migrate(engine)
        store = DocumentStore(engine, PATCHES)
        for number in range(7):
            low = [{"id": "growl", "kind": "lfo"}] if number % 2 else []
            store.create(document(low, name=f"Bell {number}", tags=["Percussion"] if number > 3 else []))
        pages = [[head.name for head in store.heads(limit=3, offset=at)] for at in (0, 3, 6)]
        self.assertEqual([len(page) for page in pages], [3, 3, 1])
        self.assertEqual([name for page in pages for name in page], [f"Bell {number}" for number in range(7)])
        self.assertEqual([head.name for head in store.heads("percussion GROWL")], ["Bell 5"])
        self.assertEqual(store.heads("50%"), [])
        statements: list[str] = []
        event.listen(engine, "before_cursor_execute", lambda *given: statements.append(given[2]))
        store.heads("bell")
        self.assertFalse([statement for statement in statements if "draft" in statement])

    def test_a_document_of_another_kind_is_not_there(self) -> None:
        charts = Kind("chart", "charts", "chart", BaseModel, lambda document: Labels(str(document["title"])))
        store = DocumentStore(self.engine, charts)
        kept = store.create({"title": "Of the fjord"})
        self.assertEqual([head.name for head in store.heads("FJORD")], ["Of the fjord"])
        self.assertNotIn(kept.id, [head.id for head in self.store.heads()])
        with self.assertRaisesRegex(Missing, "no such patch"):
            self.store.get(kept.id)
        again = store.save(kept.id, store.write_draft(kept.id, {"title": "Of the sound"}, kept.sequence).sequence)
        self.assertEqual((again.name, again.saved_number, again.unsaved), ("Of the sound", 2, False))

    def test_deleted_and_brought_back(self) -> None:
        kept = self.store.create(document(name="Gone"))
        self.store.delete(kept.id)
        self.assertNotIn(kept.id, [head.id for head in self.store.heads()])
        with self.assertRaises(Missing):
            self.store.get(kept.id)
        self.assertEqual(self.store.undelete(kept.id).document["name"], "Gone")
        with self.assertRaises(Missing):
            self.store.get(uuid.uuid4())
        with self.assertRaises(Missing):
            self.store.revision(kept.id, 99)

    def test_a_demo_is_reset_after_what_is_being_written_to_it(self) -> None:
        self.store.put_demo("ferry", document(name="Ferry"))
        [kept] = [h for h in self.store.heads() if h.demo == "ferry"]
        resetting = threading.Thread(target=self.store.put_demo, args=("ferry", document(name="Ferry"), True))

        def waits() -> bool:
            with self.engine.connect() as connection:
                waiting = "SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock'"
                return connection.scalar(text(waiting + " AND datname = current_database()")) == 1

        with Session(self.engine) as session, session.begin():
            row = session.get_one(DocumentRow, kept.id, with_for_update=True)
            rewrite(session, row, document(name="Meanwhile"), PATCHES, "written meanwhile")
            rewrite(session, row, document(name="Then"), PATCHES, "and again")
            session.flush()
            resetting.start()
            wait_until(waits, "it did not wait")
        resetting.join()
        reasons = [revision.reason for revision in reversed(self.store.revisions(kept.id))]
        self.assertEqual(
            reasons, ["created", "written meanwhile", "and again", "before the demo was reset", "demo reset"]
        )
        self.assertEqual(self.store.revision(kept.id, 4)["name"], "Then")

    def test_a_demo_is_loaded_once_and_reset_on_request(self) -> None:
        self.store.put_demo("bell", document(name="Bell"))
        [head] = [h for h in self.store.heads() if h.demo == "bell"]
        self.store.write_draft(head.id, document(name="My bell"), head.sequence)
        self.store.put_demo("bell", document(name="Bell"))
        self.assertEqual(self.store.get(head.id).name, "My bell")
        self.store.put_demo("bell", document(name="Bell"), reset=True)
        self.assertEqual(self.store.get(head.id).name, "Bell")
        kept = [self.store.revision(head.id, r.number)["name"] for r in self.store.revisions(head.id)]
        self.assertIn("My bell", kept)
        # One that stands as it was shipped is left alone.
        before = self.store.revisions(head.id)
        self.store.put_demo("bell", document(name="Bell"), reset=True)
        self.assertEqual(self.store.revisions(head.id), before)

    def test_documents_come_back_to_the_last_digit(self) -> None:
        doc = document([{"id": "c", "kind": "constant", "value": 0.1 + 0.2}], notes="ä ♯ \u2028")
        self.assertEqual(self.store.get(self.store.create(doc).id).document, doc)


if __name__ == "__main__":
    unittest.main()
