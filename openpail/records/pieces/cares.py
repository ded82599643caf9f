"""The cares that are due, grouped as hands do them, however many pieces rest."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import date
from functools import cache
from typing import Any, NamedTuple

from sqlalchemy import Date, Select, Uuid, bindparam, case, func, or_, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from openpail.records.dairy.models import Dairy
from openpail.records.pieces.models import Piece, PieceCare


@dataclass(frozen=True, slots=True)
class CareGroup:
    """The same care, due on the same day, for pieces of one cheese at one place.

    due: the day, or since when it is late; cares and pieces, their ids and labels in one order.
    """

    place: str
    name: str
    words: str
    matters: str
    due: date
    cares: tuple[uuid.UUID, ...]
    pieces: tuple[uuid.UUID, ...]
    labels: tuple[str, ...]


_OF_PIECE = (Piece.dairy_id == PieceCare.dairy_id) & (Piece.id == PieceCare.piece_id)
_OPEN = (
    PieceCare.dairy_id == bindparam("dairy_id", type_=Uuid()),
    PieceCare.done_at.is_(None),
    PieceCare.due <= bindparam("until", type_=Date()),
    Piece.ended_at.is_(None),
)


@cache  # putting a question together takes longer than asking it
def _care_groups() -> Select[Any]:
    today = bindparam("today", type_=Date())
    of_one = (PieceCare.piece_id, PieceCare.key, PieceCare.due <= today)
    rows = (
        select(
            PieceCare.id,
            PieceCare.piece_id,
            Piece.label,
            PieceCare.place,
            Piece.name,
            PieceCare.words,
            PieceCare.matters,
            PieceCare.due,
            func.min(PieceCare.due).over(partition_by=of_one).label("since"),
            func.max(PieceCare.due).over(partition_by=of_one).label("newest"),
        )
        .join(Piece, _OF_PIECE)
        .where(*_OPEN)
        .subquery()
    )
    due = case((rows.c.due <= today, rows.c.since), else_=rows.c.due)
    group = (rows.c.place, rows.c.name, rows.c.words, rows.c.matters, due)
    return (
        select(
            *group,
            func.array_agg(rows.c.label),
            func.array_agg(rows.c.id),
            func.array_agg(rows.c.piece_id),
        )
        .where(or_(rows.c.due > today, rows.c.due == rows.c.newest))
        .group_by(*group)
        .order_by(due, func.min(rows.c.label))
    )


def care_groups(session: Session, dairy: Dairy, today: date, until: date) -> list[CareGroup]:
    """All cares due until a day, grouped; of one that is late on a piece only the last, with since
    when: it takes the earlier ones with it."""
    asked = {"dairy_id": dairy.id, "today": today, "until": until}
    groups = []
    for place, name, words, matters, due, *told in session.execute(_care_groups(), asked):
        # by label here, not in the question: it would sort each of the three by itself
        labels, cares, pieces = zip(*sorted(zip(*told, strict=True)), strict=True)
        groups.append(CareGroup(place, name, words, matters, due, cares, pieces, labels))
    return groups


class CareOfDay(NamedTuple):
    """How many pieces of one cheese want one care on a day; what is late is wanted today."""

    day: date
    words: str
    name: str
    pieces: int


@cache
def _cares_by_day() -> Select[Any]:
    today = bindparam("today", type_=Date())
    day = func.greatest(PieceCare.due, today).label("day")
    wanted = (
        select(PieceCare.piece_id, PieceCare.words, Piece.name, day)
        .join(Piece, _OF_PIECE)
        .where(*_OPEN)
        .order_by(PieceCare.piece_id, PieceCare.key, day, PieceCare.due.desc())
        .ext(distinct_on(PieceCare.piece_id, PieceCare.key, day))
        .subquery()
    )
    of = (wanted.c.day, wanted.c.words, wanted.c.name)
    return select(*of, func.count(wanted.c.piece_id.distinct())).group_by(*of).order_by(*of)


def cares_by_day(session: Session, dairy: Dairy, today: date, until: date) -> list[CareOfDay]:
    """What is to be done to how many pieces, day by day until one; of a care that is late on a
    piece only the last, which takes the earlier ones with it."""
    asked = {"dairy_id": dairy.id, "today": today, "until": until}
    return [CareOfDay(*row) for row in session.execute(_cares_by_day(), asked)]
