"""Files that version 0.9 wrote, kept in ``tests/corpus``: every later version opens all of them."""

import json
import shutil
import tempfile
import unittest
import uuid
from pathlib import Path
from typing import Any, Final

from sqlalchemy import Engine, text

from jorvik.bank.against import moved
from jorvik.bank.results import read_table
from jorvik.core.document.patch import check_patch
from jorvik.core.document.take import check_take
from jorvik.core.engine.trace import trace
from jorvik.core.phrases.takes import printed
from jorvik.formats.archive import from_path
from jorvik.store.backup import check_backup, restore
from jorvik.store.database import connect, migrate
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import KINDS, PATCHES
from jorvik.store.library import LibraryStore
from jorvik.store.logbook import Logbook, LogQuery
from tests.support import Json, cluster, fresh_engine
from tests.test_judging_cli import said

CORPUS: Final = Path(__file__).parent / "corpus"
STORED: Final = {"patches": 4, "phrases": 3, "takes": 1, "recordings": 1, "cards": 2}
"""How many documents of each kind stand in the backup and in the database."""


def documents(plural: str) -> dict[str, Json]:
    """Return the documents of a kind by their file's name."""
    return {path.stem: json.loads(path.read_text()) for path in sorted((CORPUS / plural).glob("*.json"))}


def dumped_database() -> str:
    """Make a database from the dump, as the old version left it, and return its name."""
    name = f"corpus_{uuid.uuid4().hex[:8]}"
    engine = connect(cluster().fresh_database(name))
    with engine.begin() as connection:
        connection.exec_driver_sql((CORPUS / "database.sql").read_text().replace("%", "%%"))
    engine.dispose()
    return name


class Files(unittest.TestCase):
    def test_every_document_is_read_with_all_that_it_says(self) -> None:
        for kind in KINDS:
            for name, document in documents(kind.plural).items():
                with self.subTest(kind=kind.name, name=name):
                    self.assertIn(
                        kind.check(document).name, (document.get("name"), document.get("title"), "As it was played")
                    )

    def test_a_patch_is_written_as_it_was_read(self) -> None:
        for name, document in documents("patches").items():
            with self.subTest(name):
                patch = check_patch(document)
                self.assertEqual(patch.document(), document)
                self.assertEqual(set(trace(patch, 4000).signals), {module["id"] for module in document["modules"]})

    def test_a_take_is_rendered_with_the_notes_that_were_played(self) -> None:
        take = check_take(documents("takes")["short-round"])
        by_hand = {note.key: note for note in take.played if note.key in (48, 55)}
        self.assertEqual({key: note.velocity for key, note in by_hand.items()}, {48: 96, 55: 60})
        samples = printed(take).samples
        for note in by_hand.values():
            self.assertGreater(abs(samples[round(note.on) : round(note.off)]).max(), 0.01)

    def test_a_bank_is_opened_with_its_patches(self) -> None:
        name, entries = from_path(CORPUS / "banks" / "fair.zip")
        self.assertEqual(name, "Fair")
        found = sorted(str(entry.document["name"]) for entry in entries if entry.document)
        self.assertEqual(found, ["Barge Bell", "Ferry Horn", "Grit Fold"])

    def test_the_results_of_a_bank_are_compared_with_a_new_run(self) -> None:
        rendered = CORPUS / "banks" / "rendered"
        before = read_table(rendered)
        self.assertEqual([record["patch"] for record in before], ["Oar 0", "Oar 1", "Oar 2"])
        with tempfile.TemporaryDirectory() as folder:
            copy = Path(folder) / "rendered"
            shutil.copytree(rendered, copy)
            self.assertEqual(moved(before, read_table(copy)), [])
            changed = [{**record, "loudness_lufs": record["loudness_lufs"] + 1.0} for record in read_table(copy)]
            self.assertEqual([one.name for one in moved(before, changed)], ["loudness_lufs"] * 3)

    def test_the_command_line_measures_a_patch(self) -> None:
        code, printed_text = said("measure", str(CORPUS / "patches" / "barge-bell.json"), "--json")
        self.assertEqual((code, "pitch" in json.loads(printed_text)["lanes"]), (0, True))


class Stored(unittest.TestCase):
    def agree(self, engine: Engine) -> None:
        """Check that everything stands in a database."""
        for kind in KINDS:
            if kind.plural in STORED:
                self.assertEqual(len(DocumentStore(engine, kind).heads()), STORED[kind.plural], kind.plural)
        patches = DocumentStore(engine, PATCHES)
        horn = patches.get(patches.heads("ferry horn")[0].id)
        self.assertEqual(horn.document["notes"], "Louder in the fog.")
        newest = next(iter(patches.revisions(horn.id)))
        self.assertEqual((newest.number, newest.reason), (2, "for the fog"))
        self.assertNotEqual(patches.revision(horn.id, 1)["notes"], "Louder in the fog.")
        self.assertEqual([bank.name for bank in LibraryStore(engine).banks()], ["Fair"])
        notes = [entry for entry in Logbook(engine).entries(LogQuery(), 50, 0) if "quiet at night" in repr(entry)]
        self.assertEqual(len(notes), 1)

    def test_a_backup_is_restored(self) -> None:
        check_backup(CORPUS / "backup.zip")
        engine = fresh_engine()
        self.addCleanup(engine.dispose)
        restore(engine, CORPUS / "backup.zip")
        self.agree(engine)

    def test_a_database_is_migrated(self) -> None:
        engine = connect(cluster().url(dumped_database()))
        self.addCleanup(engine.dispose)
        migrate(engine)
        self.agree(engine)
        with engine.connect() as connection:
            words: Any = connection.scalar(text("SELECT words FROM documents WHERE name = 'Ferry Horn'"))
        self.assertIn("fog", str(words))


if __name__ == "__main__":
    unittest.main()
