"""Pieces of work that a hand plays, done from an empty patch to their ends."""

import re
import unittest
from contextlib import suppress

import numpy as np
from playwright.sync_api import expect

from jorvik.core.measure.sound import loudness
from jorvik.core.phrases.takes import phrase_of
from jorvik.core.voice.render import render
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PHRASES
from tests.browser.playing import ROUND, Playing
from tests.browser.test_walks import FromEmpty


class FromEmptyToTheEnd(FromEmpty, Playing):
    def keep_it(self, name: str) -> None:
        self.page.get_by_role("button", name="Keep it").click()
        expect(self.page.get_by_label("Name of the phrase")).to_have_value(name)

    def test_j01_a_macro_performed_thinned_nudged_printed_swept_again_and_matched(self) -> None:
        self.add("macro", "sweep")
        self.say("sweep sets cutoff from 180 Hz to 3.2 kHz")
        self.say("sweep sets filter 2 cutoff from 400 Hz to 6 kHz")
        with suppress(ValueError):
            # Long enough for a hand on a slow machine: what is recorded until it is stopped is a take.
            longer = {**ROUND, "name": "Round for a sweep", "tempo_bpm": 60, "bars": 10}
            DocumentStore(self.served.engine, PHRASES).create(longer)
        self.kept()
        self.page.reload()
        self.settle()
        self.under("Round for a sweep")
        self.live()
        self.record()
        self.during(1)
        for across in (*np.linspace(0.2, 0.9, 12), *np.linspace(0.85, 0.1, 12)):
            self.pad_to(float(across), 0.5)
            self.more(2)
        self.page.mouse.up()
        self.stop()
        take = self.until_taken(1)[0]
        self.page.get_by_role("button", name="Live", exact=True).click()
        played = phrase_of(take).controls["macro:sweep"]
        self.live()
        self.page.get_by_role("button", name=re.compile("^Takes")).click()
        self.redrawn(lambda: self.page.get_by_role("button", name="Open Untitled, take 1", exact=True).click())
        self.page.get_by_role("button", name="Live", exact=True).click()
        turning = self.page.get_by_role("table", name="Turning points of sweep")
        expect(turning.locator("tbody tr").first).to_be_visible()
        self.type_into("Thin sweep within", "6 %")
        self.redrawn(lambda: self.page.get_by_role("button", name="Thin sweep", exact=True).click())
        name = "Untitled, take 1"
        thin = self.until_kept(name, lambda p: len(p.controls["macro:sweep"]) < len(played)).controls["macro:sweep"]
        off = np.abs(np.interp(np.array(played)[:, 0], *np.array(thin).T) - np.array(played)[:, 1])
        self.assertLessEqual(float(off.max()), 0.06 + 1e-9)
        nudging = self.page.get_by_role("group", name=re.compile("^Nudge the turn at"))
        self.redrawn(lambda: nudging.get_by_role("button", name="+1 ms").click())
        nudged = self.until_kept(name, lambda p: p.controls["macro:sweep"] != thin).controls["macro:sweep"]
        gone = [after[0] - before[0] for before, after in zip(thin, nudged, strict=True)]
        moved = [by for by in gone if abs(by) > 1e-5]
        self.assertEqual(len(moved), 1)
        self.assertAlmostEqual(moved[0], 0.001, places=6)
        # Printed, it is the tone of a patch of its own, which is swept and printed once more.
        self.aside.get_by_role("button", name="Print…").click()
        with self.page.expect_download():
            self.page.get_by_role("dialog").get_by_role("button", name="Print", exact=True).click()
        self.redrawn(lambda: self.page.get_by_role("button", name="As the tone of a new patch").click())
        expect(self.name_field).to_have_value("Untitled, take 1, again")
        self.add("macro", "second")
        self.say("second sets cutoff from 200 Hz to 8 kHz")
        self.assertIsNotNone(self.patch().voice.oscillators.recording)
        levels = []
        self.page.get_by_role("button", name=re.compile("^Source second,")).click()
        for value in ("20%", "100%"):
            self.set("second", "value", value)
            levels.append(loudness(render(self.patch()).samples, 48_000))
        self.assertGreater(levels[1], levels[0])


if __name__ == "__main__":
    unittest.main()
