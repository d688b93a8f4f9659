"""Chromium on the served application."""

import json
import re
import struct
import time
import unittest
from collections.abc import Callable
from functools import cache
from typing import Any, ClassVar

import numpy as np
from playwright.sync_api import Browser, Locator, Page, WebSocket, expect, sync_playwright

from tests.effort import is_long
from tests.support import PATIENCE_S, Json, Served, shared_server, when_all_is_done

ELSEWHERE = "barge.test"
"""A name for this machine that a browser takes for another one."""

FLAGS = [
    *("--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-sync"),
    *("--disable-background-networking", "--disable-component-update"),
    "--autoplay-policy=no-user-gesture-required",
    f"--host-resolver-rules=MAP {ELSEWHERE} 127.0.0.1",
]

SHEETS = "performance.getEntriesByName('jorvik:sheet').length"
"""How many sheets the page has shown since it was loaded."""

MIRRORS = "Object.keys(localStorage).filter(key => key.startsWith('jorvik.draft.')).length"
"""How many drafts lie in the browser that the store does not have."""


STATUS = ".status"
"""Where the top bar says how the patch is kept."""


@cache
def chromium() -> Browser:
    """Return this process's browser: with ``--long`` the whole of Chromium, else its headless shell.

    The shell has the same engine and no window: a page opens in less than half the time.
    """
    playwright = sync_playwright().start()
    program = "/usr/bin/chromium" if is_long() else "/usr/bin/chromium-headless-shell"
    browser = playwright.chromium.launch(executable_path=program, args=FLAGS)
    when_all_is_done(playwright.stop)
    when_all_is_done(browser.close)
    expect.set_options(timeout=PATIENCE_S * 1000)
    return browser


class BrowserCase(unittest.TestCase):
    """A test with a page of its own on this process's application, which begins with the demo data."""

    shares_a_server: ClassVar[bool] = True
    """Off where a class stops its server, or has one that is set up in another way."""
    served: ClassVar[Served]
    browser: ClassVar[Browser]

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self.troubles: list[str] = []
        self.sent: list[Json] = []
        """Messages that pages have sent over their sessions."""
        self.received: list[Json] = []
        """Binary messages that came over their sessions, without the chunks."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.browser = chromium()
        cls.served = cls.serve()
        if not cls.shares_a_server:
            cls.addClassCleanup(lambda: cls.served.stop())

    @classmethod
    def serve(cls) -> Served:
        """Return the application that the class's tests are run on."""
        return shared_server() if cls.shares_a_server else Served()

    def setUp(self) -> None:
        self.served.begin_anew()
        self.page = self.fresh_page()

    def tearDown(self) -> None:
        self.assertEqual(self.troubles, [], "the page reported errors")

    def fresh_page(self, address: str = "", ready: bool = True, **options: Any) -> Page:
        """Open the application, at another address where one is given, in a browser that has never seen it.

        With ``ready`` the sheet stands when this returns.
        """
        context = self.browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True, **options)
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(PATIENCE_S * 1000)
        page.on("pageerror", lambda error: self.troubles.append(str(error)))
        page.on("websocket", self._listen)
        page.goto(address or self.served.url)
        if ready:
            self.settle(page)
        return page

    def _listen(self, socket: WebSocket) -> None:
        if socket.url.endswith("/api/session"):
            socket.on("framesent", lambda payload: self.sent.append(json.loads(payload)))
            socket.on("framereceived", self._take)

    def _take(self, payload: str | bytes) -> None:
        if isinstance(payload, bytes):
            (length,) = struct.unpack_from("<I", payload)
            self.received.append(json.loads(payload[4 : 4 + length])["message"])

    def asked(self, kind: str, act: Callable[[], object]) -> Json:
        """Do something, and return the message of a kind that it sends over the session."""
        before = len(self.sent)

        def found() -> list[Json]:
            return [message for message in self.sent[before:] if message["type"] == kind]

        act()
        self.eventually(lambda: bool(found()), lambda: f"no message of the kind {kind} was sent")
        return found()[0]

    def settle(self, page: Page | None = None) -> None:
        """Wait until the sheet stands."""
        page = page or self.page
        self.wait_for_sheet(page, 1)
        expect(page.get_by_role("region", name="Pitch", exact=True)).to_be_visible()

    def stave(self, name: str) -> Locator:
        """Return a stave by its name."""
        return self.page.get_by_role("region", name=name, exact=True)

    def open_demo(self, name: str) -> None:
        """Open a demo patch from the shelf."""
        self.page.get_by_role("button", name="Patches", exact=True).click()
        self.page.get_by_role("group", name="Library").get_by_role("button", name=name, exact=True).click()
        expect(self.name_field).to_have_value(name)

    @property
    def status(self) -> Locator:
        """What the top bar says of how the patch is kept."""
        return self.page.locator(STATUS)

    @property
    def name_field(self) -> Locator:
        """The field that holds the patch's name."""
        return self.page.get_by_label("Name of the patch")

    def type_into(self, label: str, text: str) -> None:
        """Type a value as a person does, and leave the field by Enter."""
        field = self.page.get_by_label(label, exact=True)
        field.click()
        field.fill(text)
        field.press("Enter")

    def redrawn(self, act: Callable[[], object]) -> None:
        """Do something, and wait for the sheet that shows it."""
        before = self.page.evaluate(SHEETS)
        act()
        self.wait_for_sheet(self.page, before + 1)

    def wait_for_sheet(self, page: Page, number: int) -> None:
        """Wait until so many sheets were shown."""
        self.until(f"{SHEETS} >= {number}", "no new sheet was shown", page)

    def ink(self, stave: str) -> "np.ndarray[Any, Any]":
        """Return the pixels of a stave's curve, red channel, as they are drawn."""
        script = """canvas => { const c = canvas.getContext('2d');
            return Array.from(c.getImageData(0, 0, canvas.width, canvas.height).data.filter((_, i) => i % 4 === 0)) }"""
        canvas = self.stave(stave).locator("canvas").first
        pixels = np.array(canvas.evaluate(script))
        return pixels.reshape(-1, int(canvas.evaluate("canvas => canvas.width")))

    def curve_top(self, stave: str) -> int:
        """Return the height of the darkest line's topmost point, in pixels from the stave's top."""
        pixels = self.ink(stave)
        dark = (pixels < 70) & (pixels > 0)
        return int(np.flatnonzero(dark[:, 8:-60].sum(axis=1) > 1)[0])

    def kept(self) -> None:
        """Wait until the draft is kept: an edit's mirror lies in the browser from the edit until the store has it."""
        expect(self.status).to_have_text(re.compile("saved|draft kept"))
        self.until(f"{MIRRORS} === 0", "the draft was not kept")
        expect(self.status).to_have_text(re.compile("saved|draft kept"))

    def painted(self, page: Page) -> None:
        """Wait until what was changed has been painted."""
        page.evaluate("new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))")

    def until(self, script: str, said: str, page: Page | None = None) -> None:
        """Wait until a script is true. (The page's own security policy forbids the driver's waiting.)"""
        page = page or self.page
        self.eventually(lambda: bool(page.evaluate(script)), lambda: said, page)

    def eventually(self, so: Callable[[], bool], said: Callable[[], str], page: Page | None = None) -> None:
        """Look again and again until something is so, the page going on meanwhile."""
        end = time.monotonic() + PATIENCE_S
        while not so():
            if time.monotonic() > end:
                self.fail(said())
            (page or self.page).wait_for_timeout(15)

    def undo_says(self, words: str) -> None:
        """Check the name of the change that Undo would take back."""
        expect(self.page.get_by_role("button", name=re.compile("^Undo"))).to_have_text(f"Undo: {words}")
