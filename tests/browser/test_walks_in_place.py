"""Pieces of work that need other notes, a beat or bars, done from an empty patch; their figures found a second way."""

import re
import unittest

import numpy as np
from playwright.sync_api import expect

from jorvik.core.document.patch import Patch
from jorvik.core.engine.trace import trace
from tests.browser.test_phrases import UnderAPhrase
from tests.browser.test_walks import FromEmpty
from tests.core.test_figures_of_jobs import number
from tests.support import RATE


class InPlace(FromEmpty, UnderAPhrase):
    def played(self, phrase: str) -> Patch:
        """The open patch under a phrase."""
        return self.patch().under(self.phrase(phrase))

    def test_j01_a_macro_over_a_beat_thinned_nudged_and_pulled(self) -> None:
        self.add("macro", "striker")
        self.say("striker raises cutoff 24 st")
        self.say("striker raises filter2 cutoff 12 st")
        self.new_phrase()
        self.redrawn(lambda: self.page.get_by_label("Play another lane").select_option("macro:striker"))
        lane = self.score.get_by_role("group", name="Played striker")
        lane.get_by_role("button", name="striker", exact=True).click()
        box, axis = lane.bounding_box(), self.page.get_by_role("slider", name="Time cursor").bounding_box()
        assert box is not None and axis is not None
        tail = self.patch().performance.tail_s
        beat = axis["width"] * 0.625 / (4 * 0.625 + tail)
        played = [(0.3, 0.26), (0.75, 0.7), (1.25, 0.95), (2.25, 0.2), (3.0, 0.55)]
        for count, (at, value) in enumerate(played, 3):
            y = box["y"] + box["height"] * (0.9 - 0.8 * value)
            # Finer than a step with Shift held.
            self.page.keyboard.down("Shift")
            self.page.mouse.dblclick(box["x"] + at * beat, y)
            self.page.keyboard.up("Shift")
            self.until_kept("Untitled phrase", lambda p, n=count: len(p.controls["macro:striker"]) == n)
        before = self.phrase("Untitled phrase").controls["macro:striker"]
        turning = self.page.get_by_role("table", name="Turning points of striker").locator("tbody tr")
        expect(turning).to_have_count(2)
        self.page.get_by_label("Grid of striker").select_option("1/4")
        # Found a second way: the highest and, after it, the lowest of the points, and the beat nearest to each.
        top = max(before[:-1], key=lambda point: point[1])
        bottom = min((point for point in before if point[0] > top[0]), key=lambda point: point[1])
        for row, (at, _) in zip(turning.all(), (top, bottom), strict=True):
            expect(row).to_contain_text(f"{1000 * 0.625 * (at - round(at)):+.3g} ms".replace("-", "−"))
        self.type_into("Thin striker within", "6 %")
        self.redrawn(lambda: self.page.get_by_role("button", name="Thin striker", exact=True).click())
        kept = self.until_kept("Untitled phrase", lambda p: len(p.controls["macro:striker"]) < len(before))
        thin = kept.controls["macro:striker"]
        off = np.abs(np.interp(np.array(before)[:, 0], *np.array(thin).T) - np.array(before)[:, 1])
        self.assertLessEqual(off.max(), 0.06)
        self.assertTrue(all(point in before for point in thin))
        nudging = self.page.get_by_role("group", name=re.compile("^Nudge the turn at"))
        self.redrawn(lambda: nudging.get_by_role("button", name="+1 ms").click())
        kept = self.until_kept("Untitled phrase", lambda p: p.controls["macro:striker"] != thin)
        moved = max(kept.controls["macro:striker"][:-1], key=lambda point: point[1])
        self.assertAlmostEqual(moved[0] - top[0], 0.001 / 0.625, places=5)
        self.undo_says("striker +1 ms")
        self.redrawn(lambda: self.page.get_by_role("button", name="Pull striker", exact=True).click())
        for row in turning.all():
            expect(row).to_contain_text("0 ms")
        kept = self.until_kept(
            "Untitled phrase", lambda p: [round(bottom[0]), bottom[1]] in p.controls["macro:striker"]
        )
        self.assertIn([round(top[0]), top[1]], kept.controls["macro:striker"])

    def test_j05_a_glide_that_arrives_or_not(self) -> None:
        self.choose("Voice mode", "mono")
        self.redrawn(lambda: self.type_into("Glide", "300 ms"))
        self.under("Ferry Glides")
        # Its sixteenths last 0.98 of 179 ms at 84; the glide is cut off there, and says so.
        foot = self.page.get_by_role("contentinfo")
        expect(foot).to_contain_text("A glide of 300 ms does not arrive")
        of = self.played("Ferry Glides")
        assert of.phrase is not None
        short = min(note.length for note in of.phrase.played) * 60 / 84
        self.page.get_by_role("button", name=re.compile("^Try: glide")).click()
        self.redrawn(lambda: foot.get_by_role("button", name="Take it").click())
        self.assertAlmostEqual(self.patch().voice.glide_ms, 1000 * short, delta=0.5)

    def test_a_target_is_met_on_the_voice_that_is_looked_at(self) -> None:
        self.add("envelope", "rise", attack="40 ms", decay="250 ms", sustain="30%")
        self.say("rise raises cutoff 12 st scaled by velocity")
        self.under("Landing Steps")
        self.redrawn(lambda: self.note("E3 at 1.2").click())
        self.figures_of("cutoff")
        self.page.get_by_label("Target for peak", exact=True).check()
        self.type_into("Target peak", "1.5 kHz")
        self.page.get_by_role("button", name="Work it out").click()
        self.redrawn(lambda: self.aside.get_by_role("button", name="Take it").click())
        before = self.played("Landing Steps")
        struck = [(note.key, note.at) for note in self.phrase("Landing Steps").played].index((52.0, 1.0))
        peak = float(trace(before, RATE, struck).lanes["cutoff"].value.max())
        self.assertAlmostEqual(12 * np.log2(peak / 1500.0), 0.0, delta=0.1)

    def test_j19_how_far_it_opens_at_each_note_rate_and_the_gap_it_leaves(self) -> None:
        self.add("envelope", "rise", attack="250 ms", sustain="100%")
        self.say("rise raises cutoff 24 st")
        self.say("rise scales amplitude 100%")
        self.source("rise")
        # At 96 an eighth lasts 312 ms and opens it whole, a sixteenth 156 ms: 0.625 of a straight attack.
        for value, seconds in (("1/8", 0.3125), ("1/16", 0.15625), ("1/32", 0.078125)):
            self.near(f"notes of {value}", min(seconds / 0.25, 1.0), 0.005)
        self.under("Ice-Hammer Beat")
        self.page.get_by_role("button", name="‹ The patch").click()
        expect(self.aside.get_by_text("The sound against thud")).to_be_visible()
        gap = number(self.figure("at 0 ms, 100 %").inner_text().removeprefix("there after "))
        # 20 dB under the level that it comes to is a tenth of its way: 25 ms, seen through a window of 10.
        self.assertAlmostEqual(gap, 0.025, delta=0.012)


if __name__ == "__main__":
    unittest.main()
