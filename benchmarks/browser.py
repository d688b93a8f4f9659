"""The time from an edit in the browser to the repainted sheet."""

import time

import numpy as np
from playwright.sync_api import Page, sync_playwright

from jorvik.core.compiling import compile_engine
from tests.browser.driver import FLAGS, SHEETS
from tests.support import Served, stop_everything

EDITS = 40


def browser() -> None:
    """Nudge an amount again and again, and wait each time until the new sheet has been painted."""
    compile_engine()
    served = Served()
    taken = []
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = chromium.new_page(viewport={"width": 1280, "height": 800})
        page.goto(served.url)
        page.get_by_role("region", name="Pitch", exact=True).wait_for()
        field = page.get_by_label("Amount of swell on cutoff", exact=True)
        field.focus()
        for edit in range(EDITS + 5):
            milliseconds = page.evaluate(EDIT_TO_PAINT, ["ArrowDown", "ArrowUp"][edit % 2])
            if edit >= 5:
                taken.append(milliseconds)
            time.sleep(0.05)
        strikes = [struck(page, velocity) for velocity in range(40, 70)]
        chromium.close()
    served.stop()
    stop_everything()
    middle, late = np.percentile(taken, [50, 95])
    print(f"edit to repainted sheet: median {middle:.0f} ms, 95th percentile {late:.0f} ms (aim: 50 and 80)")
    middle, late = np.percentile(strikes, [50, 95])
    print(f"key press to first sound, 2.3 s: median {middle:.0f} ms, 95th percentile {late:.0f} ms (aim: 150)")


def struck(page: Page, velocity: int) -> float:
    """Return the milliseconds from pressing Play to the start of the sound, for a 2 s note never heard before."""
    field = page.get_by_label("Test velocity", exact=True)
    field.fill(str(velocity))
    field.press("Enter")
    page.wait_for_timeout(900)
    page.evaluate("performance.clearMarks('jorvik:strike'), performance.clearMarks('jorvik:sounds')")
    page.get_by_role("button", name="Play", exact=True).click()
    script = """() => { const at = name => performance.getEntriesByName(name).at(-1)?.startTime ?? -1;
        return at('jorvik:sounds') - at('jorvik:strike') }"""
    for _ in range(200):
        page.wait_for_timeout(10)
        taken = float(page.evaluate(script))
        if taken > 0.0:
            break
    page.get_by_role("button", name="Stop", exact=True).click()
    return taken


# The sheet is drawn before the frame in which its mark is seen; when the next frame begins, that one has been painted.
EDIT_TO_PAINT = f"""key => new Promise(done => {{
  const before = {SHEETS};
  const begin = performance.now();
  document.activeElement.dispatchEvent(new KeyboardEvent('keydown', {{ key, bubbles: true, cancelable: true }}));
  const look = () => {SHEETS} > before
    ? requestAnimationFrame(() => done(performance.now() - begin))
    : requestAnimationFrame(look);
  look();
}})"""
