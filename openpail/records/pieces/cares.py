"""The cares that are due, grouped as hands do them, however many pieces rest."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import date
from functools import cache
from typing import Any, NamedTuple

from sqlalchemy import Date, Select, Uuid, bindparam, func, select
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
def _open_cares() -> Select[Any]:
    care = PieceCare
    parts: tuple[Any, ...] = (care.piece_id, care.key, care.due, care.id, Piece.label)
    return (
        select(*parts, care.place, Piece.name, care.words, care.matters)
        .join(Piece, _OF_PIECE)
        .where(*_OPEN)
        .order_by(care.due)
    )


def care_groups(session: Session, dairy: Dairy, today: date, until: date) -> list[CareGroup]:
    """All cares due until a day, grouped; of one that is late on a piece only the last, with since
    when: it takes the earlier ones with it."""
    asked = {"dairy_id": dairy.id, "today": today, "until": until}
    late: dict[tuple[uuid.UUID, str], tuple[date, Any]] = {}
    groups: dict[tuple[Any, ...], list[tuple[str, uuid.UUID, uuid.UUID]]] = {}
    for piece, key, due, care, label, *group in session.execute(_open_cares(), asked):
        if due <= today:
            since = late[piece, key][0] if (piece, key) in late else due
            late[piece, key] = since, (label, care, piece, *group)
        else:
            groups.setdefault((due, *group), []).append((label, care, piece))
    for since, (label, care, piece, *group) in late.values():
        groups.setdefault((since, *group), []).append((label, care, piece))
    found = []
    for (due, place, name, words, matters), of in groups.items():
        labels, cares, pieces = zip(*sorted(of), strict=True)
        found.append(CareGroup(place, name, words, matters, due, cares, pieces, labels))
    return sorted(found, key=lambda each: (each.due, each.labels[0]))


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
