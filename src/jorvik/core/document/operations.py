"""Operations: small changes to a document, addressed by internal ids.

An edit is a list of operations. A window sends operations instead of the whole document, and undo applies the
operations that lead back. :func:`apply` makes a new draft from a draft and operations; :func:`compare` finds the
operations that lead from a draft to another document.

Items of a list (modules, routes, notes, strikes, points) have internal ids, called keys. A key stays with its item
when the item is renamed or moved, and it is never part of the document. Keys that differ from an item's place at first
("0", "1", ...) are kept in a tree beside the document. ``ui/src/session/operations.ts`` has the same two functions;
``tests/operations.json`` has cases that both must pass.
"""

import json
import secrets
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Any, Final, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field
from pydantic_core import PydanticCustomError

from jorvik.core.problems import Problem, shown

MAX_DEPTH: Final = 12
"""Steps of a path; the deepest value of a document takes seven."""

MAX_OPERATIONS: Final = 20_000
"""Operations of one edit: every point of the longest lane, twice."""

MAX_POINT_OPERATIONS: Final = 64
"""Operations on the points of one list.

A list with more changes is set whole, with its keys.
"""

Document = dict[str, Any]
KeyTree = dict[str, Any]
"""Keys of a value where they are not "0", "1", ...

``keys`` has those of a list's items in order, and ``in`` the trees of what is inside, by field or key.
"""

MAX_KEY: Final = 40
"""Characters of a key."""


def _check_keys(tree: KeyTree) -> KeyTree:
    """Return a tree of keys. Raises PydanticCustomError for any other object."""
    keys, below = tree.get("keys", []), tree.get("in", {})
    is_list = isinstance(keys, list) and all(isinstance(key, str) and 0 < len(key) <= MAX_KEY for key in keys)
    if not is_list or len(set(keys)) != len(keys) or not isinstance(below, dict) or set(tree) - {"keys", "in"}:
        raise PydanticCustomError("keys", 'an object with "keys", a list of different texts, and "in", an object')
    for inner in below.values():
        if not isinstance(inner, dict):
            raise PydanticCustomError("keys", 'an object of objects as "in"')
        _check_keys(inner)
    return tree


Keys = Annotated[KeyTree, AfterValidator(_check_keys)]
Key = Annotated[str, Field(min_length=1, max_length=MAX_KEY)]
Name = Annotated[str, Field(max_length=200)]
Path = Annotated[list[Name], Field(max_length=MAX_DEPTH)]


class _Operation(BaseModel):
    model_config = ConfigDict(extra="forbid")


class SetValue(_Operation):
    """Set a field of an object, or replace an item of a list."""

    op: Literal["set"]
    at: Annotated[Path, Field(min_length=1)]
    value: Any
    keys: Keys = {}


class Unset(_Operation):
    """Remove a field of an object, which then has its default."""

    op: Literal["unset"]
    at: Annotated[Path, Field(min_length=1)]


class Insert(_Operation):
    """Insert an item into a list after another, or first.

    An item that has the key already is replaced, so that an operation may be applied twice.
    """

    op: Literal["insert"]
    at: Path
    after: Key | None
    key: Key
    value: Any
    keys: Keys = {}


class Remove(_Operation):
    """Remove an item from a list."""

    op: Literal["remove"]
    at: Path
    key: Key


class Order(_Operation):
    """Put the items of a list into an order.

    Items that it does not name, such as those of another window, stay after the item before them.
    """

    op: Literal["order"]
    at: Path
    keys: Annotated[list[Key], Field(max_length=MAX_OPERATIONS)]


Operation = Annotated[SetValue | Unset | Insert | Remove | Order, Field(discriminator="op")]


@dataclass(frozen=True)
class Draft:
    """A document and the keys of its lists' items."""

    document: Document
    keys: KeyTree = field(default_factory=dict)


def apply(draft: Draft, operations: Sequence[Operation]) -> Draft:
    """Apply operations one after the other and return the new draft.

    Parameters
    ----------
    draft : Draft
        The document with its keys.
    operations : sequence of Operation
        Each is applied to what the one before it came to.

    Returns
    -------
    Draft
        It shares every value that no operation touches with the given draft. Whether the document is sound is for
        ``check_patch`` and its like to say.

    Raises
    ------
    Problem
        For a path that leads to nothing, such as one to a module that was removed.

    Examples
    --------
    >>> draft = Draft({"routes": [{"id": "a"}, {"id": "b"}]})
    >>> apply(draft, [Remove(op="remove", at=["routes"], key="0")])
    Draft(document={'routes': [{'id': 'b'}]}, keys={'in': {'routes': {'keys': ['1']}}})
    """
    value: Any = draft.document
    keys = draft.keys
    for operation in operations:
        path = operation.at[:-1] if isinstance(operation, SetValue | Unset) else operation.at
        value, keys = _replace(value, keys, path, operation)
    return Draft(value, keys)


def compare(draft: Draft, document: Document) -> list[Operation]:
    """Return the operations that lead from a draft to a document.

    Items of lists are matched by their ids or their values, then by kind and in order, so that an item keeps its key
    when it is moved, and when a field of it changes.

    Examples
    --------
    >>> compare(Draft({"bars": 2}), {"bars": 4})
    [SetValue(op='set', at=['bars'], value=4, keys={})]
    """
    return list(_compare(draft.document, draft.keys, document, []))


def keys_of(items: Sequence[Any], tree: KeyTree) -> list[str]:
    """Return the keys of a list's items, in order."""
    keys: list[str] | None = tree.get("keys")
    if keys is None or len(keys) != len(items):
        return [str(place) for place in range(len(items))]
    return keys


def _replace(value: Any, tree: KeyTree, path: Sequence[str], operation: Operation) -> tuple[Any, KeyTree]:
    """Return a value and its keys with the operation applied below it."""
    if not path:
        return _ACTS[operation.op](value, tree, operation)
    name = path[0]
    if isinstance(value, dict) and name in value:
        inner, inner_tree = _replace(value[name], _below(tree, name), path[1:], operation)
        return {**value, name: inner}, _with(tree, name, inner_tree)
    if isinstance(value, list):
        place = _place(value, tree, name, operation)
        inner, inner_tree = _replace(value[place], _below(tree, name), path[1:], operation)
        return [*value[:place], inner, *value[place + 1 :]], _with(tree, name, inner_tree)
    raise _missing(operation, name)


def _set(value: Any, tree: KeyTree, operation: SetValue) -> tuple[Any, KeyTree]:
    name = operation.at[-1]
    if isinstance(value, list):
        place = _place(value, tree, name, operation)
        changed: Any = [*value[:place], operation.value, *value[place + 1 :]]
    elif isinstance(value, dict):
        changed = {**value, name: operation.value}
    else:
        raise _missing(operation, name)
    return changed, _with(tree, name, operation.keys)


def _unset(value: Any, tree: KeyTree, operation: Unset) -> tuple[Any, KeyTree]:
    name = operation.at[-1]
    if not isinstance(value, dict):
        raise _missing(operation, name)
    return {key: each for key, each in value.items() if key != name}, _with(tree, name, {})


def _insert(value: Any, tree: KeyTree, operation: Insert) -> tuple[Any, KeyTree]:
    items, keys = _items(value, tree, operation)
    if operation.key in keys:
        place = keys.index(operation.key)
        items[place] = operation.value
    else:
        before = -1 if operation.after is None else _find(keys, operation.after, len(keys) - 1)
        items.insert(before + 1, operation.value)
        keys.insert(before + 1, operation.key)
    return items, _with(_named(tree, keys), operation.key, operation.keys)


def _remove(value: Any, tree: KeyTree, operation: Remove) -> tuple[Any, KeyTree]:
    items, keys = _items(value, tree, operation)
    if operation.key in keys:
        place = keys.index(operation.key)
        del items[place], keys[place]
    return items, _with(_named(tree, keys), operation.key, {})


def _order(value: Any, tree: KeyTree, operation: Order) -> tuple[Any, KeyTree]:
    items, keys = _items(value, tree, operation)
    ranks = {key: rank for rank, key in enumerate(operation.keys)}
    # Items that the operation does not name, such as those of another window, stay after the item before them.
    order: list[tuple[int, int]] = []
    rank = -1
    for place, key in enumerate(keys):
        rank = ranks.get(key, rank)
        order.append((rank, place))
    places = [place for _, place in sorted(order)]
    return [items[place] for place in places], _named(tree, [keys[place] for place in places])


_ACTS: Final[dict[str, Callable[[Any, KeyTree, Any], tuple[Any, KeyTree]]]] = {
    "set": _set,
    "unset": _unset,
    "insert": _insert,
    "remove": _remove,
    "order": _order,
}


def _items(value: Any, tree: KeyTree, operation: Operation) -> tuple[list[Any], list[str]]:
    """Return copies of a list and its keys."""
    if not isinstance(value, list):
        raise Problem(_text(operation.at), shown(value), "a list")
    return list(value), list(keys_of(value, tree))


def _find(keys: list[str], key: str, otherwise: int) -> int:
    return keys.index(key) if key in keys else otherwise


def _place(items: list[Any], tree: KeyTree, key: str, operation: Operation) -> int:
    place = _find(keys_of(items, tree), key, -1)
    if place < 0:
        raise _missing(operation, key)
    return place


def _missing(operation: Operation, name: str) -> Problem:
    names = operation.at[: operation.at.index(name)] if name in operation.at else operation.at
    return Problem(_text(names), "an edit of what was removed meanwhile", "of what is still there")


def _text(path: Sequence[str]) -> str:
    return "/".join(path) or "the document"


def _below(tree: KeyTree, name: str) -> KeyTree:
    below: KeyTree = tree.get("in", {}).get(name, {})
    return below


def _with(tree: KeyTree, name: str, inner: KeyTree) -> KeyTree:
    """Return a tree with another tree below a name; empty trees are left out."""
    below = {key: each for key, each in tree.get("in", {}).items() if key != name}
    if inner:
        below[name] = inner
    return {**({"keys": tree["keys"]} if "keys" in tree else {}), **({"in": below} if below else {})}


def _named(tree: KeyTree, keys: list[str]) -> KeyTree:
    return {**tree, "keys": keys}


def _compare(before: Any, tree: KeyTree, after: Any, at: list[str]) -> Iterator[Operation]:
    if isinstance(before, dict) and isinstance(after, dict):
        for name, value in after.items():
            if name in before:
                yield from _compare(before[name], _below(tree, name), value, [*at, name])
            else:
                yield SetValue(op="set", at=[*at, name], value=value)
        for name in before:
            if name not in after:
                yield Unset(op="unset", at=[*at, name])
    elif before is after or _text_of(before) == _text_of(after):
        return
    elif has_keys(before) and has_keys(after):
        yield from _compare_lists(before, tree, after, at)
    else:
        yield SetValue(op="set", at=at, value=after)


def _compare_lists(before: list[Any], tree: KeyTree, after: list[Any], at: list[str]) -> Iterator[Operation]:
    known = keys_of(before, tree)
    keys = match(before, known, after)
    items = dict(zip(known, before, strict=True))
    left = set(keys)
    pairs = list(zip(keys, after, strict=True))
    changes = sum(key not in left for key in known) + sum(items.get(key) != value for key, value in pairs)
    if changes > MAX_POINT_OPERATIONS and not any(isinstance(item, dict) for item in (*before, *after)):
        yield SetValue(op="set", at=at, value=after, keys={} if keys == keys_of(after, {}) else {"keys": keys})
        return
    yield from (Remove(op="remove", at=at, key=key) for key in known if key not in left)
    order = [key for key in known if key in left]
    for place, (key, value) in enumerate(pairs):
        if key in items:
            yield from _compare(items[key], _below(tree, key), value, [*at, key])
        else:
            previous = keys[place - 1] if place else None
            yield Insert(op="insert", at=at, after=previous, key=key, value=value)
            order.insert(order.index(previous) + 1 if previous is not None else 0, key)
    if order != keys:
        yield Order(op="order", at=at, keys=keys)


def match(before: Sequence[Any], known: Sequence[str], after: Sequence[Any]) -> list[str]:
    """Return a key for each item of the list that ``before`` became.

    An item keeps its key; a new item has a fresh one.
    """
    keys: list[str | None] = [None] * len(after)
    left = dict(zip(known, before, strict=True))
    for identity in (_id_of, _kind_of):
        waiting: dict[str, list[str]] = {}
        for key, item in left.items():
            waiting.setdefault(identity(item), []).append(key)
        for place, item in enumerate(after):
            same = waiting.get(identity(item), [])
            if keys[place] is None and same:
                keys[place] = same.pop(0)
                del left[str(keys[place])]
    return [secrets.token_hex(5) if key is None else key for key in keys]


def _id_of(item: Any) -> str:
    """Return an item's id, or its text where it has none."""
    return f"id {item['id']}" if isinstance(item, dict) and "id" in item else _text_of(item)


def _text_of(value: Any) -> str:
    return json.dumps(_plain(value), sort_keys=True)


def _plain(value: Any) -> Any:
    """Return a value with whole numbers as int: to JSON 3000.0 is 3000."""
    if isinstance(value, dict):
        return {name: _plain(each) for name, each in value.items()}
    if isinstance(value, list):
        return [_plain(each) for each in value]
    return int(value) if isinstance(value, float) and value.is_integer() else value


def _kind_of(item: Any) -> str:
    """Return an item's kind, by which a renamed or changed item is matched."""
    return f"kind {item.get('kind')}" if isinstance(item, dict) else "values"


def has_keys(value: Any) -> bool:
    """Return whether the items of a value have keys.

    They are objects, or points, which are lists of numbers.
    """
    if not isinstance(value, list):
        return False
    if all(isinstance(item, dict) for item in value):
        return True
    return all(isinstance(item, list) and not any(isinstance(each, dict | list) for each in item) for item in value)
