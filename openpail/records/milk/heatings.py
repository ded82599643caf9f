"""Pasteurisings: what milk is in which vat, its readings in the log, how its record was closed."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import datetime

from sqlalchemy.orm import Session

from openpail.craft.errors import NotHere, RecordError
from openpail.craft.milk.kinds import Treatment
from openpail.records.base import mine
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.log import actions as log
from openpail.records.log.actions import Kept
from openpail.records.log.models import DeedRow
from openpail.records.milk.models import Heating, MilkLot

SUBJECT, READ, UNDONE = "heating", "heat_read", "undo"


def begin(
    session: Session,
    dairy: Dairy,
    vat: Vat,
    lots: Sequence[MilkLot],
    heating: Heating,
) -> Heating:
    """These lots, whole, go into a vat to be pasteurised. Raises RecordError."""
    open_now = mine(Heating, dairy.id).where(Heating.ended_at.is_(None), Heating.vat_id == vat.id)
    session.refresh(vat, with_for_update=True)
    if session.scalar(open_now):
        raise RecordError(f"Milk is being pasteurised in the {vat.name} already.", "vat")
    session.add(heating)
    session.flush()
    for lot in lots:
        lot.heating_id = heating.id
    session.flush()
    return heating


def one(
    session: Session, dairy: Dairy, heating_id: uuid.UUID, *, to_change: bool = False
) -> Heating:
    """One pasteurising, to look at or, locked, to change. Raises NotHere."""
    found = session.get(Heating, (dairy.id, heating_id), with_for_update=to_change)
    if found is None:
        raise NotHere("no such heating")
    return found


def running(session: Session, dairy: Dairy) -> list[Heating]:
    """The pasteurisings that are not closed, the newest first."""
    query = mine(Heating, dairy.id).where(Heating.ended_at.is_(None))
    return list(session.scalars(query.order_by(Heating.started_at.desc())))


def lots_of(session: Session, heating: Heating) -> list[MilkLot]:
    """The milk in it."""
    query = mine(MilkLot, heating.dairy_id).where(MilkLot.heating_id == heating.id)
    return list(session.scalars(query.order_by(MilkLot.number)))


def tell(
    session: Session,
    heating: Heating,
    deed_id: uuid.UUID,
    *,
    deed: str,
    payload: dict[str, object],
    now: datetime,
    person_id: uuid.UUID | None,
    amends: uuid.UUID | None = None,
) -> bool:
    """Keep a deed of its record; False when it was kept before."""
    kept = Kept(
        subject=SUBJECT,
        subject_id=heating.id,
        id=deed_id,
        deed=deed,
        payload=payload,
        happened=now,
        at=now,
        amends=amends,
    )
    return log.add(session, heating.dairy_id, kept, now, person_id)


def standing(session: Session, heating: Heating) -> list[DeedRow]:
    """The readings of its record that stand, in order of time."""
    rows = log.rows(session, heating.dairy_id, heating.id)
    undone = {row.amends for row in rows if row.deed == UNDONE}
    return [row for row in rows if row.deed == READ and row.id not in undone]


def close(
    session: Session,
    heating: Heating,
    now: datetime,
    treatment: Treatment | None,
    record: str,
) -> None:
    """Close the record: the milk is what it shows; `record` where it lacks nothing."""
    heating.ended_at = now
    heating.meets = bool(record)
    for lot in lots_of(session, heating):
        if treatment is not None:
            lot.treatment, lot.heated_at = treatment, heating.started_at
        lot.heat_record = record
    session.flush()
