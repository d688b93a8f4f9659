"""How long each check and test class takes: the queue begins with the longest."""

import json
from collections.abc import Mapping
from pathlib import Path

FILE = Path(__file__).with_name("durations.json")

FACTOR = 1.5
LEAST_S = 2.0
"""Smaller changes of a duration are chance, and are not written down."""


def durations() -> dict[str, float]:
    """Return the seconds of each item by its name."""
    known: dict[str, float] = json.loads(FILE.read_text()) if FILE.exists() else {}
    return known


def keep_durations(measured: Mapping[str, float]) -> None:
    """Write down new items and those that take clearly longer or shorter than before, and drop those that are gone."""
    known = durations()
    kept = {name: _kept(known.get(name), seconds) for name, seconds in sorted(measured.items())}
    if kept != known:
        FILE.write_text(json.dumps(kept, indent=1) + "\n")


def _kept(before: float | None, now: float) -> float:
    if before is not None and max(before, now) < FACTOR * min(before, now) + LEAST_S:
        return before
    return round(now, 1)
