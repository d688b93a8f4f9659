"""Jobs kept: what was asked for, how far it is, and what it came to. A restart of the server loses none of it."""

import uuid
from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Final, Literal

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, undefer

from jorvik.core.problems import Problem
from jorvik.store.database import Store
from jorvik.store.documents import Missing
from jorvik.store.tables import JobRow

JobState = Literal["waiting", "running", "done", "failed", "cancelled"]

UNDER_WAY: Final[tuple[JobState, ...]] = ("waiting", "running")

MOST_WAITING: Final = 100
"""Jobs under way at once; one more is refused."""

MOST_ENDED: Final = 50
MOST_RESULT_BYTES: Final = 500_000_000
"""Of jobs that have ended the oldest are forgotten, so that no more of them, and of what they made, are kept."""

MOST_BEGUN: Final = 3
"""A job that has stopped the server so often is not begun again."""


@dataclass(frozen=True)
class Job:
    """A job in a list."""

    id: uuid.UUID
    kind: str
    title: str
    state: JobState
    progress: float
    said: str
    facts: dict[str, Any]
    result_bytes: int
    file_name: str
    created_at: datetime
    changed_at: datetime


@dataclass(frozen=True)
class Made:
    """What a job came to: a file, and what is worth saying of it."""

    data: bytes
    media_type: str
    file_name: str
    facts: dict[str, Any] = field(default_factory=dict)


class JobStore(Store):
    """Reads and writes jobs; each call is one transaction."""

    def add(
        self, job_id: uuid.UUID, kind: str, title: str, request: dict[str, Any], facts: dict[str, Any] | None = None
    ) -> Job:
        """Keep a job that waits. Its identity is the asker's own: asked for again, it is the job that it was.

        Raises Problem where too many are under way.
        """
        with self._session() as session:
            if (known := session.get(JobRow, job_id)) is not None:
                return _job(known)
            under_way = session.scalar(select(func.count()).where(JobRow.state.in_(UNDER_WAY))) or 0
            if under_way >= MOST_WAITING:
                raise Problem("the jobs", f"{under_way} under way", f"fewer than {MOST_WAITING}; cancel some")
            row = JobRow(id=job_id, kind=kind, title=title, request=request, state="waiting", facts=facts or {})
            session.add(row)
            session.flush()
            session.refresh(row)
            return _job(row)

    def jobs(self) -> list[Job]:
        """Return every job, the newest first, without what they made."""
        with self._session() as session:
            return [_job(row) for row in session.scalars(select(JobRow).order_by(JobRow.created_at.desc()))]

    def get(self, job_id: uuid.UUID) -> Job:
        """Return a job."""
        with self._session() as session:
            return _job(_row(session, job_id))

    def begin_next(self, kinds: Collection[str] = ()) -> tuple[Job, dict[str, Any]] | None:
        """Return the job that has waited longest, now running, and what it asks for; None where none waits.

        Of some kinds, where they are said.
        """
        oldest = select(JobRow).where(JobRow.state == "waiting").order_by(JobRow.created_at).limit(1)
        if kinds:
            oldest = oldest.where(JobRow.kind.in_(kinds))
        with self._session() as session:
            row = session.scalar(oldest.options(undefer(JobRow.request)).with_for_update())
            if row is None:
                return None
            row.state, row.progress = "running", 0.0
            row.begun += 1
            row.changed_at = func.clock_timestamp()
            session.flush()
            session.refresh(row)
            return _job(row), row.request

    def go_on(self) -> None:
        """Let what ran when the server was stopped wait again; what has stopped it again and again fails."""
        running = update(JobRow).where(JobRow.state == "running")
        with self._session() as session:
            said = "The server stopped at it each time."
            session.execute(running.where(JobRow.begun >= MOST_BEGUN).values(state="failed", said=said))
            session.execute(running.values(state="waiting", progress=0.0))

    def hand_back(self) -> None:
        """Let what runs wait, as if it had not been begun: the server is being stopped as it should be."""
        running = update(JobRow).where(JobRow.state == "running")
        with self._session() as session:
            session.execute(running.values(state="waiting", progress=0.0, begun=JobRow.begun - 1))

    def tell_progress(self, job_id: uuid.UUID, progress: float) -> None:
        """Write down how far a running job is, from 0 to 1."""
        with self._session() as session:
            session.execute(
                update(JobRow).where(JobRow.id == job_id, JobRow.state == "running").values(progress=progress)
            )

    def finish(self, job_id: uuid.UUID, made: Made) -> None:
        """Keep what a job made, unless it was cancelled meanwhile."""
        with self._session() as session:
            row = session.get(JobRow, job_id, with_for_update=True)
            if row is None or row.state != "running":
                return
            row.state, row.progress, row.facts = "done", 1.0, made.facts
            row.result, row.result_bytes = made.data, len(made.data)
            row.file_name, row.media_type = made.file_name, made.media_type
            row.changed_at = func.clock_timestamp()
            session.flush()
            _forget_old(session)

    def end(self, job_id: uuid.UUID, state: JobState, said: str = "") -> None:
        """End a job under way without a result. One that has ended stays as it is."""
        with self._session() as session:
            changed = update(JobRow).where(JobRow.id == job_id, JobRow.state.in_(UNDER_WAY))
            session.execute(changed.values(state=state, said=said, changed_at=func.clock_timestamp()))
            _forget_old(session)

    def forget(self, job_id: uuid.UUID) -> None:
        """Take a job away, with what it made."""
        with self._session() as session:
            session.delete(_row(session, job_id))

    def result(self, job_id: uuid.UUID) -> Made:
        """Return what a job made. Raises Missing where it made nothing, or not yet."""
        with self._session() as session:
            row = session.get(JobRow, job_id, options=[undefer(JobRow.result)])
            if row is None or row.result is None:
                raise Missing("There is no such result; the job may not be done, or was forgotten.")
            return Made(row.result, row.media_type, row.file_name, row.facts)


def _row(session: Session, job_id: uuid.UUID) -> JobRow:
    row = session.get(JobRow, job_id)
    if row is None:
        raise Missing("There is no such job; it may have been forgotten.")
    return row


def _forget_old(session: Session) -> None:
    columns = select(JobRow.id, JobRow.result_bytes).where(JobRow.state.not_in(UNDER_WAY))
    kept = 0
    for number, (job_id, size) in enumerate(session.execute(columns.order_by(JobRow.changed_at.desc())).all()):
        kept += size
        # What was made just now is handed over, however large.
        if number > 0 and (number >= MOST_ENDED or kept > MOST_RESULT_BYTES):
            session.delete(_row(session, job_id))


def _job(row: JobRow) -> Job:
    return Job(**{name: getattr(row, name) for name in Job.__dataclass_fields__})
