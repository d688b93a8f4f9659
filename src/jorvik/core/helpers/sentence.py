"""A route typed as a sentence: ``swell raises cutoff 22 st, scaled by velocity``."""

import re
from typing import Any, Final

from jorvik.core.document.destinations import VOICE, of_parameter
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.helpers.routes import with_new_route
from jorvik.core.problems import Problem
from jorvik.core.signals import PERFORMANCE_SIGNALS
from jorvik.core.units.values import parse_value

VERBS: Final = {
    "raises": ("add", 1.0),
    "lowers": ("add", -1.0),
    "moves": ("add", 1.0),
    "scales": ("scale", 1.0),
    "sets": ("range", 1.0),
}
EXAMPLE: Final = "swell raises cutoff 22 st, scaled by velocity"
_SENTENCE: Final = re.compile(
    rf"^(?P<source>.+?)\s+(?P<verb>{'|'.join(VERBS)})\s+(?P<rest>.+?)(?:,?\s+(?:scaled by|via|x|×)\s+(?P<via>.+?))?\s*\.?$",
    re.IGNORECASE,
)
_HERTZ: Final = re.compile(r"\dk?\s*k?hz\b", re.IGNORECASE)
_AMOUNT_OF: Final = "the amount of "
_RANGE: Final = re.compile(r"^from\s+(?P<low>.+?)\s+to\s+(?P<high>.+)$", re.IGNORECASE)


def route_from(patch: Patch, text: str) -> tuple[Patch, str]:
    """Return a patch with the route that a sentence says, and the route's id.

    Raises Problem that says which part was not understood, and what would do.
    """
    match = _SENTENCE.match(" ".join(text.split()))
    if match is None:
        raise Problem("the sentence", f'"{text[:60]}"', f"who, {' or '.join(VERBS)}, what and how far, as: {EXAMPLE}")
    source = _signal(patch, match["source"])
    via = _signal(patch, match["via"]) if match["via"] else None
    destination, rest = _destination(patch, match["rest"])
    mode, sign = VERBS[match["verb"].lower()]
    at = patch.destination(destination)
    assert at is not None
    fields: dict[str, Any] = {"mode": mode}
    if mode == "range":
        ends = _RANGE.match(rest)
        if ends is None:
            raise Problem("the range", f'"{rest}"' if rest else "nothing", "said as: sets cutoff from 200 Hz to 2 kHz")
        tempo = patch.performance.tempo
        for name in ("low", "high"):
            said = parse_value(ends[name], at.unit, f"the {name} end", low=at.low, high=at.high, tempo=tempo)
            fields[name] = said.value
    else:
        unit = "ratio" if mode == "scale" else at.amount_unit
        words = re.sub(r"^(by|up|down|±)\s+", "", rest) or ("100%" if mode == "scale" else "")
        both = re.sub(r"\s+(both ways|either way)$", "", words)
        if mode == "add" and at.takes_hertz and _HERTZ.search(both):
            unit = fields["amount_unit"] = "Hz"
        fields["amount"] = sign * float(parse_value(both, unit, "how far", note_values=False).value)
    if via is not None:
        fields["via"] = via
    document, name = with_new_route(patch.document(), {"source": source, "destination": destination, **fields})
    return check_patch(document), name


def _signal(patch: Patch, said: str) -> str:
    """Return the signal that a name means, whatever its case and its blanks."""
    wanted = said.strip().strip('"').lower().replace("_", " ")
    names = [*patch.modules_by_id, *PERFORMANCE_SIGNALS]
    for name in names:
        if name.lower().replace("_", " ") == wanted:
            return name
    raise Problem("the source", f'"{said}"', f"one of {', '.join(n.replace('_', ' ') for n in names)}")


def _destination(patch: Patch, rest: str) -> tuple[str, str]:
    """Return the destination that a sentence goes on with, and what follows it. The longest name that fits is meant."""
    names = {at.title.lower(): name for name, at in VOICE.items()}
    names |= {name.replace("_", " "): name for name in VOICE}
    for module in patch.modules:
        for field in type(module).model_fields:
            if of_parameter(module, field):
                plain = field.removesuffix("_s").removesuffix("_hz").replace("_", " ")
                names[f"{module.id.lower()} {plain}"] = names[f"{module.id.lower()}'s {plain}"] = f"{module.id}.{field}"
    for route in patch.routes:
        at = patch.destination(route.destination)
        title = at.title.lower() if at else route.destination
        for said in (route.id.lower(), f"{route.source.lower()} on {title}"):
            names[f"{_AMOUNT_OF}{said}"] = f"route:{route.id}.amount"
    lower = rest.lower()
    fitting = [name for name in names if lower == name or lower.startswith(f"{name} ")]
    if not fitting:
        raise Problem("the destination", f'"{rest[:60]}"', _wanted(names, lower))
    found = max(fitting, key=len)
    return names[found], rest[len(found) :].strip()


def _wanted(names: dict[str, str], said: str) -> str:
    """Return what would do for a destination: the amounts that there are where one was meant, else everything."""
    amounts = [name for name in names if name.startswith(_AMOUNT_OF) and " on " in name]
    if said.startswith(_AMOUNT_OF):
        if amounts:
            return f"the amount of a route that stands in the patch: {', '.join(amounts)}"
        return "the amount of a route that stands in the patch, and there is none yet: say first what moves what"
    known = ", ".join(at.title.lower() for at in VOICE.values())
    more = f", or {amounts[0]}" if amounts else ""
    return f"one of {known}, or a source's own, as: swell attack{more}"
