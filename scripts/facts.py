"""Constants of the core that the browser goes by: ``python -m scripts.facts > ui/src/api/facts.gen.ts``."""

import json
from typing import Final

from jorvik.bank.works import WORK_NAMES, work_facts
from jorvik.core.limits import DEFAULT_RATE, DRAFT_RATE
from jorvik.core.units.velocities import VELOCITIES
from jorvik.store.kinds import KINDS

_TYPED_NOTES: Final = {"key": "keys", "velocity": "velocities", "length_s": "lengths", "seed": "seeds"}
"""What the notes of a batch work are typed as, by the axis."""


def _work(name: str) -> dict[str, object]:
    facts = work_facts(name)
    notes = [typed for axis, typed in _TYPED_NOTES.items() if axis in facts.axes]
    said = {"name": name, "title": facts.title, "says": facts.says, "notes": notes, "options": facts.options}
    return {**said, "isSampleSet": facts.is_sample_set, "hasGain": facts.has_gain, "requires": list(facts.requires)}


_FACTS: Final[dict[str, tuple[str, object]]] = {
    "VELOCITIES": (
        "The velocities at which a patch is compared.",
        [{"name": name, "velocity": velocity} for name, velocity in VELOCITIES.items()],
    ),
    "FULL_RATE": ("Samples a second of a sheet, a judgement and a sound.", DEFAULT_RATE),
    "DRAFT_RATE": ("Samples a second of a sheet while something is dragged.", DRAFT_RATE),
    "WORKS": ("Kinds of batch work.", [_work(one) for one in sorted(WORK_NAMES, key=lambda n: work_facts(n).order)]),
    "DOCUMENTS": (
        "Kinds of stored document that the library lists.",
        [{"name": kind.name, "plural": kind.plural, "title": kind.title} for kind in KINDS if kind.is_listed],
    ),
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
