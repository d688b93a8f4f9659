"""Pieces of work done from an empty patch, in the order of the work, their figures found a second way."""

import math
import re
import unittest

import numpy as np
from playwright.sync_api import Locator, expect

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.trace import trace
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


class Walks(FromEmpty):
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

    def test_j21_pulse_width_that_keeps_clear(self) -> None:
        self.add("lfo", "tide", shape="triangle", rate="1.5Hz", start="free")
        self.say("tide moves pulse width 48%")
        self.say("tide lowers oscillator 2 pulse width 20%")
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
        lane = trace(self.patch()).lanes["pulse_width"].value
        self.assertGreater(float(np.minimum(lane, 1 - lane).min()), 0.04)


if __name__ == "__main__":
    unittest.main()
