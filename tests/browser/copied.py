"""A page on a copy of its own of the first demo, so that what a test keeps of it is told from what another kept."""

from playwright.sync_api import expect

from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES
from tests.browser.driver import BrowserCase


class OnACopy(BrowserCase):
    """Begins each test with Ferry Horn copy, the only one of that name."""

    def setUp(self) -> None:
        super().setUp()
        self.page.get_by_role("button", name="Patches", exact=True).click()
        self.page.get_by_role("button", name="Duplicate this one").click()
        expect(self.name_field).to_have_value("Ferry Horn copy")
        self.settle()

    def store(self) -> DocumentStore:
        return DocumentStore(self.served.engine, PATCHES)
