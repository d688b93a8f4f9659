"""Requests about jobs."""

import uuid
from functools import partial
from typing import Annotated, Any, Final

import anyio.to_thread
from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from jorvik.store.jobs import Job
from jorvik.web.services.job_kinds import JOB_KINDS, JobRequest
from jorvik.web.services.jobs import Jobs

router = APIRouter(prefix="/jobs")


async def _jobs(request: Request) -> Jobs:
    jobs: Jobs = request.app.state.jobs
    return jobs


TheJobs = Annotated[Jobs, Depends(_jobs)]


@router.get("")
def get_jobs(jobs: TheJobs) -> list[Job]:
    """Return every job that is kept, the newest first."""
    return jobs.store.jobs()


@router.put("/{job_id}", status_code=201)
async def put_job(job_id: uuid.UUID, form: JobRequest, jobs: TheJobs) -> Job:
    """Ask for a job under an identity of the asker's own; asked for again it is the same job."""
    kind = JOB_KINDS[form.kind]
    asked = form.model_dump(mode="json")
    add = partial(jobs.store.add, job_id, form.kind, kind.title(form), asked, kind.about(form))
    job = await anyio.to_thread.run_sync(add)
    jobs.wake()
    return job


@router.get("/{job_id}")
def get_job(job_id: uuid.UUID, jobs: TheJobs) -> Job:
    """Return a job, and how far it is."""
    return jobs.store.get(job_id)


@router.post("/{job_id}/cancel")
async def post_cancel(job_id: uuid.UUID, jobs: TheJobs) -> Job:
    """Give a job up. One that has ended stays as it is."""
    await anyio.to_thread.run_sync(jobs.store.end, job_id, "cancelled")
    jobs.cancel(job_id)
    return await anyio.to_thread.run_sync(jobs.store.get, job_id)


@router.delete("/{job_id}", status_code=204)
async def delete_job(job_id: uuid.UUID, jobs: TheJobs) -> None:
    """Take a job away, with what it made; one under way is given up."""
    await anyio.to_thread.run_sync(jobs.store.forget, job_id)
    jobs.cancel(job_id)


_NONE_YET: Final[dict[int | str, dict[str, Any]]] = {204: {"description": "The job has told nothing yet."}}


@router.get("/{job_id}/so-far", response_class=Response, responses=_NONE_YET)
async def get_so_far(job_id: uuid.UUID, jobs: TheJobs) -> Response:
    """Return what a running job has told of what it makes, as JSON; nothing where it has told none."""
    known = jobs.so_far.get(job_id, b"")
    return Response(known, 200 if known else 204, media_type="application/json")


@router.get("/{job_id}/result", response_class=Response)
def get_result(job_id: uuid.UUID, jobs: TheJobs) -> Response:
    """Return the file that a job made."""
    made = jobs.store.result(job_id)
    named = {"Content-Disposition": f'attachment; filename="{made.file_name}"'}
    return Response(made.data, media_type=made.media_type, headers=named)
