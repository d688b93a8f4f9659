"""Requests about kept documents, the same for every kind."""

import uuid
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Path, Query, Request

from jorvik.core.limits import MAX_SEARCH
from jorvik.store.documents import MOST_HEADS, DocumentStore, Edit, Edited, Head, Kept, Revision
from jorvik.store.kinds import PATCHES, Kind
from jorvik.web.forms.common import ConflictNotice, Document, DraftForm, EditForm, Health, NewDocument, Save

CONFLICT: dict[int | str, dict[str, Any]] = {409: {"model": ConflictNotice}}

health = APIRouter()


@health.get("/health")
def get_health(request: Request) -> Health:
    """Say that the app is up, and whether its store is."""
    store: DocumentStore = request.app.state.stores[PATCHES.name]
    return Health(app="jorvik", instance=request.app.state.instance, store=store.is_up())


VersionNumber = Annotated[int, Path(ge=1, le=2**31 - 1)]
"""The number of a version."""


def router_for(kind: Kind) -> APIRouter:
    """Return the requests about documents of a kind."""
    router = APIRouter(prefix=f"/{kind.plural}")

    def store_of(request: Request) -> DocumentStore:
        store: DocumentStore = request.app.state.stores[kind.name]
        return store

    Store = Annotated[DocumentStore, Depends(store_of)]  # noqa: N806

    @router.get("")
    def get_heads(
        store: Store,
        search: Annotated[str, Query(max_length=MAX_SEARCH)] = "",
        limit: Annotated[int, Query(ge=1, le=MOST_HEADS)] = MOST_HEADS,
        offset: Annotated[int, Query(ge=0, le=10**9)] = 0,
    ) -> list[Head]:
        """Return a page of the documents, by name; of a search those in which each of its words stands."""
        return store.heads(search, limit, offset)

    @router.post("", status_code=201)
    def post_document(new: NewDocument, store: Store) -> Kept:
        """Keep a new document."""
        return store.create(new.document, write=new.write, parent=new.parent, reason=new.reason)

    @router.get("/{document_id}")
    def get_document(document_id: uuid.UUID, store: Store) -> Kept:
        """Return a document with its draft."""
        return store.get(document_id)

    @router.put("/{document_id}/draft", responses=CONFLICT)
    def put_draft(document_id: uuid.UUID, draft: DraftForm, store: Store) -> Kept:
        """Replace the draft, unless it was changed since it was read."""
        return store.write_draft(document_id, draft.document, draft.sequence, draft.write)

    @router.post("/{document_id}/edits")
    def post_edit(document_id: uuid.UUID, edit: EditForm, store: Store) -> Edited:
        """Apply operations to the draft, and return the edits of others since then."""
        return store.edit(document_id, edit.operations, edit.sequence, edit.write)

    @router.get("/{document_id}/edits")
    def get_edits(
        document_id: uuid.UUID, store: Store, since: Annotated[int, Query(ge=0, le=2**31 - 1)]
    ) -> list[Edit] | None:
        """Return the edits since a sequence, the oldest first; null where one is gone."""
        return store.edits_since(document_id, since)

    @router.post("/{document_id}/revisions", responses=CONFLICT)
    def post_revision(request: Request, document_id: uuid.UUID, save: Save, store: Store) -> Kept:
        """Keep the present draft as a revision, and enter in the logbook what changed since the one before."""
        kept = store.save(document_id, save.sequence, save.reason, save.write)
        request.app.state.completer.wake()
        return kept

    @router.get("/{document_id}/revisions")
    def get_revisions(document_id: uuid.UUID, store: Store) -> list[Revision]:
        """Return the revisions of a document, the newest first."""
        return store.revisions(document_id)

    @router.get("/{document_id}/revisions/{number}")
    def get_revision(document_id: uuid.UUID, number: VersionNumber, store: Store) -> Document:
        """Return the document of one revision."""
        return store.revision(document_id, number)

    @router.get("/{document_id}/family")
    def get_family(document_id: uuid.UUID, store: Store) -> list[Head]:
        """Return what a document is a variant of, up to the first, and all variants of that."""
        return store.family(document_id)

    @router.post("/{document_id}/promote", status_code=204)
    def post_promote(document_id: uuid.UUID, store: Store) -> None:
        """Let a variant be a document of its own."""
        store.promote(document_id)

    @router.delete("/{document_id}", status_code=204)
    def delete_document(document_id: uuid.UUID, store: Store) -> None:
        """Put a document away."""
        store.delete(document_id)

    @router.post("/{document_id}/undelete")
    def undelete_document(document_id: uuid.UUID, store: Store) -> Kept:
        """Bring a deleted document back."""
        return store.undelete(document_id)

    return router
