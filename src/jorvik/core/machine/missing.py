"""What a machine card leaves unsaid, or says twice."""

from collections import Counter
from collections.abc import Iterator

from jorvik.core.document.card import CardSource, MachineCard, target_of
from jorvik.core.document.destinations import ALWAYS_SHOWN, VOICE
from jorvik.core.modules import KINDS
from jorvik.core.modules.base import field_title


def missing(card: MachineCard) -> list[str]:
    """Return what is missing on a card, a sentence each; nothing where a patch can be put on it in full."""
    return [
        *_destinations(card),
        *(said for source in card.sources for said in _of_source(card, source)),
        *_twice(card),
    ]


def _destinations(card: MachineCard) -> Iterator[str]:
    there = {target_of(control)[2] for control in card.controls if target_of(control)[0] == "base"}
    for name in ALWAYS_SHOWN:
        if name not in there:
            yield f"no control sets {VOICE[name].title.lower()}: it stands as it is by itself"


def _of_source(card: MachineCard, source: CardSource) -> Iterator[str]:
    mine = [target_of(control) for control in card.controls if target_of(control)[1] == source.name]
    known = {name for what, _, name in mine if what == "parameter"}
    for name in KINDS[source.kind].on_panels:
        if name not in known:
            yield f"{source.name} has no control for its {field_title(name)}"
    if not source.moves and not any(what == "amount" for what, _, _ in mine):
        yield f"{source.name} moves nothing: say what it may move, or how far"
    if source.moves and card.slots == 0:
        yield f"{source.name} moves by slots, and the card has none"


def _twice(card: MachineCard) -> Iterator[str]:
    for sets, count in Counter(control.sets for control in card.controls).items():
        if count > 1:
            yield f"{count} controls set {sets}: the last of them counts"
    numbers = Counter(control.controller for control in card.controls if control.controller is not None)
    for number, count in numbers.items():
        if count > 1:
            names = [control.name for control in card.controls if control.controller == number]
            yield f"controller {number} moves {' and '.join(names)}"
