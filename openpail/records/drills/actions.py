"""A recall is begun, those who have the cheese are reached, it is ended."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import NamedTuple

from sqlalchemy.orm import Session

from openpail.craft.errors import NotHere, RecordError
from openpail.records.base import mine
from openpail.records.dairy.models import Dairy
from openpail.records.drills.models import Drill


def begin(
    session: Session,
    dairy: Dairy,
    sort: str,
    *,
    subject_id: uuid.UUID,
    words: str,
    now: datetime,
    person_id: uuid.UUID | None,
    real: bool,
) -> Drill:
    """Begin a recall. Raises RecordError while one of the same is under way."""
    query = mine(Drill, dairy.id).where(Drill.subject_id == subject_id, Drill.ended_at.is_(None))
    if session.scalar(query):
        raise RecordError("A recall of this is under way already.")
    row = Drill(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        sort=sort,
        subject_id=subject_id,
        words=words,
        real=real,
        begun_at=now,
        ended_at=None,
        reached={},
        person_id=person_id,
    )
    session.add(row)
    session.flush()
    return row


def drill(session: Session, dairy: Dairy, drill_id: uuid.UUID) -> Drill:
    """One recall, to be changed. Raises NotHere."""
    row = session.scalar(mine(Drill, dairy.id).where(Drill.id == drill_id).with_for_update())
    if row is None:
        raise NotHere("no such recall")
    return row


class Recalled(NamedTuple):
    """A real recall: of what, since when, who was reached."""

    subject_id: uuid.UUID
    begun_at: datetime
    reached: frozenset[str]


def real_since(session: Session, dairy: Dairy, since: datetime) -> list[Recalled]:
    """The real recalls that were begun since a moment, and whom each reached so far."""
    query = mine(Drill, dairy.id).where(Drill.real, Drill.begun_at >= since)
    return [
        Recalled(row.subject_id, row.begun_at, frozenset(row.reached))
        for row in session.scalars(query)
    ]


def of_subject(session: Session, dairy: Dairy, subject_id: uuid.UUID) -> list[Drill]:
    """The recalls of something, the newest first."""
    query = mine(Drill, dairy.id).where(Drill.subject_id == subject_id)
    return list(session.scalars(query.order_by(Drill.begun_at.desc())))


def reach(row: Drill, whom: str, now: datetime) -> None:
    """Somebody was reached. Raises RecordError once it is ended."""
    _check(row)
    row.reached = {**row.reached, whom: now.isoformat()}


def end(row: Drill, now: datetime) -> None:
    """It is at its end. Raises RecordError when it is so already."""
    _check(row)
    row.ended_at = max(now, row.begun_at)


def _check(row: Drill) -> None:
    if row.ended_at is not None:
        raise RecordError("This recall is ended.")
