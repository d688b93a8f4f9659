"""How two patches differ, in the sentences of the sheet."""

from collections.abc import Iterator

from jorvik.core.changes.fields import (
    LABELS,
    Change,
    change_text,
    field_changes,
    label_changes,
    lane_changes,
    matched,
)
from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, Route
from jorvik.core.modules.base import Module
from jorvik.core.units.words import in_words, note_name


def patch_changes(before: Patch, after: Patch) -> Iterator[Change]:
    """Yield how a patch differs from what it was before: what is heard first, then what it is called and tested by."""
    yield from _set_values(before, after)
    yield from _modules(before, after)
    yield from _routes(before, after)
    yield from field_changes(before.voice, after.voice, "patch", leave=("base",))
    yield from _useful(before, after)
    yield from _set_aside(before, after)
    yield from label_changes(before, after)
    yield from _performance(before, after)
    # What is added to patches later is told as well, though not in words of its own.
    told = (*LABELS, "performance", "voice", "modules", "routes", "set_aside", "useful_ranges")
    yield from field_changes(before, after, "patch", leave=told)


def _set_values(before: Patch, after: Patch) -> Iterator[Change]:
    for name, at in VOICE.items():
        old, new = before.base(at), after.base(at)
        if old != new:
            yield Change(name, f"{at.title.lower()} set at {in_words(new, at.unit)}, was {in_words(old, at.unit)}")


def _modules(before: Patch, after: Patch) -> Iterator[Change]:
    gone, come, both = matched(before.modules, after.modules, lambda module: module.id)
    for old in list(gone):
        # The same under another name is a renaming.
        renamed = next((new for new in come if _alike(old, new)), None)
        if renamed is not None:
            gone.remove(old)
            come.remove(renamed)
            yield Change(f"module:{renamed.id}", f"{old.id} renamed to {renamed.id}")
    for old in gone:
        yield Change("patch", f"{old.id} taken out")
    for new in come:
        yield Change(f"module:{new.id}", f"{new.id} added: {_article(new.title.lower())}")
    for old, new in both:
        about = f"module:{new.id}"
        if type(old) is not type(new):
            yield Change(about, f"{new.id} is {_article(new.title.lower())}, was {_article(old.title.lower())}")
        else:
            yield from field_changes(old, new, about, new.id, leave=("id", "kind"))


def _alike(old: Module, new: Module) -> bool:
    return old.model_copy(update={"id": new.id}) == new


def _article(title: str) -> str:
    return f"an {title}" if title[:1] in "aeiou" or title == "lfo" else f"a {title}"


def _routes(before: Patch, after: Patch) -> Iterator[Change]:
    gone, come, both = matched(before.routes, after.routes, lambda route: route.id)
    for old in gone:
        yield Change("patch", f"{_named(old.source)} no longer {_verb(before, old)} {_title(before, old)}")
    for new in come:
        yield Change(f"route:{new.id}", f"{route_sentence(after, new)} now")
    for old, new in both:
        yield from _route(before, after, old, new)


def _route(before: Patch, after: Patch, old: Route, new: Route) -> Iterator[Change]:
    about = f"route:{new.id}"
    if old.enabled != new.enabled:
        yield Change(about, f"{route_sentence(after, new)}: {'heard again' if new.enabled else 'muted'}")
    if (old.source, old.destination, old.mode) != (new.source, new.destination, new.mode):
        yield Change(about, f"{route_sentence(after, new)}; before, {route_sentence(before, old)}")
        return
    if _reach(before, old) != _reach(after, new):
        yield Change(about, f"{route_sentence(after, new)}, was {_reach(before, old)}")
    said = ("id", "enabled", "amount", "amount_unit", "low", "high")
    yield from field_changes(old, new, about, f"{_named(new.source)} on {_title(after, new)}", leave=said)


def route_sentence(patch: Patch, route: Route) -> str:
    """Return a route as a sentence, as the sheet says it.

    >>> from jorvik.core.document.patch import check_patch
    >>> routes = [{"id": "r", "source": "velocity", "destination": "cutoff", "amount": 44.0}]
    >>> patch = check_patch({"format": "jorvik-patch", "version": 1, "routes": routes})
    >>> route_sentence(patch, patch.routes[0])
    'velocity raises cutoff 44 st'
    """
    via = f", scaled by {_named(route.via)}" if route.via else ""
    return f"{_named(route.source)} {_verb(patch, route)} {_title(patch, route)} {_reach(patch, route)}{via}"


def _verb(patch: Patch, route: Route) -> str:
    if route.mode == "scale":
        return "scales"
    if route.mode == "range":
        return "sets"
    return "moves" if _swings(patch, route) else "raises" if route.amount >= 0.0 else "lowers"


def _reach(patch: Patch, route: Route) -> str:
    at = patch.destination(route.destination)
    if route.mode == "range":
        unit = at.unit if at else ""
        return f"from {in_words(route.low or 0.0, unit)} to {in_words(route.high or 0.0, unit)}"
    if route.mode == "scale":
        return in_words(route.amount, "ratio")
    unit = "Hz" if route.in_hertz else at.amount_unit if at else ""
    swing = "" if not _swings(patch, route) else "±" if route.amount >= 0.0 else "∓"
    return f"{swing}{in_words(abs(route.amount), unit)}"


def _swings(patch: Patch, route: Route) -> bool:
    """Tell whether a source goes to both sides of 0, so that it neither raises nor lowers."""
    if route.polarity != "as_is":
        return route.polarity == "bipolar"
    return patch.swings(route.source)


def _title(patch: Patch, route: Route) -> str:
    at = patch.destination(route.destination)
    if at is None:
        return route.destination
    return f"the {at.title}" if route.destination.startswith("route:") else at.title.lower()


def _named(signal: str | None) -> str:
    return (signal or "").replace("_", " ")


def _useful(before: Patch, after: Patch) -> Iterator[Change]:
    for name in dict.fromkeys([*before.useful_ranges, *after.useful_ranges]):
        old, new = before.useful_ranges.get(name), after.useful_ranges.get(name)
        if old == new:
            continue
        at = (after if new else before).destination(name)
        title = at.title.lower() if at else name.removeprefix("macro:")
        unit = at.unit if at else "ratio"
        if new is None:
            yield Change(name, f"useful range of {title} taken out")
        else:
            was = f", was {in_words(old.low, unit)} to {in_words(old.high, unit)}" if old else ""
            ends = f"{in_words(new.low, unit)} to {in_words(new.high, unit)}"
            yield Change(name, f"{title} kept as useful {ends}{was}")


def _set_aside(before: Patch, after: Patch) -> Iterator[Change]:
    gone, come, both = matched(before.set_aside, after.set_aside, lambda aside: aside.finding)
    for old in gone:
        yield Change("patch", f"{_rule(old.finding)} no longer set aside")
    for new in come:
        yield Change("patch", f"{_rule(new.finding)} set aside" + (f": {new.reason}" if new.reason else ""))
    for old, new in both:
        if old != new:
            yield Change("patch", f"{_rule(new.finding)} set aside for another reason: {new.reason or 'none'}")


def _rule(finding: str) -> str:
    rule, _, about = finding.partition(":")
    what = about.strip().removeprefix("signal.").removeprefix("route.").replace("_", " ")
    return f"{rule.replace('_', ' ')} on {what}" if what else rule.replace("_", " ")


def _performance(before: Patch, after: Patch) -> Iterator[Change]:
    old, new = before.performance.test, after.performance.test
    if old.notes != new.notes:
        if len(old.notes) == len(new.notes) == 1:
            one, other = old.notes[0], new.notes[0]
            if one.key != other.key:
                yield Change("patch", change_text("test note", note_name(one.key), note_name(other.key)))
            yield from field_changes(one, other, "patch", "test note", leave=("key",))
        else:
            yield Change("patch", change_text("test notes", old.notes, new.notes))
    yield from lane_changes(old.controls, new.controls)
    yield from field_changes(old, new, "patch", leave=("notes", "controls"))
