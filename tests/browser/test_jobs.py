"""Real pieces of work, each done from an empty patch by hand on the sheet, and its figures checked another way."""

import math
import re

import numpy as np
from numpy.typing import NDArray
from playwright.sync_api import expect
from scipy import signal

from jorvik.core.document.patch import check_patch
from jorvik.core.engine.trace import Trace, trace
from tests.browser.driver import BrowserCase
from tests.browser.test_bench import patch_of

Floats = NDArray[np.float64]


class Jobs(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.page.get_by_role("button", name="Patches", exact=True).click()
        self.page.get_by_role("group", name="Library").get_by_role("button", name="New patch").click()
        expect(self.name_field).to_have_value("Untitled")
        self.kept()

    def add(self, kind: str, name: str, **fields: str) -> None:
        """Add a source, name it, and type or choose its fields."""
        self.redrawn(lambda: self.page.get_by_label("Add a source").select_option(kind))
        field = self.page.get_by_label("Name of the source")
        field.fill(name)
        self.redrawn(lambda: field.press("Enter"))
        for label, text in fields.items():
            self.set(f"{name} {label.replace('_', ' ')}", text)

    def set(self, label: str, text: str) -> None:
        """Type into a field, or choose in it."""
        field = self.page.get_by_label(label, exact=True)
        if field.evaluate("e => e.tagName") == "SELECT":
            field.select_option(text)
        else:
            self.type_into(label, text)

    def say(self, *sentences: str) -> None:
        """Say routes."""
        for sentence in sentences:
            field = self.page.get_by_label("Say a route")
            field.fill(sentence)
            self.redrawn(lambda: field.press("Enter"))  # noqa: B023
            expect(field).to_have_value("")

    def source(self, name: str) -> None:
        self.page.get_by_role("button", name=f"Source {name},").click()

    def traced(self) -> Trace:
        """The trace of what was built."""
        self.kept()
        return trace(check_patch(patch_of(self.page)))

    def mix(self, name: str, operation: str, *inputs: str) -> None:
        self.add("mix", name, operation=operation)
        for source in inputs:
            self.redrawn(lambda: self.page.get_by_label(f"Add an input to {name}").select_option(source))  # noqa: B023

    def test_j02_an_envelope_rung_by_a_filter(self) -> None:
        self.add("envelope", "strain", attack="30ms", decay="400ms", sustain="34%")
        self.add("filter", "ring", input="strain", response="band", frequency="7.5Hz", q="7")
        self.say("strain raises cutoff 22 st", "ring moves cutoff 11 st")
        self.source("ring")
        aside = self.page.get_by_role("complementary")
        expect(aside).to_contain_text("6.675 over 5 %")
        expect(self.page.get_by_label("ring: rings at")).to_have_value("7.481 Hz")
        for name in ("strain", "ring"):
            self.page.get_by_label("Show another stave").select_option(name)
        expect(self.page.get_by_role("region", name="Signals laid over each other")).to_contain_text("ring")
        expect(self.page.locator(".finding")).to_contain_text("never heard")
        lanes = self.traced().lanes["cutoff"]
        np.testing.assert_allclose(12 * np.log2(lanes.value / 1000), sum(lanes.contributions.values()), atol=1e-9)

    def test_j03_random_fold_with_a_floor(self) -> None:
        self.add("noise", "grit")
        self.add("clock", "tick", rate="1/8")
        self.add("sample_hold", "held", input="grit", clock="tick")
        self.add("shape", "floor", input="held", gain="0.44", offset="0.56")
        self.say("floor raises fold 100%")
        fold = self.traced().lanes["fold"].value
        self.assertGreaterEqual(float(fold.min()), 0.12)
        self.assertLessEqual(float(fold.max()), 1.0)
        self.assertGreater(np.unique(fold).size, 3)

    def test_j04_an_envelope_on_itself(self) -> None:
        self.add("envelope", "fall", attack="1ms", decay="600ms", sustain="0", decay_bend="4")
        self.mix("doubled", "product", "fall", "fall")
        self.say("doubled raises cutoff 40 st", "doubled scales amplitude")
        made = self.traced().signals
        np.testing.assert_allclose(made["doubled"], made["fall"] ** 2, atol=1e-12)
        self.source("doubled")
        expect(self.page.get_by_role("complementary")).to_contain_text("fall")
        times = [int(np.flatnonzero(made[n] > level)[-1]) for n, level in (("fall", math.sqrt(0.1)), ("doubled", 0.1))]
        self.assertEqual(times[0], times[1])

    def test_j05_playing_dynamics(self) -> None:
        self.add("envelope", "blade", attack="160ms", decay="300ms", sustain="40%")
        self.add("lfo", "shake", rate="6Hz", delay="0.2s", fade_in="0.3s")
        self.say(
            "blade raises fm index 6rad, scaled by velocity",
            "velocity lowers blade attack 140ms",
            "shake moves pitch 25 cents",
            "velocity lowers the amount of shake to pitch 25 cents",
        )
        self.set("Test velocity", "127")
        made = self.traced()
        self.assertLess(float(np.abs(made.lanes["pitch"].value).max()), 1e-12)
        settled = {}
        for velocity in (40, 80, 118):
            of = trace(check_patch(patch_of(self.page)).with_note(velocity=velocity))
            settled[velocity] = float(of.lanes["fm_index"].value[45_000])
            self.assertAlmostEqual(settled[velocity], 6 * 0.4 * velocity / 127, places=6)
        self.page.get_by_role("tab", name="Compare").click()
        self.page.get_by_role("button", name="FM index", exact=True).click()
        expect(self.page.get_by_role("table")).to_contain_text(f"{settled[40]:.4g} rad")

    def test_j07_one_mover_then_a_macro_takes_over(self) -> None:
        self.add("curve", "wind", time="1/4")
        self.add("macro", "hand")
        self.say(
            "wind raises wavetable position 60%",
            "wind raises fm index 2rad",
            "wind raises cutoff 24 st",
            "wind lowers filter 2 cutoff 20 st",
        )
        self.page.get_by_role("button", name="Figures of cutoff", exact=True).click()
        aside = self.page.get_by_role("complementary")
        expect(aside).to_contain_text("alike, 1")
        expect(aside).to_contain_text("opposed, −1")
        self.source("wind")
        self.redrawn(lambda: self.page.get_by_label("Hand the routes of wind over").select_option("hand"))
        self.source("hand")
        self.page.get_by_role("button", name="half", exact=True).click()
        made = self.traced()
        self.assertAlmostEqual(float(made.lanes["cutoff"].value[0]), 2000.0)
        self.assertAlmostEqual(float(made.lanes["filter2_cutoff"].value[0]), 20_000 * 2 ** (-10 / 12), places=3)

    def test_j09_a_stepped_filter(self) -> None:
        self.add("noise", "water")
        self.add("lfo", "paddle", shape="square", rate="4Hz", polarity="unipolar")
        self.add("sample_hold", "held", input="water", clock="paddle")
        self.add("slew", "smoothed", input="held", rise="50ms", fall="50ms", law="exponential")
        self.say("held moves cutoff 18 st", "smoothed moves wavetable position 30%")
        held = self.traced().signals["held"]
        steps = np.flatnonzero(np.diff(held)) + 1
        np.testing.assert_array_equal(steps, np.arange(1, steps.size + 1) * 12_000)

    def test_j12_three_functions_of_one_block(self) -> None:
        # An oscillator: a slew and a comparator wired to each other. A staircase: a hold that reads itself. A clock.
        self.add("compare", "over", hysteresis="0.4")
        self.add("slew", "ramp")
        self.add("shape", "turned", input="over", gain="-1", offset="1")
        self.source("ramp")
        self.set("ramp input", "turned")
        self.set("ramp rise", "10ms")
        self.set("ramp fall", "10ms")
        self.source("over")
        self.set("over a", "ramp")
        self.add("constant", "half", value="0.5")
        self.source("over")
        self.set("over b", "half")
        self.add("sample_hold", "stairs", clock="over")
        self.mix("next", "sum", "stairs")
        self.redrawn(lambda: self.type_into("Offset of input 1", "0.05"))
        self.source("stairs")
        self.set("stairs input", "next")
        self.say("ramp moves cutoff 12 st")
        made = self.traced().signals
        rises = np.flatnonzero((made["over"][1:] > 0.5) & (made["over"][:-1] <= 0.5))
        # From 0.1 to 0.9 and back at 1 in 10 ms: a cycle of 16 ms, and four samples of the loop at each turn.
        self.assertAlmostEqual(float(np.diff(rises).mean()), 768 + 8, delta=1)
        np.testing.assert_allclose(np.unique(np.round(np.diff(made["stairs"]), 6)), [0, 0.05], atol=1e-6)
        self.page.get_by_role("tab", name="Map").click()
        expect(self.page.locator("text.late").first).to_have_text("one sample later")

    def test_j13_a_filter_as_shaper(self) -> None:
        self.add("lfo", "wave", shape="triangle", rate="2Hz")
        for response in ("low", "high", "band", "notch"):
            self.add("filter", response, input="wave", response=response, frequency="2Hz", q="0.5")
            self.page.get_by_label("Show another stave").select_option(response)
        self.say("low raises cutoff 12 st")
        made = self.traced().signals
        w = 2 * math.tan(math.pi * 2 / 48_000)
        numerators: dict[str, list[float]] = {
            "low": [w * w],
            "high": [1, 0, 0],
            "band": [2 * w, 0],
            "notch": [1, 0, w * w],
        }
        for response, numerator in numerators.items():
            b, a = signal.bilinear(numerator, [1, 2 * w, w * w], 1.0)
            np.testing.assert_allclose(made[response], signal.lfilter(b, a, made["wave"]), atol=1e-6)

    def test_j14_uses_of_a_snapshot(self) -> None:
        self.add("lfo", "ramp", shape="saw_up", rate="0.4Hz", polarity="unipolar")
        self.add("clock", "shutter", rate="1/16")
        self.add("sample_hold", "shot", input="ramp", clock="shutter")
        self.add("quantise", "tuned", input="shot", scale="minor_pentatonic")
        self.add("shape", "mirror", input="shot", gain="-1", offset="1")
        self.say("tuned raises pitch 12 st", "shot raises cutoff 18 st", "shot raises pan 60%")
        self.say("mirror raises wavetable position 60%")
        self.redrawn(lambda: self.type_into("Wavetable position set value", "0%"))
        made = self.traced()
        cents = np.round(made.lanes["pitch"].value, 9) % 12
        self.assertLessEqual(set(cents.tolist()), {0.0, 3.0, 5.0, 7.0, 10.0})
        np.testing.assert_allclose(made.lanes["pan"].value + made.lanes["wavetable_position"].value, 0.6)

    def test_j15_many_envelopes_and_the_larger_of_two(self) -> None:
        self.add("envelope", "first", mode="trigger", attack="80ms", decay="300ms", sustain="0")
        self.add("envelope", "second", delay="0.5s", attack="200ms", decay="500ms", sustain="20%")
        self.mix("larger", "max", "first", "second")
        self.add("envelope", "crease", attack="300ms", decay="300ms", sustain="20%")
        self.say("larger raises cutoff 36 st", "crease raises fold 40%", "second scales amplitude")
        made = self.traced()
        np.testing.assert_array_equal(made.signals["larger"], np.maximum(made.signals["first"], made.signals["second"]))
        cutoff = made.lanes["cutoff"].value
        dip = cutoff[4000 : round(0.7 * 48_000)].min()
        self.assertLess(dip, 0.3 * cutoff.max())
        self.page.get_by_role("button", name="Figures of cutoff", exact=True).click()
        expect(self.page.get_by_role("complementary")).to_contain_text("after 80 ms")

    def test_j20_kinds_of_random_side_by_side(self) -> None:
        for name, shape in (("north", "hold"), ("east", "line"), ("south", "cosine"), ("west", "gradient")):
            self.add("random", name, rate="8Hz", shape=shape)
            self.page.get_by_label("Show another stave").select_option(name)
        self.add("random", "gust", rate="3Hz")
        self.say("north moves cutoff 12 st", "east moves wavetable position 20%", "gust moves north rate 1oct")
        made = self.traced().signals
        self.assertEqual(np.unique(made["east"]).size > 1000, True)
        jumps = np.flatnonzero(np.diff(made["north"]))
        self.assertGreater(np.diff(jumps).std(), 100)
        self.redrawn(lambda: self.page.get_by_role("button", name="Undo").click())
        still = self.traced().signals["north"]
        self.assertEqual(set(np.diff(np.flatnonzero(np.diff(still))).tolist()), {6000})

    def test_j21_pulse_width_that_keeps_clear(self) -> None:
        self.add("lfo", "tide", shape="triangle", rate="1.5Hz", start="free")
        self.say("tide moves pulse width 48%", "tide lowers oscillator 2 pulse width 20%")
        # The tone that the patch begins with has no pulse to be thin: Jorvik says so, and lets it have one.
        foot = self.page.get_by_role("contentinfo")
        foot.get_by_role("button", name=re.compile("more|All")).click()
        every = self.page.get_by_role("dialog")
        first = every.get_by_role("listitem").filter(has_text="tide on pulse width is not heard")
        first.get_by_role("button", name="Try: the table pulse").click()
        self.redrawn(lambda: foot.get_by_role("button", name="Take it").click())
        expect(foot).to_contain_text("of collapse")
        foot.get_by_role("button", name="Try: depth").click()
        self.redrawn(lambda: foot.get_by_role("button", name="Take it").click())
        lane = self.traced().lanes["pulse_width"].value
        self.assertGreater(float(np.minimum(lane, 1 - lane).min()), 0.04)

    def test_a_vibrato_that_fades_in_and_vanishes_when_played_hard(self) -> None:
        self.add("lfo", "vib", rate="5.5Hz", delay="0.2s", fade_in="0.4s")
        self.say("vib moves pitch 30 cents", "velocity lowers the amount of vib to pitch 30 cents")
        self.traced()
        document = patch_of(self.page)
        for velocity, depth in ((127, 0.0), (64, 0.3 * (1 - 64 / 127))):
            pitch = trace(check_patch(document).with_note(velocity=velocity, length_s=2.0))
            got = float(np.abs(pitch.lanes["pitch"].value).max())
            self.assertAlmostEqual(got, depth, places=3)
