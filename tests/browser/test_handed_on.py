"""A patch handed on: dialled in on a machine, printed, changed, kept as variants, and found again with why."""

import math
import re
from pathlib import Path

from playwright.sync_api import FilePayload, Locator, expect

from jorvik.core.document.patch import check_patch
from jorvik.core.measure.sound import loudness
from jorvik.core.voice.render import render
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import CARDS, PATCHES
from tests.browser.driver import STATUS, BrowserCase
from tests.browser.test_bench import patch_of
from tests.support import RATE, Json


class HandedOn(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo("Night Watch")
        self.settle()

    @property
    def machine(self) -> Locator:
        return self.page.get_by_role("group", name="On a machine")

    def row(self, control: str) -> Locator:
        return self.machine.get_by_role("row").filter(has=self.page.get_by_role("rowheader", name=control, exact=True))

    def on_machine(self, name: str) -> None:
        self.page.get_by_role("tab", name="Machine").click()
        self.machine.get_by_label("Which machine").select_option(label=name)

    def test_night_watch_on_the_small_machine_on_paper_and_in_variants(self) -> None:
        self.on_machine("Small Staithe")
        # 240 Hz on a knob of 128 steps from 20 Hz to 16 kHz over 0 to 10.
        step = round(127 * math.log(240 / 20) / math.log(800))
        cents = 1200 * math.log2(20 * 800 ** (step / 127) / 240)
        expect(self.row("Cutoff")).to_contain_text(f"{10 * step / 127:.4g}")
        expect(self.row("Cutoff")).to_contain_text(f"{abs(cents):.4g} cents too little")
        expect(self.row("Wheel to Cutoff")).to_contain_text(f"{12 * math.log2(3200 / 240):.4g} st")
        cannot = self.machine.get_by_role("list", name="What cannot be had")
        expect(cannot).to_contain_text("wheel cannot move filter 2 cutoff; turn it by hand")
        self.machine.get_by_role("button", name="Show it as a ghost").click()
        expect(self.page.get_by_text("Small Staithe").first).to_be_visible()
        # On paper.
        self.page.keyboard.press("o")
        paper = self.page.frame_locator("iframe[title='The sheet as it is printed']")
        expect(paper.get_by_role("heading", name="Night Watch", exact=True)).to_be_visible()
        expect(paper.get_by_text("watch sets cutoff from 240 Hz to 3.2 kHz")).to_be_visible()
        with self.page.expect_download() as download:
            self.page.get_by_role("button", name="PDF").click()
        self.assertTrue(Path(download.value.path()).read_bytes().startswith(b"%PDF-"))
        # Three changes, each kept as a variant of it with why.
        self.page.get_by_role("tab", name="Note").click()
        for label, text, name, why in (
            ("Amplitude set value", "40 %", "quieter", "The bridge is near."),
            ("Resonance set value", "60 %", "sharper", "To be heard over the ice hammer."),
            ("Filter 2 cutoff set value", "100 Hz", "darker", "For the evening."),
        ):
            if self.page.get_by_label(label, exact=True).count() == 0:
                self.page.get_by_label("Show another stave").select_option("resonance")
            self.redrawn(lambda label=label, text=text: self.type_into(label, text))  # type: ignore[misc]
            self.page.keyboard.press("Escape")
            self.page.locator(STATUS).click()
            dialog = self.page.get_by_role("dialog")
            dialog.get_by_label("Name of the variant").fill(name)
            dialog.get_by_label("Why it is kept").fill(why)
            dialog.get_by_role("button", name="Keep as a variant").click()
            expect(dialog.get_by_role("button", name=f"Night Watch, {name}", exact=True)).to_be_visible()
            self.page.keyboard.press("Escape")
            expect(dialog).to_have_count(0)
        self.page.locator(STATUS).click()
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_role("button", name="How loud is each?").click()
        dialog.get_by_role("button", name="Make all as loud as the quietest").click()
        expect(self.page.get_by_text(re.compile("made as loud as the quietest"))).to_be_visible()
        store = DocumentStore(self.served.engine, PATCHES)
        family = [store.get(head.id) for head in store.heads("night watch")]
        self.assertEqual(len(family), 4)
        lufs = [loudness(render(check_patch(one.document), RATE).samples, RATE) for one in family]
        self.assertLess(max(lufs) - min(lufs), 0.1)
        dialog.get_by_role("button", name="Close").click()
        expect(dialog).to_have_count(0)
        # Found later, by why.
        self.page.get_by_role("tab", name="Logbook").click()
        book = self.page.get_by_role("group", name="Logbook")
        book.get_by_label("Find in the logbook").fill("ice hammer")
        entries = book.get_by_role("list", name="Entries")
        expect(entries).to_contain_text("kept as Night Watch, sharper: To be heard over the ice hammer.")

    def test_a_panel_that_is_typed_makes_a_note_and_a_wrong_figure_is_refused(self) -> None:
        self.on_machine("Weir Rack")
        self.machine.get_by_role("button", name="From a panel").click()
        for control, text in (("VCF", "5"), ("Contour to VCF", "2.5"), ("VCA", "4")):
            field = self.machine.get_by_label(f"Panel figure of {control}", exact=True)
            field.fill(text)
            field.press("Tab")
        self.machine.get_by_role("button", name="Make its patch").click()
        expect(self.name_field).to_have_value("Weir Rack, as it stands")
        self.kept()
        made = patch_of(self.page)
        # A volt an octave from 32 Hz on; 2.5 of 5 V is half of 60 semitones.
        self.assertAlmostEqual(made["voice"]["base"]["cutoff"], 32 * 2**5, places=6)
        route = next(route for route in made["routes"] if route["destination"] == "cutoff")
        self.assertAlmostEqual(route["amount"], 30.0)
        self.machine.get_by_label("Panel figure of VCF", exact=True).fill("11")
        self.machine.get_by_label("Panel figure of VCF", exact=True).press("Tab")
        self.machine.get_by_role("button", name="Make its patch").click()
        expect(self.page.get_by_role("alert").last).to_contain_text("VCF: found")

    def test_a_source_is_given_by_hand_and_a_card_comes_in_as_a_file(self) -> None:
        self.open_demo("Ferry Horn")
        self.on_machine("Small Staithe")
        lip = self.machine.get_by_label("Source of the machine for lip")
        expect(lip).to_have_value("")
        lip.select_option("envelope 2")
        cannot = self.machine.get_by_role("list", name="What cannot be had")
        expect(cannot).not_to_contain_text("left for lip")
        expect(self.row("E2 Decay")).to_contain_text("160 ms")
        self.page.get_by_role("button", name="Patches", exact=True).click()
        card = (
            '{"format": "jorvik-card", "version": 1, "name": "Bare Board", "controls":'
            ' [{"name": "Cut", "sets": "cutoff", "law": "table", "table": [[0, 50], [10, 5000]]}]}'
        )
        file: FilePayload = {"name": "board.json", "mimeType": "application/json", "buffer": card.encode()}
        self.page.get_by_label("Choose a patch file").set_input_files([file])
        expect(self.page.get_by_text("1 kept")).to_be_visible()
        self.on_machine("Bare Board")
        unsaid = self.machine.get_by_role("list", name="What the card leaves unsaid")
        expect(unsaid).to_contain_text("no control sets amplitude")
        expect(self.row("Cut")).to_contain_text(f"{10 * (180 - 50) / 4950:.4g}")

    def test_a_card_is_made_by_hand(self) -> None:
        self.page.get_by_role("tab", name="Machine").click()
        self.machine.get_by_role("button", name="New card").click()
        card = self.machine.get_by_role("group", name="The card")
        expect(card).to_contain_text("A card begins with its sources")
        self.fill(card.get_by_label("Name of the card"), "Wharf Board")
        card.get_by_label("Add a source of the machine").select_option("lfo")
        source = card.get_by_role("group", name="Source lfo 1")
        expect(source).to_contain_text("lfo")
        self.fill(source.get_by_label("Of start lfo 1 has"), "free, sometimes")
        expect(source).to_contain_text('"sometimes"')
        self.fill(source.get_by_label("Of start lfo 1 has"), "free")
        self.fill(source.get_by_label("What lfo 1 moves by a slot"), "cutoff 24, fold")
        self.fill(card.get_by_label("How many slots it has"), "3")
        card.get_by_role("button", name="+ a control").click()
        self.fill(card.get_by_label("Name of control 1"), "Speed")
        card.get_by_label("What Speed sets").select_option("lfo 1.rate")
        # Not kept, and said why: its law is logarithmic, and it would begin at nothing.
        self.fill(card.get_by_label("Value at the least figure of Speed"), "0")
        expect(self.page.get_by_role("alert").last).to_contain_text("values over 0 at both ends")
        self.fill(card.get_by_label("Value at the least figure of Speed"), "0.1")
        self.fill(card.get_by_label("Value at the greatest figure of Speed"), "10")
        self.fill(card.get_by_label("Controller of Speed"), "200")
        expect(card).to_contain_text("0 to 127")
        self.fill(card.get_by_label("Controller of Speed"), "16")
        points: FilePayload = {
            "name": "knob.csv",
            "mimeType": "text/csv",
            "buffer": b"figure,value\n0,0.2\n5,2\n10,30\n",
        }
        card.get_by_role("button", name="+ a control").click()
        card.get_by_label("Law of Control 1").select_option("table")
        card.get_by_label("Measured points of Control 1").set_input_files([points])
        expect(card).to_contain_text("3 points, from CSV")
        store = DocumentStore(self.served.engine, CARDS)
        [head] = store.heads("wharf board")

        def there() -> list[Json]:
            found: list[Json] = store.get(head.id).document["controls"]
            return found

        self.eventually(
            lambda: [len(one.get("table", [])) for one in there()[1:]] == [3], lambda: "the points were not kept"
        )
        speed, other = there()
        self.assertEqual(
            [speed[name] for name in ("name", "sets", "from_value", "to_value", "controller")],
            ["Speed", "lfo 1.rate", 0.1, 10, 16],
        )
        self.assertEqual(other["table"], [[0, 0.2], [5, 2], [10, 30]])
        self.machine.get_by_role("button", name="Edit the card").click()
        expect(self.machine.get_by_label("Which machine")).to_contain_text("Wharf Board")

    @staticmethod
    def fill(field: Locator, text: str) -> None:
        field.fill(text)
        field.press("Tab")
