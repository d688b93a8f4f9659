"""A route typed as a sentence: ``swell raises cutoff 22 st, scaled by velocity``."""

import re
from collections.abc import Iterable
from difflib import get_close_matches
from typing import Any, Final

from jorvik.core.document.destinations import VOICE, Destination, of_parameter
from jorvik.core.document.patch import Patch
from jorvik.core.helpers.routes import with_new_route
from jorvik.core.modules.base import field_title
from jorvik.core.problems import Problem
from jorvik.core.signals import PERFORMANCE_SIGNALS, hit_of
from jorvik.core.units.values import parse_value

VERBS: Final = {
    "raises": ("add", 1.0),
    "lowers": ("add", -1.0),
    "moves": ("add", 1.0),
    "scales": ("scale", 1.0),
    "sets": ("range", 1.0),
}
_ALSO: Final = {
    **dict.fromkeys(("opens", "increases"), "raises"),
    **dict.fromkeys(("closes", "decreases", "reduces"), "lowers"),
    **dict.fromkeys(("modulates", "controls", "to"), "moves"),
}
"""Other verbs, and the one that each is read as."""
_ALSO_CALLED: Final = {word: name for name, at in VOICE.items() for word in at.also_called}
"""Other names of destinations."""
EXAMPLE: Final = "swell raises cutoff 22 st, scaled by velocity"
_VERB: Final = "|".join([*VERBS, *_ALSO])
_SENTENCE: Final = re.compile(
    rf"^(?P<source>.+?)\s+(?P<verb>{_VERB})\s+(?P<rest>.+?)"
    r"(?:,?\s+(?:scaled by|via|x|×)\s+(?P<via>[^,]+?))?"
    r"(?:,\s+(?P<left>none of it|\S+(?:\s\S+)?)\s+at full\s+(?P<by>.+?))?\s*\.?$",
    re.IGNORECASE,
)
_SCALED: Final = re.compile(r"^scales\s+(?P<route>.+?)\s+by\s+(?P<source>.+?)\s*\.?$", re.IGNORECASE)
"""The same the other way round: ``scales vib by velocity``."""
_HERTZ: Final = re.compile(r"\dk?\s*k?hz\b", re.IGNORECASE)
_BARE: Final = re.compile(r"^[+\-−]?[\d.]+$")
_AMOUNT_OF: Final = "the amount of "
_RANGE: Final = re.compile(r"^(?:from\s+)?(?P<low>.+?)\s+to\s+(?P<high>.+)$", re.IGNORECASE)
_FILLING: Final = re.compile(r"^(?:by\s+)?(?:up to|down to|up|down|by|±)?\s*", re.IGNORECASE)
"""What may stand before how far without saying anything of it."""


def route_from(patch: Patch, text: str, *, as_second: bool = False) -> tuple[Patch, str]:
    """Return a patch with the route that a sentence says, and the route's id.

    A route that the patch has from this source to this destination is changed; ``as_second`` adds another one.
    What the sheet itself writes is understood: ``shake moves the pitch ±30 cents, none of it at full velocity``.

    Raises Problem that says which part was not understood, and what would do.
    """
    plain = " ".join(text.split())
    if (scaled := _SCALED.match(plain)) is not None:
        plain = f"{scaled['source']} scales {scaled['route']}"
    match = _SENTENCE.match(plain)
    if match is None:
        raise Problem("the sentence", f'"{text[:60]}"', f"who, {' or '.join(VERBS)}, what and how far, as: {EXAMPLE}")
    verb = match["verb"].lower()
    is_open = verb in ("controls", "modulates", "to")
    verb = _ALSO.get(verb, verb)
    source = _signal(patch, match["source"])
    destination, rest = _destination(patch, match["rest"], any_route=verb == "scales")
    mode, sign = VERBS[verb]
    at = patch.destination(destination)
    assert at is not None
    if is_open and not rest:
        fields: dict[str, Any] = {"mode": at.first_mode, "amount": at.first_amount}
    else:
        fields = _how_far(patch, at, mode, sign, rest)
    if match["via"] is not None:
        fields["via"] = _signal(patch, match["via"])
    document, name = _with_route(patch, {"source": source, "destination": destination, **fields}, as_second)
    if match["by"] is not None:
        document = _left_over(patch.with_document(document), name, match["left"], _signal(patch, match["by"]))
    return patch.with_document(document), name


def _with_route(patch: Patch, fields: dict[str, Any], as_second: bool = False) -> tuple[dict[str, Any], str]:
    """Return a document with a route added or changed, and the route's id.

    The one that is there is changed and keeps what was not said of it, as what scales it.
    """
    document = patch.document()
    there = [
        route
        for route in patch.routes
        if (route.source, route.destination) == (fields["source"], fields["destination"])
    ]
    if as_second or not there:
        return with_new_route(document, fields)
    name = min(there, key=lambda route: route.mode != fields.get("mode", "add")).id
    replaced = ("amount", "amount_unit", "mode", "low", "high", "enabled")
    for route in document["routes"]:
        if route["id"] == name:
            kept = {key: value for key, value in route.items() if key not in replaced}
            route.clear()
            route.update({**kept, **{key: value for key, value in fields.items() if (key, value) != ("mode", "add")}})
    return document, name


def _how_far(patch: Patch, at: Destination, mode: str, sign: float, rest: str) -> dict[str, Any]:
    """Return mode and amount, or the range, of what follows the destination in a sentence."""
    ends = _RANGE.match(rest)
    if mode == "range" or (ends is not None and rest.lower().startswith("from ")):
        tempo = patch.performance.tempo
        if ends is None and rest.lower().startswith("to "):
            # Only where it goes to: it comes from where it stands.
            end = parse_value(rest[3:], at.unit, "the high end", low=at.low, high=at.high, tempo=tempo)
            return {"mode": "range", "low": patch.base(at), "high": end.value}
        if ends is None:
            raise Problem("the range", f'"{rest}"' if rest else "nothing", "said as: sets cutoff from 200 Hz to 2 kHz")
        # Of "10 to 42 %" the unit is that of both.
        suffix = re.search(r"[^\d.]*$", ends["high"])
        typed = {"low": ends["low"] + (suffix[0] if suffix and _BARE.match(ends["low"]) else ""), "high": ends["high"]}
        both = {
            name: parse_value(typed[name], at.unit, f"the {name} end", low=at.low, high=at.high, tempo=tempo).value
            for name in ("low", "high")
        }
        return {"mode": "range", **both}
    words = re.sub(r"\s+(both ways|either way)$", "", _FILLING.sub("", rest)) or ("100%" if mode == "scale" else "")
    unit = "ratio" if mode == "scale" else at.amount_unit
    more: dict[str, Any] = {}
    if mode == "add" and at.takes_hertz and _HERTZ.search(words):
        unit = more["amount_unit"] = "Hz"
    amount = sign * float(parse_value(words, unit, "how far", note_values=False).value)
    return {"mode": mode, "amount": amount, **more}


def _left_over(patch: Patch, name: str, left: str, by: str) -> dict[str, Any]:
    """Return a document in which what is left of a route's amount, where a signal is at its full, is as it was said."""
    route = patch.routes_by_id[name]
    amount = patch.destination(f"route:{name}.amount")
    if amount is None or route.mode != "add":
        raise Problem(
            "the end of the sentence", f'"{left} at full {by}"', "said of a route that raises, lowers or moves"
        )
    wanted = 0.0
    if left.lower() != "none of it":
        wanted = float(parse_value(left, amount.unit, f"what is left at full {by}", note_values=False).value)
    moving = {"source": by, "destination": amount.name, "amount": wanted - route.amount}
    return _with_route(patch, moving)[0]


def _signal(patch: Patch, said: str) -> str:
    """Return the signal that a name means, whatever its case and its blanks."""
    wanted = said.strip().strip('"').lower().replace("_", " ")
    names = {name.lower().replace("_", " "): name for name in [*PERFORMANCE_SIGNALS, *patch.modules_by_id]}
    joined = {name.replace(" ", ""): signal for name, signal in names.items()}
    found = names.get(wanted) or names.get(wanted.removeprefix("the ")) or joined.get(wanted)
    if found is None and hit_of(said.strip()) is not None:
        return said.strip()
    if found is None:
        known = ", ".join(name.replace("_", " ") for name in [*patch.modules_by_id, *PERFORMANCE_SIGNALS])
        raise Problem("the source", f'"{said}"', f"{_perhaps(wanted, names)}one of {known}")
    return found


def _perhaps(said: str, known: Iterable[str]) -> str:
    """Return what a name could have been meant for, as the beginning of what would do."""
    near = get_close_matches(said, list(known), n=1, cutoff=0.7)
    return f"{near[0]}, if that was meant; or " if near else ""


def _destination(patch: Patch, rest: str, any_route: bool = False) -> tuple[str, str]:
    """Return the destination that a sentence goes on with, and what follows it. The longest name that fits is meant.

    With ``any_route`` the name of a route alone means its amount.
    """
    names = {at.title.lower(): name for name, at in VOICE.items()}
    names |= {name.replace("_", " "): name for name in VOICE} | _ALSO_CALLED
    for module in patch.modules:
        for field in type(module).model_fields:
            if of_parameter(module, field):
                plain = field_title(field)
                names[f"{module.id.lower()} {plain}"] = names[f"{module.id.lower()}'s {plain}"] = f"{module.id}.{field}"
    for route in patch.routes:
        at = patch.destination(route.destination)
        title = at.title.lower() if at else route.destination
        for said in (route.id.lower(), f"{route.source.lower()} on {title}"):
            names[f"{_AMOUNT_OF}{said}"] = f"route:{route.id}.amount"
            if any_route:
                names.setdefault(said, f"route:{route.id}.amount")
        if any_route and sum(other.source == route.source for other in patch.routes) == 1:
            # Where a source moves one thing only, it is the way to say how far it does.
            names.setdefault(route.source.lower(), f"route:{route.id}.amount")
    if rest.lower().startswith("the ") and not rest.lower().startswith(_AMOUNT_OF):
        rest = rest[4:]
    lower = rest.lower()
    fitting = [name for name in names if lower == name or lower.startswith((f"{name} ", f"{name},"))]
    if not fitting:
        raise Problem("the destination", f'"{rest[:60]}"', _wanted(names, lower))
    found = max(fitting, key=len)
    return names[found], rest[len(found) :].strip(" ,")


def _wanted(names: dict[str, str], said: str) -> str:
    """Return what would do for a destination: the amounts that there are where one was meant, else everything."""
    amounts = [name for name in names if name.startswith(_AMOUNT_OF) and " on " in name]
    if said.startswith(_AMOUNT_OF):
        if amounts:
            return f"the amount of a route that stands in the patch: {', '.join(amounts)}"
        return "the amount of a route that stands in the patch, and there is none yet: say first what moves what"
    words = said.split()
    near = next((p for n in (3, 2, 1) if (p := _perhaps(" ".join(words[:n]), names))), "")
    more = f", or {amounts[0]}" if amounts else ""
    return f'{near}a destination such as cutoff or pitch ("+ show a stave" lists them all), or swell attack{more}'
