"""A page that is played live: what it is told, what is heard, what is taken of it."""

import json
import re
from typing import Any

import numpy as np
from playwright.sync_api import Locator, Page, WebSocket, expect

from jorvik.core.document.take import Take, check_take
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PHRASES, TAKES
from jorvik.web.services.live_process import HEAD
from tests.browser.test_phrases import UnderAPhrase
from tests.support import Json

ROUND: Json = {
    "format": "jorvik-phrase",
    "version": 1,
    "name": "Short Round",
    "tempo_bpm": 75,
    "bars": 1,
    "played": [{"key": 48, "at": 0.1, "length": 1.5}, {"key": 55, "at": 2.3, "length": 1.2, "velocity": 70}],
    "hits": [{"id": "thud", "sound": "thud", "strikes": [{"at": 0}, {"at": 2}]}],
}
BEAT_S = 0.8
TURN_S = 4 * BEAT_S


class Heard:
    """Everything that a page got: blocks of sound, with the sample at which each begins, and what it was told."""

    def __init__(self, page: Page) -> None:
        self.blocks: list[np.ndarray[Any, Any]] = []
        self.firsts: list[float] = []
        self.told: list[Json] = []
        page.on("websocket", self._listen)

    def _listen(self, socket: WebSocket) -> None:
        socket.on("framereceived", self._take)

    def _take(self, payload: str | bytes) -> None:
        if isinstance(payload, str):
            self.told.append(json.loads(payload))
            return
        self.firsts.append(float(np.frombuffer(payload[: HEAD.itemsize], dtype=HEAD)[0]["first"]))
        self.blocks.append(np.frombuffer(payload[HEAD.itemsize :], dtype="<f4").reshape(-1, 2))

    @property
    def samples(self) -> "np.ndarray[Any, Any]":
        return np.concatenate(self.blocks) if self.blocks else np.zeros((0, 2))

    def after(self, first: int) -> "np.ndarray[Any, Any]":
        """What was heard from a sample of all that was sent on."""
        return np.concatenate(self.blocks[self.firsts.index(first) :])

    def level(self, blocks: int = 8) -> float:
        """How loud the last blocks were."""
        return float(np.abs(np.concatenate(self.blocks[-blocks:])).max()) if self.blocks else 0.0


class Playing(UnderAPhrase):
    """A page that plays live, and what it is told."""

    def setUp(self) -> None:
        super().setUp()
        self.heard = Heard(self.page)

    def tearDown(self) -> None:
        self.served.app.state.stage.leave()
        super().tearDown()

    @property
    def hands(self) -> Locator:
        return self.page.get_by_role("group", name="Hands")

    @property
    def live_button(self) -> Locator:
        return self.page.get_by_role("button", name="Live", exact=True)

    def live(self) -> None:
        """Begin to play live."""
        keys = self.page.get_by_role("button", name="Keys", exact=True)
        if keys.get_attribute("aria-pressed") != "true":
            keys.click()
        self.live_button.click()
        expect(self.hands).to_be_visible()

    def keep_phrase(self, document: Json) -> None:
        """Keep a phrase, and let the page know of it."""
        DocumentStore(self.served.engine, PHRASES).create(document)
        self.page.reload()
        self.settle()

    def record(self, count: str = "0") -> None:
        self.page.get_by_label("Bars counted in").select_option(count)
        self.page.get_by_role("button", name="Record", exact=True).click()
        expect(self.page.get_by_role("button", name="Stop", exact=True).first).to_be_visible()

    def during(self, least: int) -> None:
        """Wait until the recording has come to a pass."""
        self.eventually(lambda: self.pass_now() >= least, lambda: f"pass {least} never came")

    def pass_now(self) -> int:
        """The pass that is recorded, from 1; 0 while bars are counted."""
        found = re.match(r"pass (\d+)", self.hands.locator("output").inner_text())
        return int(found[1]) if found else 0

    def stop(self) -> None:
        self.hands.get_by_role("button", name="Stop", exact=True).click()
        expect(self.page.get_by_role("button", name="Record", exact=True)).to_be_visible()

    def takes(self) -> list[Take]:
        """The takes in the store, in the order in which they were played."""
        store = DocumentStore(self.served.engine, TAKES)
        found = [check_take(store.get(head.id).document) for head in store.heads()]
        return sorted(found, key=lambda take: take.start)

    def until_taken(self, count: int) -> list[Take]:
        self.eventually(lambda: len(self.takes()) >= count, lambda: f"{len(self.takes())} takes were kept, not {count}")
        return self.takes()

    def pad_to(self, across: float, up: float, *, down: bool = True) -> None:
        """Move the pointer over the pad, pressed."""
        box = self.page.get_by_label("Pad", exact=True).bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + across * box["width"], box["y"] + (1 - up) * box["height"])
        if down:
            self.page.mouse.down()

    def more(self, blocks: int) -> None:
        """Wait until so many more blocks have come."""
        wanted = len(self.heard.blocks) + blocks
        self.eventually(lambda: len(self.heard.blocks) >= wanted, lambda: "no more sound came")
