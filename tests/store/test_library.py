"""The library: what is found, in which order, in which bank, and what is done with many at once."""

import json
import random
import unittest
import uuid
from typing import Any

from sqlalchemy import text

from jorvik.core.problems import Problem
from jorvik.store.bringing_in import Incoming, bring_in, in_a_bank
from jorvik.store.documents import DocumentStore, Missing
from jorvik.store.kinds import KINDS, PATCHES, PHRASES
from jorvik.store.library import LibraryStore, Query
from tests.support import Json, document, fresh_engine

PHRASE: Json = {"format": "jorvik-phrase", "version": 1, "name": "Slow Tide"}


class Library(unittest.TestCase):
    def setUp(self) -> None:
        self.engine = fresh_engine()
        self.addCleanup(self.engine.dispose)
        self.library = LibraryStore(self.engine)
        self.patches = DocumentStore(self.engine, PATCHES)
        self.phrases = DocumentStore(self.engine, PHRASES)

    def keep(self, name: str, **more: Any) -> uuid.UUID:
        return self.patches.create(document(name=name, **more)).id

    def names(self, **query: Any) -> list[str]:
        return [head.name for head in self.library.page(Query(**query)).heads]

    def test_words_are_found_anywhere_and_short_ones_where_a_word_begins(self) -> None:
        lfo: Json = {"id": "sway", "kind": "lfo"}
        route: Json = {"source": "sway", "destination": "cutoff", "amount": 3.0}
        self.keep("Harbour Bell", modules=[lfo], routes=[route], tags=["bell"])
        self.keep("Barge", notes="Of the harbour: 50 % of it_is wood.")
        self.phrases.create(PHRASE)
        self.assertEqual(self.names(search="arbour"), ["Harbour Bell", "Barge"])
        self.assertEqual(self.names(search="harbour bell"), ["Harbour Bell"])
        self.assertEqual(self.names(search="source:lfo"), ["Harbour Bell"])
        self.assertEqual(self.names(search="moves:cutoff"), ["Harbour Bell"])
        self.assertEqual(self.names(search="be"), ["Harbour Bell"])
        self.assertEqual(self.names(search="ar"), [])
        self.assertEqual(self.names(search="50 %"), ["Barge"])
        self.assertEqual(self.names(search="it_is"), ["Barge"])
        self.assertEqual(self.names(search="it%is"), [])
        self.assertEqual(self.names(search="' & :* |"), [])
        self.assertEqual(self.names(kinds=("phrase",)), ["Slow Tide"])
        self.assertEqual(len(self.names()), 3)

    def test_every_filter_leaves_what_it_should(self) -> None:
        low = self.keep("Low", performance={"notes": [{"key": 36}, {"key": 48}]})
        self.keep("High", performance={"notes": [{"key": 72}]}, tags=["it's"])
        self.patches.put_demo("shown", document(name="Shown"))
        self.assertEqual(self.names(key=40.0), ["Low"])
        self.assertEqual(self.names(tag="it's"), ["High"])
        self.assertEqual(self.names(demos="without"), ["High", "Low"])
        self.assertEqual(self.names(demos="only"), ["Shown"])
        self.library.star([low])
        self.assertEqual(self.names(starred=True), ["Low"])
        self.library.star([low], starred=False)
        self.assertEqual(self.names(starred=True), [])
        self.library.keep_judgement(low, 1, -20.5, ["click", "late_meeting"])
        self.assertEqual(self.names(search="finding:click"), ["Low"])
        self.assertEqual((self.names(least_lufs=-21), self.names(most_lufs=-21)), (["Low"], []))
        # What was found of another state than is kept is not kept.
        self.library.keep_judgement(low, 7, -3.0, [])
        self.assertEqual(self.library.page(Query(search="finding:click")).heads[0].loudness, -20.5)

    def test_templates_and_what_is_made_wrong_stand_apart_by_name(self) -> None:
        self.keep("A wrong one", tags=["made to be wrong"])
        self.keep("B to start from", tags=["template"])
        self.keep("C")
        self.assertEqual(self.names(), ["C", "B to start from", "A wrong one"])
        self.assertEqual(self.names(sort="changed"), ["C", "B to start from", "A wrong one"])

    def test_what_is_called_so_stands_before_what_only_says_so(self) -> None:
        self.keep("A Horn", notes="not the off scale one")
        self.keep("Z Pipes", tags=["off scale"])
        self.assertEqual(self.names(search="off scale"), ["Z Pipes", "A Horn"])
        self.assertEqual(self.names(search="OFF  scale"), ["Z Pipes", "A Horn"])

    def test_orders_and_pages(self) -> None:
        ids = [self.keep(name) for name in ("C", "A", "B")]
        self.library.use(ids[0])
        self.patches.write_draft(ids[2], document(name="B", notes="later"), 1)
        self.assertEqual(self.names(sort="name"), ["A", "B", "C"])
        self.assertEqual(self.names(sort="changed")[0], "B")
        self.assertEqual(self.names(sort="used")[0], "C")
        page = self.library.page(Query(), limit=1, offset=1)
        self.assertEqual((page.total, [head.name for head in page.heads]), (3, ["B"]))
        self.assertEqual(set(self.library.ids(Query())), set(ids))

    def test_a_picture_is_of_one_state(self) -> None:
        one = self.keep("Seen")
        self.library.keep_picture(one, 1, {"off": 0.5})
        self.assertEqual(self.library.page(Query()).heads[0].picture, {"off": 0.5})
        self.patches.write_draft(one, document(name="Seen", notes="changed"), 1)
        self.assertIsNone(self.library.page(Query()).heads[0].picture)

    def test_a_patch_stands_in_several_banks_and_stays_when_they_go(self) -> None:
        one, other = self.keep("One"), self.keep("Other")
        horns, bells = self.library.make_bank("Horns"), self.library.make_bank(" Bells ")
        self.library.put_in_bank(horns.id, [one, other, uuid.uuid4()])
        self.library.put_in_bank(bells.id, [one])
        self.library.put_in_bank(bells.id, [one])
        self.assertEqual([(bank.name, bank.count) for bank in self.library.banks()], [("Bells", 1), ("Horns", 2)])
        self.assertEqual(self.names(bank=horns.id), ["One", "Other"])
        self.assertEqual(set(self.library.page(Query(search="one")).heads[0].banks), {horns.id, bells.id})
        self.library.put_in_bank(horns.id, [one], inside=False)
        self.assertEqual(self.names(bank=horns.id), ["Other"])
        for name, wanted in (("Bells", "no other bank has"), ("  ", "1 to 120 letters")):
            with self.assertRaisesRegex(Problem, wanted):
                self.library.make_bank(name)
        self.library.rename_bank(horns.id, "Brass")
        self.library.drop_bank(horns.id)
        with self.assertRaises(Missing):
            self.library.put_in_bank(horns.id, [one])
        self.assertEqual(self.names(), ["One", "Other"])

    def test_many_are_tagged_deleted_and_brought_back(self) -> None:
        ids = [self.keep("One", tags=["soft"]), self.keep("Two"), self.phrases.create(PHRASE).id]
        self.assertEqual(set(self.library.tag(ids, "soft")), set(ids[1:]))
        self.assertEqual(self.library.tags(), {"soft": 3})
        self.assertEqual(self.patches.get(ids[1]).document["tags"], ["soft"])
        # A window that had it open before is told, and loses nothing.
        self.assertEqual(self.patches.get(ids[1]).sequence, 2)
        self.assertCountEqual(self.library.tag(ids[1:], "soft", given=False), ids[1:])
        self.assertEqual(self.names(tag="soft"), ["One"])
        self.assertEqual(set(self.library.delete(ids[:2])), set(ids[:2]))
        self.assertEqual((self.names(), self.names(deleted=True)), (["Slow Tide"], ["One", "Two"]))
        self.assertEqual(self.library.delete(ids[:1], deleted=False), ids[:1])
        self.assertEqual(self.names(), ["One", "Slow Tide"])
        with self.assertRaises(Problem):
            self.library.tag(ids, " ")

    def test_of_five_hundred_that_come_in_the_broken_one_is_named(self) -> None:
        rng = random.Random(4)
        coming = [
            Incoming(f"{n}.json", document(name=f"P{n}", voice={"base": {"cutoff": rng.uniform(100, 9000)}}))
            for n in range(40)
        ]
        coming[17] = Incoming("17.json", document(name="P17", voice={"base": {"cutoff": 1e9}}))
        coming[18] = Incoming("18.json", None, "18.json: found no JSON")
        coming[19] = Incoming("19.json", {"format": "other", "name": "O"})
        coming[20] = Incoming("20.json", {**(coming[3].document or {}), "name": "The same as 3", "notes": "said"})
        coming[21] = Incoming("21.json", document(name="Half \ud83d"))
        coming[22] = Incoming("22.json", document(name="A\0B"))
        stores = {kind.name: DocumentStore(self.engine, kind) for kind in KINDS}
        told = bring_in(coming, stores, self.library)
        kept = [one for one in told if one.id]
        self.assertEqual(len(kept), 34)
        self.assertIn("half a letter", told[21].trouble)
        self.assertTrue(told[22].trouble)
        self.assertIn("cutoff", told[17].trouble)
        self.assertEqual(told[18].trouble, "18.json: found no JSON")
        self.assertIn("jorvik-patch", told[19].trouble)
        self.assertEqual((told[20].id, told[20].alike), (None, told[3].id))
        bank = in_a_bank(told, "Of the\0 Barge", self.library)
        self.assertEqual(len(self.names(bank=bank)), 34)
        # The same again: nothing is kept twice, and the bank is the same.
        again = bring_in(coming, stores, self.library)
        self.assertEqual([one.id for one in again if one.id], [])
        self.assertEqual(in_a_bank(again, "Of the Barge", self.library), bank)

    def test_a_variant_knows_what_it_is_of_and_why(self) -> None:
        one = self.keep("One")
        other = self.patches.create(document(name="Brighter"), parent=one, reason="for the harbour")
        self.assertEqual((other.parent_id, other.branch_reason), (one, "for the harbour"))
        with self.assertRaises(Missing):
            self.patches.create(document(), parent=uuid.uuid4())

    def test_a_family_is_the_same_from_any_of_its_members(self) -> None:
        one = self.keep("One")
        softer = self.patches.create(document(name="Softer"), parent=one).id
        brighter = self.patches.create(document(name="Brighter"), parent=one).id
        both = self.patches.create(document(name="Both"), parent=softer).id
        self.keep("Another")
        for member in (one, softer, brighter, both):
            family = [(head.id, head.parent_id) for head in self.patches.family(member)]
            self.assertEqual(family, [(one, None), (softer, one), (brighter, one), (both, softer)])
        self.patches.promote(softer)
        self.assertEqual([head.id for head in self.patches.family(both)], [softer, both])
        self.patches.delete(one)
        self.assertEqual([head.id for head in self.patches.family(brighter)], [brighter])

    def test_what_is_rewritten_keeps_what_it_was_and_all_or_none_is(self) -> None:
        ids = [self.keep("One"), self.keep("Two")]

        def louder(_: uuid.UUID, of: Json) -> Json:
            return {**of, "voice": {"base": {"amplitude": 0.5}}}

        self.assertCountEqual(self.library.rewrite(ids, louder, "before"), ids)
        self.assertEqual(self.patches.revision(ids[0], 2), document(name="One"))
        self.assertEqual(self.patches.revisions(ids[0])[0].reason, "before")
        self.assertEqual(self.library.rewrite(ids, louder, "again"), [])

        def wrong(one: uuid.UUID, of: Json) -> Json:
            return {**of, "voice": {"base": {"amplitude": 5.0 if one == ids[1] else 0.1}}}

        with self.assertRaises(Problem):
            self.library.rewrite(ids, wrong)
        self.assertEqual(self.patches.get(ids[0]).document["voice"]["base"]["amplitude"], 0.5)

    def test_words_and_names_are_found_by_their_indexes(self) -> None:
        """Where every row may not be read one after the other, the plan has the index: it answers what is asked."""
        rows = [
            {"id": str(uuid.uuid4()), "name": f"P{n}", "words": f"patch number {n} of the harbour {n * 7919}"}
            for n in range(3000)
        ]
        with self.engine.begin() as connection:
            connection.execute(
                text(
                    "INSERT INTO documents (id, kind, name, tags, words, draft, sequence, saved_number, saved_sequence,"
                    " content, starred, branch_reason, found, looked_at)"
                    " VALUES (:id, 'patch', :name, '[]', :words, '{}', 1, 1, 1, '', false, '', '', 0)"
                ),
                rows,
            )
            connection.execute(text("SET LOCAL enable_seqscan = off"))
            plan = connection.scalar(
                text("EXPLAIN (FORMAT JSON) SELECT id FROM documents WHERE searched LIKE '%15838%'")
            )
        self.assertIn("documents_searched", json.dumps(plan))
