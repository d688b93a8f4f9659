"""What is heard as staves of their own, beside what was set."""

import re

from playwright.sync_api import Locator, expect

from tests.browser.test_figures import OnThePage
from tests.core.test_figures_of_jobs import number


class HeardOnThePage(OnThePage):
    def figure(self, stave: str, name: str) -> Locator:
        return self.stave(f"Heard {stave}").locator(f"dt:has-text('{name}') + dd")

    def show(self, *names: str) -> None:
        for name in names:
            self.page.get_by_label("Show another stave").select_option(f"heard:{name}")

    def says(self, stave: str, name: str, wanted: float, delta: float) -> None:
        """Wait until a figure says what is wanted: what is heard comes after the sheet."""

        def near() -> bool:
            found = self.figure(stave, name)
            return found.count() == 1 and abs(number(found.inner_text()) - wanted) <= delta

        self.eventually(near, lambda: f"{name} never came to {wanted:g}")


class Listened(HeardOnThePage):
    def test_a_vibrato_and_a_tail_are_found_in_the_sound(self) -> None:
        self.open_demo("Ferry Horn")
        self.show("pitch", "level")
        # As the patch has it: 5.3 Hz, 28 cents, faded in from half a second on.
        self.says("pitch", "its rate", 5.3, 0.05)
        self.says("pitch", "its depth", 28.0, 1.5)
        self.source("shake")
        self.redrawn(lambda: self.type_into("shake rate", "6.5 Hz"))
        self.says("pitch", "its rate", 6.5, 0.06)
        whole = number(self.figure("level", "inaudible after").inner_text())
        self.type_into("Under what the tail is inaudible", "-20 dB")
        self.eventually(
            lambda: number(self.figure("level", "inaudible after").inner_text()) < whole - 0.1,
            lambda: "the threshold changes nothing",
        )

    def test_a_stave_reads_at_the_cursor_stays_and_is_put_away(self) -> None:
        self.open_demo("Ferry Horn")
        self.show("brightness")
        stave = self.stave("Heard brightness")
        expect(stave).to_be_visible()
        self.eventually(lambda: stave.locator("output").inner_text() == "", lambda: "it was never heard")
        box = stave.get_by_role("img").bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + 0.3 * box["width"], box["y"] + 20)
        expect(stave.locator("output")).to_have_text(re.compile(r"^\d+(\.\d+)? k?Hz$"))
        self.page.reload()
        self.settle()
        expect(stave).to_be_visible()
        stave.get_by_role("button", name="Put away heard brightness").click()
        expect(stave).to_have_count(0)
