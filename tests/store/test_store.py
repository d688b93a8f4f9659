"""The store: nothing is overwritten, nothing is lost, and the tables are what the migrations make."""

import json
import unittest
import uuid
from typing import ClassVar

from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import Engine, text

from jorvik.core.problems import Problem
from jorvik.store.database import connect, migrate, migration_config
from jorvik.store.patches import Conflict, Missing, PatchStore
from jorvik.store.tables import Base
from tests.support import cluster, document, fresh_engine


class Store(unittest.TestCase):
    engine: ClassVar[Engine]
    store: ClassVar[PatchStore]

    @classmethod
    def setUpClass(cls) -> None:
        cls.engine = fresh_engine()
        cls.addClassCleanup(cls.engine.dispose)
        cls.store = PatchStore(cls.engine)

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
        self.store.write_draft(kept.id, document(name="Second window"), kept.sequence, replace=True)
        self.assertEqual(self.store.get(kept.id).document["name"], "Second window")
        self.assertEqual(self.store.revision(kept.id, 2)["name"], "First window")

    def test_a_write_whose_answer_was_lost_is_known_when_it_comes_again(self) -> None:
        kept = self.store.create(document(name="Lost"), write="write-new")
        self.assertEqual(self.store.create(document(name="Lost"), write="write-new").id, kept.id)
        first = self.store.write_draft(kept.id, document(name="A"), kept.sequence, write="write-a")
        again = self.store.write_draft(kept.id, document(name="A"), kept.sequence, write="write-a")
        self.assertEqual((again.sequence, again.name), (first.sequence, "A"))
        # The window typed on, and never heard of its first write.
        later = self.store.write_draft(kept.id, document(name="B"), kept.sequence, write="write-b", after=["write-a"])
        self.assertEqual((later.name, later.sequence), ("B", first.sequence + 1))
        saved = self.store.save(kept.id, later.sequence, write="write-save")
        self.assertEqual(self.store.save(kept.id, later.sequence, write="write-save").saved_number, saved.saved_number)

    def test_a_repeated_write_is_no_way_past_another_window(self) -> None:
        kept = self.store.create(document(name="Two windows"))
        mine = self.store.write_draft(kept.id, document(name="Mine"), kept.sequence, write="write-mine")
        self.store.write_draft(kept.id, document(name="Theirs"), mine.sequence, write="write-theirs")
        for write, after in (("write-mine", []), ("write-more", ["write-mine"])):
            with self.subTest(write), self.assertRaises(Conflict):
                self.store.write_draft(kept.id, document(name="Mine"), kept.sequence, write=write, after=after)
        self.assertEqual(self.store.get(kept.id).name, "Theirs")

    def test_a_database_of_the_version_before_keeps_everything(self) -> None:
        engine = connect(cluster().fresh_database(f"old_{uuid.uuid4().hex[:8]}"))
        self.addCleanup(engine.dispose)
        config = migration_config()
        row = {"id": str(uuid.uuid4()), "draft": json.dumps(document(name="Old draft"))}
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "0001")
            connection.execute(
                text(
                    "INSERT INTO patches (id, name, draft, sequence, saved_number, saved_sequence)"
                    " VALUES (:id, 'Old draft', :draft, 3, 1, 2)"
                ),
                row,
            )
        migrate(engine)
        old = PatchStore(engine).get(uuid.UUID(row["id"]))
        self.assertEqual((old.name, old.sequence, old.unsaved), ("Old draft", 3, True))
        self.assertEqual(PatchStore(engine).write_draft(old.id, document(name="On"), 3, write="write-on").sequence, 4)

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
