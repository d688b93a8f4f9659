"""A patch made so many dB louder or softer, and nothing else of it changed."""

from typing import Final

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, edited
from jorvik.core.problems import Problem
from jorvik.core.units.levels import amplitude_of, decibels

_AT: Final = "amplitude"


def with_gain(patch: Patch, gain_db: float) -> Patch:
    """Return a patch that sounds as it does, so many dB louder: what sets and adds to its amplitude is scaled alike.

    What scales the amplitude stays, and so do filters, drive and folds, which stand before it, and effects, which are
    linear. Raises Problem where the amplitude would be more than full.

    >>> from jorvik.core.document.patch import check_patch
    >>> quiet = with_gain(check_patch({"format": "jorvik-patch", "version": 1}), -6.0)
    >>> round(quiet.voice.base["amplitude"], 4)
    0.5012
    """
    factor = amplitude_of(gain_db)
    onto = [route for route in patch.routes if route.destination == _AT and route.mode != "scale"]
    amounts = [f"route:{route.id}.amount" for route in onto if route.mode == "add"]
    onto += [route for route in patch.routes if route.destination in amounts and route.mode != "scale"]
    base = patch.base(VOICE[_AT]) * factor
    scaled = {
        route.id: {name: getattr(route, name) * factor for name in ("amount", "low", "high") if getattr(route, name)}
        for route in onto
    }
    ends = [fields["high"] for fields in scaled.values() if "high" in fields]
    if gain_db > 0.0 and max([base, *ends]) > VOICE[_AT].high:
        most = -decibels(max([patch.base(VOICE[_AT]), *(end / factor for end in ends)]))
        raise Problem("the gain", f"{gain_db:+.1f} dB", f"{most:+.1f} dB at most: its amplitude is full then")
    return edited(patch, base={_AT: base}, routes=scaled)
