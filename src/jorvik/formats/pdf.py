"""A page as a PDF file, by a browser that runs without a window."""

import os
import shutil
import signal
import subprocess
import tempfile
from contextlib import suppress
from pathlib import Path
from typing import Final

from jorvik.core.problems import Problem

_BROWSERS: Final = ("chromium", "chromium-browser")
_SECONDS: Final = 120
_FLAGS: Final = (
    *("--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-sync"),
    *("--disable-background-networking", "--disable-component-update", "--no-pdf-header-footer"),
)

_UNBOUND: Final = ("/bin/sh", "-c", 'ulimit -S -d "$(ulimit -H -d)"; exec "$0" "$@"')
"""Begins a browser with as much memory as it wants: with no more than a worker has of its own, it never ends."""


def pdf_bytes(html: str) -> bytes:
    """Return a page that stands alone as a PDF. Raises Problem where no browser is installed, or it fails."""
    browser = next((found for name in _BROWSERS if (found := shutil.which(name))), None)
    if browser is None:
        raise Problem("the PDF", "no Chromium on this machine", "written where Debian's package chromium is installed")
    # A browser that was stopped may still write into its profile.
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        page, out = Path(folder) / "sheet.html", Path(folder) / "sheet.pdf"
        page.write_text(html, encoding="utf-8")
        command = [
            *_UNBOUND,
            browser,
            *_FLAGS,
            f"--user-data-dir={folder}/profile",
            f"--print-to-pdf={out}",
            page.as_uri(),
        ]
        quiet = subprocess.DEVNULL
        running = subprocess.Popen(command, stdin=quiet, stdout=quiet, stderr=quiet, start_new_session=True)
        try:
            running.wait(_SECONDS)
        except subprocess.TimeoutExpired:
            raise Problem("the PDF", "a browser that does not come to an end", "tried again") from None
        finally:
            # With the processes that it has begun, which would stay.
            with suppress(ProcessLookupError):
                os.killpg(running.pid, signal.SIGKILL)
            running.wait()
        if not out.exists():
            raise Problem("the PDF", "nothing that the browser wrote", "tried again, or written as .html")
        return out.read_bytes()
