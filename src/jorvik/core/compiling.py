"""Compile everything that is compiled, before anybody waits for it.

``python -m jorvik.core.compiling [engine] [analysis]`` compiles the parts that are named, or all of them. The set-up
calls it for the engine, and the server for the analysis once it answers requests. A part that was compiled leaves a
mark beside the kernels of this checkout.
"""

import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Final

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import check_patch
from jorvik.core.dsp.kernels import cache_folder, prune_caches
from jorvik.core.dsp.thinning import fewest
from jorvik.core.engine.trace import trace
from jorvik.core.voice.render import render
from jorvik.place import instance

_NOTE = {"format": "jorvik-patch", "version": 1, "performance": {"notes": [{"length_s": 0.01}]}}
_EVERYTHING = {
    **_NOTE,
    "voice": {
        "base": {at.name: at.moved(at.base, -0.1 if at.base == at.high else 0.1) for at in VOICE.values()},
        "oscillators": {"unison": 2, "recording": {"samples": "AAAAAAAAAAA="}},
        "effects": {"reverb": {"decay_s": 0.2}},
    },
}
"""A patch that uses every part of the voice."""


def compile_engine() -> None:
    """Load every kernel of the engine and the voice, or compile it."""
    for document in (_NOTE, _EVERYTHING):
        patch = check_patch(document)
        trace(patch)
        render(patch)
    fewest(np.zeros(2), np.zeros(2), 0.0)


def compile_analysis() -> None:
    """Load the kernels of the pitch search, or compile them."""
    from jorvik.core.analysis.sound_lanes import sound_lanes

    t = np.arange(4_800) / 48_000
    sound_lanes(np.stack([np.sin(2 * np.pi * 300 * t)] * 2, axis=1), 48_000)


PARTS: Final[dict[str, Callable[[], None]]] = {"engine": compile_engine, "analysis": compile_analysis}


def is_compiled(part: str) -> bool:
    """Return whether a part was compiled for this checkout and these sources."""
    return _mark(part).exists()


def compile_part(part: str) -> None:
    """Load a part from the cache, or compile it and leave its mark."""
    if is_compiled(part):
        PARTS[part]()
        return
    prune_caches()
    PARTS[part]()
    _mark(part).parent.mkdir(parents=True, exist_ok=True)
    _mark(part).touch()


def _mark(part: str) -> Path:
    return cache_folder() / f"{part}-{instance()}.compiled"


def main(parts: Sequence[str]) -> int:
    """Compile the parts that are named, or all of them; return the exit code."""
    for part in parts or PARTS:
        if not is_compiled(part):
            compile_part(part)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
