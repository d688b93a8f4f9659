"""The Range view: a sweep read, heard, kept and put to use, its marks found a second way from the tone's partials."""

import re

from playwright.sync_api import Locator, Route, expect

from jorvik.core.document.patch import Patch, check_patch
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES
from tests.browser.test_bench import patch_of
from tests.browser.test_figures import OnThePage
from tests.core.test_figures_of_jobs import number
from tests.core.test_useful_range import toned

LISTENS = """() => {
    window.begun = [];
    const start = AudioBufferSourceNode.prototype.start;
    AudioBufferSourceNode.prototype.start = function (...rest) {
        const data = this.buffer.getChannelData(0);
        const peak = data.reduce((most, one) => Math.max(most, Math.abs(one)), 0);
        window.begun.push({ loop: this.loop, seconds: this.buffer.duration, peak });
        return start.apply(this, rest);
    };
}"""
"""Notes every sound that the page begins."""


class InTheRangeView(OnThePage):
    steps: int = 8
    """The steps of a sweep or a map, fewer than the screen asks for."""

    def setUp(self) -> None:
        super().setUp()
        self.page.evaluate(LISTENS)
        self.page.route("**/api/jobs/*", self.with_fewer_steps)

    def with_fewer_steps(self, route: Route) -> None:
        asked = route.request.post_data_json if route.request.method == "PUT" else None
        if asked and asked["kind"] in ("sweep", "map"):
            route.continue_(post_data={**asked, "steps": self.steps})
        else:
            route.continue_()

    def keep(self, of: Patch, name: str) -> None:
        """Keep a patch and open it."""
        kept = DocumentStore(self.served.engine, PATCHES).create({**of.document(), "name": name})
        self.page.goto(f"{self.served.url}/#{kept.id}")
        self.page.reload()
        self.settle()
        expect(self.name_field).to_have_value(name)
        self.page.evaluate(LISTENS)

    def patch(self) -> Patch:
        self.kept()
        return check_patch(patch_of(self.page))

    def sweep(self, low: str, high: str) -> None:
        self.page.get_by_role("tab", name="Range").click()
        self.type_into("Where the sweep begins", low)
        self.type_into("Where the sweep ends", high)
        self.page.get_by_role("button", name="Sweep", exact=True).click()
        expect(self.page.get_by_role("button", name="Play it through")).to_be_visible()

    @property
    def found(self) -> Locator:
        return self.page.get_by_role("list", name="What was found")

    @property
    def picture(self) -> Locator:
        return self.page.get_by_role("slider", name=re.compile("^Step of the sweep"))

    def at(self, share: float) -> None:
        """Point at a share of the way along the sweep."""
        box = self.picture.bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + share * box["width"], box["y"] + 0.4 * box["height"])


class Ranges(InTheRangeView):
    def test_steps_are_heard_one_after_the_other_and_as_one_note(self) -> None:
        self.keep(toned(), "Four Bars")
        self.sweep("60 Hz", "6 kHz")
        self.at(0.5)
        expect(self.page.locator("output.read")).to_contain_text("LUFS")
        self.assertEqual(self.page.evaluate("begun.length"), 0)
        self.page.mouse.down()
        self.until("begun.length === 1 && begun[0].loop && begun[0].peak > 0.02", "the step was not heard")
        self.at(0.8)
        self.until("begun.length >= 2", "the next step was not heard")
        self.page.mouse.up()
        # Level with each other, whatever their own levels are.
        self.page.keyboard.press("Escape")
        self.picture.focus()
        before = int(self.page.evaluate("begun.length"))
        self.page.keyboard.press("Enter")
        self.until(f"begun.length > {before}", "Enter let nothing be heard")
        self.page.get_by_role("button", name="Play it through").click()
        self.until("begun.at(-1).seconds > 5 && !begun.at(-1).loop", "the sweep was not heard as one note")

    def test_ends_are_moved_kept_shown_and_given_to_a_macro(self) -> None:
        self.keep(toned(), "Four Bars")
        self.sweep("40 Hz", "12 kHz")
        self.page.get_by_role("button", name="Keep it with the patch").click()
        found = self.patch().useful_ranges["cutoff"]
        self.assertAlmostEqual(
            found.low, number(self.page.get_by_label("Useful from", exact=True).input_value()), delta=0.5
        )
        upper = self.page.get_by_role("slider", name="Upper end of the useful range")
        box, all_ = upper.bounding_box(), self.picture.bounding_box()
        assert box is not None and all_ is not None
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 60)
        self.page.mouse.down()
        self.page.mouse.move(all_["x"] + 0.75 * all_["width"], box["y"] + 60, steps=4)
        self.page.mouse.up()
        pulled = self.patch().useful_ranges["cutoff"].high
        wanted = 40.0 * (12_000 / 40) ** 0.75
        self.assertAlmostEqual(pulled / wanted, 1.0, delta=0.02)
        upper.focus()
        self.page.keyboard.press("ArrowLeft")
        self.assertLess(self.patch().useful_ranges["cutoff"].high, pulled)
        self.type_into("Useful to", "1.5 kHz")
        self.assertEqual(self.patch().useful_ranges["cutoff"].high, 1500.0)
        self.redrawn(lambda: self.page.get_by_label("Let a macro go over the useful range").select_option("+"))
        route = self.patch().routes[0]
        self.assertEqual((route.mode, route.destination, route.high), ("range", "cutoff", 1500.0))
        self.assertEqual(route.low, self.patch().useful_ranges["cutoff"].low)
        self.page.get_by_role("tab", name="Note").click()
        expect(self.stave("Cutoff")).to_contain_text(re.compile("useful .* Hz to 1.5 kHz"))
        self.page.get_by_role("button", name=re.compile("^Undo")).click()
        self.page.get_by_role("button", name=re.compile("^Undo")).click()
        self.assertNotEqual(self.patch().useful_ranges["cutoff"].high, 1500.0)
        # A sweep is kept with the patch that it is of.
        self.page.reload()
        self.settle()
        self.page.get_by_role("tab", name="Range").click()
        expect(self.found).to_contain_text("Useful")

    def test_what_a_macro_moves_goes_over_useful_ranges_in_one_act(self) -> None:
        routes = [
            {"source": "far", "destination": "cutoff", "mode": "range", "low": 20.0, "high": 20_000.0},
            {"source": "far", "destination": "resonance", "amount": -0.05},
        ]
        moved = toned(modules=[{"id": "far", "kind": "macro"}], routes=routes).document()
        moved["useful_ranges"] = {"cutoff": {"low": 90, "high": 1800}, "resonance": {"low": 0.1, "high": 0.7}}
        self.keep(check_patch(moved), "Far Bars")
        expect(self.page.get_by_role("contentinfo")).to_contain_text("far spends 57 % of its travel over cutoff")
        self.source("far")
        self.redrawn(lambda: self.page.get_by_role("button", name="Over their useful ranges").click())
        ends = {route.destination: (route.mode, route.low, route.high) for route in self.patch().routes}
        # What went down goes down still.
        self.assertEqual(ends, {"cutoff": ("range", 90, 1800), "resonance": ("range", 0.7, 0.1)})

    def test_other_notes_and_what_holds_for_all(self) -> None:
        self.steps = 16
        self.keep(toned(), "Four Bars")
        self.page.get_by_role("tab", name="Range").click()
        self.page.get_by_label("At which notes").select_option("three octaves")
        self.sweep("40 Hz", "12 kHz")
        rows = self.page.get_by_role("region", name="At other notes").get_by_role("row")
        expect(rows).to_have_count(4)
        stops = {}
        for row in rows.all()[1:]:
            key, _, stop, _ = row.get_by_role("cell").all_inner_texts()
            stops[key.split(",")[0]] = number(stop)
        # Where the last partial passes moves with the note.
        self.assertAlmostEqual(stops["C4"] / stops["C3"], 2.0, delta=0.2)
        self.assertAlmostEqual(stops["C3"] / stops["C2"], 2.0, delta=0.2)
        expect(self.page.get_by_role("region", name="At other notes")).to_contain_text("holds for all")

    def test_a_map_goes_where_it_is_clicked(self) -> None:
        self.keep(toned(), "Four Bars")
        self.sweep("100 Hz", "1.6 kHz")
        self.page.get_by_label("Map it with another").select_option("resonance")
        map_ = self.page.get_by_role("slider", name="Map of cutoff and resonance")
        expect(map_).to_be_visible()
        map_.focus()
        for key in ("ArrowRight", "ArrowRight", "ArrowUp"):
            map_.press(key)
        self.redrawn(lambda: map_.press("Enter"))
        base = self.patch().voice.base
        self.assertAlmostEqual(base["cutoff"], 100 * 16 ** (2 / 7), delta=0.1)
        self.assertAlmostEqual(base["resonance"], 1 / 7, delta=1e-3)

    def test_a_sweep_is_cancelled_and_what_cannot_be_swept_is_said(self) -> None:
        self.open_demo("Tide Organ")
        self.page.get_by_role("tab", name="Range").click()
        self.page.get_by_role("button", name="Find its useful range").click()
        self.page.get_by_role("button", name="cancel", exact=True).click()
        expect(self.page.get_by_role("button", name="Sweep", exact=True)).to_be_visible()
        self.keep(toned().with_note(length_s=0.1), "Short Bars")
        self.page.get_by_role("tab", name="Range").click()
        self.page.get_by_role("button", name="Find its useful range").click()
        expect(self.page.get_by_role("alert")).to_contain_text("found 100 ms; it must be held 200 ms at least")
