"""Figures in their places, each compared on the screen with the same figure found another way."""

import math
import re

import numpy as np
from playwright.sync_api import Locator, expect

from jorvik.core.document.patch import check_patch
from jorvik.core.engine.trace import trace
from tests.browser.driver import BrowserCase
from tests.browser.test_bench import patch_of
from tests.core.test_figures_of_jobs import demo, number, traced
from tests.support import RATE


class OnThePage(BrowserCase):
    """Reads what stands on the page at the right."""

    @property
    def aside(self) -> Locator:
        return self.page.get_by_role("complementary")

    def source(self, name: str) -> None:
        self.page.get_by_role("button", name=f"Source {name},").click()

    def figures_of(self, stave: str) -> None:
        self.page.get_by_role("button", name=f"Figures of {stave}", exact=True).click()

    def said(self, name: str) -> str:
        """What a figure says on the page at the right."""
        figure = self.aside.locator(".placed").filter(has=self.page.get_by_text(name, exact=True))
        return figure.locator("b").inner_text()


class Jobs(OnThePage):
    def test_j02_settings_from_the_wish(self) -> None:
        self.open_demo("Rope Creak")
        self.source("ring")
        self.redrawn(lambda: self.type_into("ring: gone after", "1.5s"))
        self.undo_says("ring gone after 1.5 s")
        self.kept()
        ring = patch_of(self.page)["modules"][1]
        self.assertAlmostEqual(math.log(1000) * ring["q"] / (math.pi * ring["frequency_hz"]), 1.5, places=3)
        self.assertAlmostEqual(
            ring["frequency_hz"] * math.sqrt(1 - 1 / (4 * ring["q"] ** 2)), 7.5 * math.sqrt(1 - 1 / 49), places=2
        )

    def test_j05_settling_soft_medium_hard_and_what_cancels(self) -> None:
        self.open_demo("Oar Drag")
        self.figures_of("fm index")
        self.page.get_by_text("At other velocities and keys").click()
        row = self.aside.locator("tbody tr").filter(has_text="F2")
        expect(row.locator("td").nth(3)).to_have_text(re.compile("rad"))
        self.page.get_by_label("Figure at other velocities and keys").select_option("at_off")
        for place, velocity in enumerate((40, 80, 118), 1):
            of = trace(check_patch(demo("oar-drag")).with_note(velocity=velocity))
            at_off = float(of.lanes["fm_index"].value[of.run.notes[0].off - 1])
            self.assertAlmostEqual(number(row.locator("td").nth(place).inner_text()), at_off, delta=0.001)
        self.figures_of("pitch")
        self.stave("Pitch").get_by_role("button", name="shake", exact=True).click()
        self.page.get_by_role("button", name="velocity", exact=True).last.click()
        self.assertEqual(self.said("cancels at exactly"), "−0.22 st")

    def test_j21_distance_from_collapse(self) -> None:
        self.open_demo("Tide Organ")
        self.figures_of("pulse width")
        raw = traced("tide-organ").lanes["pulse_width"].raw
        self.assertAlmostEqual(number(self.said("least width")), float(raw.min()), places=3)
        clear = float(np.minimum(raw, 1 - raw).min())
        kept = self.page.get_by_label("pulse width: clear of collapse by")
        self.assertAlmostEqual(number(kept.input_value()), clear, places=3)
        self.assertGreater(number(self.said("next note differs by")), 0.01)
        self.redrawn(lambda: self.type_into("pulse width: clear of collapse by", "25%"))
        self.undo_says("pulse width clear of collapse by 25 %")
        self.kept()
        raw = trace(check_patch(patch_of(self.page))).lanes["pulse_width"].raw
        self.assertAlmostEqual(float(np.minimum(raw, 1 - raw).min()), 0.25, places=3)


class InPlace(OnThePage):
    def test_a_wanted_time_sets_the_bend(self) -> None:
        self.source("swell")
        self.redrawn(lambda: self.type_into("swell: decay, −20 dB", "200ms"))
        self.kept()
        patch = patch_of(self.page)
        swell = trace(check_patch(patch)).signals["swell"]
        top, sustain = round(0.42 * RATE), patch["modules"][0]["sustain"]
        at = swell[top + round(0.2 * RATE)]
        self.assertAlmostEqual(float(at), sustain + 0.1 * (1 - sustain), places=3)

    def peak_target(self, value: str) -> None:
        self.page.get_by_label("Target for peak", exact=True).check()
        self.type_into("Target peak", value)

    def test_targets_at_two_velocities_by_what_was_chosen(self) -> None:
        self.open_demo("Oar Drag")
        self.figures_of("fm index")
        self.type_into("Target at velocity", "40")
        self.peak_target("3 rad")
        self.type_into("Target at velocity", "118")
        expect(self.aside).to_contain_text("velocity 40: peak 3 rad")
        self.peak_target("6 rad")
        may = self.page.get_by_role("group", name="What may change")
        may.get_by_label("fm index set at").uncheck()
        self.page.get_by_role("button", name="Work it out").click()
        # Without the set value both cannot be: the amount reaches the two in a fixed ratio.
        expect(self.aside).to_contain_text("cannot be met with the rest; the nearest is")
        self.page.get_by_role("button", name="Leave it").click()
        may.get_by_label("fm index set at").check()
        self.page.get_by_label("Let something else change").select_option("blade attack")
        may.get_by_label("blade attack").uncheck()
        self.page.get_by_role("button", name="Work it out").click()
        self.redrawn(lambda: self.aside.get_by_role("button", name="Take it").click())
        self.undo_says("target for fm index")
        self.kept()
        made = patch_of(self.page)
        raised = next(route for route in made["routes"] if route["destination"] == "fm_index")
        depth = raised["via_depth"]
        amount = (6 - 3) / (depth * (118 - 40) / 127)
        self.assertAlmostEqual(raised["amount"], amount, delta=0.02)
        self.assertAlmostEqual(
            made["voice"]["base"]["fm_index"], 3 - amount * (1 - depth + depth * 40 / 127), delta=0.02
        )

    def test_a_source_dragged_onto_a_stave_moves_it_and_onto_a_sentence_its_amount(self) -> None:
        lip = self.page.get_by_role("button", name="Source lip,")
        self.redrawn(lambda: lip.drag_to(self.stave("Wavetable position")))
        self.undo_says("lip moves wavetable position")
        self.kept()
        route = patch_of(self.page)["routes"][-1]
        self.assertEqual((route["source"], route["destination"]), ("lip", "wavetable_position"))
        swell = self.page.get_by_role("button", name="Source swell,")
        sentence = self.stave("Pitch").get_by_role("group", name=re.compile("shake"))
        self.redrawn(lambda: swell.drag_to(sentence))
        self.kept()
        route = patch_of(self.page)["routes"][-1]
        self.assertEqual(route["destination"], "route:shake to pitch.amount")

    def test_harmonics_stand_beside_those_of_the_ghost(self) -> None:
        self.open_demo("Barge Bell")
        self.page.get_by_role("tab", name="Sound").click()
        self.page.get_by_role("button", name="Hold as ghost").click()
        table = self.page.get_by_role("region", name="Table of harmonics")
        expect(table.get_by_text("ghost")).to_be_visible()
        rows = [row.locator("td").all_inner_texts() for row in table.locator("tbody tr").all()]
        self.assertGreater(len(rows), 5)
        for row in rows:
            self.assertEqual(row[3], row[4], f"harmonic {row[0]} differs from itself")

    def test_the_shelf_finds_by_tag_and_keeps_the_wrong_ones_apart(self) -> None:
        self.page.get_by_role("button", name="Patches", exact=True).click()
        shelf = self.page.get_by_role("group", name="Library")
        expect(shelf).to_contain_text("Made to be wrong")
        shelf.get_by_label("Find a patch").fill("off scale")
        # What is tagged so stands before what only says so somewhere.
        first = shelf.get_by_role("list", name="Found").get_by_role("button", name=re.compile("^Star")).first
        expect(first).to_have_accessible_name("Star Bent Pipes")
        shelf.get_by_role("button", name="Bent Pipes", exact=True).click()
        foot = self.page.get_by_role("contentinfo")
        foot.get_by_role("button", name="Try: amount 12 st").click()
        self.redrawn(lambda: foot.get_by_role("button", name="Take it").click())
        expect(foot).not_to_contain_text("between the keys")
