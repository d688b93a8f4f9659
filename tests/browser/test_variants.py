"""Variants of a patch: kept with a reason, told apart in words and figures, made alike in level, let go."""

import re

from playwright.sync_api import Locator, expect

from jorvik.core.document.patch import check_patch
from jorvik.core.measure.sound import loudness
from jorvik.core.voice.render import render
from tests.browser.copied import OnACopy
from tests.browser.driver import STATUS
from tests.support import RATE


class Variants(OnACopy):
    @property
    def dialog(self) -> Locator:
        return self.page.get_by_role("dialog")

    def keep_as(self, name: str, why: str) -> None:
        """Keep the open patch, as it stands, as a variant of itself."""
        self.page.locator(STATUS).click()
        self.dialog.get_by_label("Name of the variant").fill(name)
        self.dialog.get_by_label("Why it is kept").fill(why)
        self.dialog.get_by_role("button", name="Keep as a variant").click()
        expect(self.member(f"Ferry Horn copy, {name}")).to_be_visible()

    def member(self, name: str) -> Locator:
        """The row of a member of the family."""
        rows = self.dialog.get_by_role("region", name="Variants").get_by_role("listitem")
        return rows.filter(has=self.page.get_by_role("button", name=name, exact=True))

    def away(self) -> None:
        self.page.keyboard.press("Escape")
        expect(self.dialog).to_have_count(0)

    def test_what_a_variant_differs_in_is_told_and_taken_over(self) -> None:
        self.keep_as("as it was", "to come back to")
        self.away()
        self.redrawn(lambda: self.type_into("Cutoff set value", "360 Hz"))
        self.redrawn(lambda: self.type_into("Amount of swell on cutoff", "30 st"))
        self.page.get_by_role("button", name="Source swell,").click()
        self.redrawn(lambda: self.type_into("swell attack", "900 ms"))
        self.page.locator(STATUS).click()
        row = self.member("Ferry Horn copy, as it was")
        expect(row).to_contain_text("to come back to")
        row.get_by_role("button", name=re.compile("^What changed")).click()
        told = row.get_by_role("list", name=re.compile("^What changed"))
        expect(told).to_contain_text("cutoff set at 360 Hz, was 180 Hz")
        expect(told).to_contain_text("swell raises cutoff 30 st, scaled by velocity, was 44 st")
        expect(told).to_contain_text("swell attack 900 ms, was 420 ms")
        # What of it comes to: the swell peaks as much later.
        expect(told).to_contain_text("wavetable position peaks 480 ms later")
        self.redrawn(lambda: row.get_by_role("button", name="only swell").click())
        self.undo_says("swell as in Ferry Horn copy, as it was")
        expect(self.page.get_by_label("swell attack", exact=True)).to_have_value("420 ms")
        expect(self.page.get_by_label("Cutoff set value", exact=True)).to_have_value("360 Hz")

    def test_a_tree_is_walked_levels_are_matched_and_one_goes_its_own_way(self) -> None:
        self.redrawn(lambda: self.type_into("Amplitude set value", "40 %"))
        self.keep_as("softer", "under a voice")
        self.away()
        self.redrawn(lambda: self.type_into("Amplitude set value", "80 %"))
        self.page.locator(STATUS).click()
        self.dialog.get_by_role("button", name="How loud is each?").click()
        # From 40 to 80 per cent of the amplitude, 6 dB.
        row = self.member("Ferry Horn copy")
        expect(row).to_contain_text("−6.0 dB")
        self.dialog.get_by_role("button", name="Make all as loud as the quietest").click()
        expect(row).to_contain_text("0.0 dB")
        family = self.store().heads("ferry horn copy")
        made = [check_patch(self.store().get(head.id).document) for head in family]
        self.assertEqual(len(made), 2)
        lufs = [loudness(render(of, RATE).samples, RATE) for of in made]
        self.assertAlmostEqual(lufs[0], lufs[1], delta=0.05)
        # Deeper: a variant of the variant stands under it.
        self.member("Ferry Horn copy, softer").get_by_role("button", name="Ferry Horn copy, softer", exact=True).click()
        expect(self.name_field).to_have_value("Ferry Horn copy, softer")
        self.page.locator(STATUS).click()
        own = self.dialog.get_by_role("button", name="Let Ferry Horn copy, softer be a patch of its own")
        own.click()
        expect(self.dialog.get_by_role("region", name="Variants").get_by_role("listitem")).to_have_count(0)
        self.assertEqual([head.parent_id for head in self.store().heads("ferry horn copy")], [None, None])

    def test_a_variant_stands_in_compare(self) -> None:
        self.keep_as("other", "")
        self.member("Ferry Horn copy, other").get_by_role("button", name=re.compile("^Compare with")).click()
        expect(self.page.get_by_role("tab", name="Compare")).to_have_attribute("aria-selected", "true")
        panel = self.page.get_by_role("tabpanel")
        expect(panel.locator("th, td, span, button", has_text="Ferry Horn copy, other").first).to_be_visible()
