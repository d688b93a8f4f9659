"""Take the pictures of docs/screenshots anew, from the demo data: ``.venv/bin/python -m scripts.pictures``."""

from collections.abc import Callable

from playwright.sync_api import Page, sync_playwright

from jorvik.launch import ROOT, warm
from tests.browser.driver import FLAGS
from tests.support import Served, stop_everything

FOLDER = ROOT / "docs" / "screenshots"


def open_demo(page: Page, name: str) -> None:
    """Open a demo from the shelf."""
    page.get_by_role("button", name="Patches", exact=True).click()
    page.get_by_role("dialog").get_by_role("button", name=name, exact=True).click()
    page.wait_for_timeout(900)


def light(page: Page) -> None:
    """A source chosen, its stages open to the hand, the cursor reading every stave."""
    page.get_by_role("button", name="Source swell").click()
    page.mouse.move(560, 420)


def three(page: Page) -> None:
    """Soft, middle and hard at once, with the ribbons of one stave open."""
    page.get_by_role("button", name="All three").click()
    page.get_by_role("button", name="Open the ribbons under cutoff").click()
    page.get_by_role("region", name="Cutoff", exact=True).get_by_role("button", name="swell", exact=True).click()


def dark(page: Page) -> None:
    """Another patch, in the dark."""
    open_demo(page, "Ice Crack")
    page.get_by_role("button", name="Source after").click()


PICTURES: dict[str, tuple[str, Callable[[Page], None]]] = {
    "sheet-light": ("light", light),
    "sheet-three-velocities": ("light", three),
    "sheet-dark": ("dark", dark),
}


def main() -> None:
    """Take every picture at 1280x800."""
    warm()
    served = Served()
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        for name, (scheme, act) in PICTURES.items():
            context = chromium.new_context(viewport={"width": 1280, "height": 800}, color_scheme=scheme)  # type: ignore[arg-type]
            page = context.new_page()
            page.goto(served.url)
            page.get_by_role("button", name="Got it").click()
            page.wait_for_timeout(800)
            act(page)
            page.wait_for_timeout(900)
            page.screenshot(path=FOLDER / f"{name}.png")
            context.close()
        chromium.close()
    served.stop()
    stop_everything()


if __name__ == "__main__":
    main()
