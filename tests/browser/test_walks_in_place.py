"""Pieces of work that need other notes, a beat or bars, done from an empty patch; their figures found a second way."""

import re
import unittest

import numpy as np
from playwright.sync_api import expect

from jorvik.core.document.patch import Patch
from jorvik.core.engine.trace import trace
from tests.browser.test_figures import number
from tests.browser.test_phrases import UnderAPhrase
from tests.browser.test_walks import FromEmpty
from tests.support import RATE


class InPlace(FromEmpty, UnderAPhrase):
    def played(self, phrase: str) -> Patch:
        """The open patch under a phrase."""
        return self.patch().under(self.phrase(phrase))

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
        self.redrawn(lambda: self.page.get_by_role("button", name="Take it").first.click())
        self.assertAlmostEqual(self.patch().voice.glide_ms, 1000 * short, delta=0.5)

    def test_j17_a_ramp_at_each_bar(self) -> None:
        self.under("Slow Watch")
        self.add("curve", "ramp", time="4bar")
        self.say("ramp raises fold 80%")
        self.figures_of("fold")
        values = trace(self.played("Slow Watch"), RATE, 0).lanes["fold"].value
        for bar in range(4):
            self.near(f"bar {bar + 1}", float(values[bar * 4 * RATE]), 0.002)

    def test_j18_dips_against_two_hits_a_bar(self) -> None:
        self.choose("Voice mode", "mono")
        self.under("Sledge on Two Blows")
        self.add("lfo", "lull", rate="1/2")
        self.set("lull", "phase", "0.7")
        self.level("amplitude", "Amplitude", "50%")
        self.say("lull raises amplitude 40%")
        self.figures_of("amplitude")
        lane = trace(self.played("Sledge on Two Blows"), RATE, 0).lanes["amplitude"].value
        beat = 60 / 96
        at = round(2 * beat * RATE)
        near = 20 * np.log10(lane[at - round(beat * RATE) : at + round(beat * RATE)])
        lowest = int(near.argmin())
        late = (lowest - round(beat * RATE)) / RATE
        depth = float(near[: lowest + 1].max() - near[lowest])
        figure = self.figure(f"at {2 * beat:g} s, 60%")
        expect(figure).to_contain_text(f"dips {depth:.3g} dB, {1000 * late:.4g} ms late")
        expect(self.page.get_by_role("contentinfo")).to_contain_text(f"lies {1000 * late:.4g} ms after its stroke")

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
        gap = number(self.figure("at 0 ms, 100%").inner_text().removeprefix("there after "))
        # 20 dB under the level that it comes to is a tenth of its way: 25 ms, seen through a window of 10.
        self.assertAlmostEqual(gap, 0.025, delta=0.012)


if __name__ == "__main__":
    unittest.main()
