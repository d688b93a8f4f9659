"""Everything compiled is run once, so that nobody waits for the compiler at the first note."""

import numpy as np

from jorvik.core.document.patch import check_patch
from jorvik.core.dsp.kernels import cache_folder, prune_caches
from jorvik.core.dsp.thinning import fewest
from jorvik.core.engine.trace import trace
from jorvik.core.voice.render import render

_NOTE = {"format": "jorvik-patch", "version": 1, "performance": {"notes": [{"length_s": 0.01}]}}
_EVERYTHING = {
    **_NOTE,
    "voice": {
        "base": {
            **dict.fromkeys(("noise_level", "sub_level", "osc2_level", "fm_index", "fold", "drive"), 0.1),
            "recording_level": 0.1,
            **dict.fromkeys(("send_delay", "send_chorus", "send_reverb"), 0.1),
            "filter2_cutoff": 900,
            "peak1_gain": 3,
        },
        "oscillators": {"unison": 2, "recording": {"samples": "AAAAAAAAAAA="}},
        "effects": {"reverb": {"decay_s": 0.2}},
    },
}
"""Every part of the voice at work."""


def warm() -> None:
    """Run every kernel; where none is kept compiled, say that it takes a while."""
    if not any(cache_folder().glob("**/*.nbc")):
        print("compiling the engine, once (about a minute)", flush=True)
        prune_caches()
    for document in (_NOTE, _EVERYTHING):
        patch = check_patch(document)
        trace(patch)
        render(patch)
    fewest(np.zeros(2), np.zeros(2), 0.0)
