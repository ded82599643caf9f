"""The log's rows: deeds in and out. `work/log` is the door to it; nothing else adds a deed."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from openpail.craft.make.deeds import Told
from openpail.craft.make.plain import PAYLOAD_VERSION, read
from openpail.records.base import Json, mine
from openpail.records.log.models import DeedRow
from openpail.records.makes import looks


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A deed as the log keeps it: of which subject, what, when by the device and by us."""

    subject: str
    subject_id: uuid.UUID
    id: uuid.UUID
    deed: str
    payload: Json
    happened: datetime
    at: datetime
    device: str = ""
    counter: int = 0
    amends: uuid.UUID | None = None


def add(
    session: Session,
    dairy_id: uuid.UUID,
    kept: Kept,
    now: datetime,
    person_id: uuid.UUID | None,
) -> bool:
    """Keep a deed; False when this id was kept before."""
    statement = (
        insert(DeedRow)
        .values(_values(dairy_id, kept, now, person_id))
        .on_conflict_do_nothing(index_elements=["dairy_id", "id"])
        .returning(DeedRow.id)
    )
    is_new = session.execute(statement).first() is not None
    if is_new:
        looks.drop(session, dairy_id, kept.subject, kept.subject_id)
    return is_new


def add_all(session: Session, dairy_id: uuid.UUID, every: Sequence[Kept]) -> None:
    """Keep deeds that nobody told before, each as it happened."""
    if every:
        session.execute(insert(DeedRow), [_values(dairy_id, kept, kept.at, None) for kept in every])
    for subject, subject_id in {(kept.subject, kept.subject_id) for kept in every}:
        looks.drop(session, dairy_id, subject, subject_id)


def _values(
    dairy_id: uuid.UUID, kept: Kept, now: datetime, person_id: uuid.UUID | None
) -> dict[str, Any]:
    return {
        "dairy_id": dairy_id,
        "id": kept.id,
        "subject": kept.subject,
        "subject_id": kept.subject_id,
        "deed": kept.deed,
        "payload": kept.payload,
        "payload_version": PAYLOAD_VERSION,
        "happened": kept.happened,
        "clock_offset_s": (kept.at - kept.happened).total_seconds(),
        "at": kept.at,
        "arrived": now,
        "person_id": person_id,
        "device": kept.device,
        "counter": kept.counter,
        "amends": kept.amends,
    }


def there(
    session: Session, dairy_id: uuid.UUID, ids: Iterable[uuid.UUID]
) -> dict[uuid.UUID, uuid.UUID]:
    """Which of these deeds are kept already, and of which subject."""
    query = mine(DeedRow, dairy_id).where(DeedRow.id.in_(list(ids)))
    return {row.id: row.subject_id for row in session.scalars(query)}


def rows(session: Session, dairy_id: uuid.UUID, subject_id: uuid.UUID) -> list[DeedRow]:
    """All deeds of a subject, in the order in which they happened."""
    query = (
        mine(DeedRow, dairy_id)
        .where(DeedRow.subject_id == subject_id)
        .order_by(DeedRow.at, DeedRow.counter, DeedRow.id)
    )
    return list(session.scalars(query))


def of_make(session: Session, dairy_id: uuid.UUID, make_id: uuid.UUID) -> list[Told]:
    """All deeds of a make, as the craft folds them."""
    columns = (
        DeedRow.id,
        DeedRow.deed,
        DeedRow.payload,
        DeedRow.happened,
        DeedRow.amends,
        DeedRow.clock_offset_s,
        DeedRow.device,
        DeedRow.counter,
        DeedRow.arrived,
    )
    query = (
        mine(DeedRow, dairy_id)
        .with_only_columns(*columns)
        .where(DeedRow.subject_id == make_id)
        .order_by(DeedRow.at, DeedRow.counter, DeedRow.id)
    )
    return [
        Told(
            id=str(key),
            deed=read(kind, payload),
            happened=happened,
            amends=str(amends) if amends else None,
            offset=timedelta(seconds=offset),
            device=device,
            counter=counter,
            arrived=arrived,
        )
        for key, kind, payload, happened, amends, offset, device, counter, arrived in (
            session.execute(query)
        )
    ]


def told_since(
    session: Session, dairy_id: uuid.UUID, subject_id: uuid.UUID, since: datetime
) -> tuple[str, ...]:
    """The deeds of a subject that arrived after a moment, the last first: what may be undone."""
    query = (
        mine(DeedRow, dairy_id)
        .with_only_columns(DeedRow.id)
        .where(DeedRow.subject_id == subject_id, DeedRow.arrived >= since)
        .order_by(DeedRow.arrived.desc(), DeedRow.counter.desc(), DeedRow.at.desc())
    )
    return tuple(str(key) for key in session.scalars(query))
