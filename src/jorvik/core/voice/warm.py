"""Everything compiled is run once, so that nobody waits for the compiler at the first note."""

from jorvik.core.document.patch import check_patch
from jorvik.core.dsp.kernels import cache_folder, prune_caches
from jorvik.core.engine.trace import trace
from jorvik.core.voice.render import render

_NOTE = {"format": "jorvik-patch", "version": 1, "performance": {"notes": [{"length_s": 0.01}]}}


def warm() -> None:
    """Run every kernel; where none is kept compiled, say that it takes a while."""
    if not any(cache_folder().glob("**/*.nbc")):
        print("compiling the engine, once (about a minute)", flush=True)
        prune_caches()
    patch = check_patch(_NOTE)
    trace(patch)
    render(patch)
