"""Requests about kept patches."""

import uuid
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request

from jorvik.store.patches import Head, Kept, PatchStore, Revision
from jorvik.web.forms import ConflictNotice, Document, Draft, Health, NewPatch, Save

router = APIRouter()


def _store(request: Request) -> PatchStore:
    store: PatchStore = request.app.state.store
    return store


Store = Annotated[PatchStore, Depends(_store)]
CONFLICT: dict[int | str, dict[str, Any]] = {409: {"model": ConflictNotice}}


@router.get("/health")
def get_health(request: Request, store: Store) -> Health:
    """Say that the app is up, and whether its store is."""
    return Health(app="jorvik", instance=request.app.state.instance, store=store.is_up())


@router.get("/patches")
def get_patches(store: Store) -> list[Head]:
    """Return all patches, by name."""
    return store.heads()


@router.post("/patches", status_code=201)
def post_patch(new: NewPatch, store: Store) -> Kept:
    """Keep a new patch."""
    return store.create(new.document, write=new.write)


@router.get("/patches/{patch_id}")
def get_patch(patch_id: uuid.UUID, store: Store) -> Kept:
    """Return a patch with its draft."""
    return store.get(patch_id)


@router.put("/patches/{patch_id}/draft", responses=CONFLICT)
def put_draft(patch_id: uuid.UUID, draft: Draft, store: Store) -> Kept:
    """Keep the draft of a window, unless another window wrote since."""
    return store.write_draft(patch_id, draft.document, draft.sequence, draft.replace, draft.write, draft.after)


@router.post("/patches/{patch_id}/revisions", responses=CONFLICT)
def post_revision(patch_id: uuid.UUID, save: Save, store: Store) -> Kept:
    """Keep the present draft as a revision."""
    return store.save(patch_id, save.sequence, save.reason, save.write)


@router.get("/patches/{patch_id}/revisions")
def get_revisions(patch_id: uuid.UUID, store: Store) -> list[Revision]:
    """Return the revisions of a patch, the newest first."""
    return store.revisions(patch_id)


@router.get("/patches/{patch_id}/revisions/{number}")
def get_revision(patch_id: uuid.UUID, number: int, store: Store) -> Document:
    """Return the document of one revision."""
    return store.revision(patch_id, number)


@router.delete("/patches/{patch_id}", status_code=204)
def delete_patch(patch_id: uuid.UUID, store: Store) -> None:
    """Put a patch away."""
    store.delete(patch_id)


@router.post("/patches/{patch_id}/undelete")
def undelete_patch(patch_id: uuid.UUID, store: Store) -> Kept:
    """Bring a deleted patch back."""
    return store.undelete(patch_id)
