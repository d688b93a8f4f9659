"""How near an answer has to be: a just-noticeable difference, and the distance from what is right in such."""

import math
from typing import Annotated

from pydantic import Field

from jorvik.core.modules.base import Strict
from jorvik.core.units.noticed import LEVEL_DB, MOVED_CUTOFF_ST, PITCH_ST, RATE_SHARE, TIME_SHARE

NEARLY = 3.0
"""So many differences off are nearly right; from one on it is not right any more."""


TURN_S = 0.02
"""What comes this far from its moment is heard as at it: 20 ms (Friberg and Sundberg, JASA 98, 1995, at 100 bpm)."""


class Tolerance(Strict):
    """A difference that is not noticed: a share of the value, or so much of its own unit, whichever is more."""

    share: Annotated[float, Field(ge=0)] = 0.0
    least: Annotated[float, Field(ge=0)] = 0.0

    def distance(self, given: float, wanted: float) -> float:
        """Return how far a value is from the one that is right, in differences that are just noticed."""
        if not math.isfinite(given):
            return math.inf
        one = max(self.share * abs(wanted), self.least, 1e-9)
        return abs(given - wanted) / one

    def off_by(self, wanted: float, distance: float) -> float:
        """Return the value that is so many differences over the right one."""
        return wanted + distance * max(self.share * abs(wanted), self.least, 1e-9)


TIME = Tolerance(share=TIME_SHARE, least=0.003)
RATE = Tolerance(share=RATE_SHARE)
PITCH = Tolerance(share=0.02, least=PITCH_ST)
CUTOFF = Tolerance(share=2.0 ** (MOVED_CUTOFF_ST / 12.0) - 1.0)
"""Of a cutoff read off a curve in hertz: half a semitone, five times what is noticed side by side."""
LEVEL = Tolerance(least=LEVEL_DB)
EXACT = Tolerance(share=0.005)
"""Of what is worked out."""
EASED = 2.0
"""What is heard and not seen may be so much further off."""


def eased(tolerance: Tolerance) -> Tolerance:
    """Return the tolerance for what is remembered instead of compared."""
    return Tolerance(share=EASED * tolerance.share, least=EASED * tolerance.least)
