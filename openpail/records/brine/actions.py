"""Tubs are listed and kept; what lies in them follows the deeds of its make."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Select, delete, func, or_, select
from sqlalchemy.orm import Session

from openpail.craft.errors import CraftError, NotHere, RecordError
from openpail.craft.salt.brine import density_20
from openpail.craft.salt.cover import TubSize
from openpail.craft.salt.tub import TubStanding, from_json, to_json
from openpail.craft.salt.tub_deeds import Batch, TubTold, read_deed
from openpail.records.base import mine
from openpail.records.brine.models import Brining, Tub
from openpail.records.dairy.models import Dairy
from openpail.records.log.models import DeedRow
from openpail.records.makes.models import Make
from openpail.records.pieces.models import Piece

_LONGEST_NAME = 80
_FOLLOWS = (
    *("pieces", "kg", "floor_cm2", "pct_in", "salt_kg", "keeps", "in_at", "until", "out_at"),
)


def tubs(session: Session, dairy: Dairy) -> list[Tub]:
    """The tubs in use, by name."""
    query = mine(Tub, dairy.id).where(Tub.put_away_at.is_(None)).order_by(Tub.name)
    return list(session.scalars(query))


def tub(session: Session, dairy: Dairy, tub_id: uuid.UUID, *, to_change: bool = False) -> Tub:
    """One tub, in use or not; locked where it is to change. Raises NotHere."""
    query = mine(Tub, dairy.id).where(Tub.id == tub_id)
    found = session.scalar(query.with_for_update() if to_change else query)
    if found is None:
        raise NotHere("no such tub")
    return found


def add_tub(
    session: Session,
    dairy: Dairy,
    name: str,
    *,
    size: TubSize,
    goal_pct: float,
    celsius: float,
    soft: bool,
) -> Tub:
    """A tub comes in, still empty. Raises RecordError by field."""
    row = Tub(dairy_id=dairy.id, id=uuid.uuid4(), standing={})
    _fill(session, row, name, size=size, goal_pct=goal_pct, celsius=celsius, soft=soft)
    session.add(row)
    session.flush()
    return row


def change_tub(
    session: Session,
    row: Tub,
    name: str,
    *,
    size: TubSize,
    goal_pct: float,
    celsius: float,
    soft: bool,
) -> None:
    """Another name, other measures, another strength to keep it at. Raises RecordError by field."""
    _fill(session, row, name, size=size, goal_pct=goal_pct, celsius=celsius, soft=soft)
    session.flush()


def _fill(
    session: Session,
    row: Tub,
    name: str,
    *,
    size: TubSize,
    goal_pct: float,
    celsius: float,
    soft: bool,
) -> None:
    name = " ".join(name.split())
    if not 0 < len(name) <= _LONGEST_NAME:
        raise RecordError("Give the tub a name, like grey tub.", "name")
    with session.no_autoflush:
        twin = session.scalar(
            select(Tub.id).where(Tub.dairy_id == row.dairy_id, Tub.name == name, Tub.id != row.id)
        )
    if twin is not None:
        raise RecordError(f"There is a “{name}” already.", "name")
    try:
        density_20(goal_pct)
    except CraftError as error:
        raise RecordError(error.words, "goal") from None
    if goal_pct < 1:
        raise RecordError("A brine is kept at 1 % or more.", "goal")
    if not -2 <= celsius <= 30:
        raise RecordError("A brine stands between −2 and 30 °C.", "celsius")
    row.name, row.goal_pct, row.celsius, row.soft = name, goal_pct, celsius, soft
    row.across_cm, row.side_cm, row.height_cm = size.across_cm, size.side_cm, size.height_cm


def put_away(session: Session, row: Tub, now: datetime) -> None:
    """It is out of use. Raises RecordError while cheese lies in it."""
    if session.scalar(select(func.count()).select_from(_open(row.dairy_id, [row.id]).subquery())):
        raise RecordError("Cheese lies in it: take that out first.")
    row.put_away_at = now
    session.flush()


def standing_of(row: Tub) -> TubStanding:
    """Where a tub stands, as it was kept."""
    return from_json(row.standing)


def keep_standing(session: Session, row: Tub, standing: TubStanding) -> None:
    """Keep where a tub stands."""
    row.standing = to_json(standing)
    session.flush()


def told(session: Session, row: Tub, last: int | None = None) -> list[TubTold]:
    """The deeds of a tub, as the craft folds them: all, or so many of the last that arrived."""
    query = (
        mine(DeedRow, row.dairy_id)
        .where(DeedRow.subject_id == row.id)
        .order_by(DeedRow.arrived.desc(), DeedRow.counter.desc())
        .limit(last)
    )
    return [
        TubTold(
            id=str(deed.id),
            deed=read_deed(deed.deed, deed.payload),
            at=deed.at,
            amends=str(deed.amends) if deed.amends else None,
            counter=deed.counter,
        )
        for deed in session.scalars(query)
    ]


def last_in(session: Session, row: Tub) -> datetime | None:
    """When something went into a tub last, None where nothing ever did."""
    query = select(func.max(Brining.in_at)).where(
        Brining.dairy_id == row.dairy_id, Brining.tub_id == row.id
    )
    return session.scalar(query)


def batches(session: Session, row: Tub) -> list[Batch]:
    """The batches that came out of a tub."""
    query = (
        select(Brining, Make.number, Make.name)
        .join(Make, (Make.dairy_id == Brining.dairy_id) & (Make.id == Brining.make_id))
        .where(
            Brining.dairy_id == row.dairy_id, Brining.tub_id == row.id, Brining.out_at.is_not(None)
        )
    )
    return [
        Batch(each.out_at, each.salt_kg, f"make {number}, {name}")
        for each, number, name in session.execute(query)
        if each.out_at is not None
    ]


def _open(dairy_id: uuid.UUID, tub_ids: Collection[uuid.UUID]) -> Select[Any]:
    return mine(Brining, dairy_id).where(Brining.tub_id.in_(tub_ids), Brining.out_at.is_(None))


def lying(session: Session, dairy: Dairy) -> list[tuple[Brining, Make, Tub]]:
    """What lies in the tubs now, the first to come out first."""
    query = (
        select(Brining, Make, Tub)
        .join(Make, (Make.dairy_id == Brining.dairy_id) & (Make.id == Brining.make_id))
        .join(Tub, (Tub.dairy_id == Brining.dairy_id) & (Tub.id == Brining.tub_id))
        .where(
            Brining.dairy_id == dairy.id,
            Brining.out_at.is_(None),
            Make.state != "ended",
            or_(Brining.keeps.is_(False), Make.state == "under way", _are_left()),
        )
        .order_by(Brining.until, Brining.in_at)
    )
    return [(stay, make, tub) for stay, make, tub in session.execute(query)]


def _are_left() -> ColumnElement[bool]:
    """Whether pieces of the make are still there."""
    return (
        select(Piece.id)
        .where(
            Piece.dairy_id == Make.dairy_id,
            Piece.make_id == Make.id,
            Piece.ended_at.is_(None),
        )
        .exists()
    )


def of_make(session: Session, make: Make) -> list[Brining]:
    """Each stay in brine of a make, the first first."""
    query = mine(Brining, make.dairy_id).where(Brining.make_id == make.id).order_by(Brining.in_at)
    return list(session.scalars(query))


def follow(session: Session, make: Make, wanted: Sequence[Brining]) -> set[uuid.UUID]:
    """The stays of a make become what its deeds come to.

    Parameters: wanted, rows that are not in the session, by the ids of their deeds.
    Returns: the tubs that this touches.
    """
    there = {each.id: each for each in of_make(session, make)}
    touched = {each.tub_id for each in there.values()} | {each.tub_id for each in wanted}
    gone = set(there) - {each.id for each in wanted}
    if gone:
        session.execute(
            delete(Brining).where(Brining.dairy_id == make.dairy_id, Brining.id.in_(gone))
        )
    for each in wanted:
        row = there.get(each.id)
        if row is None:
            session.add(each)
            continue
        for name in _FOLLOWS:
            setattr(row, name, getattr(each, name))
    session.flush()
    return touched
