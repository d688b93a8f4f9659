"""The drafts and undo steps that version 0.9 left in a browser are found by every later version."""

import json
from typing import Any

from playwright.sync_api import expect

from jorvik.store.database import connect, migrate
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES
from tests.browser.driver import BrowserCase
from tests.support import Data, Served, cluster
from tests.test_corpus import CORPUS, dumped_database

PUT_BACK = """async ({ local, records }) => {
    for (const [key, value] of Object.entries(local)) localStorage.setItem(key, value);
    const opening = indexedDB.open('keyval-store', 1);
    opening.onupgradeneeded = () => opening.result.createObjectStore('keyval');
    const database = await new Promise((done) => (opening.onsuccess = () => done(opening.result)));
    const writing = database.transaction('keyval', 'readwrite');
    for (const [key, value] of records) writing.objectStore('keyval').put(value, key);
    await new Promise((done) => (writing.oncomplete = done));
    database.close();
}"""


class LeftInTheBrowser(BrowserCase):
    shares_a_server = False

    @classmethod
    def serve(cls) -> Served:
        name = dumped_database()
        engine = connect(cluster().url(name))
        migrate(engine)
        engine.dispose()
        return Served(data=Data(name))

    def setUp(self) -> None:
        self.state: dict[str, Any] = json.loads((CORPUS / "browser.json").read_text())
        self.page = self.fresh_page(f"{self.served.url}/api/health", ready=False)
        self.page.evaluate(PUT_BACK, self.state)
        self.page.goto(f"{self.served.url}/{self.state['address']}")
        self.settle()

    def test_the_unsaved_draft_is_kept_and_every_step_is_undone(self) -> None:
        expect(self.name_field).to_have_value("Barge Bell at noon")
        self.kept()
        store = DocumentStore(self.served.engine, PATCHES)
        self.assertEqual([head.name for head in store.heads("barge bell")], ["Barge Bell at noon"])
        for name in ("Barge Bell at dawn", "Barge Bell at dusk", "Barge Bell"):
            self.page.keyboard.press("Control+z")
            expect(self.name_field).to_have_value(name)
        self.kept()
        self.assertEqual([head.name for head in store.heads("barge bell")], ["Barge Bell"])
