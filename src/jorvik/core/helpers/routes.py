"""Changes to routes that keep the curve where it was."""

import itertools
import re
from typing import Any

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, Polarity, Route
from jorvik.core.problems import Problem, shown

Document = dict[str, Any]


def route_of(patch: Patch, name: str) -> Route:
    """Return a route by its id.

    Raises Problem when there is none.
    """
    found = patch.routes_by_id.get(name)
    if found is None:
        raise Problem("route", shown(name), "the id of a route of this patch")
    return found


def with_route(document: Document, name: str, fields: Document) -> Document:
    """Return a document with fields of a route changed; a field of None is left out."""
    routes = []
    for route in document.get("routes", []):
        changed = {**route, **fields} if route["id"] == name else route
        routes.append({k: v for k, v in changed.items() if v is not None})
    return {**document, "routes": routes}


def with_new_route(document: Document, fields: Document) -> tuple[Document, str]:
    """Return a document with a route added under a free name that tells what it is, and the name."""
    taken = {route["id"] for route in document.get("routes", [])}
    stem = f"{fields['source']} to {re.sub('[.:]', ' ', fields['destination'])}"[:60]
    name = next(free for n in itertools.count(1) if (free := stem if n == 1 else f"{stem} {n}") not in taken)
    return {**document, "routes": [*document.get("routes", []), {"id": name, **fields}]}, name


def with_base(document: Document, name: str, value: float) -> Document:
    """Return a document with the set value of a voice destination changed."""
    voice = document.get("voice", {})
    return {**document, "voice": {**voice, "base": {**voice.get("base", {}), name: value}}}


def with_polarity(patch: Patch, name: str, polarity: Polarity, keep: bool = True) -> Patch:
    """Return a patch with a route's polarity changed, its curve kept where it was or its figures as they were typed.

    An adding route gives a x s. With u = (s + 1) / 2 that is 2a x u - a, and with b = 2s - 1 it is a/2 x b + a/2: the
    amount changes by a factor, and what is left over goes into the base.

    Raises Problem where the base is none of the voice's or would leave its range.
    """
    route = route_of(patch, name)
    if not keep or not route.adds or route.bend != 0.0 or route.via is not None or route.polarity == polarity:
        return patch.with_document(with_route(patch.document(), name, {"polarity": polarity}))
    # From what the route has to the source as it is, then on to what is wanted: each as (factor, left over).
    to_plain = {"as_is": (1.0, 0.0), "unipolar": (0.5, 0.5), "bipolar": (2.0, -1.0)}[route.polarity]
    from_plain = {"as_is": (1.0, 0.0), "unipolar": (2.0, -1.0), "bipolar": (0.5, 0.5)}[polarity]
    plain = route.amount * to_plain[0]
    amount = plain * from_plain[0]
    over = route.amount * to_plain[1] + plain * from_plain[1]
    document = with_route(patch.document(), name, {"polarity": polarity, "amount": amount})
    if abs(over) > 1e-12:
        at = VOICE.get(route.destination)
        if at is None:
            raise Problem(
                "polarity", shown(route.destination), "a destination of the voice, whose set value can follow"
            )
        base = at.moved(patch.base(at), over)
        if not at.low <= base <= at.high:
            wanted = f"within {at.low:g} to {at.high:g}; change it as typed instead"
            raise Problem(f"the set value of {at.title.lower()}", f"{base:.4g} {at.unit}", wanted)
        document = with_base(document, at.name, base)
    return patch.with_document(document)


def to_range(patch: Patch, name: str) -> Patch:
    """Return a patch in which an adding route takes the base over its own range instead, with the same result.

    With s from 0 to 1 the base goes from the set value to the set value moved by the amount.

    Raises Problem for a route that does not add, and where an end would leave the destination's range.
    """
    route = route_of(patch, name)
    at = patch.destination(route.destination)
    if not route.adds or at is None or route.destination.startswith("route:"):
        raise Problem("route", f"{route.mode} on {route.destination}", "an adding route")
    base = patch.base(at)
    high = at.moved(base, route.amount)
    for value in (base, high):
        if not at.low <= value <= at.high:
            raise Problem(at.title.lower(), f"{value:.4g} {at.unit} at an end", f"{at.low:g} to {at.high:g} {at.unit}")
    fields = {"mode": "range", "low": base, "high": high, "amount": None}
    return patch.with_document(with_route(patch.document(), name, fields))


def to_amount(patch: Patch, name: str) -> Patch:
    """Return a patch in which a range becomes a base and an amount, with the same result.

    Raises Problem for a route that has no range.
    """
    route = route_of(patch, name)
    at = patch.destination(route.destination)
    if route.mode != "range" or at is None or route.low is None or route.high is None:
        raise Problem("route", f"{route.mode} on {route.destination}", "a route over a range")
    amount = at.distance(route.low, route.high)
    document = with_route(patch.document(), name, {"mode": "add", "amount": amount, "low": None, "high": None})
    if at.name in VOICE:
        return patch.with_document(with_base(document, at.name, route.low))
    module, _, field = at.name.partition(".")
    modules = [{**m, field: route.low} if m["id"] == module else m for m in document["modules"]]
    return patch.with_document({**document, "modules": modules})


def to_hertz(patch: Patch, name: str) -> Patch:
    """Return a patch in which a route adds hertz: as far from the set value as its amount in octaves leads.

    Raises Problem for a destination that takes no hertz.
    """
    route = route_of(patch, name)
    at = patch.destination(route.destination)
    if at is None or not at.takes_hertz or not route.adds:
        raise Problem("route", f"{route.mode} on {route.destination}", "an adding route on a frequency of the voice")
    base = patch.base(at)
    amount = at.moved(base, route.amount) - base
    return patch.with_document(with_route(patch.document(), name, {"amount": amount, "amount_unit": "Hz"}))


def to_octaves(patch: Patch, name: str) -> Patch:
    """Return a patch in which a route that adds hertz moves in octaves: as far from the set value.

    Raises Problem where the hertz lead to 0 or under, which no octaves do.
    """
    route = route_of(patch, name)
    at = patch.destination(route.destination)
    if at is None or not route.in_hertz:
        raise Problem("route", f"{route.mode} on {route.destination}", "a route that adds hertz")
    base = patch.base(at)
    if base + route.amount <= 0.0:
        raise Problem("amount", f"{route.amount:g} Hz from {base:g} Hz", f"over {-base:g} Hz, to be said in octaves")
    fields = {"amount": at.distance(base, base + route.amount), "amount_unit": None}
    return patch.with_document(with_route(patch.document(), name, fields))
