"""How two models of one class differ, field by field, in words that come from what each field declares of itself."""

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final, TypeVar

from pydantic import BaseModel

from jorvik.core.modules.base import field_facts, field_title
from jorvik.core.units.words import in_words

LONGEST: Final = 60
"""Letters of a text that is said as it is; of a longer one only that it changed."""


@dataclass(frozen=True)
class Change:
    """One thing that changed."""

    about: str
    """What on the sheet it is about: a destination, ``module:<id>``, ``route:<id>``; empty for the document itself."""
    sentence: str


T = TypeVar("T")


def value_text(value: Any, unit: str = "") -> str:
    """Return a setting as it is read.

    >>> value_text(0.012, "s"), value_text("1/8d", "s"), value_text(True), value_text(None), value_text("square")
    ('12 ms', '1/8d', 'on', 'none', 'square')
    """
    if isinstance(value, bool):
        return "on" if value else "off"
    if value is None:
        return "none"
    if isinstance(value, int | float):
        return in_words(float(value), unit)
    return str(value).replace("_", " ")


def field_changes(
    before: BaseModel, after: BaseModel, about: str, of: str = "", leave: Collection[str] = ()
) -> Iterator[Change]:
    """Yield how two models of one class differ; what a document leaves out counts as its default.

    ``of`` stands before each sentence, as "lip" or "filter 2"; ``leave`` names fields that are told elsewhere.
    """
    for name, field in type(after).model_fields.items():
        old, new = getattr(before, name), getattr(after, name)
        if name in leave or old == new:
            continue
        title = f"{of} {field_title(name)}".strip()
        if isinstance(old, BaseModel) and isinstance(new, BaseModel) and type(old) is type(new):
            yield from field_changes(old, new, about, title)
        else:
            yield Change(about, change_text(title, old, new, str(field_facts(field).get("unit", ""))))


def change_text(title: str, old: Any, new: Any, unit: str = "") -> str:
    """Return how one setting differs.

    >>> change_text("lip attack", 0.012, 0.008, "s"), change_text("curve points", [1, 2], [1, 2, 3])
    ('lip attack 8 ms, was 12 ms', 'curve points changed: 3, 2 before')
    """
    sized = (list, tuple, dict)
    if isinstance(old, sized) and isinstance(new, sized):
        return f"{title} changed" + (f": {len(new)}, {len(old)} before" if len(old) != len(new) else "")
    if isinstance(old, (*sized, BaseModel)) or isinstance(new, (*sized, BaseModel)):
        return f"{title} {'added' if new is not None else 'taken out'}"
    was, now = value_text(old, unit), value_text(new, unit)
    return f"{title} {now}, was {was}" if max(len(was), len(now)) <= LONGEST and was and now else f"{title} changed"


def matched(
    before: Sequence[T], after: Sequence[T], key: Callable[[T], str]
) -> tuple[list[T], list[T], list[tuple[T, T]]]:
    """Return what is there no more, what is new, and what is there before and after, matched by its key."""
    old, new = {key(one): one for one in before}, {key(one): one for one in after}
    gone = [one for name, one in old.items() if name not in new]
    come = [one for name, one in new.items() if name not in old]
    return gone, come, [(one, new[name]) for name, one in old.items() if name in new]


def part_changes(
    before: Sequence[T],
    after: Sequence[T],
    key: Callable[[T], str],
    changed: Callable[[T, T], Iterator[Change]],
    added: Callable[[T], str] = lambda _: "",
) -> Iterator[Change]:
    """Yield which parts with names went and came, with what is said of one that came, and how the others changed."""
    gone, come, both = matched(before, after, key)
    yield from (Change("", f"{key(one)} taken out") for one in gone)
    yield from (Change("", f"{key(one)} added{added(one)}") for one in come)
    for old, new in both:
        yield from changed(old, new)


def counted(count: int, noun: str) -> str:
    """Return a number of things.

    >>> counted(1, "stroke"), counted(2, "stroke of thud")
    ('1 stroke', '2 strokes of thud')
    """
    head, of, tail = noun.partition(" of ")
    return f"{count} {head}{'' if count == 1 else 's'}{of}{tail}"


def label_changes(before: Any, after: Any) -> Iterator[Change]:
    """Yield how name, notes and tags differ, which every kind of document has."""
    if before.name != after.name:
        yield Change("", f"named {after.name}, was {before.name}")
    if before.notes != after.notes:
        yield Change("", "notes changed" if after.notes else "notes taken out")
    for tag in sorted({*before.tags, *after.tags}):
        if (tag in before.tags) != (tag in after.tags):
            yield Change("", f"tagged {tag}" if tag in after.tags else f"no longer tagged {tag}")


LABELS: Final = ("format", "version", "name", "notes", "tags")
"""Fields that :func:`label_changes` tells."""


def lane_changes(before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterator[Change]:
    """Yield how played lanes differ."""
    for name in dict.fromkeys([*before, *after]):
        title = name.removeprefix("macro:").replace("_", " ")
        old, new = before.get(name), after.get(name)
        if old == new:
            continue
        if new is None:
            yield Change("", f"lane of {title} taken out")
        elif old is None:
            yield Change("", f"lane of {title} added, {len(new)} points")
        else:
            yield Change("", change_text(f"lane of {title}", old, new))
