"""Constants of the core that the browser goes by: ``python -m scripts.facts > ui/src/api/facts.gen.ts``."""

import json
from typing import Final

from jorvik.core.limits import COARSE_RATE, DEFAULT_RATE, DRAFT_RATE
from jorvik.core.units.velocities import VELOCITIES

_FACTS: Final[dict[str, tuple[str, object]]] = {
    "VELOCITIES": (
        "The velocities at which a patch is compared.",
        [{"name": name, "velocity": velocity} for name, velocity in VELOCITIES.items()],
    ),
    "FULL_RATE": ("Samples a second of a sheet, a judgement and a sound.", DEFAULT_RATE),
    "DRAFT_RATE": ("Samples a second of a sheet while something is dragged.", DRAFT_RATE),
    "COARSE_RATE": ("Samples a second of the voices behind the strong one.", COARSE_RATE),
}


def facts() -> str:
    """Return the constants as a TypeScript module."""
    head = "/** Written by `scripts/types` from the core; a test keeps it current. */\n"
    return head + "".join(
        f"\n/** {said} */\nexport const {name} = {json.dumps(value, default=float)} as const;\n"
        for name, (said, value) in _FACTS.items()
    )


if __name__ == "__main__":
    print(facts(), end="")
