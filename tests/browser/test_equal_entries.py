"""Every list opens with entries that are equal in all but their identity, and shows each of them."""

import json
import re

from playwright.sync_api import expect

from jorvik.place import ROOT
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import CARDS, PATCHES, PHRASES, TAKES
from tests.browser.driver import BrowserCase
from tests.support import Json, document, note

PHRASE: Json = {"format": "jorvik-phrase", "version": 1, "name": "Twin phrase"}
TWIN: Json = document(name="Twin", tags=["twin"], performance=note(0.2, tail_s=0.1))


class EqualEntries(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        patches = DocumentStore(self.served.engine, PATCHES)
        twins = [patches.create(TWIN) for _ in range(2)]
        of = {"patch": str(twins[0].id), "sequence": twins[0].sequence}
        played = [{"key": 60, "velocity": 90, "on": 10, "off": 900}]
        take: Json = {"format": "jorvik-take", "version": 1, "name": "Twin take", "begins": 0, "ends": 9_600}
        card: Json = {**json.loads(next((ROOT / "demo" / "cards").glob("*.json")).read_text()), "name": "Twin card"}
        for kind, twin in (
            (PHRASES, PHRASE),
            (TAKES, {**take, "patch": TWIN, "of": of, "played": played}),
            (CARDS, card),
        ):
            for _ in range(2):
                DocumentStore(self.served.engine, kind).create(twin)
        self.page.goto(f"{self.served.url}/#{twins[0].id}")
        self.page.reload()
        self.settle()

    def test_each_of_two_equal_entries_is_shown_in_every_list(self) -> None:
        played = self.page.get_by_label("Played", exact=True)
        expect(played.get_by_role("option", name="Twin phrase")).to_have_count(2)
        self.page.get_by_role("button", name="Patches", exact=True).click()
        side = self.page.get_by_role("group", name="Library")
        expect(side.get_by_role("button", name="Twin", exact=True)).to_have_count(2)
        self.page.keyboard.press("Escape")
        self.page.get_by_role("tab", name="Library").click()
        shelf = self.page.get_by_role("group", name="Library")
        shelf.get_by_role("searchbox").first.fill("tag:twin Twin")
        expect(shelf.get_by_role("button", name="Twin", exact=True)).to_have_count(2)
        self.page.get_by_role("tab", name="Machine").click()
        expect(self.page.get_by_role("option", name="Twin card")).to_have_count(2)
        self.page.get_by_role("tab", name="Note").click()
        self.page.get_by_role("button", name="Keys", exact=True).click()
        self.page.get_by_role("button", name="Live", exact=True).click()
        self.page.get_by_role("button", name=re.compile("^Takes")).click()
        expect(self.page.get_by_label("Pick Twin take", exact=True)).to_have_count(2)
        self.page.get_by_label("Pick Twin take", exact=True).first.check()
        self.page.get_by_label("Pick Twin take", exact=True).last.check()
        expect(self.page.get_by_role("table", name="Which take each bar comes from").locator("tbody tr")).to_have_count(
            2
        )
        self.page.get_by_role("button", name="Compare", exact=True).last.click()
        expect(self.page.get_by_role("table").first).to_contain_text("Twin take (2)")

    def test_works_and_jobs_that_are_equal_are_all_listed(self) -> None:
        self.page.get_by_role("tab", name="Bank").click()
        view = self.page.get_by_role("group", name="Work over a bank")
        view.get_by_label("What is done with them").select_option("measure")
        view.get_by_label("Which patches").select_option("mine")
        begin = view.get_by_role("button", name="Begin")
        works = view.get_by_role("list", name="Works over banks").get_by_role("listitem")
        for count in (1, 2):
            begin.click()
            expect(works).to_have_count(count)
        self.page.get_by_role("button", name=re.compile("^Files")).click()
        expect(self.page.get_by_role("dialog").get_by_role("listitem")).to_have_count(2)
