"""What the record holds over time: yields, flocks, warmings, weighings, tests of milk, prices."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Float, Text, and_, cast, func, select
from sqlalchemy.orm import Session

from openpail.records.base import as_named
from openpail.records.dairy.models import Dairy, RoomRow, Vat
from openpail.records.makes.models import (
    FlocksLesson,
    Make,
    MakeLook,
    MakeMilk,
    ShareLesson,
    WarmingLesson,
)
from openpail.records.milk.models import Herd, MilkLot, MilkTestRow
from openpail.records.pieces.models import Piece
from openpail.records.stock.models import Bottle, StockMove


@dataclass(frozen=True, slots=True, kw_only=True)
class ValueOf:
    """A value of a make, or of milk: of what, when, which make (None: of none) and its name."""

    of: str
    at: datetime
    value: float
    make_id: uuid.UUID | None = None
    name: str = ""


def _fact(key: str) -> Any:
    return MakeLook.figures[key].as_float()


def _named() -> Any:
    return func.concat(Make.name, ", make ", Make.number).label("name")


def facts(session: Session, dairy: Dairy, key: str, since: datetime | None) -> list[ValueOf]:
    """A fact of each make that has it, by its cheese. Parameters: key, one of the craft's own."""
    value = _fact(key)
    query = (
        select(
            Make.name.label("of"),
            Make.started_at.label("at"),
            value.label("value"),
            Make.id.label("make_id"),
            _named(),
        )
        .join(MakeLook, and_(MakeLook.dairy_id == Make.dairy_id, MakeLook.id == Make.id))
        .where(Make.dairy_id == dairy.id, value.is_not(None), *_since(Make.started_at, since))
    )
    return as_named(ValueOf, session.execute(query))


def _since(column: Any, since: datetime | None) -> tuple[Any, ...]:
    return () if since is None else (column >= since,)


def flocks(session: Session, dairy: Dairy, since: datetime | None) -> list[ValueOf]:
    """First flocks against what the label says, %, by bottle."""
    share = 100 * FlocksLesson.observed_min / FlocksLesson.expected_min
    query = (
        select(
            Bottle.name.label("of"),
            FlocksLesson.at,
            share.label("value"),
            Make.id.label("make_id"),
            _named(),
        )
        .join(
            Bottle,
            and_(Bottle.dairy_id == FlocksLesson.dairy_id, Bottle.id == FlocksLesson.bottle_id),
        )
        .join(Make, and_(Make.dairy_id == FlocksLesson.dairy_id, Make.id == FlocksLesson.make_id))
        .where(FlocksLesson.dairy_id == dairy.id, *_since(FlocksLesson.at, since))
    )
    return as_named(ValueOf, session.execute(query))


@dataclass(frozen=True, slots=True, kw_only=True)
class Warmed:
    """A warming: of which vat, when, kg, by how many °C, in how many minutes, in which make."""

    vat: str
    at: datetime
    mass_kg: float
    from_c: float
    to_c: float
    minutes: float
    make_id: uuid.UUID
    name: str


def warmings(session: Session, dairy: Dairy, since: datetime | None) -> list[Warmed]:
    """The warmings of all vats, as they were read."""
    lesson = WarmingLesson
    query = (
        select(
            Vat.name.label("vat"),
            lesson.at,
            lesson.mass_kg,
            lesson.from_c,
            lesson.to_c,
            lesson.minutes,
            Make.id.label("make_id"),
            _named(),
        )
        .join(Vat, and_(Vat.dairy_id == lesson.dairy_id, Vat.id == lesson.vat_id))
        .join(Make, and_(Make.dairy_id == lesson.dairy_id, Make.id == lesson.make_id))
        .where(lesson.dairy_id == dairy.id, *_since(lesson.at, since))
    )
    return as_named(Warmed, session.execute(query))


def tests(session: Session, dairy: Dairy, column: str, since: datetime | None) -> list[ValueOf]:
    """A part of the milk as it was tested, %, by herd. Parameters: column of a test."""
    herd_id = func.coalesce(MilkTestRow.herd_id, MilkLot.herd_id)
    value = getattr(MilkTestRow, column)
    query = (
        select(Herd.name.label("of"), MilkTestRow.taken_at.label("at"), value.label("value"))
        .outerjoin(
            MilkLot,
            and_(MilkLot.dairy_id == MilkTestRow.dairy_id, MilkLot.id == MilkTestRow.lot_id),
        )
        .join(Herd, and_(Herd.dairy_id == MilkTestRow.dairy_id, Herd.id == herd_id))
        .where(
            MilkTestRow.dairy_id == dairy.id,
            value.is_not(None),
            *_since(MilkTestRow.taken_at, since),
        )
    )
    return as_named(ValueOf, session.execute(query))


TESTED: tuple[tuple[str, str], ...] = (
    ("fat_pct", "fat, %"),
    ("protein_pct", "protein, %"),
    ("casein_pct", "casein, %"),
    ("lactose_pct", "lactose, %"),
    ("snf_pct", "solids not fat, %"),
    ("total_solids_pct", "total solids, %"),
    ("density_g_ml", "density, g/mL"),
    ("freezing_point_c", "freezing point, °C"),
    ("acidity_pct", "acidity, %"),
    ("ph", "pH"),
    ("cells_per_ml", "cells per mL"),
    ("plates_per_ml", "plates per mL"),
)


def tests_told(session: Session, dairy: Dairy, most: int) -> list[tuple[Any, ...]]:
    """The tests of milk, the newest first: when, herd, lot, each of TESTED, residue found."""
    herd_id = func.coalesce(MilkTestRow.herd_id, MilkLot.herd_id)
    query = (
        select(
            MilkTestRow.taken_at,
            func.coalesce(Herd.name, ""),
            func.coalesce(MilkLot.name, ""),
            *(getattr(MilkTestRow, column) for column, _ in TESTED),
            MilkTestRow.residue_found,
        )
        .outerjoin(
            MilkLot,
            and_(MilkLot.dairy_id == MilkTestRow.dairy_id, MilkLot.id == MilkTestRow.lot_id),
        )
        .outerjoin(Herd, and_(Herd.dairy_id == MilkTestRow.dairy_id, Herd.id == herd_id))
        .where(MilkTestRow.dairy_id == dairy.id)
        .order_by(MilkTestRow.taken_at.desc(), MilkTestRow.id)
        .limit(most)
    )
    return [tuple(row) for row in session.execute(query)]


def dried(session: Session, dairy: Dairy, since: datetime | None) -> list[ValueOf]:
    """What whole cheeses lost against what was expected, %, by the place where they lay."""
    lesson = ShareLesson
    query = (
        select(
            RoomRow.name.label("of"),
            lesson.at,
            (100 * lesson.seen / lesson.expected).label("value"),
            Make.id.label("make_id"),
            Piece.label.label("name"),
        )
        .join(
            RoomRow, and_(RoomRow.dairy_id == lesson.dairy_id, cast(RoomRow.id, Text) == lesson.of)
        )
        .join(Make, and_(Make.dairy_id == lesson.dairy_id, Make.id == lesson.make_id))
        .join(Piece, and_(Piece.dairy_id == lesson.dairy_id, Piece.id == lesson.subject_id))
        .where(lesson.dairy_id == dairy.id, lesson.sort == "drying", *_since(lesson.at, since))
    )
    return as_named(ValueOf, session.execute(query))


def cultured(
    session: Session, dairy: Dairy, since: datetime | None, most: int
) -> list[tuple[Make, str]]:
    """The newest makes whose acid was read, with what their culture was called."""
    query = (
        select(Make, MakeLook.culture)
        .join(MakeLook, and_(MakeLook.dairy_id == Make.dairy_id, MakeLook.id == Make.id))
        .where(
            Make.dairy_id == dairy.id,
            MakeLook.culture != "",
            *_since(Make.started_at, since),
        )
        .order_by(Make.started_at.desc())
        .limit(most)
    )
    return [(make, name) for make, name in session.execute(query)]


# ── what things cost ──


@dataclass(frozen=True, slots=True, kw_only=True)
class MadeAndWeighed:
    """A make whose cheese was weighed: its id, cheese, when, what it is called, kg laid down, and
    minutes that it wanted hands."""

    id: uuid.UUID
    cheese: str
    at: datetime
    name: str
    kg: float
    hands_min: float


def weighed_makes(
    session: Session, dairy: Dairy, hands: str, weighed: str, since: datetime | None
) -> list[MadeAndWeighed]:
    """The makes whose cheese was weighed. Parameters: hands and weighed, the craft's own keys of
    these facts."""
    query = (
        select(
            Make.id,
            Make.name.label("cheese"),
            Make.started_at.label("at"),
            _named(),
            MakeLook.real_kg.label("kg"),
            func.coalesce(_fact(hands), 0.0).label("hands_min"),
        )
        .join(MakeLook, and_(MakeLook.dairy_id == Make.dairy_id, MakeLook.id == Make.id))
        .where(
            Make.dairy_id == dairy.id,
            MakeLook.real_kg > 0,
            _fact(weighed).is_not(None),
            *_since(Make.started_at, since),
        )
    )
    return as_named(MadeAndWeighed, session.execute(query))


@dataclass(frozen=True, slots=True, kw_only=True)
class MilkPaid:
    """Milk of a make: its lot's name, breed and kind, L, and what that share of it cost."""

    make_id: uuid.UUID
    name: str
    breed: str
    kind: str
    litres: float
    paid: float | None


def milk_paid(session: Session, dairy: Dairy, ids: Sequence[uuid.UUID] | None) -> list[MilkPaid]:
    """What the milk of makes cost. Parameters: ids, None for all makes."""
    paid = cast(MilkLot.price, Float) * MakeMilk.volume_l / MilkLot.volume_l
    query: Any = (
        select(
            MakeMilk.make_id,
            MilkLot.name,
            MilkLot.breed,
            MilkLot.kind,
            MakeMilk.volume_l.label("litres"),
            paid.label("paid"),
        )
        .join(MilkLot, and_(MilkLot.dairy_id == MakeMilk.dairy_id, MilkLot.id == MakeMilk.lot_id))
        .where(MakeMilk.dairy_id == dairy.id, *_of(MakeMilk.make_id, ids))
    )
    return as_named(MilkPaid, session.execute(query))


def stock_paid(
    session: Session, dairy: Dairy, ids: Sequence[uuid.UUID] | None
) -> list[tuple[uuid.UUID, str, float | None]]:
    """What the stock of makes cost: make, name of the bottle, and what that much of it cost, None
    where its price or what was bought of it is not known. Parameters: ids, None for all makes."""
    taken = -func.sum(StockMove.amount)
    paid = taken * cast(Bottle.price, Float) / func.nullif(Bottle.bought, 0)
    query: Any = (
        select(StockMove.make_id, Bottle.name, paid)
        .join(Bottle, and_(Bottle.dairy_id == StockMove.dairy_id, Bottle.id == StockMove.bottle_id))
        .where(
            StockMove.dairy_id == dairy.id,
            StockMove.make_id.is_not(None),
            *_of(StockMove.make_id, ids),
        )
        .group_by(StockMove.make_id, Bottle.id, Bottle.name, Bottle.price, Bottle.bought)
        .having(taken > 0)
    )
    return [(make_id, name, paid) for make_id, name, paid in session.execute(query)]


def _of(column: Any, ids: Sequence[uuid.UUID] | None) -> tuple[Any, ...]:
    return () if ids is None else (column.in_(list(ids)),)
