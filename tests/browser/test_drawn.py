"""A drawn curve edited where it runs: on the note's own time, over the beat."""

import unittest

import numpy as np
from playwright.sync_api import Locator, expect

from jorvik.core.document.patch import check_patch
from jorvik.core.engine.trace import trace
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES
from tests.browser.driver import BrowserCase

NAME = "drawn curve"


class OnTheNote(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.redrawn(lambda: self.page.get_by_label("Add a source").select_option("curve"))

    def points(self) -> list[list[float]]:
        self.kept()
        store = DocumentStore(self.served.engine, PATCHES)
        head = next(head for head in store.heads() if head.name == "Ferry Horn")
        document = store.get(head.id).document
        self.curve = trace(check_patch(document)).signals[NAME]
        found: list[list[float]] = next(m for m in document["modules"] if m["id"] == NAME).get("points")
        return found

    @property
    def row(self) -> Locator:
        return self.page.get_by_role("img", name=f"Trace of {NAME}")

    def place(self, time_s: float, height: float) -> tuple[float, float]:
        """Where a time and a height lie on the screen: 2.3 s of run, heights 0 to 1 with the row's own margin."""
        box, first = self.row.bounding_box(), self.handle(1).bounding_box()
        last = self.page.get_by_role("button", name=f"{NAME}: point ").last.bounding_box()
        assert box is not None and first is not None and last is not None
        low, high = (end["y"] + end["height"] / 2 for end in (first, last))
        return box["x"] + box["width"] * time_s / 2.3, low + (high - low) * height

    def handle(self, number: int) -> Locator:
        return self.page.get_by_role("button", name=f"{NAME}: point {number} after")

    def test_a_point_is_added_dragged_to_the_beat_nudged_and_taken_away(self) -> None:
        x, y = self.place(0.5, 0.9)
        self.redrawn(lambda: self.page.mouse.dblclick(x, y))
        added = self.points()
        self.assertEqual(len(added), 3)
        self.assertAlmostEqual(added[1][0], 0.5, delta=0.01)
        self.assertAlmostEqual(added[1][1], 0.9, delta=0.02)
        self.assertAlmostEqual(float(self.curve[round(added[1][0] * 48_000)]), added[1][1], places=3)
        # At 72 bpm a sixteenth lasts 60 / 72 / 4 s: near its third line it lies on it.
        beat = 3 * 60 / 72 / 4
        handle = self.handle(2).bounding_box()
        assert handle is not None
        self.page.mouse.move(handle["x"] + handle["width"] / 2, handle["y"] + handle["height"] / 2)
        self.page.mouse.down()
        x, y = self.place(beat, 0.4)
        self.page.mouse.move(x + 3, y, steps=5)
        self.redrawn(self.page.mouse.up)
        dragged = self.points()
        self.assertAlmostEqual(dragged[1][0], beat, places=5)
        self.assertAlmostEqual(dragged[1][1], 0.4, delta=0.03)
        self.redrawn(lambda: self.handle(2).press("ArrowRight"))
        self.assertAlmostEqual(self.points()[1][0], beat + 60 / 72 / 4, places=5)
        self.redrawn(lambda: self.handle(2).press("Delete"))
        np.testing.assert_allclose(self.points(), [[0.0, 0.0], [1.0, 1.0]])
        expect(self.page.get_by_role("button", name=f"{NAME}: point 3 after")).to_have_count(0)

    def test_a_point_stays_between_its_neighbours(self) -> None:
        x, y = self.place(0.5, 0.5)
        self.redrawn(lambda: self.page.mouse.dblclick(x, y))
        for _ in range(8):
            self.redrawn(lambda: self.handle(2).press("ArrowRight"))
        self.assertEqual(self.points()[1][0], 1.0)

    def test_sources_stand_side_by_side(self) -> None:
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="Peaks of every source").click()
        table = self.page.get_by_role("table", name="Peaks, rises and dips of every source")
        row = table.get_by_role("row").filter(has_text="swell")
        expect(row).to_contain_text("420 ms")
        row.get_by_role("button", name="swell").click()
        expect(self.page.get_by_label("Name of the source")).to_have_value("swell")


if __name__ == "__main__":
    unittest.main()
