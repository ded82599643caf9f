"""The pieces on their shelves: a stretch of each place, however many rest."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import date
from functools import cache
from typing import Any

from sqlalchemy import Date, Select, Text, Uuid, bindparam, func, or_, select, true
from sqlalchemy.orm import Session

from openpail.records.dairy.models import Dairy
from openpail.records.pieces.models import Piece, PieceCare


@dataclass(frozen=True, slots=True)
class OnShelf:
    """A piece on its shelf with its next care (None: none is left); and what is on that shelf.

    count: of all the pieces there; waiting: of those with a care due.
    """

    id: uuid.UUID
    label: str
    name: str
    mass_kg: float
    made_on: date
    ready_from: date
    place: str
    care_id: uuid.UUID | None
    words: str | None
    due: date | None
    count: int
    waiting: int


@cache  # putting a question together takes longer than asking it
def _on_shelves() -> Select[Any]:
    care = (
        select(PieceCare.id, PieceCare.words, PieceCare.place, PieceCare.due)
        .where(
            PieceCare.dairy_id == Piece.dairy_id,
            PieceCare.piece_id == Piece.id,
            PieceCare.done_at.is_(None),
        )
        .order_by(PieceCare.due, PieceCare.key)
        .limit(1)
        .lateral()
    )
    today = bindparam("today", type_=Date())
    place = func.coalesce(care.c.place, "ready").label("place")
    soonest = (func.coalesce(care.c.due, today), Piece.label)
    rows = (
        select(
            Piece.id.label("piece_id"),
            Piece.label,
            Piece.name,
            Piece.mass_kg,
            Piece.made_on,
            Piece.ready_from,
            place,
            care.c.id.label("care_id"),
            care.c.words,
            care.c.due,
            func.count().over(partition_by=place).label("count"),
            func.count().filter(care.c.due <= today).over(partition_by=place).label("waiting"),
            func.row_number().over(partition_by=place, order_by=soonest).label("number"),
        )
        .outerjoin(care, true())
        .where(
            Piece.dairy_id == bindparam("dairy_id", type_=Uuid()),
            Piece.ended_at.is_(None),
        )
        .subquery()
    )
    only = bindparam("only", type_=Text())
    kept = [column for column in rows.c if column.name != "number"]
    return (
        select(*kept)
        .where(
            or_(only == "", rows.c.place == only),
            rows.c.number.between(bindparam("first"), bindparam("last")),
        )
        .order_by(rows.c.place, rows.c.number)
    )


def on_shelves(
    session: Session, dairy: Dairy, today: date, first: int, last: int, only: str = ""
) -> list[OnShelf]:
    """The pieces by place, those to touch next first: from a number to a number of each place.

    only: one place, "" for all of them.
    """
    asked = {"dairy_id": dairy.id, "today": today, "first": first, "last": last, "only": only}
    return [OnShelf(*row) for row in session.execute(_on_shelves(), asked)]
