"""Pieces of work that go by ear, done with what is measured of the sound; each figure found a second way."""

import math
import re

import numpy as np
from playwright.sync_api import expect

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.trace import trace
from tests.browser.test_range import InTheRangeView
from tests.core.test_figures_of_jobs import number
from tests.core.test_useful_range import THIRD, by_partials, toned
from tests.effort import only_long
from tests.support import RATE, Json

SEMITONES = 30.0


class BySweep(InTheRangeView):
    def swept_and_kept(self, low: str, high: str) -> tuple[float, float]:
        """Sweep the cutoff, keep what was found, and go back to the note."""
        self.sweep(low, high)
        self.redrawn(lambda: self.page.get_by_role("button", name="Keep it with the patch").click())
        kept = self.patch().useful_ranges["cutoff"]
        self.page.get_by_role("tab", name="Note").click()
        self.figures_of("cutoff")
        return kept.low, kept.high

    def near_shares(self, name: str, wanted: list[float], delta: float) -> None:
        """Wait until a figure says shares under and over a range: judgement comes after the sheet."""

        def shares() -> list[float]:
            figure = self.aside.locator(".placed").filter(has=self.page.get_by_text(name, exact=True)).locator("b")
            found = re.findall(r"([\d.]+) % ", figure.inner_text()) if figure.count() else []
            return [float(share) / 100 for share in found]

        self.eventually(
            lambda: len(shares()) == 2 and max(abs(a - b) for a, b in zip(shares(), wanted, strict=True)) <= delta,
            lambda: f"{name} says {shares()}, not {wanted}",
        )

    @only_long
    def test_j03_notes_that_a_random_cutoff_takes_out_of_what_is_heard(self) -> None:
        modules = [
            {"id": "grit", "kind": "noise"},
            {"id": "kept", "kind": "sample_hold", "input": "grit", "clock": "gate"},
        ]
        routes = [{"source": "kept", "destination": "cutoff", "amount": SEMITONES}]
        self.keep(toned(modules=modules, routes=routes), "Chance Bars")
        self.redrawn(lambda: self.type_into("Cutoff set value", "250 Hz"))
        low, high = self.swept_and_kept("20 Hz", "8 kHz")
        # What notes come to, one after the other, by running them with a seed each.
        of = self.patch()
        drawn = np.array([self.cutoff_of(of, seed) for seed in range(400)])
        self.near_shares("outside of what is useful", [float((drawn < low).mean()), float((drawn > high).mean())], 0.07)
        # Less far, and further up: none of them falls out of it any more.
        amount = self.stave("Cutoff").get_by_label("Amount of kept on cutoff", exact=True)
        amount.fill("6 st")
        self.redrawn(lambda: amount.press("Enter"))
        self.figures_of("cutoff")
        self.near_shares("outside of what is useful", [0.0, 0.0], 0.001)

    @staticmethod
    def cutoff_of(of: Patch, seed: int) -> float:
        document = of.with_note(length_s=0.01).document()
        document["performance"] = {**document["performance"], "seed": seed, "tail_s": 0.0}
        return float(trace(check_patch(document), RATE).lanes["cutoff"].value[100])

    @only_long
    def test_j11_a_macro_at_work_begins_and_ends_where_its_cutoff_does(self) -> None:
        routes = [{"source": "tone", "destination": "cutoff", "mode": "range", "low": 20.0, "high": 8_000.0}]
        self.keep(toned(modules=[{"id": "tone", "kind": "macro"}], routes=routes), "Tone in Hand")
        self.page.get_by_role("tab", name="Range").click()
        self.page.get_by_label("What is swept").select_option("macro:tone")
        self.page.get_by_role("button", name="Sweep", exact=True).click()
        expect(self.page.get_by_role("button", name="Play it through")).to_be_visible()
        said = self.found.inner_text().split("\n")
        marks = [number(line.split(" at ")[1]) for line in said if line.startswith(("Starts", "Stops"))]
        # A range in octaves: what share of the way each of the cutoff's ends lies along.
        for mark, end in zip(marks, by_partials("low", 20.0, 8_000.0), strict=True):
            self.assertAlmostEqual(
                mark, math.log(end / 20.0) / math.log(400.0), delta=math.log(THIRD) / math.log(400.0)
            )

    def test_j09_steps_that_no_longer_change_the_sound(self) -> None:
        modules: list[Json] = [
            {"id": "grit", "kind": "noise"},
            {"id": "slow", "kind": "lfo", "shape": "square", "rate": 25.0},
            {"id": "steps", "kind": "sample_hold", "input": "grit", "clock": "slow"},
        ]
        routes = [{"source": "steps", "destination": "cutoff", "amount": 48.0}]
        of = toned(modules=modules, routes=routes).with_note(length_s=4.0)
        self.keep(of, "Stepped Bars")
        self.redrawn(lambda: self.type_into("Cutoff set value", "200 Hz"))
        low, high = self.swept_and_kept("20 Hz", "8 kHz")
        held = trace(self.patch()).lanes["cutoff"].value[: 4 * RATE]
        taken = held[np.concatenate([[0], np.flatnonzero(np.diff(held)) + 1])]
        self.assertGreater(taken.size, 90)
        wanted = [float((taken < low).mean()), float((taken > high).mean())]
        self.assertGreater(min(wanted), 0.02)
        self.near_shares("steps outside of what is useful", wanted, 0.006)
