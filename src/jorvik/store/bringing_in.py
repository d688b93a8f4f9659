"""Documents that come in from files: each kept once, what is broken named, the others untouched by it."""

import json
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy.exc import DataError

from jorvik.core.limits import MAX_NAME
from jorvik.core.problems import Problem, half_a_letter, shown
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import FORMATS, Document, content_hash
from jorvik.store.library import LibraryStore


@dataclass(frozen=True)
class Incoming:
    """A document that is to be kept, or why there is none in its file."""

    file: str
    document: Document | None
    trouble: str = ""


@dataclass(frozen=True)
class Brought:
    """What became of it."""

    file: str
    name: str
    kind: str
    id: uuid.UUID | None = None
    """Where it is kept."""
    alike: uuid.UUID | None = None
    """What was there already and does the same; it was not kept again."""
    trouble: str = ""


def bring_in(incoming: Sequence[Incoming], stores: Mapping[str, DocumentStore], library: LibraryStore) -> list[Brought]:
    """Keep what comes in, in its order, and return what became of each.

    One that is refused stops no other.
    """
    checked = [_whole(one) for one in incoming]
    there = library.alike([content_hash(one.document) for one in checked if one.document is not None])
    told = []
    for one in checked:
        try:
            brought = _brought(one, stores, there)
        except DataError as error:
            said = str(error.orig).strip().splitlines()[0]
            brought = Brought(one.file, "", "", trouble=str(Problem(one.file, shown(said), "what can be kept")))
        if brought.id is not None and one.document is not None:
            there[content_hash(one.document)] = brought.id
        told.append(brought)
    return told


def _whole(one: Incoming) -> Incoming:
    """Replace a document whose text cannot be encoded by the sentence that says so."""
    try:
        json.dumps(one.document, ensure_ascii=False).encode()
    except UnicodeEncodeError as error:
        return Incoming(one.file, None, str(half_a_letter(one.file, error)))
    return one


def _brought(one: Incoming, stores: Mapping[str, DocumentStore], there: Mapping[str, uuid.UUID]) -> Brought:
    document = one.document
    if document is None:
        return Brought(one.file, "", "", trouble=one.trouble)
    name, kind = str(document.get("name", "Untitled")), FORMATS.get(str(document.get("format")))
    if kind is None:
        wanted = f"a document of the format {', '.join(FORMATS)}"
        return Brought(one.file, name, "", trouble=str(Problem(one.file, "another format", wanted)))
    if (alike := there.get(content_hash(document))) is not None:
        return Brought(one.file, name, kind.name, alike=alike)
    try:
        return Brought(one.file, name, kind.name, id=stores[kind.name].create(document).id)
    except Problem as problem:
        return Brought(one.file, name, kind.name, trouble=str(problem))


def in_a_bank(brought: Sequence[Brought], name: str, library: LibraryStore) -> uuid.UUID | None:
    """Let what came in stand in the bank of a name, made where there is none; return it, or None with nothing in it."""
    inside = [found for one in brought if (found := one.id or one.alike) is not None]
    name = "".join(letter for letter in name if letter.isprintable()).strip()[:MAX_NAME]
    if not inside or not name:
        return None
    bank = next((bank.id for bank in library.banks() if bank.name == name), None) or library.make_bank(name).id
    library.put_in_bank(bank, inside)
    return bank
