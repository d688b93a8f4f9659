"""A played lane as a drawn curve of the patch, and a drawn curve as a lane that is played."""

from itertools import pairwise
from typing import Final

import numpy as np

from jorvik.core.document.patch import Patch, check_patch, fresh_id
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.dsp.bend import bend
from jorvik.core.limits import MAX_POINTS
from jorvik.core.modules.curve import Curve
from jorvik.core.phrases.gesture import thinned_to
from jorvik.core.problems import Problem, shown
from jorvik.core.signals import CONTROL_RANGES

_BETWEEN: Final = 48
"""Places at which a line that bends is read."""


def with_curve_of(patch: Patch, phrase: Phrase, lane: str) -> Patch:
    """Return a patch with a drawn curve more, that goes as a played lane does; a quarter note is its unit of time.

    Raises Problem where the phrase does not play that lane.
    """
    if lane not in phrase.controls:
        raise Problem("the lane", shown(lane), f"one that is played: {', '.join(phrase.controls) or 'none is'}")
    name = fresh_id(lane.rpartition(":")[2] + "_played", patch.modules_by_id)
    curve = {"id": name, "kind": "curve", "points": [list(point) for point in phrase.controls[lane]], "time": "1/4"}
    document = patch.document()
    return check_patch({**document, "modules": [*document.get("modules", []), curve]})


def with_lane_of(patch: Patch, phrase: Phrase, lane: str, curve: str) -> Phrase:
    """Return a phrase that plays a lane as a drawn curve of the patch goes from its first point to its last, once.

    Raises Problem where there is no such curve, or where it leaves what the lane can be.
    """
    module = patch.modules_by_id.get(curve)
    if not isinstance(module, Curve):
        names = [one.id for one in patch.modules if isinstance(one, Curve)]
        raise Problem("the curve", shown(curve), f"one of the patch's: {', '.join(names) or 'it has none'}")
    low, high = CONTROL_RANGES[lane.split(":")[0]]
    points: list[list[float]] = []
    for (x, y, *bends), (next_x, next_y, *_) in pairwise(module.points):
        inside = np.linspace(0.0, 1.0, _BETWEEN)[1:-1] if bends and bends[0] else ()
        between = [[x + (next_x - x) * t, y + (next_y - y) * bend(t, bends[0])] for t in inside]
        points += [[x, y], *between, [next_x, next_y]]
    points = points or [module.points[0][:2]]
    unit = phrase.tempo.seconds(module.time) / phrase.beat_s
    lane_points = [[max(float(x), 0.0) * unit, float(y)] for x, y in points]
    outside = [y for _, y in lane_points if not low <= y <= high]
    if outside:
        raise Problem(f"the curve {curve}", f"{outside[0]:g}", f"within {low:g} to {high:g}, as far as {lane} goes")
    others = {name: record for name, record in phrase.simplified.items() if name != lane}
    thin = thinned_to(lane_points, MAX_POINTS).points
    return check_phrase({**phrase.document(), "controls": {**phrase.controls, lane: thin}, "simplified": others})
