"""What the sheet says of itself: refusals in their place, ranges, amounts, macros, templates, posts, hertz."""

import math
import re
import unittest
from typing import Any

from playwright.sync_api import expect

from jorvik.core.document.patch import check_patch
from jorvik.core.engine.trace import trace
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES
from tests.browser.driver import BrowserCase


class Said(BrowserCase):
    def document(self) -> dict[str, Any]:
        """The open patch, as it is kept."""
        self.kept()
        name = self.name_field.input_value()
        store = DocumentStore(self.served.engine, PATCHES)
        latest = max((head for head in store.heads() if head.name == name), key=lambda head: head.changed_at)
        return store.get(latest.id).document

    def say(self, sentence: str) -> None:
        field = self.page.get_by_label("Say a route")
        field.fill(sentence)
        field.press("Enter")

    def test_a_refusal_stands_beside_its_field_and_goes_when_it_is_put_right(self) -> None:
        before = self.stave("Amplitude").bounding_box()
        self.type_into("Tempo", "12 bananas")
        refusal = self.page.get_by_role("alert")
        expect(refusal).to_contain_text("bananas")
        field, said = self.page.get_by_label("Tempo", exact=True).bounding_box(), refusal.bounding_box()
        assert field is not None and said is not None
        self.assertLess(abs(said["y"] - field["y"] - field["height"]), 30)
        self.assertEqual(self.stave("Amplitude").bounding_box(), before)
        self.redrawn(lambda: self.type_into("Tempo", "90"))
        expect(refusal).to_have_count(0)
        self.say("swell raises cutof 22 st")
        expect(refusal).to_contain_text("cutoff, if that was meant")
        self.assertEqual(self.stave("Amplitude").bounding_box(), before)
        self.redrawn(lambda: self.say("swell raises cutoff 22 st"))
        expect(refusal).to_have_count(0)
        self.redrawn(lambda: self.say("swell raises cutoff 300 Hz"))
        expect(self.page.get_by_label("Amount of the route")).to_have_value("300 Hz")
        self.redrawn(lambda: self.page.get_by_label("Unit of the amount").select_option(""))
        route = next(r for r in self.document()["routes"] if (r["source"], r["destination"]) == ("swell", "cutoff"))
        self.assertAlmostEqual(route["amount"], 12 * math.log2((180 + 300) / 180), places=6)
        self.assertNotIn("amount_unit", route)

    def test_a_range_says_from_what_to_what_and_the_set_value_steps_back(self) -> None:
        self.redrawn(lambda: self.say("breath sets cutoff from 273 Hz to 2.81 kHz"))
        cutoff = self.stave("Cutoff")
        expect(cutoff.get_by_label("Low end of breath on cutoff")).to_have_value("273 Hz")
        high = cutoff.get_by_label("High end of breath on cutoff")
        expect(high).to_have_value("2.81 kHz")
        struck = cutoff.get_by_label("Cutoff set value").evaluate("node => getComputedStyle(node).textDecorationLine")
        self.assertEqual(struck, "line-through")
        high.fill("3 kHz")
        self.redrawn(lambda: high.press("Enter"))
        route = next(r for r in self.document()["routes"] if r.get("mode") == "range")
        self.assertEqual((route["low"], route["high"]), (273, 3000))
        self.redrawn(lambda: self.say("swell moves pitch ±30 cents, none of it at full velocity"))
        expect(self.stave("Pitch")).to_contain_text("none of it at full velocity")

    def test_a_macro_at_0_half_and_full_in_one_table(self) -> None:
        self.redrawn(lambda: self.page.get_by_label("Add a source").select_option("macro"))
        self.redrawn(lambda: self.say("macro raises cutoff 24 st"))
        self.page.get_by_role("button", name="Source macro").click()
        table = self.page.get_by_role("table", name="What macro does at 0, half and full")
        # 180 Hz is set: an octave up at half, two at full.
        for place, text in (("at 0", "180 Hz"), ("half", "360 Hz"), ("full", "720 Hz")):
            expect(table.get_by_label(f"cutoff with macro {place}")).to_have_value(text)
        self.redrawn(lambda: self.type_into("cutoff with macro half", "300 Hz"))
        expect(table.get_by_label("cutoff with macro full")).to_have_value("720 Hz")
        route = next(r for r in self.document()["routes"] if r["source"] == "macro")
        share, k = math.log2(300 / 180) / math.log2(720 / 180), route["bend"]
        self.assertAlmostEqual(math.expm1(-0.5 * k) / math.expm1(-k), share, places=4)
        self.type_into("cutoff with macro half", "19 kHz")
        expect(self.page.get_by_role("alert")).to_contain_text("between what it is at 0 and full")

    def test_a_patch_starts_from_a_template_and_becomes_one(self) -> None:
        self.page.get_by_role("button", name="Patches", exact=True).click()
        self.page.get_by_role("group", name="Library").get_by_label("Start from a template").select_option(
            label="Pluck"
        )
        expect(self.name_field).to_have_value("Untitled")
        expect(self.page.get_by_role("button", name=re.compile("^Source fall"))).to_be_visible()
        self.redrawn(lambda: self.type_into("Tags of the patch", "short, wood, short"))
        self.assertEqual(self.document()["tags"], ["short", "wood"])
        self.page.get_by_role("button", name="Patches", exact=True).click()
        self.page.get_by_role("group", name="Library").get_by_role("button", name="Template", exact=True).click()
        self.assertEqual(self.document()["tags"], ["short", "wood", "template"])

    def test_a_new_patch_has_a_tone_that_answers(self) -> None:
        self.page.get_by_role("button", name="Patches", exact=True).click()
        self.page.get_by_role("button", name="New patch").click()
        expect(self.name_field).to_have_value("Untitled")
        self.redrawn(lambda: self.type_into("Bend range", "7 st"))
        self.redrawn(lambda: self.type_into("Beats per bar", "3"))
        document = self.document()
        self.assertEqual(document["voice"]["bend_range_st"], 7)
        self.assertEqual(document["performance"]["beats_per_bar"], 3)
        self.assertGreater(document["voice"]["base"]["wavetable_position"], 0.5)

    def test_posts_measure_a_source_too(self) -> None:
        axis = self.page.get_by_role("slider", name="Time cursor").bounding_box()
        assert axis is not None
        y = axis["y"] + 5
        self.page.mouse.move(axis["x"] + 0.1 * axis["width"], y)
        self.page.mouse.down()
        self.page.mouse.move(axis["x"] + 0.5 * axis["width"], y, steps=4)
        self.page.mouse.up()
        self.page.get_by_role("button", name="Source swell").click()
        said = self.page.locator("aside .placed").filter(has_text="greatest")
        expect(said).to_be_visible()
        swell = trace(check_patch(self.document())).signals["swell"]
        first, last = round(0.1 * swell.size), round(0.5 * swell.size)
        greatest = float(swell[first:last].max())
        self.assertAlmostEqual(float(said.locator("b").inner_text()), greatest, delta=0.01)

    def test_one_field_goes_back_to_what_it_was(self) -> None:
        self.page.get_by_role("button", name="Source swell").click()
        field = self.page.get_by_label("swell attack", exact=True)
        self.redrawn(lambda: self.type_into("swell attack", "180 ms"))
        self.redrawn(lambda: self.type_into("swell decay", "300 ms"))
        self.redrawn(lambda: self.type_into("swell attack", "90 ms"))
        for text in ("180 ms", "90 ms"):
            self.redrawn(lambda: field.press("Alt+Backspace"))
            expect(field).to_have_value(text)
        expect(self.page.get_by_label("swell decay", exact=True)).to_have_value("300 ms")

    def test_a_signal_is_heard_and_split(self) -> None:
        self.page.keyboard.press("Escape")
        self.redrawn(lambda: self.page.get_by_label("Signal heard as sound").select_option("shake"))
        self.page.get_by_role("button", name="Source shake").click()
        self.redrawn(lambda: self.page.get_by_role("button", name="One for each").click())
        document = self.document()
        self.assertEqual(document["voice"]["signal"], "shake")
        names = {m["id"] for m in document["modules"]}
        self.assertIn("shake cutoff", names)
        moved = {r["destination"]: r["source"] for r in document["routes"] if r["source"].startswith("shake")}
        self.assertEqual(moved, {"pitch": "shake", "cutoff": "shake cutoff"})


if __name__ == "__main__":
    unittest.main()
