"""What is timed: patches, and the work of running them."""

import json
from collections.abc import Callable
from typing import Any

from jorvik.core.document.patch import Patch
from jorvik.core.engine.run import Run
from jorvik.place import ROOT

RATE = 48_000
Json = dict[str, Any]

DEMOS = sorted((ROOT / "demo").glob("*.json"))

PLAIN: Json = {
    "format": "jorvik-patch",
    "version": 1,
    "performance": {"notes": [{"key": 45, "length_s": 3.5}], "tail_s": 0.5},
    "voice": {"base": {"cutoff": 1200, "resonance": 0.2, "wavetable_position": 1.0}},
    "modules": [{"id": "e", "kind": "envelope", "decay_s": 0.5}],
    "routes": [{"id": "r", "source": "e", "destination": "amplitude", "mode": "scale", "amount": 1}],
}
"""One oscillator, one filter, one envelope on the amplifier."""


def run_all(patch: Patch) -> Callable[[], None]:
    """Return the work of running every sample of a patch, its rows made and left in the block."""
    run = Run(patch, RATE)

    def work() -> None:
        for _ in run.blocks():
            pass

    return work


def demo(name: str) -> Json:
    """Return a demo's document."""
    document: Json = json.loads((ROOT / "demo" / f"{name}.json").read_text())
    return document


def feedback_patch() -> Json:
    """Return the patch that :func:`rivals.slew_oscillator` is written for."""
    return {
        "format": "jorvik-patch",
        "version": 1,
        "performance": {"notes": [{"length_s": 2.0}], "tail_s": 0.5},
        "modules": [
            {"id": "target", "kind": "shape", "input": "over", "invert": True, "offset": 1.0},
            {"id": "ramp", "kind": "slew", "input": "target", "rise_s": 0.004, "fall_s": 0.003},
            {"id": "over", "kind": "compare", "a": "ramp", "b": 0.5, "hysteresis": 0.4},
            {"id": "ring", "kind": "filter", "input": "ramp", "frequency_hz": 40.0, "q": 6.0},
        ],
        "routes": [{"id": "bend", "source": "ring", "destination": "ramp.rise_s", "amount": 0.002}],
    }


def twenty() -> Json:
    """Return 20 modules and 20 routes over 4 seconds."""
    kinds: list[Json] = [
        {"kind": "envelope", "decay_bend": 3.0},
        {"kind": "lfo", "rate": 5.0},
        {"kind": "slew", "input": "gate"},
        {"kind": "filter", "input": "velocity", "frequency_hz": 6.0, "q": 4.0},
        {"kind": "noise"},
    ]
    modules = [{"id": f"m{i}", **kinds[i % 5]} for i in range(20)]
    places = ["pitch", "cutoff", "wavetable_position", "amplitude", "resonance"]
    routes = [{"id": f"r{i}", "source": f"m{i}", "destination": places[i % 5], "amount": 0.1} for i in range(20)]
    performance = {"notes": [{"length_s": 3.5}], "tail_s": 0.5}
    return {"format": "jorvik-patch", "version": 1, "performance": performance, "modules": modules, "routes": routes}
