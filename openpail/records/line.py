"""What is on the line now: the milk that waits, the makes under way, the cheeses at rest."""

from __future__ import annotations

import uuid
from functools import cache

from sqlalchemy import Select, Uuid, bindparam, func, literal_column, select, true
from sqlalchemy.orm import Session

from openpail.records.dairy.models import Dairy
from openpail.records.makes.models import Make
from openpail.records.milk.models import MilkLot
from openpail.records.pieces.models import Piece

_NOTHING_KG = "0.01"  # as its index has it


_DAIRY = bindparam("dairy_id", type_=Uuid())


@cache  # putting a question together takes longer than asking it
def _query() -> Select[int, int, uuid.UUID, str, str]:
    waiting = (
        select(func.count())
        .select_from(MilkLot)
        .where(MilkLot.dairy_id == _DAIRY, MilkLot.left_kg > literal_column(_NOTHING_KG))
        .scalar_subquery()
    )
    resting = (
        select(func.count())
        .select_from(Piece)
        .where(Piece.dairy_id == _DAIRY, Piece.ended_at.is_(None))
        .scalar_subquery()
    )
    counted = select(waiting.label("waiting"), resting.label("resting")).subquery()
    running = (
        select(Make.id, Make.name, Make.station, Make.started_at)
        .where(Make.dairy_id == _DAIRY, Make.state == "under way")
        .subquery()
    )
    return (
        select(
            counted.c.waiting,
            counted.c.resting,
            running.c.id,
            running.c.name,
            running.c.station,
        )
        .select_from(counted)
        .outerjoin(running, true())
        .order_by(running.c.started_at.desc())
    )


def counts(session: Session, dairy: Dairy) -> tuple[int, int, list[tuple[uuid.UUID, str, str]]]:
    """How many lots of milk wait, how many pieces rest, and which makes are under way, each with
    its name and the station that it stands at."""
    rows = session.execute(_query(), {"dairy_id": dairy.id}).all()
    running = [(make_id, name, at) for _, _, make_id, name, at in rows if make_id]
    return rows[0][0], rows[0][1], running
