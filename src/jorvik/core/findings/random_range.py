"""Random notes: how far they reach, and how many of them fall silent.

The range is told from an octave on; silence is an oscillator, fold or amplitude lane within a hundredth of nothing, from
2 % of the values taken, over 400 takes of the same source.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.engine.run import trace
from jorvik.core.findings.base import Context, Finding, Mend, edited
from jorvik.core.kernels import Floats
from jorvik.core.patch import Patch, Route, check_patch

SILENT = 0.01
SHARE = 0.02
OCTAVE_ST = 12.0
_SEEDS = 8
LEVELS = ("amplitude", "osc1_level", "fold")


def find(of: Context) -> Iterator[Finding]:
    """Yield a note on random pitches that reach far, and a caution on random levels that fall silent."""
    for route in of.patch.live_routes:
        if not _is_random(of.patch, route.source):
            continue
        if route.destination == "pitch" and route.mode == "add":
            given = of.held(of.trace.lanes["pitch"].contributions[route.id])
            reach = float(np.ptp(given))
            if reach >= OCTAVE_ST:
                yield Finding(
                    rule="random_range",
                    severity="note",
                    sentence=f"{route.source} reaches over {reach / 12:.3g} octaves: {round(reach) + 1} notes.",
                    why="Fast high notes can be far louder to the ear than the low ones beside them.",
                    about="pitch",
                    from_s=of.on_s,
                    to_s=of.off_s,
                )
        elif route.destination in LEVELS:
            yield from _silence(of, route)


def _silence(of: Context, route: Route) -> Iterator[Finding]:
    name = route.destination
    values = np.concatenate([_taken(of, seed, name) for seed in range(_SEEDS)])
    share = float((values <= SILENT).mean())
    if share < SHARE:
        return
    lane = of.trace.lanes[name]
    low = float(values.min())
    offset = float(f"{SILENT + 0.01 - min(low, 0.0):.3g}")
    base = float(lane.base[0])
    mend = None
    if name in ("osc1_level", "fold", "amplitude") and base + offset <= 1.0:
        mend = Mend(
            f"{lane.lane.destination.title.lower()} set {offset:g} higher", edited(of.patch, base={name: base + offset})
        )
    yield Finding(
        rule="random_range",
        severity="caution",
        sentence=f"{share:.0%} of {route.source}'s values leave {lane.lane.destination.title.lower()} at nothing.",
        why=f"Those notes fall silent; {offset:g} more on the set value just removes them.",
        about=name,
        from_s=of.on_s,
        to_s=of.off_s,
        mend=mend,
    )


def _taken(of: Context, seed: int, name: str) -> Floats:
    """Return what a lane comes to over a run with another seed, before its clamp, thinned to what was taken."""
    document = of.patch.document()
    document["performance"] = {**document.get("performance", {}), "seed": 1000 + seed}
    raw = of.held(trace(check_patch(document), 4000, cancelled=of.cancelled).lanes[name].raw)
    change = np.flatnonzero(np.abs(np.diff(raw)) > 1e-9)
    return raw[np.concatenate([[0], change + 1])] if change.size < raw.size // 4 else raw[:: max(1, raw.size // 60)]


def _is_random(patch: Patch, name: str, depth: int = 0) -> bool:
    """Tell whether a signal is made of noise or chance, straight or through what processes it."""
    if name == "note_random":
        return True
    module = patch.modules_by_id.get(name)
    if module is None or depth > 8:
        return False
    if module.kind in ("noise", "random"):
        return True
    inputs = [value for path, value in module.input_signals() if path in ("input",) or path.startswith("inputs")]
    return any(isinstance(value, str) and _is_random(patch, value, depth + 1) for value in inputs)
