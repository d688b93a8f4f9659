"""Bad documents are refused with the place, what was found and what would do; good ones pass unchanged."""

import json
import unittest
from typing import Any

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, check_patch, parse_patch
from jorvik.core.document.schema import catalogue, document_schema
from jorvik.core.engine.trace import trace
from jorvik.core.modules import KINDS
from jorvik.core.problems import Problem
from jorvik.place import ROOT
from scripts.catalogue_page import page
from scripts.pages import PAGES
from scripts.pages import page as page_of
from scripts.schema import DOCUMENTS, schema_text
from tests.support import Json, demos, document, note, patch

ENVELOPE: Json = {"id": "e", "kind": "envelope"}
WAVE: Json = {"id": "w", "kind": "lfo"}


class Refused(unittest.TestCase):
    def refused(self, doc: Any, place: str, *said: str) -> None:
        with self.assertRaises(Problem) as caught:
            check_patch(doc)
        self.assertEqual(caught.exception.place, place)
        for words in said:
            self.assertIn(words, str(caught.exception))

    def test_the_head_of_the_document(self) -> None:
        self.refused([1, 2], "the document", "jorvik-patch")
        self.refused({}, "format", "nothing")
        self.refused({"format": "other", "version": 1}, "format", '"other"')
        self.refused({"format": "jorvik-patch", "version": 2}, "version", "found 2", "1, the version")
        self.refused({"format": "jorvik-patch", "version": True}, "version", "true")

    def test_unknown_keys_everywhere(self) -> None:
        self.refused(document(color="red"), "color", "unknown key", "color")
        self.refused(document([{**ENVELOPE, "atack_s": 1}]), "modules[0].atack_s", "unknown key")
        self.refused(document([WAVE], [{"source": "w", "destination": "pitch", "depth": 1}]), "routes[0].depth")
        self.refused(document(performance={"bpm": 90}), "performance.bpm")
        self.refused(document(voice={"base": {"cut": 100}}), "voice.base", '"cut"')

    def test_numbers_of_the_wrong_kind_or_out_of_range(self) -> None:
        self.refused(document([{**ENVELOPE, "sustain": "0.5"}]), "modules[0].sustain", '"0.5"', "a number")
        self.refused(document([{**ENVELOPE, "attack_s": "0.5"}]), "modules[0].attack_s", '"0.5"', "note value")
        self.refused(document([{**ENVELOPE, "attack_s": -1}]), "modules[0].attack_s", "-1", "0 to 60 s")
        self.refused(document([{**ENVELOPE, "attack_bend": 13}]), "modules[0].attack_bend", "-12 to 12")
        self.refused(document([{**WAVE, "shape": "round"}]), "modules[0].shape", '"round"', "sine")
        self.refused(document([{"id": "x", "kind": "theremin"}]), "modules[0]", "envelope")
        self.refused(document([{**ENVELOPE, "sustain": True}]), "modules[0].sustain", "true")
        self.refused(document([{**ENVELOPE, "sustain": float("nan")}]), "modules[0].sustain", "finite")
        self.refused(document(voice={"base": {"cutoff": 5}}), "voice.base", "16 to 20000 Hz", "cutoff")

    def test_notes_of_no_length_or_an_hour(self) -> None:
        self.refused(document(performance=note(0.0)), "performance.notes[0].length_s", "longer than 0 s")
        self.refused(document(performance=note(3600.0)), "performance.notes[0].length_s", "3600")
        self.refused(document(performance=note(40.0, 30.0)), "performance", "60 s at most")
        self.refused(document(performance={"notes": []}), "performance.notes", "1 at least")

    def test_ids(self) -> None:
        self.refused(document([WAVE, {**ENVELOPE, "id": "w"}]), "modules[1].id", "modules[0]")
        self.refused(document([{**WAVE, "id": "velocity"}]), "modules[0].id", "performance signal")
        self.refused(document([{**WAVE, "id": "a.b"}]), "modules[0].id", "dots")
        self.refused(document([{"kind": "lfo"}]), "modules[0].id", "nothing")
        twice = [{"id": "a", "source": "w", "destination": "pitch"}] * 2
        self.refused(document([WAVE], twice), "routes[1].id", "routes[0]")

    def test_what_is_not_there(self) -> None:
        self.refused(document([{"id": "s", "kind": "slew", "input": "ghost"}]), "modules[0].input", '"ghost"')
        mix = {"id": "m", "kind": "mix", "inputs": [{"source": "gate"}, {"source": "ghost"}]}
        self.refused(document([mix]), "modules[0].inputs[1].source", '"ghost"')
        self.refused(document([], [{"source": "ghost", "destination": "pitch"}]), "routes[0].source")
        self.refused(document([WAVE], [{"source": "w", "destination": "pitch", "via": "ghost"}]), "routes[0].via")
        for place in ("ghost", "w.shape", "w.ghost", "route:ghost.amount", "route:r0.depth", "x.rate"):
            self.refused(document([WAVE], [{"source": "w", "destination": place}]), "routes[0].destination", place)
        self.refused(document(performance=note(controls={"macro:ghost": [[0, 0]]})), "performance.controls", "ghost")

    def test_routes(self) -> None:
        scale = {"source": "w", "destination": "amplitude", "mode": "scale", "amount": 1.5}
        self.refused(document([WAVE], [scale]), "routes[0].amount", "1.5", "0 to 1")
        ranged = {"source": "w", "destination": "cutoff", "mode": "range", "low": 100, "high": 900}
        self.refused(document([WAVE], [ranged, {**ranged, "low": 50}]), "routes[1]", '"r0"', '"r1"')
        check_patch(document([WAVE], [ranged, {**ranged, "enabled": False}]))
        self.refused(document([WAVE], [{**ranged, "high": 50_000}]), "routes[0].high", "50000", "16 to 20000 Hz")
        self.refused(document([WAVE], [{"source": "w", "destination": "cutoff", "mode": "range"}]), "routes[0].low")

    def test_sizes(self) -> None:
        many = [{"id": f"m{i}", "kind": "constant"} for i in range(10_000)]
        self.refused(document(many), "modules", "10000", "64 at most")
        curve = {"id": "c", "kind": "curve", "points": [[i, 0] for i in range(513)]}
        self.refused(document([curve]), "modules[0].points", "512 points")
        self.refused(document([{**curve, "points": [[1, 0], [0, 1]]}]), "modules[0].points", "point 1")
        self.refused(document([{**WAVE, "shape": "drawn"}]), "modules[0]", "two points")

    def test_files(self) -> None:
        for text, said in {
            "": "no JSON at line 1",
            '{"format": ': "line 1, column 12",
            '{"format": "jorvik-patch", "version": NaN}': "NaN",
            '{"format": "jorvik-patch", "version": 1e400}': "1e400",
            '{"format": "jorvik-patch", "format": "x"}': "twice",
            "[" * 100_000: "list",
        }.items():
            with self.assertRaises(Problem) as caught:
                parse_patch(text)
            self.assertIn(said, str(caught.exception))
        with self.assertRaisesRegex(Problem, "100 MB"):
            parse_patch(b" " * 100_000_000)
        with self.assertRaisesRegex(Problem, "UTF-8"):
            parse_patch(b'{"name": "\xff\xfe"}')


class Accepted(unittest.TestCase):
    def test_what_is_left_out_has_its_default(self) -> None:
        patch = check_patch(document([ENVELOPE, WAVE]))
        self.assertEqual(patch.voice.mode, "poly")
        self.assertEqual(patch.base(patch.destination("cutoff")), 1000.0)  # type: ignore[arg-type]
        self.assertEqual(patch.base(patch.destination("filter2_cutoff")), 20_000.0)  # type: ignore[arg-type]
        self.assertEqual(patch.modules[0].slot_value("velocity_depth", patch.performance.tempo), 0.0)
        self.assertEqual(patch.modules[1].slot_value("shape", patch.performance.tempo), 0.0)

    def test_a_finding_set_aside_under_an_older_name_is_still_meant(self) -> None:
        old = document(set_aside=[{"finding": "cancelling_movers: route.a", "reason": "It is meant."}])
        self.assertEqual(check_patch(old).set_aside[0].finding, "cancelling_routes: route.a")

    def test_demos_come_back_as_they_went_in(self) -> None:
        for doc in demos().values():
            again = parse_patch(json.dumps(doc)).model_dump(mode="json", exclude_unset=True)
            self.assertEqual(again, doc)

    def test_each_demo_opens_its_amplifier_and_moves_the_timbre(self) -> None:
        for name, doc in demos().items():
            if "Frost Fair" in doc["tags"]:
                moved = {route["destination"] for route in doc["routes"]}
                self.assertIn("amplitude", moved, name)
                self.assertTrue(any(at.part == "timbre" and at.name in moved for at in VOICE.values()), name)
                self.assertGreater(len(doc["notes"]), 80, name)

    def test_the_schema_and_the_catalogue_name_every_kind(self) -> None:
        definitions = document_schema(Patch)["$defs"]
        for facts in catalogue().kinds:
            kind = KINDS[facts.kind]
            properties = definitions[kind.__name__]["properties"]
            self.assertLessEqual({field.name for field in facts.fields}, set(properties))
            for field in facts.fields:
                self.assertTrue(field.help, f"{facts.kind}.{field.name} has no help")
                if field.role == "number":
                    self.assertEqual(properties[field.name]["maximum"], field.high)


class Catalogued(unittest.TestCase):
    def test_the_page_is_current(self) -> None:
        self.assertEqual((ROOT / "docs/catalogue.md").read_text(), page(catalogue()), "run scripts/types")
        for what in DOCUMENTS:
            self.assertEqual(
                (ROOT / f"src/jorvik/{what}.schema.json").read_text(), schema_text(what), "run scripts/types"
            )
        for name in PAGES:
            self.assertEqual((ROOT / f"docs/{name}.md").read_text(), page_of(name), "run scripts/types")


class Swinging(unittest.TestCase):
    def test_a_mix_without_inputs_rests_at_zero_whatever_its_operation(self) -> None:
        for operation in ("sum", "max", "min", "product"):
            of = patch([{"id": "m", "kind": "mix", "operation": operation}], [{"source": "m", "destination": "pitch"}])
            self.assertEqual((of.swings("m"), of.modules[0].reach([])), (False, (0.0, 0.0)))
            self.assertEqual(set(trace(of).signals["m"]), {0.0})

    def test_a_signal_swings_by_its_kind_not_by_one_note(self) -> None:
        of = patch(
            [
                {"id": "lfo", "kind": "lfo", "rate": 0.01},
                {"id": "up", "kind": "lfo", "polarity": "unipolar"},
                {"id": "env", "kind": "envelope"},
                {"id": "both", "kind": "mix", "inputs": [{"source": "env"}, {"source": "up"}]},
                {"id": "turned", "kind": "shape", "input": "env", "gain": 2, "offset": -1},
                {"id": "held", "kind": "sample_hold", "input": "up", "clock": "lfo"},
                {"id": "loop", "kind": "slew", "input": "loop"},
            ]
        )
        names = ("lfo", "turned", "key", "pitch_bend", "note_random", "up", "env", "both", "held", "loop", "velocity")
        found = [name for name in names if of.swings(name)]
        self.assertEqual(found[:5], ["lfo", "turned", "key", "pitch_bend", "note_random"])
        self.assertEqual(set(found[5:]) - {"loop"}, set())


if __name__ == "__main__":
    unittest.main()
