"""A whole backup and its restore: everything comes back as it was, whatever was done since, or nothing changes."""

import json
import tempfile
import unittest
import uuid
import zipfile
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, text

from jorvik.core.problems import Problem
from jorvik.store.backup import MANIFEST, backup, restore
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES
from jorvik.store.library import LibraryStore, Query
from jorvik.store.logbook import Logbook, LogQuery
from tests.support import document, fresh_engine


def everything(engine: Engine) -> dict[str, list[Any]]:
    """Every row of every table, in an order of its own."""
    with engine.connect() as connection:
        names = connection.scalars(
            text("SELECT table_name FROM information_schema.tables WHERE table_schema = 'public'")
        )
        return {
            name: sorted(map(repr, connection.execute(text(f"SELECT * FROM {name}")).all()))  # noqa: S608
            for name in list(names)
        }


class Backup(unittest.TestCase):
    def setUp(self) -> None:
        self.engine = fresh_engine()
        self.addCleanup(self.engine.dispose)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "all.zip"
        self.patches, self.library = DocumentStore(self.engine, PATCHES), LibraryStore(self.engine)
        first = self.patches.create(document(name="Bell", notes="Łódź 🛷"))
        # Made before what it points to comes back.
        other = self.patches.create(document(name="Softer"), parent=first.id, reason="for the ice")
        self.patches.save(other.id, 1, "as it was")
        bank = self.library.make_bank("Harbour")
        self.library.put_in_bank(bank.id, [first.id, other.id])
        self.first, self.other = first.id, other.id

    def test_it_comes_back_to_the_last_row_after_the_database_was_changed(self) -> None:
        with self.engine.begin() as connection:
            connection.execute(
                text(
                    "INSERT INTO jobs (id, kind, title, request, state, progress, begun, said, facts, result,"
                    " result_bytes, file_name, media_type) VALUES (:id, 'sound', 'S', '{}', 'done', 1, 1, '', '{}',"
                    " :data, 4, 'a.wav', 'audio/wav')"
                ),
                {"id": str(uuid.uuid4()), "data": b"\x00\xff\n\r"},
            )
        before = everything(self.engine)
        counts = backup(self.engine, self.path).rows
        self.assertEqual((counts["documents"], counts["bank_members"], counts["jobs"]), (2, 2, 1))
        self.patches.write_draft(self.first, document(name="Changed"), 1)
        self.patches.delete(self.other)
        self.patches.create(document(name="New"))
        self.library.drop_bank(self.library.banks()[0].id)
        self.assertNotEqual(everything(self.engine), before)
        restore(self.engine, self.path)
        self.assertEqual(everything(self.engine), before)
        self.assertEqual([head.name for head in self.library.page(Query(search="softer")).heads], ["Softer"])
        self.assertEqual(self.patches.get(self.other).parent_id, self.first)
        self.assertEqual(len(Logbook(self.engine).entries(LogQuery())), 1)

    def test_a_row_that_cannot_be_written_is_named_and_left_out(self) -> None:
        bad = uuid.uuid4()
        with self.engine.begin() as connection:
            # Half a letter, as an older Jorvik took it.
            connection.execute(
                text(
                    "INSERT INTO log_entries (id, act, document_name, title, changes, figures, why, marked, document)"
                    " VALUES (:id, 'fix', 'Bell', 'fixed', '[]', '[]', '', false, :document)"
                ),
                {"id": str(bad), "document": '{"name": "\\ud83d"}'},
            )
        written = backup(self.engine, self.path)
        self.assertEqual(len(written.left_out), 1)
        self.assertIn(f"log_entries {bad}", written.left_out[0])
        self.assertEqual(self.path.stat().st_mode & 0o777, 0o600)
        with self.engine.begin() as connection:
            connection.execute(text("DELETE FROM log_entries WHERE id = :id"), {"id": str(bad)})
        before = everything(self.engine)
        restore(self.engine, self.path)
        self.assertEqual(everything(self.engine), before)

    def test_into_an_empty_one(self) -> None:
        before = everything(self.engine)
        backup(self.engine, self.path)
        other = fresh_engine()
        self.addCleanup(other.dispose)
        restore(other, self.path)
        self.assertEqual(everything(other), before)

    def changed(self, **fields: object) -> Path:
        """The backup with another manifest."""
        backup(self.engine, self.path)
        made = self.path.with_name(f"changed-{len(list(self.path.parent.iterdir()))}.zip")
        with zipfile.ZipFile(self.path) as old, zipfile.ZipFile(made, "w") as new:
            for name in old.namelist():
                data = old.read(name)
                if name == MANIFEST:
                    data = json.dumps({**json.loads(data), **fields}).encode()
                new.writestr(name, data)
        return made

    def test_what_cannot_be_put_back_changes_nothing(self) -> None:
        before = everything(self.engine)
        junk = self.path.with_name("junk.zip")
        junk.write_bytes(b"PK\x05\x06" + bytes(18))
        noise = self.path.with_name("noise.zip")
        noise.write_bytes(b"nothing of the kind")
        for path, said in (
            (self.changed(revision="9999"), "made by a newer"),
            (self.changed(version=2), "made by a newer"),
            (self.changed(format="other"), "a backup that jv backup wrote"),
            (self.changed(rows={"documents": 7}), "other rows than its list says"),
            (junk, "a zip without"),
            (noise, "undamaged"),
        ):
            with self.subTest(said), self.assertRaisesRegex(Problem, said):
                restore(self.engine, path)
        self.assertEqual(everything(self.engine), before)
