"""Pieces of work done from an empty patch, in the order of the work, their figures found a second way."""

import math
import re
import unittest

import numpy as np
from playwright.sync_api import Locator, expect

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.trace import trace
from jorvik.core.voice.render import render
from tests.browser.test_bench import patch_of
from tests.browser.test_figures import OnThePage
from tests.core.test_figures_of_jobs import number
from tests.support import RATE


class FromEmpty(OnThePage):
    def setUp(self) -> None:
        super().setUp()
        self.page.get_by_role("button", name="Patches", exact=True).click()
        self.redrawn(lambda: self.page.get_by_role("button", name="New patch").click())
        expect(self.name_field).to_have_value("Untitled")

    def patch(self) -> Patch:
        """The open patch, as it is kept."""
        self.kept()
        return check_patch(patch_of(self.page))

    def add(self, kind: str, name: str, **fields: str) -> None:
        """Add a source, name it and set its fields."""
        self.redrawn(lambda: self.page.get_by_label("Add a source").select_option(kind))
        field = self.page.get_by_label("Name of the source")
        field.fill(name)
        self.redrawn(lambda: field.press("Enter"))
        for label, text in fields.items():
            self.set(name, label, text)

    def set(self, name: str, label: str, text: str) -> None:
        """Set a field of a source: type a value, or choose one."""
        field = self.page.get_by_label(f"{name} {label.replace('_', ' ')}", exact=True)
        if field.evaluate("node => node.tagName") == "SELECT":
            self.redrawn(lambda: field.select_option(text))
        else:
            self.redrawn(lambda: self.type_into(f"{name} {label.replace('_', ' ')}", text))

    def say(self, sentence: str) -> None:
        field = self.page.get_by_label("Say a route")
        field.fill(sentence)
        self.redrawn(lambda: field.press("Enter"))

    def choose(self, label: str, option: str) -> None:
        self.redrawn(lambda: self.page.get_by_label(label, exact=True).select_option(option))

    def part(self, title: str) -> None:
        """Open a part of the patch's page."""
        fold = self.page.get_by_role("button", name=title, exact=True)
        if fold.get_attribute("aria-expanded") != "true":
            fold.click()

    def near(self, name: str, wanted: float, delta: float) -> None:
        """Wait until a figure says what is wanted of it: judgement comes after the sheet."""

        def said() -> float:
            found = self.figure(name)
            return number(found.inner_text()) if found.count() == 1 else math.nan

        self.eventually(lambda: abs(said() - wanted) <= delta, lambda: f"{name} says {said():g}, not {wanted:g}")

    def alike(self, title: str) -> str:
        """How like another lane the one on the page moves."""
        pair = self.aside.locator("dl dt").filter(has_text=re.compile(f"^{title}$")).locator("+ dd")
        return pair.inner_text()

    def figure(self, name: str) -> Locator:
        return self.aside.locator(".placed").filter(has=self.page.get_by_text(name, exact=True)).locator("b")

    def the_patch(self) -> None:
        """Go to the patch's own page."""
        up = self.aside.get_by_role("button", name="‹ The patch")
        if up.count():
            up.click()
        expect(self.page.get_by_label("Notes on the patch")).to_be_visible()

    def level(self, name: str, title: str, text: str) -> None:
        """Set a destination that nothing moves, on its own stave."""
        if self.stave(title).count() == 0:
            self.choose("Show another stave", name)
        self.redrawn(lambda: self.type_into(f"{title} set value", text))


def loudest_hz(of: Patch, least_hz: float = 20.0) -> float:
    """The strongest partial of what is heard, by a transform of its own."""
    heard = render(of).samples[:RATE].mean(axis=1)
    spectrum = np.abs(np.fft.rfft(heard * np.hanning(heard.size), 4 * heard.size))
    hz = np.fft.rfftfreq(4 * heard.size, 1 / RATE)
    spectrum[hz < least_hz] = 0.0
    return float(hz[np.argmax(spectrum)])


def strength_at(of: Patch, wanted: float) -> float:
    """How strong what is heard is within 3 Hz of a frequency, against its strongest partial, in dB."""
    heard = render(of).samples[:RATE].mean(axis=1)
    spectrum = np.abs(np.fft.rfft(heard * np.hanning(heard.size)))
    hz = np.fft.rfftfreq(heard.size, 1 / RATE)
    return float(20 * np.log10(spectrum[np.abs(hz - wanted) <= 3].max() / spectrum.max()))


class Walks(FromEmpty):
    def test_j07_one_mover_many_places(self) -> None:
        self.add("curve", "path")
        for sentence in (
            "path raises wavetable position 30%",
            "path raises fm index 2 rad",
            "path raises peak 1 frequency 12 st",
            "path lowers filter 2 cutoff 18 st",
            "path lowers peak 2 frequency 7 st",
        ):
            self.say(sentence)
        self.the_patch()
        self.part("Filter 2")
        self.choose("filter 2 response", "notch")
        self.figures_of("peak 1 frequency")
        lanes = trace(self.patch()).lanes
        mine = lanes["peak1_frequency"]
        for name, title in (("fm_index", "fm index"), ("peak2_frequency", "peak 2 frequency")):
            said = self.alike(title)
            theirs = lanes[name].value
            theirs = np.log2(theirs) if name == "peak2_frequency" else theirs
            other = float(np.corrcoef(np.log2(mine.value), theirs)[0, 1])
            self.assertAlmostEqual(float(said.split(", ")[1].replace("−", "-")), other, delta=0.011)
            self.assertEqual(said.startswith("opposed"), other < 0)
        # A macro takes over every route in one action.
        self.add("macro", "hand")
        self.page.get_by_role("button", name=re.compile("^Source path,")).click()
        self.choose("Hand the routes of path over", "hand")
        self.undo_says("hand all of path over to hand")
        routes = self.patch().routes
        self.assertEqual({route.source for route in routes}, {"hand"})
        # Both bands shifted by one number of hertz.
        self.add("macro", "shift")
        for band in ("peak 1 frequency", "peak 2 frequency"):
            self.say(f"shift raises {band} 200 Hz")
        self.page.get_by_role("button", name=re.compile("^Source shift,")).click()
        self.set("shift", "value", "0%")
        before = trace(self.patch()).lanes
        self.set("shift", "value", "100%")
        after = trace(self.patch()).lanes
        for name in ("peak1_frequency", "peak2_frequency"):
            self.assertAlmostEqual(float(after[name].value[0] - before[name].value[0]), 200.0, places=6)
        # The bend reaches an octave.
        self.the_patch()
        self.redrawn(lambda: self.type_into("Bend range", "12 st"))
        self.assertEqual(self.patch().voice.bend_range_st, 12.0)

    def test_j10_a_drawn_pluck_with_a_click_of_pitch(self) -> None:
        self.add("curve", "pluck", time="1/8")
        self.say("pluck raises cutoff 30 st")
        self.level("osc2_pitch", "Oscillator 2 pitch", "7 st")
        self.add("envelope", "snap", attack="0", decay="12 ms", sustain="0")
        self.say("snap raises pitch 24 st")
        self.figures_of("pitch")
        made = trace(self.patch())
        pitch = made.lanes["pitch"].value
        self.assertAlmostEqual(float(pitch.max()), 24.0, places=9)
        expect(self.aside).to_contain_text("24 st after 0 ms")
        tenth = int(np.argmax(pitch <= 2.4)) / RATE
        self.assertAlmostEqual(tenth, 0.9 * 0.012, delta=1e-4)
        expect(self.aside).to_contain_text(f"{1000 * tenth:.4g} ms"[:4])
        self.source("pluck")
        eighth = 0.5 * 60 / self.patch().performance.tempo.bpm
        expect(self.aside).to_contain_text(f"{1000 * eighth:.4g} ms")
        # The amplifier follows the gate: a second, and the ramp of 3 ms that keeps its end from clicking.
        self.the_patch()
        self.near("inaudible after", 1.003, 0.001)

    def test_j12_a_comparator_and_a_slew_make_clock_tone_and_width(self) -> None:
        self.redrawn(lambda: self.type_into("Test length", "3 s"))
        self.add("slew", "lag", rise="200 ms", fall="600 ms")
        self.add("compare", "flip", a="a number", hysteresis="0.25", b="lag")
        self.source("lag")
        self.set("lag", "input", "flip")
        # From a quarter to three quarters and back: half of each time.
        self.near("repeats at", 1 / (0.5 * 0.8), 0.01)
        self.near("rises in", 0.8 * 0.1, 0.001)
        self.near("falls in", 0.8 * 0.3, 0.001)
        self.source("flip")
        self.near("duty", 0.25, 0.01)
        # A ramp curved by feedback: exponential, a way of a half takes the time constant times ln 3.
        self.source("lag")
        self.set("lag", "law", "exponential")
        self.near("repeats at", 1 / (0.8 * math.log(3)), 0.01)
        self.set("lag", "law", "linear")
        # A width by comparison: it lies over 0.6 for the upper three tenths of its way.
        self.add("compare", "wide", a="lag", b="a number")
        self.redrawn(lambda: self.type_into("Number of wide b", "0.6"))
        self.near("duty", 0.3, 0.01)
        # The same at audio rate, heard as a tone.
        self.source("lag")
        self.set("lag", "rise", "1 ms")
        self.set("lag", "fall", "1 ms")
        self.the_patch()
        self.choose("Signal heard as sound", "lag")
        self.level("signal_level", "Signal level", "70%")
        self.level("osc1_level", "Oscillator 1 level", "0%")
        self.source("lag")
        made = self.patch()
        turns = np.diff(np.flatnonzero(np.diff((trace(made).signals["flip"][:RATE] > 0.5).astype(int)) > 0))
        hz = RATE / float(turns.mean())
        self.assertAlmostEqual(hz, 1000, delta=50)
        self.near("repeats at", hz, 3)
        self.assertAlmostEqual(loudest_hz(made), hz, delta=2)

    def test_j12_a_triple_random_on_the_same_draws(self) -> None:
        self.add("random", "weather", rate="5 Hz")
        self.choose("Lay weather beside copies of itself", "shape")
        self.undo_says("every shape of weather")
        for kind in ("line", "cosine", "gradient", "walk"):
            expect(self.page.get_by_role("button", name=f"Source weather {kind},")).to_be_visible()
        made = trace(self.patch()).signals
        expect(self.stave("Signals laid over each other")).to_contain_text("weather walk")
        # Each period of 9 600 samples the line and the cosine set out from the target that the hold stands at.
        for n in (1, 2, 3):
            for kind in ("weather line", "weather cosine"):
                self.assertAlmostEqual(float(made[kind][9600 * n]), float(made["weather"][9600 * n]), places=6)
        # The third: chance in the timing, by a second one that moves the rate.
        self.add("random", "gusts", rate="2 Hz")
        self.source("weather")
        self.choose("Add what moves weather rate", "gusts")
        waits = np.diff(np.flatnonzero(np.diff(trace(self.patch()).signals["weather"][: round(1.2 * RATE)])))
        self.assertGreater(int(np.ptp(waits)), 100)
        self.source("weather")
        self.near("longest wait", float(waits.max()) / RATE, 0.02)

    def test_j14_pitches_that_begin_again_at_each_bar(self) -> None:
        self.redrawn(lambda: self.type_into("Tempo", "120"))
        self.redrawn(lambda: self.type_into("Test length", "6 s"))
        self.add("noise", "drops")
        self.add("clock", "beat", rate="1/8")
        self.add("clock", "bar", rate="1bar")
        self.add("sample_hold", "row", input="drops", clock="beat", loop="5", reset="bar")
        self.add("quantise", "tuned", input="row", scale="minor_pentatonic")
        self.say("tuned raises pitch 12 st")
        made = trace(self.patch())
        pitch = made.lanes["pitch"].value
        eighth, bar = RATE // 4, 2 * RATE
        # Five values in a bar of eight: 1 2 3 4 5 1 2 3, and again from the first at the bar.
        steps = [float(pitch[n * eighth + 100]) for n in range(24)]
        self.assertEqual(steps[:8], steps[8:16])
        self.assertEqual(steps[:3], steps[5:8])
        self.assertEqual(steps[:8], steps[16:24])
        self.assertTrue(np.array_equal(pitch[:bar], pitch[bar : 2 * bar]))
        scale = {0, 3, 5, 7, 10}
        self.assertLessEqual({round(s) % 12 for s in steps}, scale)
        self.figures_of("pitch")
        self.assertIn(f"{max(steps) - min(steps):.3g} st", self.said("range"))

    def test_j14_a_tone_sampled_and_heard_with_its_images(self) -> None:
        self.redrawn(lambda: self.type_into("Test length", "1.5 s"))
        self.add("oscillator", "tone", tracks="none", hz="300 Hz")
        self.add("oscillator", "ticks", tracks="none", hz="2000 Hz", shape="square")
        self.add("sample_hold", "caught", input="tone", clock="ticks")
        self.near("effective rate", 2000, 1)
        expect(self.aside).to_contain_text("300 Hz, sampled at 2 kHz")
        expect(self.aside).to_contain_text("1.7 kHz")
        self.the_patch()
        self.choose("Signal heard as sound", "caught")
        self.level("signal_level", "Signal level", "70%")
        self.level("osc1_level", "Oscillator 1 level", "0%")
        self.level("cutoff", "Cutoff", "20 kHz")
        made = self.patch()
        self.assertAlmostEqual(loudest_hz(made), 300, delta=1)
        # A held sample weighs each image by sin(pi f/r) / (pi f/r): r - f lies 20 log(f / (r - f)) under the tone.
        for image in (1700, 2300):
            self.assertAlmostEqual(strength_at(made, image), 20 * math.log10(300 / image), delta=0.5)

    def test_j18_three_oscillators_swept_apart(self) -> None:
        self.redrawn(lambda: self.type_into("Test length", "4 s"))
        for name, rate, where in (
            ("first", "1/4", "wavetable position"),
            ("second", "3/8", "oscillator 2 wavetable position"),
            ("third", "1/2", "sub wavetable position"),
        ):
            self.add("lfo", name, rate=rate, shape="saw_up", polarity="unipolar")
            self.say(f"{name} raises {where} 40%")
        self.level("osc2_level", "Oscillator 2 level", "50%")
        self.level("sub_level", "Sub level", "50%")
        self.say("first raises drive 9 dB")
        self.say("first lowers cutoff 12 st")
        self.source("first")
        # Loops of 1, 1.5 and 2 beats meet after 6: their least common multiple.
        beat = 60 / self.patch().performance.tempo.bpm
        self.near("all meet after", 6, 1e-9)
        self.assertIn(f"{6 * beat:.4g} s", self.said("all meet after"))
        made = trace(self.patch())
        lanes = [made.lanes[n].value for n in ("wavetable_position", "osc2_wavetable_position", "sub_position")]
        whole = round(6 * beat * RATE)
        for lane in lanes:
            self.assertAlmostEqual(float(lane[0]), float(lane[whole]), places=4)
        for shorter in (1, 2, 3, 4, 5):
            at = round(shorter * beat * RATE)
            self.assertGreater(max(abs(float(lane[at] - lane[0])) for lane in lanes), 0.05)
        self.figures_of("drive")
        self.assertTrue(self.alike("cutoff").startswith("opposed"))
        low = np.log2(made.lanes["cutoff"].value[: round(4 * RATE)])
        drive = made.lanes["drive"].value[: round(4 * RATE)]
        self.assertAlmostEqual(float(np.corrcoef(low, drive)[0, 1]), -1.0, places=6)


if __name__ == "__main__":
    unittest.main()
