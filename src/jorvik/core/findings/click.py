"""A click: the amplifier jumps at the start, the end or between two notes.

A step is heard as a click where the level goes further in a millisecond than a 3 ms ramp would, while the sound is not
quiet: a third of full scale within 1 ms. Ramps of 3 ms are the usual cure.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.findings.base import Context, Finding, Mend, edited
from jorvik.core.modules.base import time_text

LEAST_JUMP = 0.34
WITHIN_S = 0.001
ATTACK_S = 0.003
RELEASE_S = 0.005


def find(of: Context) -> Iterator[Finding]:
    """Yield a finding for the first jump of each kind."""
    lane = of.lane("amplitude")
    if lane is None:
        return
    width = max(1, round(WITHIN_S * of.rate))
    held = np.concatenate([np.zeros(width), lane.value])
    jumps = held[width:] - held[:-width]
    for rising in (True, False):
        far = np.flatnonzero(jumps >= LEAST_JUMP) if rising else np.flatnonzero(jumps <= -LEAST_JUMP)
        if far.size == 0 or far.size > 0.2 * jumps.size:
            continue
        at_s = float(far[0]) / of.rate
        mend = _mend(of, rising)
        if mend is None:
            continue
        jump = float(np.abs(jumps[far[0] : far[0] + width]).max())
        word = "opens" if rising else "closes"
        yield Finding(
            rule="click",
            severity="caution",
            sentence=f"The amplifier {word} by {jump * 100:.0f} % within {time_text(WITHIN_S)}: a click.",
            why="An edge this steep sounds at every frequency at once. Some want it; then set this aside.",
            about="amplitude",
            from_s=at_s,
            to_s=at_s + 0.005,
            mend=mend,
            which=word,
        )


def _mend(of: Context, rising: bool) -> Mend | None:
    """Lengthen the stage of the envelope that does it."""
    name, least = ("attack_s", ATTACK_S) if rising else ("release_s", RELEASE_S)
    changed = {}
    for route in of.routes_to("amplitude"):
        module = of.patch.modules_by_id.get(route.source)
        if (
            module is not None
            and module.kind == "envelope"
            and module.slot_value(name, of.patch.performance.tempo) < least
        ):
            changed[module.id] = {name: least}
    if not changed:
        return None
    what = "attack" if rising else "release"
    return Mend(f"{what} of {', '.join(changed)} {time_text(least)}", edited(of.patch, modules=changed))
