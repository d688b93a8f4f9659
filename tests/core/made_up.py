"""What patches made up at random have in common."""

from collections.abc import Container, Mapping
from typing import Any

from hypothesis import strategies as st

from jorvik.core.modules import KINDS
from tests.support import Json


@st.composite
def fields(
    draw: st.DrawFn,
    kind: str,
    numbers: Mapping[str, st.SearchStrategy[Any]],
    signals: st.SearchStrategy[Any],
    left_out: Container[object],
) -> Json:
    """A module's numbers by their unit, or as they usually are; its inputs; its choices, some of them left out."""
    made: Json = {}
    for name, field in KINDS[kind].model_fields.items():
        facts = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
        if facts.get("role") == "number" and draw(st.booleans()):
            value = draw(numbers[str(facts["unit"])])
            made[name] = min(max(value, float(str(facts["minimum"]))), float(str(facts["maximum"])))
        elif facts.get("role") == "signal":
            made[name] = draw(signals)
        elif facts.get("role") == "choice" and name not in left_out:
            choices = [c for c in KINDS[kind].choices(name) if isinstance(c, str | bool) and c not in left_out]
            if choices:
                made[name] = draw(st.sampled_from(choices))
    return made
