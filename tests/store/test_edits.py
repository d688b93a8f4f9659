"""Edits of a draft: merged, recognized when they come again, refused where they make it unsound, told to others."""

import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import Any, ClassVar
from unittest.mock import patch

from pydantic import TypeAdapter
from sqlalchemy import Engine, text

from jorvik.core.document.operations import Draft, Operation, apply
from jorvik.core.problems import Problem
from jorvik.store.documents import MOST_EDITS, DocumentStore, Kept
from jorvik.store.kinds import PATCHES
from tests.support import document, fresh_engine

READER: TypeAdapter[list[Operation]] = TypeAdapter(list[Operation])
LFO = {"id": "lfo", "kind": "lfo", "rate": 2.0}
ENVELOPE = {"id": "env", "kind": "envelope", "attack_s": 0.01}
ROUTE = {"source": "lfo", "destination": "pitch", "amount": 0.1}


def set_value(*at: str, value: Any) -> list[Operation]:
    return READER.validate_python([{"op": "set", "at": at, "value": value}])


def remove(at: str, key: str) -> list[Operation]:
    return READER.validate_python([{"op": "remove", "at": [at], "key": key}])


def insert(at: str, key: str, value: Any) -> list[Operation]:
    return READER.validate_python([{"op": "insert", "at": [at], "after": None, "key": key, "value": value}])


class Edits(unittest.TestCase):
    engine: ClassVar[Engine]
    store: ClassVar[DocumentStore]

    @classmethod
    def setUpClass(cls) -> None:
        cls.engine = fresh_engine()
        cls.store = DocumentStore(cls.engine, PATCHES)
        cls.addClassCleanup(cls.engine.dispose)

    def setUp(self) -> None:
        self.kept = self.store.create(document([LFO, ENVELOPE], [ROUTE], name="Shared"))

    def edit(self, operations: list[Operation], write: str, sequence: int | None = None) -> Any:
        return self.store.edit(self.kept.id, operations, sequence or self.kept.sequence, write)

    def now(self) -> Kept:
        return self.store.get(self.kept.id)

    def test_edits_of_different_fields_both_stand(self) -> None:
        first = self.edit(set_value("modules", "0", "rate", value=5.0), "write-one")
        second = self.edit(set_value("modules", "1", "attack_s", value=0.2), "write-two")
        self.assertEqual(first.others, [])
        self.assertEqual([edit.write for edit in second.others], ["write-one"])
        modules = self.now().document["modules"]
        self.assertEqual((modules[0]["rate"], modules[1]["attack_s"]), (5.0, 0.2))
        # A window that applies what it is told of, and then its own edit, has what the store has.
        mine = apply(Draft(self.kept.document, self.kept.keys), second.others[0].operations)
        mine = apply(mine, set_value("modules", "1", "attack_s", value=0.2))
        self.assertEqual((mine.document, mine.keys), (self.now().document, self.now().keys))

    def test_the_later_edit_of_one_field_stands(self) -> None:
        self.edit(set_value("modules", "0", "rate", value=5.0), "write-one")
        self.edit(set_value("modules", "0", "rate", value=6.0), "write-two")
        self.assertEqual(self.now().document["modules"][0]["rate"], 6.0)

    def test_an_edit_follows_its_module_when_another_is_removed(self) -> None:
        self.edit([*remove("routes", "0"), *remove("modules", "0")], "write-gone")
        self.edit(set_value("modules", "1", "attack_s", value=0.3), "write-later")
        self.assertEqual(self.now().document["modules"], [ENVELOPE | {"attack_s": 0.3}])

    def test_an_edit_that_comes_again_is_applied_once(self) -> None:
        operations = set_value("modules", "0", "rate", value=5.0)
        with ThreadPoolExecutor(4) as pool:
            answers = list(pool.map(lambda _: self.edit(operations, "write-again"), range(4)))
        self.assertEqual(sorted(answer.is_repeated for answer in answers), [False, True, True, True])
        self.edit(set_value("modules", "0", "rate", value=6.0), "write-newer")
        self.assertTrue(self.edit(operations, "write-again").is_repeated)
        self.assertEqual(self.now().document["modules"][0]["rate"], 6.0)

    def test_an_edit_that_makes_the_patch_unsound_is_refused_and_nothing_is_kept(self) -> None:
        self.edit([*remove("routes", "0"), *remove("modules", "0")], "write-gone")
        before = self.now()
        with self.assertRaisesRegex(Problem, "lfo"):
            self.edit(insert("routes", "n", {**ROUTE, "id": "again"}), "write-route")
        with self.assertRaisesRegex(Problem, "removed meanwhile"):
            self.edit(set_value("modules", "0", "rate", value=5.0), "write-late")
        self.assertEqual((self.now().sequence, self.now().document), (before.sequence, before.document))

    def test_a_whole_draft_is_an_edit_for_others_and_items_keep_their_keys(self) -> None:
        self.edit(insert("modules", "k", {"id": "first", "kind": "lfo"}), "write-new")
        whole = self.now().document | {"modules": [LFO, ENVELOPE | {"attack_s": 0.5}]}
        after = self.store.write_draft(self.kept.id, whole, self.now().sequence)
        self.assertEqual(after.keys, {"in": {"modules": {"keys": ["0", "1"]}}})
        since = self.store.edits_since(self.kept.id, self.kept.sequence)
        assert since is not None
        draft = Draft(self.kept.document, self.kept.keys)
        for edit in since:
            draft = apply(draft, edit.operations)
        self.assertEqual((draft.document, draft.keys), (after.document, after.keys))

    def test_edits_that_are_not_kept_any_more_are_told_as_none(self) -> None:
        for number in range(MOST_EDITS + 1):
            self.edit(set_value("name", value=f"n{number}"), f"write-{number:04}")
        self.assertIsNone(self.store.edits_since(self.kept.id, self.kept.sequence))
        self.assertEqual(len(self.store.edits_since(self.kept.id, self.kept.sequence + 1) or []), MOST_EDITS)
        with self.engine.connect() as connection:
            rows = "SELECT count(*) FROM edits WHERE document_id = :id"
            self.assertEqual(connection.execute(text(rows), {"id": self.kept.id}).scalar(), MOST_EDITS)

    def test_operations_that_are_large_are_not_kept_beside_the_draft(self) -> None:
        large = self.now().document | {"notes": "long " * 20}
        with patch("jorvik.store.documents.MAX_EDIT_BYTES", 99):
            self.edit(set_value("notes", value=large["notes"]), "write-large")
        self.assertIsNone(self.store.edits_since(self.kept.id, self.kept.sequence))
        self.assertEqual(self.now().document, large)


if __name__ == "__main__":
    unittest.main()
