"""Played live: how long from a key to its sound in Chromium, and whether sound comes in time under many voices."""

import re
import time
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import Page, sync_playwright

from benchmarks.workloads import demo
from jorvik.core.document.patch import check_patch
from jorvik.core.live.player import LivePlayer
from scripts.pictures import open_demo
from tests.browser.driver import FLAGS
from tests.trials.served import Launched

STRIKES = 30
EDITED_MS = 250

_LISTEN = """() => {
    const Node = window.AudioWorkletNode;
    window.AudioWorkletNode = class extends Node {
        constructor(context, ...all) {
            super(context, ...all);
            window.audio = context;
            window.ear = new AnalyserNode(context, { fftSize: 4096 });
            this.connect(window.ear);
        }
    };
    // Waits until something is heard after silence, and returns when its first sample was.
    window.heard = () => new Promise((done) => {
        const last = new Float32Array(4096), until = performance.now() + 4000;
        const look = () => {
            window.ear.getFloatTimeDomainData(last);
            const first = last.findIndex((sample) => Math.abs(sample) > 1e-4);
            if (first < 0 && performance.now() < until) return setTimeout(look, 1);
            const ago = (1000 * (last.length - first)) / window.audio.sampleRate;
            done(performance.now() - ago + 1000 * window.audio.baseLatency);
        };
        look();
    });
    window.input = { name: 'Stand-in keys' };
    navigator.requestMIDIAccess = async () => ({ inputs: new Map([['1', window.input]]) });
    window.sent = (...bytes) => window.input.onmidimessage({ data: new Uint8Array(bytes) });
}"""


def live(seconds: float) -> None:
    """Print the figures of playing live; many voices are played for so many seconds."""
    served = Launched(demo=True)
    served.start()
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = chromium.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(f"({_LISTEN})()")
        page.goto(f"http://127.0.0.1:{served.port}")
        page.get_by_role("button", name="Keys", exact=True).click()
        page.get_by_role("button", name="Live", exact=True).click()
        page.get_by_role("group", name="Hands").wait_for()
        page.wait_for_timeout(1500)
        for what, act in (("key", _strike), ("pad", _pad)):
            if act is _pad:
                _opened_by_the_pad(page)
            waits = [act(page) for _ in range(STRIKES)]
            print(
                f"{what} to sound in Chromium: median {np.median(waits):.0f} ms, 95th percentile"
                f" {np.percentile(waits, 95):.0f} ms (aim: at most 60 and 90 ms); {_gaps(page)} gaps"
            )
        for name, voices in (("Ferry Horn", 16), ("Lantern Hum", 8)):
            _in_chromium(page, name, voices, seconds)
        chromium.close()
    served.stop()
    for name, count in (("ferry-horn", 16), ("lantern-hum", 8)):
        _under_load(name, count, seconds)


def _strike(page: Page) -> float:
    """Strike a key and let it go; return the milliseconds until its first sample is heard."""
    waited = page.evaluate(
        """async () => {
            const begin = performance.now();
            document.body.dispatchEvent(new KeyboardEvent('keydown', { code: 'KeyG', bubbles: true }));
            const at = await window.heard();
            document.body.dispatchEvent(new KeyboardEvent('keyup', { code: 'KeyG', bubbles: true }));
            return at - begin;
        }"""
    )
    page.wait_for_timeout(900)
    return float(waited)


def _opened_by_the_pad(page: Page) -> None:
    """Open a patch that the first macro lets be heard, with a key held down."""
    macro = {"id": "swell", "kind": "macro"}
    route = {
        "id": "r",
        "source": "swell",
        "destination": "amplitude",
        "amount": 1.0,
        "mode": "range",
        "low": 0,
        "high": 1,
    }
    document = {"format": "jorvik-patch", "version": 1, "name": "By the Pad", "modules": [macro], "routes": [route]}
    page.get_by_role("button", name="Live", exact=True).click()
    page.evaluate(
        "(document) => fetch('/api/patches', { method: 'POST', headers: { 'Content-Type': 'application/json' },"
        " body: JSON.stringify({ document }) })",
        document,
    )
    open_demo(page, "By the Pad")
    page.get_by_role("button", name="Live", exact=True).click()
    page.get_by_role("group", name="Hands").wait_for()
    page.wait_for_timeout(1500)
    page.keyboard.down("g")
    page.wait_for_timeout(900)


def _pad(page: Page) -> float:
    """Open an amplifier with the pad; return the milliseconds until that is heard."""
    waited = page.evaluate(
        """async () => {
            const pad = document.querySelector('[aria-label="Pad"]');
            const begin = performance.now();
            for (let step = 0; step < 4; step++)
                pad.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', bubbles: true }));
            const at = await window.heard();
            for (let step = 0; step < 8; step++)
                pad.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowLeft', bubbles: true }));
            return at - begin;
        }"""
    )
    page.wait_for_timeout(900)
    return float(waited)


def _gaps(page: Page) -> int:
    said = page.get_by_text(re.compile(r"^\d+ gaps?, "))
    return int(said.inner_text().split()[0]) if said.count() else 0


def _taken() -> "np.ndarray[Any, Any]":
    """Return the ticks that the machine's host has given to others, and all ticks, since it was started."""
    ticks = [int(word) for word in Path("/proc/stat").read_text().split("\n", 1)[0].split()[1:9]]
    return np.array([ticks[7], sum(ticks)])


def _in_chromium(page: Page, name: str, voices: int, seconds: float) -> None:
    """Hold many keys while a figure is edited again and again; print how often sound came too late."""
    open_demo(page, name)
    live = page.get_by_role("button", name="Live", exact=True)
    live.click()
    page.wait_for_timeout(500)
    live.click()
    page.get_by_role("group", name="Hands").wait_for()
    if page.get_by_role("button", name="Controller…").count():
        page.get_by_role("button", name="Controller…").click()
    page.wait_for_timeout(3000)
    before, taken = _gaps(page), _taken()
    for number in range(voices):
        page.evaluate(f"sent(0x90, {36 + 3 * number}, 90)")
        page.wait_for_timeout(100)
    field = page.get_by_label("Cutoff set value")
    field.click()
    for number in range(round(1000 * seconds / EDITED_MS)):
        field.press("ArrowUp" if number % 2 else "ArrowDown")
        page.wait_for_timeout(EDITED_MS)
    stolen, all_of_it = _taken() - taken
    print(
        f"{name}, {voices} voices in Chromium for {seconds:.0f} s, edited every {EDITED_MS} ms:"
        f" {_gaps(page) - before} gaps (aim: none), while the host took {100 * stolen / all_of_it:.1f} % of the machine"
    )
    page.evaluate(f"for (let n = 0; n < {voices}; n++) sent(0x80, 36 + 3 * n, 0)")


def _under_load(name: str, voices: int, seconds: float) -> None:
    """Play many voices while a figure is edited again and again; print how much of the time each block takes."""
    document = demo(name)
    player = LivePlayer(check_patch(document))
    for number in range(voices):
        player.note_on(36 + 3 * number, 90)
    taken, lasts = [], []
    edited = 0
    while player.now < seconds * player.rate:
        begin, first = time.perf_counter(), player.now
        if first * 1000 >= edited * EDITED_MS * player.rate:
            edited += 1
            player.edit(check_patch(document))
        player.block()
        taken.append(time.perf_counter() - begin)
        lasts.append((player.now - first) / player.rate)
    # What is ahead makes good for blocks that take longer than they last, as long as it lasts.
    behind = worst = 0.0
    for one, last in zip(taken[10:], lasts[10:], strict=True):
        behind = max(0.0, behind + one - last)
        worst = max(worst, behind)
    print(
        f"{name}, {voices} voices for {seconds:.0f} s while it is edited: {100 * sum(taken) / sum(lasts):.0f} % of the"
        f" time, {1000 * worst:.0f} ms behind at most (aim: under the {1000 * lasts[-1]:.0f} ms of a block)"
    )
