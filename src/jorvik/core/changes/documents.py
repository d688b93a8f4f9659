"""How any two documents of one kind differ."""

from collections.abc import Callable, Iterator
from typing import Any, Final

from jorvik.core.changes.fields import (
    LABELS,
    Change,
    change_text,
    field_changes,
    label_changes,
    lane_changes,
    matched,
)
from jorvik.core.changes.patches import patch_changes
from jorvik.core.document.card import MachineCard, check_card
from jorvik.core.document.patch import check_patch
from jorvik.core.document.phrase import Phrase, check_phrase
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
    yield from field_changes(before, after, "", leave=(*LABELS, "played", "hits", "controls"))
    yield from _counted("note", before.played, after.played)
    gone, come, both = matched(before.hits, after.hits, lambda hit: hit.id)
    yield from (Change("", f"{hit.id} taken out") for hit in gone)
    yield from (Change("", f"{hit.id} added: {len(hit.strikes)} strokes") for hit in come)
    for old, new in both:
        yield from field_changes(old, new, "", new.id, leave=("strikes",))
        yield from _counted(f"stroke of {new.id}", old.strikes, new.strikes)
    yield from lane_changes(before.controls, after.controls)
    yield from label_changes(before, after)


def _take(before: Take, after: Take) -> Iterator[Change]:
    yield from _counted("note", before.played, after.played)
    yield from lane_changes(before.lanes, after.lanes)
    if before.patch != after.patch:
        for change in patch_changes(before.played_patch, after.played_patch):
            yield Change("", f"its patch: {change.sentence}")
    told = (*LABELS, "played", "lanes", "patch", "over", "of", "edits")
    yield from field_changes(before, after, "", leave=told)
    if before.over != after.over:
        yield Change(
            "", change_text("phrase beside it", before.over and before.over.name, after.over and after.over.name)
        )
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
            head, _, tail = what.partition(" of ")
            noun = f"{head}{'s' if count > 1 else ''}{' of ' + tail if tail else ''}"
            yield Change("", f"{count} {noun} {word}")


def _card(before: MachineCard, after: MachineCard) -> Iterator[Change]:
    for what in ("controls", "sources"):
        gone, come, both = matched(getattr(before, what), getattr(after, what), lambda one: str(one.name))
        yield from (Change("", f"{one.name} taken out") for one in gone)
        yield from (Change("", f"{one.name} added") for one in come)
        for old, new in both:
            yield from field_changes(old, new, "", new.name, leave=("name",))
    yield from field_changes(before, after, "", leave=(*LABELS, "controls", "sources"))
    yield from label_changes(before, after)


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
