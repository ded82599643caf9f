"""Each form does its work once, however often it is sent."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta

from sqlalchemy import delete
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from openpail.records.answered.models import Answered
from openpail.records.base import mine
from openpail.records.dairy.models import Dairy

_KEPT = timedelta(days=7)  # a phone that lay in a drawer over a week-end sends again


def begin(session: Session, dairy: Dairy, form: uuid.UUID, now: datetime) -> str | None:
    """Take a form in hand. The address its first sending led to, None when this is the first.

    The same form in another request waits here until that request is through.
    """
    session.execute(
        delete(Answered).where(Answered.dairy_id == dairy.id, Answered.at < now - _KEPT)
    )
    row = insert(Answered).values(dairy_id=dairy.id, id=form, at=now)
    first = session.scalar(row.on_conflict_do_nothing().returning(Answered.id))
    if first:
        return None
    return session.scalars(mine(Answered, dairy.id).where(Answered.id == form)).one().location


def end(session: Session, dairy: Dairy, form: uuid.UUID, location: str | None) -> None:
    """Keep where a form led to; one that led nowhere was only shown again, and is forgotten."""
    row = session.get_one(Answered, (dairy.id, form))
    if location is None:
        session.delete(row)
    else:
        row.location = location
    session.flush()
