"""Pieces of work that need other notes, a beat or bars, done from an empty patch; their figures found a second way."""

import math
import re
import unittest

import numpy as np
from playwright.sync_api import expect

from jorvik.core.document.destinations import VOICE
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

    def test_j08_hits_open_a_filter_through_a_follower(self) -> None:
        self.level("cutoff", "Cutoff", "200 Hz")
        self.under("Ice-Hammer Beat")
        self.the_patch()
        self.add("follower", "ear", input="hit:thud", attack="4 ms", release="80 ms")
        self.say("ear raises cutoff 48 st")
        self.figures_of("cutoff")
        expect(self.aside.get_by_text("Against thud")).to_be_visible()
        lane = trace(self.played("Ice-Hammer Beat"), RATE, 0).lanes["cutoff"].value
        strikes, beat = [0, 1.5, 2, 3.25, 4], 60 / 88
        for at, following, strength in zip(strikes, strikes[1:], (100, 55, 90, 40), strict=False):
            begin, end = round(at * beat * RATE), round(following * beat * RATE)
            named = f"at {1000 * at * beat:.4g} ms" if at * beat < 1 else f"at {at * beat:.4g} s"
            said = self.said(f"{named}, {strength} %")
            peak = float(lane[begin:end].max())
            self.assertAlmostEqual(12 * math.log2(number(said) / peak), 0.0, delta=0.02)
            # Whether the next one finds it closed: less than a twentieth of the rise, in semitones, is left.
            rise, left = (12 * math.log2(value / 200.0) for value in (peak, float(lane[end - 1])))
            self.assertIn("closed by the next" if left < 0.05 * rise else "left", said)

    def test_j10_a_pluck_in_beats_and_its_click_under_a_phrase(self) -> None:
        self.new_phrase()
        self.redrawn(lambda: self.type_into("phrase tempo", "110"))
        self.the_patch()
        self.add("curve", "pluck", time="1/8d")
        self.say("pluck raises cutoff 30 st")
        self.add("envelope", "snap", attack="0", decay="12 ms", sustain="0")
        self.say("snap raises pitch 24 st")
        self.source("pluck")
        # Three quarters of a beat at the tempo of the phrase, not at that of the test note.
        expect(self.aside).to_contain_text(f"{1000 * 0.75 * 60 / 110:.4g} ms")
        self.redrawn(lambda: self.note("G3 at 1.3").click())
        self.figures_of("pitch")
        of = trace(self.played("Untitled phrase"), RATE, 1)
        pitch = of.lanes["pitch"].value
        tenth = int(np.argmax(pitch <= 2.4)) / RATE
        expect(self.aside).to_contain_text("24 st after 0 ms")
        expect(self.aside).to_contain_text(f"{1000 * tenth:.4g} ms"[:4])

    def test_j11_vibrato_and_macros_under_an_arpeggio(self) -> None:
        self.add("lfo", "waver", rate="5.5Hz", start="free", delay="200 ms", fade_in="400 ms")
        self.say("waver raises pitch 0.15 st")
        self.add("macro", "warm")
        self.say("warm raises cutoff 24 st")
        self.new_phrase()
        self.page.get_by_role("button", name="To a pattern").click()
        self.page.get_by_label("pattern kind").select_option("up and down")
        self.page.get_by_label("Rate of the pattern").fill("1/4")
        self.page.get_by_label("Accents").fill("112 70")
        self.redrawn(lambda: self.page.get_by_role("button", name="Make its notes").click())
        made = self.until_kept("Untitled phrase", lambda p: len(p.played) == 4).played
        self.assertEqual([(note.key, note.velocity) for note in made], [(48, 112), (51, 70), (55, 112), (51, 70)])
        self.redrawn(lambda: self.note("G3").click())
        self.figures_of("pitch")
        # A quarter at 96 less its gate: held 0.5 s, so that the third note hears a part of the fade alone.
        of = trace(self.played("Untitled phrase"), RATE, 2)
        swing = of.lanes["pitch"].contributions[self.patch().routes[0].id]
        held = round(0.8 * 60 / 96 * RATE)
        heard = int(np.argmax(np.abs(swing[:held]) >= 0.05)) / RATE
        self.near("rate", 5.5, 0.05)
        self.near("heard after", heard, 0.002)
        self.source("warm")
        base = self.patch().base(VOICE["cutoff"])
        for name, place in (("at 0", 0.0), ("half", 0.5), ("full", 1.0)):
            cell = self.page.get_by_label(f"Cutoff with warm {name}")
            self.assertAlmostEqual(number(cell.input_value()) / (base * 2 ** (24 * place / 12)), 1.0, delta=2e-3)

    def test_j16_loops_of_unlike_length_and_when_they_meet_against_the_phrase(self) -> None:
        self.new_phrase()
        self.redrawn(lambda: self.type_into("phrase bars", "4"))
        self.the_patch()
        self.add("noise", "hiss")
        for name, steps, rate in (("five", "5", "1/8t"), ("three", "3", "1/2")):
            self.add("clock", f"{name} beat", rate=rate)
            self.add("sample_hold", name, input="hiss", clock=f"{name} beat", loop=steps)
        self.add("quantise", "kept", input="five")
        self.say("kept raises pitch 12 st")
        self.say("three raises cutoff 12 st")
        self.source("five")
        # Five triplet eighths are 5/3 beats, three halves 6: both at their start again after 30 beats.
        self.near("repeats after", 5 / 3, 1e-3)
        self.near("all loops meet after", 30.0, 1e-9)
        expect(self.figure("all loops meet after")).to_contain_text(f"{30 * 60 / 96:.4g} s")
        self.figures_of("pitch")
        of = trace(self.played("Untitled phrase"), RATE, 0)
        met = np.unique(np.round(of.held(of.lanes["pitch"].value), 6))
        expect(self.figure("range")).to_contain_text(f"{met.max() - met.min():g} st")

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
        figure = self.figure(f"at {2 * beat:g} s, 60 %")
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
        gap = number(self.figure("at 0 ms, 100 %").inner_text().removeprefix("there after "))
        # 20 dB under the level that it comes to is a tenth of its way: 25 ms, seen through a window of 10.
        self.assertAlmostEqual(gap, 0.025, delta=0.012)


if __name__ == "__main__":
    unittest.main()
