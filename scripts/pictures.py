"""Take the pictures of docs/screenshots anew, from the demo data: ``.venv/bin/python -m scripts.pictures``."""

import json
import math
import re
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from jorvik.core.compiling import compile_engine
from jorvik.core.document.patch import check_patch
from jorvik.core.voice.render import render
from jorvik.formats.wav import wav_bytes
from jorvik.place import ROOT
from tests.browser.driver import FLAGS
from tests.support import Served, stop_everything

FOLDER = ROOT / "docs" / "screenshots"


def open_demo(page: Page, name: str) -> None:
    """Open a demo from the shelf."""
    page.get_by_role("button", name="Patches", exact=True).click()
    page.get_by_role("group", name="Library").get_by_role("button", name=name, exact=True).click()
    page.wait_for_timeout(900)


def light(page: Page) -> None:
    """A source chosen, its stages open to the hand, the cursor reading every stave."""
    page.get_by_role("button", name="Source swell").click()
    page.mouse.move(560, 420)


def dark(page: Page) -> None:
    """Another patch, in the dark."""
    open_demo(page, "Ice Crack")
    page.get_by_role("button", name="Source after").click()


def under(page: Page, phrase: str) -> None:
    """Play the open patch under a phrase."""
    page.get_by_label("Played", exact=True).select_option(label=phrase)
    page.wait_for_timeout(1200)


def phrase(page: Page) -> None:
    """A patch under a phrase: one voice strong, the others behind it, the axis in beats."""
    under(page, "Skaters' Round")
    page.get_by_role("button", name=re.compile("^Note C4 at 1.2")).click()
    page.get_by_role("button", name="in beats").click()
    page.wait_for_timeout(1500)
    page.mouse.move(640, 740)


def beat(page: Page) -> None:
    """A stave against its hits: what each stroke opens, and which finds it open."""
    open_demo(page, "Hammer That Never Lifts")
    under(page, "Ice-Hammer Beat")
    page.get_by_role("button", name="Figures of cutoff", exact=True).click()
    page.mouse.move(640, 740)


def map_of_it(page: Page) -> None:
    """A patch with feedback, whole."""
    open_demo(page, "Three Gulls")
    page.get_by_role("tab", name="Map").click()


def sound(page: Page) -> None:
    """Inside the sound."""
    page.get_by_role("tab", name="Sound").click()
    page.wait_for_timeout(1500)


def compare(page: Page) -> None:
    """Soft, medium and hard beside each other."""
    open_demo(page, "Oar Drag")
    page.get_by_role("tab", name="Compare").click()
    page.wait_for_timeout(2000)
    page.get_by_role("button", name="FM index", exact=True).click()


def swept(page: Page) -> None:
    """The useful range of a cutoff, kept, a step pointed at."""
    open_demo(page, "Ferry Horn")
    page.get_by_role("tab", name="Range").click()
    page.get_by_label("Where the sweep begins").fill("60 Hz")
    page.get_by_label("Where the sweep begins").press("Enter")
    page.get_by_role("button", name="Sweep", exact=True).click()
    page.get_by_role("button", name="Play it through").wait_for(timeout=60_000)
    page.get_by_role("button", name="Keep it with the patch").click()
    page.mouse.move(520, 330)


def match(page: Page) -> None:
    """The sound of one demo as a recording, and a patch made of it."""
    open_demo(page, "Lantern Hum")
    page.get_by_role("tab", name="Match").click()
    horn = check_patch(json.loads((ROOT / "demo" / "ferry-horn.json").read_text()))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "horn over the ice.wav"
        path.write_bytes(wav_bytes(render(horn), "16"))
        page.get_by_label("Choose the recording of a note").set_input_files(path)
        page.get_by_role("button", name="Play patch").wait_for(timeout=60_000)


def finding(page: Page) -> None:
    """A fault's fix, tried."""
    open_demo(page, "Thin Ice")
    page.get_by_role("button", name="Try:").click()
    page.get_by_role("button", name="Figures of cutoff", exact=True).click()


def bank(page: Page) -> None:
    """Every patch checked, and a second work under way, with its plan."""
    page.get_by_role("tab", name="Bank").click()
    view = page.get_by_role("group", name="Work over a bank")
    view.get_by_label("Which patches").select_option("every")
    view.get_by_role("button", name="Begin").click()
    view.get_by_role("table", name="What came").wait_for(timeout=300_000)
    view.get_by_label("What is done with them").select_option("measure")
    view.get_by_label("Velocities").fill("40, 80, 118")
    view.get_by_label("Velocities").press("Enter")
    view.get_by_role("button", name="Begin").click()
    view.get_by_text(re.compile("%, .* left")).wait_for(timeout=120_000)
    view.get_by_role("button", name="Check of every patch", exact=True).click()
    view.get_by_role("table", name="What came").wait_for()


def bank_summary(page: Page) -> None:
    """What every patch measures, and what stands out."""
    page.get_by_role("tab", name="Bank").click()
    view = page.get_by_role("group", name="Work over a bank")
    view.get_by_label("Which patches").select_option("every")
    view.get_by_label("What is done with them").select_option("measure")
    view.get_by_role("button", name="Begin").click()
    link = view.get_by_role("link", name="Summary")
    link.wait_for(timeout=300_000)
    href = str(link.evaluate("link => link.href"))
    # It comes as a file, which is looked at by itself.
    text = page.request.get(href).text()
    page.goto("about:blank")
    page.set_content(text)


def practice(page: Page) -> None:
    """A curve that was read, nearly right, and what would have been."""
    page.get_by_role("tab", name="Practice").click()
    view = page.get_by_role("group", name="Practice", exact=True)
    view.get_by_role("button", name="Next task").click()
    for asks, text in (("attack", "56ms"), ("highest", "2.3kHz"), ("settle", "940")):
        view.get_by_label(re.compile(asks)).fill(text)
    view.get_by_role("button", name="Hand it in").click()
    view.get_by_role("region", name="Marks").wait_for()


def recording(page: Page, name: str = "Barge Bell") -> None:
    """Play live over a phrase, and begin to record."""
    open_demo(page, name)
    under(page, "Ice-Hammer Beat")
    page.get_by_role("button", name="Keys", exact=True).click()
    page.get_by_role("button", name="Live", exact=True).click()
    page.get_by_role("group", name="Hands").wait_for()
    page.get_by_label("Bars counted in").select_option("0")
    page.get_by_role("button", name="Record", exact=True).click()


def sweep(page: Page, turns: int) -> None:
    """Draw circles on the pad for about three seconds each."""
    box = page.get_by_label("Pad", exact=True).bounding_box()
    assert box is not None
    for step in range(60 * turns):
        angle = step / 60 * 2 * math.pi
        page.mouse.move(
            box["x"] + (0.5 + 0.4 * math.sin(angle)) * box["width"],
            box["y"] + (0.5 + 0.3 * math.cos(angle)) * box["height"],
        )
        if step == 0:
            page.mouse.down()
        page.wait_for_timeout(45)


def live(page: Page) -> None:
    """The pad under the hand, recorded over a phrase; the sheet draws behind it."""
    recording(page)
    sweep(page, 3)
    page.get_by_role("region", name="Cutoff", exact=True).scroll_into_view_if_needed()
    sweep(page, 1)


def gesture(page: Page) -> None:
    """A macro as it was played over a phrase, made tall, and what is read of it."""
    open_demo(page, "Barge Bell")
    page.get_by_label("Played", exact=True).select_option(label="Landing Steps")
    page.wait_for_timeout(700)
    page.get_by_label("Play another lane").select_option("macro:striker")
    page.wait_for_timeout(500)
    lane = page.get_by_role("group", name="Played striker")
    lane.get_by_role("button", name="striker", exact=True).click()
    page.wait_for_timeout(200)
    box = lane.bounding_box()
    assert box is not None
    page.keyboard.down("Shift")
    for across, down in (
        (0.07, 0.7),
        (0.13, 0.25),
        (0.2, 0.2),
        (0.29, 0.65),
        (0.36, 0.8),
        (0.47, 0.4),
        (0.6, 0.75),
        (0.7, 0.5),
    ):
        page.mouse.dblclick(box["x"] + across * box["width"], box["y"] + down * box["height"])
        page.wait_for_timeout(300)
    page.keyboard.up("Shift")
    page.get_by_label("Thin striker within").scroll_into_view_if_needed()


def library(page: Page) -> None:
    """What is found of a word, two of it chosen for a bank."""
    page.get_by_role("tab", name="Library").click()
    page.get_by_label("Choose Ferry Horn").check()
    page.get_by_label("Choose Barge Bell").check()
    page.get_by_label("Name of a new bank").fill("For the harbour")
    page.get_by_label("Name of a new bank").press("Enter")
    page.wait_for_timeout(4000)


def logbook(page: Page) -> None:
    """A day's work: saved, mended, noted, with what it came to."""
    open_demo(page, "Ferry Horn")
    for label, text in (("Cutoff set value", "500 Hz"), ("Amount of swell on cutoff", "30 st")):
        page.get_by_role("region", name="Cutoff", exact=True).get_by_label(label, exact=True).fill(text)
        page.keyboard.press("Enter")
        page.wait_for_timeout(700)
    page.keyboard.press("Escape")
    page.keyboard.press("Control+s")
    page.get_by_role("button", name=re.compile("^Try: ")).click()
    page.get_by_role("button", name="Take it").first.click()
    page.wait_for_timeout(500)
    page.get_by_role("tab", name="Logbook").click()
    page.get_by_label("Note for the logbook").fill("Next: the same with the wheel, and hear it from the bridge.")
    page.get_by_label("Note for the logbook").press("Enter")
    page.get_by_label("Why: saved").fill("Brighter from the first moment on, for the fog.")
    page.get_by_label("Why: saved").press("Tab")
    page.get_by_text("st higher").first.wait_for(timeout=60_000)
    page.wait_for_timeout(3000)


def paper(page: Page) -> None:
    """The sheet as it is printed."""
    open_demo(page, "Night Watch")
    page.get_by_role("tab", name="Paper").click()
    page.frame_locator("iframe").get_by_role("heading", name="Night Watch", exact=True).wait_for(timeout=60_000)


def machine(page: Page) -> None:
    """A patch in the figures of a small machine."""
    open_demo(page, "Ferry Horn")
    page.get_by_role("tab", name="Machine").click()
    page.get_by_role("list", name="What cannot be had").wait_for()


PICTURES: dict[str, tuple[str, Callable[[Page], None]]] = {
    "sheet-light": ("light", light),
    "sheet-dark": ("dark", dark),
    "phrase": ("light", phrase),
    "beat": ("light", beat),
    "live": ("light", live),
    "gesture": ("light", gesture),
    "range": ("light", swept),
    "match": ("light", match),
    "library": ("light", library),
    "bank": ("light", bank),
    "bank-summary": ("light", bank_summary),
    "practice": ("light", practice),
    "paper": ("light", paper),
    "machine": ("light", machine),
    "map": ("light", map_of_it),
    "sound": ("light", sound),
    "compare": ("light", compare),
    "finding": ("light", finding),
    # Last, since it changes a patch of the demo.
    "logbook": ("light", logbook),
}


def main() -> None:
    """Take the named pictures, or every one, at 1280x800."""
    compile_engine()
    served = Served()
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        for name in sys.argv[1:] or PICTURES:
            scheme, act = PICTURES[name]
            context = chromium.new_context(viewport={"width": 1280, "height": 800}, color_scheme=scheme)  # type: ignore[arg-type]
            page = context.new_page()
            page.goto(served.url)
            page.get_by_role("button", name="Got it").click()
            page.wait_for_timeout(800)
            act(page)
            page.wait_for_timeout(1500)
            page.get_by_text("Looking…", exact=True).wait_for(state="hidden")
            page.screenshot(path=FOLDER / f"{name}.png")
            context.close()
        chromium.close()
    served.stop()
    stop_everything()


if __name__ == "__main__":
    main()
