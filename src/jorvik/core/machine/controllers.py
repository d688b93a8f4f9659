"""What a machine's controllers would have to send, for the patch to be played on it as it is here."""

from collections.abc import Mapping
from typing import Final

import numpy as np

from jorvik.core.document.card import MachineCard, target_of
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.trace import trace
from jorvik.core.limits import MIN_RATE
from jorvik.core.machine.law import figure_for
from jorvik.core.machine.on_card import on_card
from jorvik.core.problems import Problem

LANE_RATE: Final = MIN_RATE
"""How often a second a controller is looked at."""


def controllers(patch: Patch, card: MachineCard, assigned: Mapping[str, str] | None = None) -> dict[int, Floats]:
    """Return by controller where it stands at each moment, 0 to 1 of its scale, :data:`LANE_RATE` times a second.

    A macro that is given to a source with a controller is sent as that; a destination whose knob has one is sent as
    far as nothing of the machine's own moves it. Of a poly patch they are those of its first voice. Raises Problem
    where the card has no controller for anything that the patch moves.
    """
    given = on_card(patch, card, assigned).assigned
    sources = card.sources_by_name
    made = trace(patch, LANE_RATE)
    found: dict[int, Floats] = {}
    for module, source in given.items():
        number = sources[source].controller
        if number is not None and module in made.signals:
            found[number] = np.clip(made.signals[module], 0.0, 1.0)
    for control in card.controls:
        what, _, name = target_of(control)
        if what != "base" or control.controller is None or name not in made.lanes:
            continue
        lane = made.lanes[name]
        if any(route.source in given for route in lane.lane.routes):
            continue
        values, places = np.unique(lane.value, return_inverse=True)
        figures = np.array([figure_for(control, float(value)) for value in values])
        found[control.controller] = ((figures - control.low) / (control.high - control.low))[places]
    if not found:
        raise Problem(
            "the card", "no controller for anything that this patch moves", "one that has a controller for some of it"
        )
    return found
