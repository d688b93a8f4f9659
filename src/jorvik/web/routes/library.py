"""Requests about the library: what is kept of every kind, in one place."""

import uuid
from collections.abc import Callable, Mapping
from dataclasses import asdict
from typing import Annotated, Any, Final, Literal

from anyio.to_thread import run_sync
from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import Response
from pydantic import Field

from jorvik.core.document.patch import check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.findings import check
from jorvik.core.helpers.gain import with_gain
from jorvik.core.limits import DEFAULT_RATE, MAX_NAME, MAX_SEARCH
from jorvik.core.measure.picture import picture
from jorvik.core.measure.sound import level_gains, loudness
from jorvik.core.problems import Problem, shown
from jorvik.core.voice.render import render
from jorvik.formats.archive import packed, unpacked
from jorvik.store import library
from jorvik.store.bringing_in import Brought, Incoming, bring_in, in_a_bank
from jorvik.store.documents import MOST_HEADS
from jorvik.store.kinds import KINDS
from jorvik.store.library import MOST_AT_ONCE, Bank, LibraryStore, Page
from jorvik.web.forms.common import Document, Form
from jorvik.web.services.files import file_stem
from jorvik.web.services.scheduler import TheScheduler
from jorvik.web.services.workers import Cancel, Tell

router = APIRouter()

MOST_PICTURES: Final = 60
MOST_LEVELLED: Final = 64

Ids = Annotated[list[uuid.UUID], Field(max_length=MOST_AT_ONCE)]
Name = Annotated[str, Field(min_length=1, max_length=MAX_NAME)]


def _store(request: Request) -> LibraryStore:
    store: LibraryStore = request.app.state.library
    return store


Store = Annotated[LibraryStore, Depends(_store)]


class Found(Form):
    """What is looked for, and which page of it."""

    search: Annotated[str, Field(max_length=MAX_SEARCH)] = ""
    kind: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=16, default_factory=list)]
    bank: uuid.UUID | None = None
    tag: Annotated[str, Field(max_length=MAX_NAME)] = ""
    starred: bool = False
    demos: library.Demos = "with"
    key: Annotated[float, Field(ge=0, le=127)] | None = None
    least_lufs: Annotated[float, Field(ge=-200, le=20)] | None = None
    most_lufs: Annotated[float, Field(ge=-200, le=20)] | None = None
    deleted: bool = False
    sort: library.Sort = "name"
    limit: Annotated[int, Field(ge=1, le=MOST_HEADS)] = 100
    offset: Annotated[int, Field(ge=0, le=10**7)] = 0

    def query(self) -> library.Query:
        """Return what the store looks for."""
        rest = self.model_dump(exclude={"kind", "limit", "offset"})
        return library.Query(kinds=tuple(self.kind), **rest)


class NamedBank(Form):
    """What a bank is called."""

    name: Name


class Act(Form):
    """What is done with many documents at once."""

    ids: Ids
    act: Literal["star", "unstar", "tag", "untag", "put in bank", "take from bank", "delete", "bring back"]
    tag: Annotated[str, Field(max_length=MAX_NAME)] = ""
    bank: uuid.UUID | None = None


class Acted(Form):
    """Which of them it changed."""

    changed: list[uuid.UUID]


class Some(Form):
    """Some documents."""

    ids: Annotated[list[uuid.UUID], Field(max_length=MOST_PICTURES)]


class Levelled(Form):
    """Some patches whose levels are compared."""

    ids: Annotated[list[uuid.UUID], Field(max_length=MOST_LEVELLED)]
    phrase: Document | None = None
    """The phrase that they are played under, in place of their test notes."""


class OutOf(Form):
    """Documents to be written out together."""

    ids: Ids
    name: Name = "Bank"


class BroughtIn(Form):
    """What came in."""

    bank: uuid.UUID | None
    """The bank that they stand in, where the file has a name for one."""
    documents: list[Brought]


class Judged(Form):
    """How loud a patch is, and what rules find in it."""

    loudness_lufs: float
    rules: list[str]


@router.get("/library")
def get_library(found: Annotated[Found, Query()], store: Store) -> Page:
    """Return a page of what is kept, of every kind or some."""
    return store.page(found.query(), found.limit, found.offset)


@router.get("/library/ids")
def get_ids(found: Annotated[Found, Query()], store: Store) -> list[uuid.UUID]:
    """Return all that is found, for what is done with all of it."""
    return store.ids(found.query())


@router.get("/library/tags")
def get_tags(store: Store) -> dict[str, int]:
    """Return every tag, and how often it is given."""
    return store.tags()


@router.post("/library/acts")
def post_act(form: Act, store: Store) -> Acted:
    """Do something with many documents at once; each can be undone by its opposite."""
    ids = form.ids
    changed = ids
    match form.act:
        case "star" | "unstar":
            store.star(ids, form.act == "star")
        case "tag" | "untag":
            changed = store.tag(ids, form.tag, form.act == "tag")
        case "put in bank" | "take from bank":
            if form.bank is None:
                raise Problem("the bank", "none", "one of those that there are")
            store.put_in_bank(form.bank, ids, form.act == "put in bank")
        case "delete" | "bring back":
            changed = store.delete(ids, form.act == "delete")
    return Acted(changed=changed)


@router.post("/library/used/{document_id}", status_code=204)
def post_used(document_id: uuid.UUID, store: Store) -> None:
    """Note that a document was opened just now."""
    store.use(document_id)


@router.get("/banks")
def get_banks(store: Store) -> list[Bank]:
    """Return the banks by name."""
    return store.banks()


@router.post("/banks", status_code=201)
def post_bank(named: NamedBank, store: Store) -> Bank:
    """Make a bank."""
    return store.make_bank(named.name)


@router.put("/banks/{bank_id}", status_code=204)
def put_bank(bank_id: uuid.UUID, named: NamedBank, store: Store) -> None:
    """Give a bank another name."""
    store.rename_bank(bank_id, named.name)


@router.delete("/banks/{bank_id}", status_code=204)
def delete_bank(bank_id: uuid.UUID, store: Store) -> None:
    """Take a bank away; what stood in it stays."""
    store.drop_bank(bank_id)


@router.post("/library/pictures")
async def post_pictures(request: Request, some: Some, store: Store, scheduler: TheScheduler) -> dict[str, Any]:
    """Return the pictures of some patches, made now; they are kept until the patches change."""
    made: dict[str, Any] = {}
    for head, kind, document in await run_sync(store.drafts, some.ids):
        if kind == "patch":
            made[str(head.id)] = await scheduler.make(request, "judgement", _picture, document)
            await run_sync(store.keep_picture, head.id, head.sequence, made[str(head.id)])
    return made


def _picture(document: Document, cancelled: Cancel, _: Tell) -> dict[str, Any]:
    return asdict(picture(check_patch(document), cancelled))


@router.post("/library/judged/{document_id}")
async def post_judged(request: Request, document_id: uuid.UUID, store: Store, scheduler: TheScheduler) -> Judged:
    """Judge a patch as it is kept, so that it can be found by how loud it is and by what rules find in it."""
    for head, kind, document in await run_sync(store.drafts, [document_id]):
        if kind != "patch":
            raise Problem("what is judged", f"a {kind}", "a patch")
        judged: Judged = await scheduler.make(request, "judgement", _judged, document)
        await run_sync(store.keep_judgement, head.id, head.sequence, judged.loudness_lufs, judged.rules)
        return judged
    raise Problem("what is judged", shown(str(document_id)), "a patch that is kept")


def _judged(document: Document, cancelled: Cancel, _: Tell) -> Judged:
    patch = check_patch(document)
    aside = {meant.finding for meant in patch.set_aside}
    sound = render(patch, DEFAULT_RATE, cancelled)
    rules = dict.fromkeys(f.rule for f in check(patch, cancelled=cancelled) if f.key not in aside)
    return Judged(loudness_lufs=loudness(sound.samples, sound.rate), rules=list(rules))


class Gains(Form):
    """The gain that each of some patches is given."""

    gains: Annotated[dict[uuid.UUID, Annotated[float, Field(ge=-60, le=24)]], Field(max_length=MOST_LEVELLED)]


class PatchLevel(Form):
    """How loud a patch is, and what makes it as loud as the quietest of those that it was asked with."""

    id: uuid.UUID
    name: str
    loudness_lufs: float
    gain_db: float


@router.post("/library/levels")
async def post_levels(request: Request, some: Levelled, store: Store, scheduler: TheScheduler) -> list[PatchLevel]:
    """Return the loudness of some patches, and the gains that make them alike."""
    found = [(head, document) for head, kind, document in await run_sync(store.drafts, some.ids) if kind == "patch"]
    lufs = [await scheduler.make(request, "judgement", _loudness, (document, some.phrase)) for _, document in found]
    gains = level_gains(lufs)
    return [
        PatchLevel(id=head.id, name=head.name, loudness_lufs=loud, gain_db=gain)
        for (head, _), loud, gain in zip(found, lufs, gains, strict=True)
    ]


@router.post("/library/levels/write")
def post_gains(form: Gains, store: Store) -> Acted:
    """Write gains into patches: each is a change of the patch like any other, and the one before stays a version."""
    return Acted(changed=store.rewrite(list(form.gains), _louder(form.gains), "before levels were matched"))


def _louder(gains: Mapping[uuid.UUID, float]) -> Callable[[uuid.UUID, Document], Document]:
    return lambda one, document: with_gain(check_patch(document), gains[one]).document()


def _loudness(played: tuple[Document, Document | None], cancelled: Cancel, _: Tell) -> float:
    document, phrase = played
    patch = check_patch(document)
    sound = render(patch if phrase is None else patch.under(check_phrase(phrase)), DEFAULT_RATE, cancelled)
    return loudness(sound.samples, sound.rate)


@router.post("/library/export", response_class=Response)
def post_export(form: OutOf, store: Store) -> Response:
    """Return documents as one zip with a manifest."""
    plurals = {kind.name: kind.plural for kind in KINDS}
    found = [(plurals[kind], document) for _, kind, document in store.drafts(form.ids)]
    if not found:
        raise Problem("what is written out", "nothing", "one document at least")
    headers = {"Content-Disposition": f'attachment; filename="{file_stem(form.name)}.zip"'}
    return Response(packed(found, form.name), media_type="application/zip", headers=headers)


_A_FILE: Final = {"requestBody": {"content": {"application/octet-stream": {"schema": {"format": "binary"}}}}}


@router.post("/library/import", openapi_extra=_A_FILE)
async def post_import(
    request: Request,
    store: Store,
    name: Annotated[str, Query(max_length=400)] = "file",
    bank: Annotated[str, Query(max_length=MAX_NAME)] = "",
) -> BroughtIn:
    """Keep every document in the file that is sent as it is: a zip, a document, a recording, MIDI.

    What is there already is not kept twice, and what is broken is named. It stands in the bank that is named, or that
    the file has a name for.
    """
    data = await request.body()

    def kept() -> BroughtIn:
        named, entries = unpacked(data, name)
        incoming = [Incoming(entry.file, entry.document, entry.trouble) for entry in entries]
        brought = bring_in(incoming, request.app.state.stores, store)
        return BroughtIn(bank=in_a_bank(brought, bank or named, store), documents=brought)

    return await run_sync(kept)
