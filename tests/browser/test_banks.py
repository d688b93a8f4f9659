"""Work over many patches from the screen: planned, begun, stopped, gone on with, looked at, written back."""

import csv
import io
import re
import uuid
from pathlib import Path

from playwright.sync_api import Locator, Page, Route, expect

from jorvik.core.document.patch import check_patch
from jorvik.core.measure.sound import loudness
from jorvik.core.voice.render import render
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES
from jorvik.store.library import LibraryStore
from tests.browser.driver import BrowserCase
from tests.support import RATE, Json, document, note

PATIENCE_MS = 120_000
PATCHES_THERE = 3


class Banks(BrowserCase):
    ids: dict[str, str]

    def setUp(self) -> None:
        super().setUp()
        store, library = DocumentStore(self.served.engine, PATCHES), LibraryStore(self.served.engine)
        known = {head.name: head.id for head in store.heads()}
        for number in range(PATCHES_THERE):
            held: Json = document(
                name=f"Quay {number}",
                voice={"base": {"cutoff": 800.0 + 100 * number, "amplitude": 0.3}},
                performance=note(0.4, tail_s=0.1, key=57),
            )
            if held["name"] not in known:
                known[held["name"]] = store.create(held).id
        bank = next((bank.id for bank in library.banks() if bank.name == "Quay"), None) or library.make_bank("Quay").id
        library.put_in_bank(bank, [known[f"Quay {number}"] for number in range(PATCHES_THERE)])
        self.ids = {name: str(one) for name, one in known.items()}
        self.page.reload()
        self.page.get_by_role("tab", name="Bank").click()

    def fill(self, field: Locator, text: str) -> None:
        field.fill(text)
        field.press("Enter")

    def view(self, page: Page | None = None) -> Locator:
        return (page or self.page).get_by_role("group", name="Work over a bank")

    def choose(self, work: str, **notes: str) -> None:
        view = self.view()
        view.get_by_label("Which patches").select_option(label="the bank Quay")
        view.get_by_label("What is done with them").select_option(work)
        for name, text in notes.items():
            self.fill(view.get_by_label(f"At which {name}"), text)

    def begin(self, pieces: int) -> None:
        expect(self.view()).to_contain_text(f"{pieces} pieces")
        self.view().get_by_role("button", name="Begin").click()

    def test_it_goes_on_while_the_page_is_away_and_its_gains_are_written(self) -> None:
        self.page.get_by_role("tab", name="Library").click()
        library = self.page.get_by_role("group", name="Library")
        library.get_by_role("button", name=re.compile(f"^Quay {PATCHES_THERE}")).click()
        expect(library).to_contain_text(f"{PATCHES_THERE} found")
        library.get_by_role("button", name="Choose all").click()
        library.get_by_role("button", name="Work on them").click()
        self.view().get_by_label("What is done with them").select_option("measure")
        self.fill(self.view().get_by_label("At which velocities"), "40, 118")
        self.fill(self.view().get_by_label("Wanted loudness in LUFS"), "-24")
        with self.page.expect_response("**/api/bank/runs/*"):
            self.begin(2 * PATCHES_THERE)
        self.page.goto("about:blank")
        self.page.goto(self.served.url)
        self.page.get_by_role("tab", name="Bank").click()
        table = self.view().get_by_role("table", name="What came of Measure")
        expect(table.get_by_role("row")).to_have_count(2 * PATCHES_THERE + 1, timeout=PATIENCE_MS)
        heads = table.get_by_role("columnheader").all_inner_texts()
        row = table.get_by_role("row").filter(has_text="Quay 2").first
        cells = dict(zip(heads[1:], row.get_by_role("cell").all_inner_texts(), strict=True))
        of = check_patch(DocumentStore(self.served.engine, PATCHES).get(self.id_of("Quay 2")).document)
        lufs = loudness(render(of.with_note(velocity=float(cells["velocity"])), RATE).samples, RATE)
        said = float(cells["loudness, LUFS"].replace("−", "-"))
        self.assertAlmostEqual(said, lufs, delta=0.01)
        self.assertAlmostEqual(float(cells["gain, dB"].replace("−", "-")), -24.0 - lufs, delta=0.01)
        with self.page.expect_download() as download:
            self.view().get_by_role("link", name="CSV").click()
        rows = list(csv.DictReader(io.StringIO(Path(download.value.path()).read_text())))
        self.assertEqual(len(rows), 2 * PATCHES_THERE)
        # The one that is open meanwhile goes on from what was written into it.
        table.get_by_role("button", name="Quay 1").first.click()
        expect(self.name_field).to_have_value("Quay 1")
        self.page.get_by_role("tab", name="Bank").click()
        self.view().get_by_role("button", name="Write the gains").click()
        expect(self.page.get_by_role("status").filter(has_text="have their gain")).to_contain_text(
            f"{PATCHES_THERE} patches"
        )
        self.type_into("Name of the patch", "Quay 1 at night")
        self.kept()
        expect(self.page.get_by_text("Two windows")).to_have_count(0)
        of = check_patch(DocumentStore(self.served.engine, PATCHES).get(self.id_of("Quay 1 at night")).document)
        now = render(of.with_note(velocity=118.0), RATE)
        self.assertAlmostEqual(loudness(now.samples, now.rate), -24.0, delta=0.1)
        self.type_into("Name of the patch", "Quay 1")
        self.kept()

    def id_of(self, name: str) -> uuid.UUID:
        return next(head.id for head in DocumentStore(self.served.engine, PATCHES).heads(name) if head.name == name)

    def test_what_is_chosen_begins_once_it_is_planned_itself(self) -> None:
        held: list[Route] = []
        self.choose("sheet")
        expect(self.view()).to_contain_text(f"{PATCHES_THERE} pieces")
        begin = self.view().get_by_role("button", name="Begin")
        self.page.route("**/api/cards", lambda route: held.append(route))
        self.choose("card")
        self.assertTrue(begin.is_disabled(), "what was planned before can be begun as what is chosen now")
        # There is no card yet to work on, whatever was planned before.
        expect(self.view().get_by_role("alert")).to_contain_text("card")
        expect(begin).to_be_disabled()
        self.eventually(lambda: bool(held), lambda: "the cards were not asked for")
        held[0].continue_()
        expect(begin).to_be_enabled()

    def test_it_is_stopped_and_another_is_planned_with_what_is_wrong_said(self) -> None:
        self.choose("render", keys="C2, C3, C4", velocities="20, 40, 60, 80, 100, 120", lengths="2s, 3s")
        self.begin(36 * PATCHES_THERE)
        works = self.view().get_by_role("list", name="Works over banks")
        expect(works).to_contain_text(re.compile(r"\d %"))
        works.get_by_role("button", name=re.compile("cancel|stop")).first.click()
        expect(works).to_contain_text("stopped; what was done is there")
        self.fill(self.view().get_by_label("At which keys"), "C2, H9")
        expect(self.view().get_by_role("alert")).to_contain_text("keys")
        expect(self.view().get_by_role("button", name="Begin")).to_be_disabled()
        self.fill(self.view().get_by_label("At which keys"), "")
        expect(self.view().get_by_role("button", name="Begin")).to_be_enabled()
