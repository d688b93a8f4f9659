"""The library: documents of every kind in one place, found as one types, in banks, and acted on many at once."""

import uuid
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field
from typing import Any, Final, Literal

from sqlalchemy import (
    ColumnElement,
    Select,
    Text,
    case,
    cast,
    delete,
    exists,
    func,
    or_,
    select,
    text,
    update,
)
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from jorvik.core.limits import MAX_NAME
from jorvik.core.problems import Problem, shown
from jorvik.store.database import Store
from jorvik.store.documents import MOST_HEADS, Head, Missing, head_of, rewrite
from jorvik.store.kinds import KINDS, Document
from jorvik.store.tables import BankMemberRow, BankRow, DocumentRow

MOST_BANKS: Final = 500
MOST_AT_ONCE: Final = 5000
"""Documents that one act takes."""

_SHORTEST: Final = 3
"""Letters from which on a word is looked for anywhere; a shorter one at the beginnings of words."""

Sort = Literal["name", "changed", "used"]
Demos = Literal["with", "without", "only"]


@dataclass(frozen=True)
class Query:
    """What is looked for."""

    search: str = ""
    """Words that all stand in it, among them ``source:lfo``, ``moves:cutoff``, ``finding:click``."""
    kinds: Collection[str] = ()
    """Of every kind where there is none."""
    bank: uuid.UUID | None = None
    tag: str = ""
    starred: bool = False
    demos: Demos = "with"
    key: float | None = None
    """A key that lies within its test notes'."""
    least_lufs: float | None = None
    most_lufs: float | None = None
    deleted: bool = False
    """Those that were put away, instead of the others."""
    sort: Sort = "name"


@dataclass(frozen=True)
class LibraryHead(Head):
    """A document in the library."""

    kind: str
    loudness: float | None
    found: list[str]
    """The rules that found something when it was judged last."""
    picture: dict[str, Any] | None
    """Its staves, small; None where there is none of its present state."""
    banks: list[uuid.UUID] = field(default_factory=list)


@dataclass(frozen=True)
class Page:
    """A page of what was found."""

    total: int
    heads: list[LibraryHead]


@dataclass(frozen=True)
class Bank:
    """A bank, and how many documents stand in it."""

    id: uuid.UUID
    name: str
    count: int


class LibraryStore(Store):
    """Reads what is kept of every kind, and acts on many documents in one transaction."""

    def page(self, query: Query, limit: int = 100, offset: int = 0) -> Page:
        """Return a page of the documents that a query finds, and how many it finds in all."""
        wanted = _matching(query)
        with self._session() as session:
            total = session.scalar(select(func.count()).select_from(wanted.subquery())) or 0
            order = (*_named_first(query), *_ORDERS[query.sort])
            page = wanted.with_only_columns(*_COLUMNS).order_by(*order).limit(min(limit, MOST_HEADS)).offset(offset)
            rows = session.execute(page).all()
            members = select(BankMemberRow).where(BankMemberRow.document_id.in_([row.id for row in rows]))
            banks: dict[uuid.UUID, list[uuid.UUID]] = {}
            for member in session.scalars(members):
                banks.setdefault(member.document_id, []).append(member.bank_id)
            return Page(total, [_library_head(row, banks.get(row.id, [])) for row in rows])

    def ids(self, query: Query) -> list[uuid.UUID]:
        """Return all that a query finds, for what is done with all of them."""
        with self._session() as session:
            return list(session.scalars(_matching(query).with_only_columns(DocumentRow.id).limit(MOST_AT_ONCE)))

    def tags(self, kinds: Collection[str] = ()) -> dict[str, int]:
        """Return every tag and how often it is given, the commonest first."""
        tag = func.json_array_elements_text(DocumentRow.tags).table_valued("value")
        wanted = select(tag.c.value, func.count()).select_from(DocumentRow).join(tag, text("true"))
        wanted = wanted.where(DocumentRow.deleted_at.is_(None))
        if kinds:
            wanted = wanted.where(DocumentRow.kind.in_(kinds))
        with self._session() as session:
            found = session.execute(wanted.group_by(tag.c.value).order_by(func.count().desc(), tag.c.value))
            return dict(found.all())

    def banks(self) -> list[Bank]:
        """Return the banks by name."""
        inside = select(func.count()).select_from(BankMemberRow).join(DocumentRow)
        inside = inside.where(BankMemberRow.bank_id == BankRow.id, DocumentRow.deleted_at.is_(None))
        with self._session() as session:
            rows = session.execute(select(BankRow.id, BankRow.name, inside.scalar_subquery()).order_by(BankRow.name))
            return [Bank(*row) for row in rows]

    def make_bank(self, name: str) -> Bank:
        """Make a bank. Raises Problem where there is one of that name, or there are too many."""
        with self._session() as session:
            if (session.scalar(select(func.count()).select_from(BankRow)) or 0) >= MOST_BANKS:
                raise Problem("the banks", f"{MOST_BANKS} of them", f"{MOST_BANKS} at most; one that is empty may go")
            row = BankRow(id=uuid.uuid4(), name=_bank_name(session, name))
            session.add(row)
            session.flush()
            return Bank(row.id, row.name, 0)

    def rename_bank(self, bank: uuid.UUID, name: str) -> None:
        """Give a bank another name. Raises Missing where there is none, Problem where the name is taken."""
        with self._session() as session:
            row = _bank(session, bank)
            if row.name != name.strip():
                row.name = _bank_name(session, name)

    def drop_bank(self, bank: uuid.UUID) -> None:
        """Take a bank away; what stood in it stays where it is. Raises Missing where there is none."""
        with self._session() as session:
            session.delete(_bank(session, bank))

    def put_in_bank(self, bank: uuid.UUID, ids: Sequence[uuid.UUID], inside: bool = True) -> None:
        """Let documents stand in a bank, or no longer. Raises Missing where there is no such bank."""
        with self._session() as session:
            _bank(session, bank)
            if not inside:
                session.execute(
                    delete(BankMemberRow).where(BankMemberRow.bank_id == bank, BankMemberRow.document_id.in_(ids))
                )
                return
            known = session.scalars(select(DocumentRow.id).where(DocumentRow.id.in_(ids)))
            rows = [{"bank_id": bank, "document_id": one} for one in known]
            if rows:
                session.execute(insert(BankMemberRow).on_conflict_do_nothing(), rows)

    def star(self, ids: Sequence[uuid.UUID], starred: bool = True) -> None:
        """Give documents a star, or take it."""
        with self._session() as session:
            session.execute(update(DocumentRow).where(DocumentRow.id.in_(ids)).values(starred=starred))

    def use(self, document_id: uuid.UUID) -> None:
        """Note that a document was used just now."""
        with self._session() as session:
            session.execute(update(DocumentRow).where(DocumentRow.id == document_id).values(used_at=func.now()))

    def tag(self, ids: Sequence[uuid.UUID], tag: str, given: bool = True) -> list[uuid.UUID]:
        """Give documents a tag, or take it; return those that it changed.

        A tag stands in the document itself, so that this is a change of it like any other, and its revision is kept.
        """
        tag = tag.strip()
        if not 0 < len(tag) <= MAX_NAME:
            raise Problem("the tag", shown(tag), f"1 to {MAX_NAME} letters")

        def tagged(_: uuid.UUID, document: Document) -> Document:
            tags = document.get("tags", [])
            if (tag in tags) == given:
                return document
            return {**document, "tags": [*tags, tag] if given else [one for one in tags if one != tag]}

        return self.rewrite(ids, tagged)

    def rewrite(
        self, ids: Sequence[uuid.UUID], change: Callable[[uuid.UUID, Document], Document], reason: str = ""
    ) -> list[uuid.UUID]:
        """Change the drafts of documents where no window asked for it; return those that are others now.

        With a reason, what each was before is kept as a revision. Raises Problem where one would not be sound: then
        none is changed.
        """
        changed = []
        with self._session() as session:
            rows = select(DocumentRow).where(DocumentRow.id.in_(ids)).order_by(DocumentRow.id)
            for row in session.scalars(rows.with_for_update()):
                document = change(row.id, row.draft)
                if document != row.draft:
                    rewrite(session, row, document, _BY_NAME[row.kind], reason)
                    changed.append(row.id)
        return changed

    def delete(self, ids: Sequence[uuid.UUID], deleted: bool = True) -> list[uuid.UUID]:
        """Put documents away, or bring them back; return those that it changed."""
        to, where = (
            (func.now(), DocumentRow.deleted_at.is_(None)) if deleted else (None, DocumentRow.deleted_at.isnot(None))
        )
        with self._session() as session:
            acted = update(DocumentRow).where(DocumentRow.id.in_(ids), where).values(deleted_at=to)
            return list(session.scalars(acted.returning(DocumentRow.id)))

    def alike(self, contents: Collection[str]) -> dict[str, uuid.UUID]:
        """Return which of some contents are there already, and the document that has each."""
        wanted = select(DocumentRow.content, DocumentRow.id)
        wanted = wanted.where(DocumentRow.content.in_(contents), DocumentRow.deleted_at.is_(None))
        with self._session() as session:
            return dict(session.execute(wanted).all())

    def drafts(self, ids: Sequence[uuid.UUID]) -> list[tuple[Head, str, dict[str, Any]]]:
        """Return documents as they stand with their kinds, in the order asked for; those that are gone are left out."""
        with self._session() as session:
            rows = {row.id: row for row in session.scalars(select(DocumentRow).where(DocumentRow.id.in_(ids)))}
            return [(head_of(rows[one]), rows[one].kind, rows[one].draft) for one in ids if one in rows]

    def keep_picture(self, document_id: uuid.UUID, sequence: int, picture: dict[str, Any]) -> None:
        """Keep the picture of a document's state."""
        with self._session() as session:
            row = update(DocumentRow).where(DocumentRow.id == document_id, DocumentRow.sequence == sequence)
            session.execute(row.values(picture=picture, looked_at=sequence))

    def keep_judgement(
        self, document_id: uuid.UUID, sequence: int, loudness: float | None, rules: Sequence[str]
    ) -> None:
        """Keep how loud a document's state is, and what rules find in it."""
        found = " ".join(f"finding:{rule}" for rule in rules)
        with self._session() as session:
            row = update(DocumentRow).where(DocumentRow.id == document_id, DocumentRow.sequence == sequence)
            session.execute(row.values(loudness=loudness, found=found))


_APART: Final = text(
    "CASE WHEN documents.tags::jsonb ? 'made to be wrong' THEN 2 WHEN documents.tags::jsonb ? 'template' THEN 1"
    " ELSE 0 END"
)
"""What stands after the others, by name: what is to start from, and what was made wrong to be found so."""

_BY_NAME: Final = {kind.name: kind for kind in KINDS}
_ORDERS: Final[dict[Sort, tuple[Any, ...]]] = {
    "name": (_APART, DocumentRow.name, DocumentRow.id),
    "changed": (DocumentRow.changed_at.desc(), DocumentRow.id),
    "used": (DocumentRow.used_at.desc().nulls_last(), DocumentRow.changed_at.desc(), DocumentRow.id),
}
_COLUMNS: Final = tuple(
    getattr(DocumentRow, name)
    for name in (
        *("id", "kind", "name", "tags", "demo", "sequence", "saved_number", "saved_sequence", "changed_at"),
        *(
            "last_write",
            "starred",
            "used_at",
            "parent_id",
            "branch_reason",
            "loudness",
            "found",
            "picture",
            "looked_at",
        ),
    )
)


def _matching(query: Query) -> Select[DocumentRow]:
    """Return the documents that a query finds, in no order."""
    wanted = select(DocumentRow)
    deleted = DocumentRow.deleted_at
    wanted = wanted.where(deleted.isnot(None) if query.deleted else deleted.is_(None))
    for word in query.search.lower().split():
        wanted = wanted.where(_has_word(word))
    if query.kinds:
        wanted = wanted.where(DocumentRow.kind.in_(query.kinds))
    if query.bank is not None:
        inside = exists().where(BankMemberRow.document_id == DocumentRow.id, BankMemberRow.bank_id == query.bank)
        wanted = wanted.where(inside)
    if query.tag:
        wanted = wanted.where(text("documents.tags::jsonb ? :tag").bindparams(tag=query.tag))
    if query.starred:
        wanted = wanted.where(DocumentRow.starred)
    if query.demos != "with":
        demo = DocumentRow.demo
        wanted = wanted.where(demo.is_(None) if query.demos == "without" else demo.isnot(None))
    if query.key is not None:
        wanted = wanted.where(DocumentRow.low_key <= query.key, DocumentRow.high_key >= query.key)
    if query.least_lufs is not None:
        wanted = wanted.where(DocumentRow.loudness >= query.least_lufs)
    if query.most_lufs is not None:
        wanted = wanted.where(DocumentRow.loudness <= query.most_lufs)
    return wanted


def _named_first(query: Query) -> list[ColumnElement[int]]:
    """Return what puts before the others whatever is called, or tagged, as is looked for."""
    said = " ".join(query.search.split())
    if not said or query.sort != "name":
        return []
    named = or_(*(part.icontains(said, autoescape=True) for part in (DocumentRow.name, cast(DocumentRow.tags, Text))))
    return [case((named, 0), else_=1)]


def _has_word(word: str) -> ColumnElement[bool]:
    """Return that a word stands somewhere in what a document is found by: the index finds it."""
    searched = DocumentRow.searched
    if len(word) >= _SHORTEST:
        return searched.contains(word, autoescape=True)
    return or_(searched.startswith(word, autoescape=True), searched.contains(f" {word}", autoescape=True))


def _library_head(row: Any, banks: list[uuid.UUID]) -> LibraryHead:
    found = [word.removeprefix("finding:") for word in row.found.split()]
    picture = row.picture if row.looked_at == row.sequence else None
    plain = head_of(row)
    return LibraryHead(**vars(plain), kind=row.kind, loudness=row.loudness, found=found, picture=picture, banks=banks)


def _bank(session: Session, bank: uuid.UUID) -> BankRow:
    row = session.get(BankRow, bank)
    if row is None:
        raise Missing("There is no such bank; it may have been taken away in another window.")
    return row


def _bank_name(session: Session, name: str) -> str:
    name = name.strip()
    if not 0 < len(name) <= MAX_NAME:
        raise Problem("the bank's name", shown(name), f"1 to {MAX_NAME} letters")
    if session.scalar(select(BankRow.id).where(BankRow.name == name)) is not None:
        raise Problem("the bank's name", shown(name), "one that no other bank has")
    return name
