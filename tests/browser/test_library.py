"""The Library view: found as one types, banks, tags and stars, many at once, files in and out."""

import io
import json
import re
import tempfile
import zipfile
from pathlib import Path

from playwright.sync_api import FilePayload, Locator, expect

from jorvik.core.document.patch import check_patch
from jorvik.core.measure.picture import picture
from jorvik.core.measure.sound import loudness
from jorvik.core.voice.render import render
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES, PHRASES
from jorvik.store.library import LibraryStore, Query
from tests.browser.driver import BrowserCase
from tests.support import RATE, Json, demos, document


class Library(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.page.keyboard.press("p")
        expect(self.row("Ferry Horn")).to_be_visible()

    @property
    def view(self) -> Locator:
        return self.page.get_by_role("group", name="Library")

    def row(self, name: str) -> Locator:
        return self.view.get_by_role("listitem").filter(has=self.page.get_by_role("button", name=name, exact=True))

    def find(self, text: str, count: int) -> None:
        """Look for something, and wait until so much is found."""
        self.view.get_by_label("Find a patch").fill(text)
        expect(self.view.get_by_role("button", name=re.compile("^Delete "))).to_have_count(count)

    def choose(self, *names: str) -> None:
        for name in names:
            self.view.get_by_label(f"Choose {name}", exact=True).check()

    def undo(self) -> None:
        self.page.get_by_role("status").get_by_role("button", name="Undo", exact=True).last.click()

    def names(self, **query: object) -> set[str]:
        return {head.name for head in LibraryStore(self.served.engine).page(Query(**query)).heads}  # type: ignore[arg-type]

    def test_it_is_found_by_what_is_in_it_and_opened_by_the_keyboard_alone(self) -> None:
        sampled = [d["name"] for d in demos().values() if any(m["kind"] == "quantise" for m in d.get("modules", []))]
        self.find("source:quantise", len(sampled))
        folded = [d["name"] for d in demos().values() if any(r["destination"] == "fold" for r in d.get("routes", []))]
        self.find("moves:fold", len(folded))
        self.find("tide organ", 1)
        field = self.view.get_by_label("Find a patch")
        field.focus()
        self.row("Tide Organ").get_by_role("button", name="Tide Organ", exact=True).focus()
        self.page.keyboard.press("x")
        expect(self.view.get_by_label("Choose Tide Organ")).to_be_checked()
        self.page.keyboard.press("Enter")
        expect(self.name_field).to_have_value("Tide Organ")
        expect(self.page.get_by_role("tab", name="Note")).to_have_attribute("aria-selected", "true")
        self.find_again("no such thing")

    def find_again(self, text: str) -> None:
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="Patches", exact=True).click()
        self.find(text, 0)
        self.view.get_by_role("button", name="Look for everything").click()
        expect(self.row("Ferry Horn")).to_be_visible()

    def test_a_picture_says_what_moves(self) -> None:
        of = picture(check_patch(demos()["tide-organ"]))
        drawn = self.row("Tide Organ").get_by_role("img")
        expect(drawn).to_have_accessible_name(
            f"Tide Organ: {', '.join(name.replace('_', ' ') for name in of.moved)} move"
        )
        expect(drawn.locator("polyline.moves")).to_have_count(len(of.moved))

    def test_a_bank_of_what_is_chosen_is_undone_renamed_and_taken_away(self) -> None:
        self.choose("Ferry Horn", "Barge Bell")
        self.view.get_by_label("Name of a new bank").fill("Harbour")
        self.view.get_by_label("Name of a new bank").press("Enter")
        self.view.get_by_role("button", name=re.compile("^Harbour 2")).click()
        expect(self.view.get_by_role("button", name=re.compile("^Delete "))).to_have_count(2)
        self.undo()
        expect(self.view.get_by_role("button", name=re.compile("^Harbour 0"))).to_be_visible()
        self.view.get_by_role("button", name="Choose none").click()
        self.view.get_by_label("Name of the bank").fill("Ice")
        self.view.get_by_label("Name of the bank").press("Enter")
        expect(self.view.get_by_role("button", name=re.compile("^Ice 0"))).to_be_visible()
        self.view.get_by_role("button", name="Take this bank away").click()
        expect(self.view.get_by_role("button", name=re.compile("^Ice 0"))).to_have_count(0)
        expect(self.row("Ferry Horn")).to_be_visible()

    def test_tags_stars_and_deleting_of_many_are_taken_back(self) -> None:
        self.row("Four Winds").get_by_role("button", name="Star Four Winds").click()
        expect(self.view.get_by_role("button", name="Star Four Winds")).to_have_attribute("aria-pressed", "true")
        self.assertEqual(self.names(starred=True), {"Four Winds"})
        self.row("Four Winds").get_by_role("button", name="Star Four Winds").click()
        self.choose("Four Winds", "Ice Choir")
        field = self.view.get_by_label("Tag what is chosen")
        field.fill("for the ice")
        field.press("Enter")
        expect(self.row("Ice Choir")).to_contain_text("for the ice")
        self.assertEqual(self.names(tag="for the ice"), {"Four Winds", "Ice Choir"})
        self.undo()
        expect(self.row("Ice Choir")).not_to_contain_text("for the ice")
        self.view.get_by_role("button", name="Delete", exact=True).click()
        expect(self.row("Ice Choir")).to_have_count(0)
        self.assertEqual(self.names(deleted=True), {"Four Winds", "Ice Choir"})
        self.undo()
        expect(self.row("Ice Choir")).to_be_visible()

    def test_what_is_judged_is_found_by_how_loud_it_is_and_by_what_is_wrong(self) -> None:
        self.find("bent pipes", 1)
        self.choose("Bent Pipes")
        self.view.get_by_role("button", name="Judge", exact=True).click()
        of = check_patch(next(d for d in demos().values() if d["name"] == "Bent Pipes"))
        lufs = loudness(render(of, RATE).samples, RATE)
        expect(self.row("Bent Pipes")).to_contain_text(f"{lufs:.1f} LUFS".replace("-", "−"))
        self.find("finding:off_scale", 1)

    def test_a_bank_goes_out_and_comes_in_and_nothing_twice(self) -> None:
        self.choose("Ferry Horn", "Four Winds")
        with self.page.expect_download() as download:
            self.view.get_by_role("button", name="Write out").click()
        data = Path(download.value.path()).read_bytes()
        with zipfile.ZipFile(io.BytesIO(data)) as made:
            self.assertEqual(json.loads(made.read("patches/ferry-horn.json")), demos()["ferry-horn"])
        changed = io.BytesIO()
        phrase: Json = {"format": "jorvik-phrase", "version": 1, "name": "Brought Tide", "tempo_bpm": 71.0}
        with zipfile.ZipFile(changed, "w") as archive:
            archive.writestr("a.json", json.dumps(demos()["ferry-horn"]))
            archive.writestr("b.json", json.dumps(document(name="Brought Bell", voice={"base": {"cutoff": 321.0}})))
            archive.writestr("c.json", json.dumps(phrase))
            archive.writestr("d.json", '{"format": "jorvik-patch", "version": 1, "voice": {"base": {"cutoff": -1}}}')
        file: FilePayload = {"name": "in.zip", "mimeType": "application/zip", "buffer": changed.getvalue()}
        self.view.get_by_label("Choose a patch file").set_input_files([file])
        expect(self.page.get_by_role("status")).to_contain_text("2 kept, 1 there already, 1 not")
        expect(self.page.get_by_role("alert").filter(has_text="d.json")).to_contain_text("cutoff")
        expect(self.row("Brought Bell")).to_be_visible()
        kept = {head.name for head in DocumentStore(self.served.engine, PHRASES).heads()}
        self.assertIn("Brought Tide", kept)
        self.assertEqual(
            [n.name for n in DocumentStore(self.served.engine, PATCHES).heads("ferry horn")], ["Ferry Horn"]
        )

    def test_a_large_zip_and_a_folder_come_in(self) -> None:
        large = io.BytesIO()
        with zipfile.ZipFile(large, "w", zipfile.ZIP_STORED) as archive:
            for number in range(4):
                made = document(name=f"Large {number}", voice={"base": {"cutoff": 700.0 + number}})
                archive.writestr(f"{number}.json", json.dumps(made))
            archive.writestr("left over.bin", b"\0" * 12_000_000)
        file: FilePayload = {"name": "large.zip", "mimeType": "application/zip", "buffer": large.getvalue()}
        self.view.get_by_label("Choose a patch file").set_input_files([file])
        expect(self.page.get_by_role("status")).to_contain_text("4 kept")
        with tempfile.TemporaryDirectory() as parent:
            folder = Path(parent) / "From the Weir"
            (folder / "inner").mkdir(parents=True)
            (folder / "a.json").write_text(json.dumps(document(name="Folder Bell", voice={"base": {"cutoff": 444.0}})))
            (folder / "inner" / "b.json").write_text(
                json.dumps(document(name="Folder Horn", voice={"base": {"cutoff": 555.0}}))
            )
            (folder / "readme.txt").write_text("no document")
            self.view.get_by_label("Choose a folder of documents").set_input_files(folder)
            expect(self.page.get_by_role("status").last).to_contain_text("2 kept")
        self.view.get_by_role("button", name=re.compile("^From the Weir")).click()
        expect(self.row("Folder Bell")).to_be_visible()
        expect(self.row("Folder Horn")).to_be_visible()
        expect(self.row("Large 1")).to_have_count(0)

    def test_phrases_stand_in_it_too(self) -> None:
        self.view.get_by_role("button", name="Every phrase").click()
        expect(self.row("Slow Tide")).to_have_count(0)
        first = DocumentStore(self.served.engine, PHRASES).heads()[0].name
        self.row(first).get_by_role("button", name=first, exact=True).click()
        expect(self.page.get_by_role("complementary", name="The phrase")).to_be_visible()
