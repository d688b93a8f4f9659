"""How any two documents of one kind differ."""

from collections.abc import Callable, Iterator
from typing import Any, Final

from jorvik.core.changes.fields import (
    LABELS,
    Change,
    change_text,
    counted,
    field_changes,
    label_changes,
    lane_changes,
    part_changes,
)
from jorvik.core.changes.patches import patch_changes
from jorvik.core.document.card import MachineCard, check_card
from jorvik.core.document.patch import check_patch
from jorvik.core.document.phrase import Hit, Phrase, check_phrase
from jorvik.core.document.recording import check_recording
from jorvik.core.document.take import Take, check_take
from jorvik.core.problems import Problem, shown


def changes(before: object, after: object) -> list[Change]:
    """Return how a document differs from what it was, a sentence each; nothing where they say the same.

    Raises Problem where one of them is not sound, or they are of unlike kinds.

    >>> plain = {"format": "jorvik-patch", "version": 1}
    >>> [change.sentence for change in changes(plain, {**plain, "voice": {"base": {"cutoff": 180.0}}})]
    ['cutoff set at 180 Hz, was 1 kHz']
    """
    kinds = [document.get("format") if isinstance(document, dict) else None for document in (before, after)]
    if kinds[0] != kinds[1]:
        raise Problem("the second document", shown(kinds[1]), f"one of the kind of the first, {kinds[0]}")
    if kinds[0] not in _KINDS:
        raise Problem("the document", shown(kinds[0]), f"a format among {', '.join(_KINDS)}")
    check, told = _KINDS[kinds[0]]
    return list(told(check(before), check(after)))


def _phrase(before: Phrase, after: Phrase) -> Iterator[Change]:
    yield from field_changes(before, after, "", leave=(*LABELS, "played", "hits", "controls", "simplified"))
    yield from _counted("note", before.played, after.played)
    strokes = lambda hit: f": {counted(len(hit.strikes), 'stroke')}"  # noqa: E731
    yield from part_changes(before.hits, after.hits, lambda hit: hit.id, _hit, strokes)
    yield from lane_changes(before.controls, after.controls)
    yield from label_changes(before, after)


def _hit(before: Hit, after: Hit) -> Iterator[Change]:
    yield from field_changes(before, after, "", after.id, leave=("strikes",))
    yield from _counted(f"stroke of {after.id}", before.strikes, after.strikes)


def _take(before: Take, after: Take) -> Iterator[Change]:
    yield from _counted("note", before.played, after.played)
    yield from lane_changes(before.lanes, after.lanes)
    if before.patch != after.patch:
        for change in patch_changes(before.played_patch, after.played_patch):
            yield Change("", f"its patch: {change.sentence}")
    told = (*LABELS, "played", "lanes", "patch", "over", "of", "edits")
    yield from field_changes(before, after, "", leave=told)
    if before.over != after.over:
        was, now = (of.over.name if of.over else None for of in (before, after))
        yield Change("", change_text("phrase beside it", was, now) if was != now else "phrase beside it changed")
    yield from label_changes(before, after)


def _counted(what: str, before: list[Any], after: list[Any]) -> Iterator[Change]:
    """Yield how many of what has no name came, went or changed: what changed is one that went and one that came."""
    left = list(after)
    gone = 0
    for one in before:
        if one in left:
            left.remove(one)
        else:
            gone += 1
    changed = min(gone, len(left))
    for count, word in ((changed, "changed"), (len(left) - changed, "added"), (gone - changed, "taken out")):
        if count:
            yield Change("", f"{counted(count, what)} {word}")


def _card(before: MachineCard, after: MachineCard) -> Iterator[Change]:
    for what in ("controls", "sources"):
        yield from part_changes(getattr(before, what), getattr(after, what), lambda one: str(one.name), _named)
    yield from field_changes(before, after, "", leave=(*LABELS, "controls", "sources"))
    yield from label_changes(before, after)


def _named(before: Any, after: Any) -> Iterator[Change]:
    yield from field_changes(before, after, "", after.name, leave=("name",))


def _plain(before: Any, after: Any) -> Iterator[Change]:
    yield from field_changes(before, after, "", leave=LABELS)
    yield from label_changes(before, after)


_KINDS: Final[dict[Any, tuple[Callable[[Any], Any], Callable[[Any, Any], Iterator[Change]]]]] = {
    "jorvik-patch": (check_patch, patch_changes),
    "jorvik-phrase": (check_phrase, _phrase),
    "jorvik-take": (check_take, _take),
    "jorvik-recording": (check_recording, _plain),
    "jorvik-card": (check_card, _card),
}
