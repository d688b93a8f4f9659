"""Access: the rules of WCAG 2 A and AA in light and dark, and the whole sheet by keyboard."""

import unittest

from playwright.sync_api import Page, expect

from jorvik.place import ROOT
from tests.browser.driver import BrowserCase

AXE = ROOT / "ui" / "node_modules" / "axe-core" / "axe.min.js"
RULES = "{runOnly: ['wcag2a', 'wcag2aa']}"
SHOWN = "r => r.violations.map(v => v.id + ': ' + v.nodes.slice(0, 4).map(n => n.html.slice(0, 140)).join(' | '))"


class Rules(BrowserCase):
    def check(self, page: Page) -> None:
        page.evaluate(AXE.read_text() + "; 0")
        violations, passes = page.evaluate(f"axe.run(document, {RULES}).then(r => [({SHOWN})(r), r.passes.length])")
        self.assertEqual(violations, [])
        self.assertGreater(passes, 10, "the rules did not run")

    def test_the_sheet_and_each_page_at_its_right(self) -> None:
        for scheme in ("light", "dark"):
            page = self.fresh_page(color_scheme=scheme)
            self.check(page)
            page.get_by_role("button", name="Source swell").click()
            self.check(page)
            page.get_by_role("region", name="Cutoff", exact=True).get_by_role(
                "button", name="swell", exact=True
            ).click()
            page.get_by_role("button", name="Open the ribbons under cutoff").click()
            self.check(page)

    def test_every_view_and_the_pages_of_a_curve_a_macro_and_a_stave(self) -> None:
        for scheme in ("light", "dark"):
            page = self.fresh_page(color_scheme=scheme)
            for view, mark in (("Sound", "jorvik:look"), ("Compare", "jorvik:compared"), ("Map", "jorvik:judged")):
                page.get_by_role("tab", name=view).click()
                self.until(f"performance.getEntriesByName('{mark}').length > 0", f"no {view}", page)
                self.painted(page)
                self.check(page)
            page.get_by_role("tab", name="Note").click()
            page.locator("body").press("k")
            page.get_by_role("button", name="Figures of cutoff", exact=True).click()
            self.check(page)
            for kind in ("curve", "macro", "mix", "quantise", "steps"):
                page.get_by_label("Add a source").select_option(kind)
                expect(page.get_by_label("Name of the source")).to_be_visible()
                self.painted(page)
                self.check(page)

    def test_definitions_are_reached_by_pointer_keyboard_and_touch(self) -> None:
        hint = self.page.get_by_role("tooltip")
        self.page.keyboard.press("Escape")
        start = self.page.get_by_label("oscillator 1 start", exact=True)
        start.hover()
        expect(hint).to_contain_text("free at a phase of its own")
        self.page.mouse.move(0, 0)
        expect(hint).to_have_count(0)
        self.page.get_by_label("oscillator 1 phase", exact=True).focus()
        self.page.keyboard.press("Tab")
        expect(start).to_be_focused()
        expect(hint).to_contain_text("free at a phase of its own")
        self.page.keyboard.press("Escape")
        expect(hint).to_have_count(0)
        touched = self.fresh_page(has_touch=True)
        light = touched.get_by_text("limiter", exact=True)
        light.tap()
        expect(touched.get_by_role("tooltip")).to_contain_text("how much it took off")
        expect(light).to_have_attribute(
            "aria-describedby", touched.get_by_role("tooltip").get_attribute("id") or "none"
        )
        self.check(touched)

    def test_at_200_per_cent_nothing_is_out_of_reach(self) -> None:
        """640 by 400 is what a window of 1280 by 800 has at 200 %."""
        self.page.set_viewport_size({"width": 640, "height": 400})
        self.painted(self.page)
        for name in ("Play", "Save", "Patches"):
            self.page.get_by_role("button", name=name, exact=True).scroll_into_view_if_needed()
            expect(self.page.get_by_role("button", name=name, exact=True)).to_be_in_viewport()
        self.stave("Amplitude").scroll_into_view_if_needed()
        expect(self.stave("Amplitude")).to_be_in_viewport()
        self.assertFalse(self.page.evaluate("document.documentElement.scrollWidth > innerWidth"))
        self.check(self.page)

    def test_the_dialogs(self) -> None:
        self.page.get_by_role("button", name="Help", exact=True).click()
        expect(self.page.get_by_role("dialog")).to_contain_text("Keys, units and cautions")
        self.until("document.getAnimations().every(a => a.playState === 'finished')", "the dialog did not open")
        self.check(self.page)
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("dialog")).to_have_count(0)

    def test_the_library(self) -> None:
        self.page.get_by_role("button", name="Patches", exact=True).click()
        expect(self.page.get_by_role("button", name="Ferry Horn", exact=True)).to_be_visible()
        self.page.get_by_label("Choose Barge Bell").check()
        self.check(self.page)


class Keyboard(BrowserCase):
    def test_a_figure_is_nudged_finer_with_shift(self) -> None:
        field = self.page.get_by_label("Amount of swell on cutoff", exact=True)
        field.focus()
        self.redrawn(lambda: field.press("ArrowUp"))
        expect(field).to_have_value("45 st")
        self.redrawn(lambda: field.press("Shift+ArrowDown"))
        expect(field).to_have_value("44.9 st")
        self.undo_says("swell on cutoff 44.9 st")
        self.page.keyboard.press("Escape")
        self.redrawn(lambda: self.page.keyboard.press("Control+z"))
        expect(field).to_have_value("44 st")

    def test_shortcuts_do_what_help_says(self) -> None:
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("dialog")).to_contain_text("play or stop")
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("dialog")).to_have_count(0)
        self.page.keyboard.press("l")
        expect(self.page.get_by_role("button", name="Loop")).to_have_attribute("aria-pressed", "true")
        self.redrawn(lambda: self.page.keyboard.press("t"))
        expect(self.page.get_by_role("button", name="All three")).to_have_attribute("aria-pressed", "true")
        self.page.keyboard.press("Space")
        expect(self.page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
        self.page.keyboard.press("Space")
        expect(self.page.get_by_role("button", name="Play", exact=True)).to_be_visible()
        self.page.keyboard.press("p")
        expect(self.page.get_by_role("group", name="Library")).to_contain_text("New patch")

    def test_every_route_is_read_as_a_sentence(self) -> None:
        said = [group.get_attribute("aria-label") for group in self.stave("Cutoff").get_by_role("group").all()]
        self.assertEqual(said, ["swell raises cutoff 44 st, scaled by velocity", "shake moves cutoff ± 1.5 st"])


if __name__ == "__main__":
    unittest.main()
