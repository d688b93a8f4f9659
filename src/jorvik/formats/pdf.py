"""A page as a PDF file, by a browser that runs without a window."""

import shutil
import subprocess
import tempfile
from pathlib import Path
from typing import Final

from jorvik.core.problems import Problem

_BROWSERS: Final = ("chromium", "chromium-browser")
_SECONDS: Final = 120
_FLAGS: Final = (
    *("--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-sync"),
    *("--disable-background-networking", "--disable-component-update", "--no-pdf-header-footer"),
)


def pdf_bytes(html: str) -> bytes:
    """Return a page that stands alone as a PDF. Raises Problem where no browser is installed, or it fails."""
    browser = next((found for name in _BROWSERS if (found := shutil.which(name))), None)
    if browser is None:
        raise Problem("the PDF", "no Chromium on this machine", "written where Debian's package chromium is installed")
    with tempfile.TemporaryDirectory() as folder:
        page, out = Path(folder) / "sheet.html", Path(folder) / "sheet.pdf"
        page.write_text(html, encoding="utf-8")
        command = [browser, *_FLAGS, f"--user-data-dir={folder}/profile", f"--print-to-pdf={out}", page.as_uri()]
        try:
            subprocess.run(command, check=False, capture_output=True, timeout=_SECONDS)
        except subprocess.TimeoutExpired:
            raise Problem("the PDF", "a browser that does not come to an end", "tried again") from None
        if not out.exists():
            raise Problem("the PDF", "nothing that the browser wrote", "tried again, or written as .html")
        return out.read_bytes()
