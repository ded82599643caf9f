"""What went into what: milk, cream, whey, bottles and brines forwards to pieces, and back."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from dataclasses import dataclass, field, fields, replace
from datetime import datetime
from functools import cache
from typing import Any

from sqlalchemy import (
    ARRAY,
    ColumnElement,
    CompoundSelect,
    Select,
    Uuid,
    and_,
    any_,
    bindparam,
    cast,
    func,
    null,
    select,
    union,
)
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.orm import Session, aliased

from openpail.records.base import among, as_named, mine
from openpail.records.brine.models import Brining, Tub
from openpail.records.makes.models import Make, MakeMilk
from openpail.records.milk.models import Herd, LotPart, MilkLot
from openpail.records.pieces.models import Piece, PieceOut
from openpail.records.stock.models import Bottle, StockMove

Ids = frozenset[uuid.UUID]
NONE: Ids = frozenset()


@dataclass(frozen=True, slots=True, kw_only=True)
class Reached:
    """What hangs together, by ids: lots of milk, makes, bottles of the stock, tubs of brine."""

    lots: Ids = NONE
    makes: Ids = NONE
    bottles: Ids = NONE
    tubs: Ids = NONE


def forwards(session: Session, dairy_id: uuid.UUID, start: Reached) -> Reached:
    """All that came of these: makes of the milk, of the bottles and brines; cream that was taken
    off, whey that ran off, what stood in one pot with it, and what was made of it."""
    of_bottles = select(StockMove.make_id).where(
        StockMove.dairy_id == dairy_id, among(StockMove.bottle_id, start.bottles)
    )
    of_tubs = select(Brining.make_id).where(
        Brining.dairy_id == dairy_id, among(Brining.tub_id, start.tubs)
    )
    makes = set(start.makes) | _ids(session, of_bottles) | _ids(session, of_tubs)
    found = _followed(session, dairy_id, start.lots, makes, _came_to())
    return replace(found, bottles=start.bottles, tubs=start.tubs)


_DAIRY = bindparam("dairy_id", type_=Uuid())
_LOTS = any_(bindparam("lots", type_=ARRAY(Uuid())))
_MAKES = any_(bindparam("makes", type_=ARRAY(Uuid())))
_NOBODY: Any = cast(null(), Uuid())


def _followed(
    session: Session,
    dairy_id: uuid.UUID,
    lots: Iterable[uuid.UUID],
    makes: Iterable[uuid.UUID],
    step: CompoundSelect[Any, Any],
) -> Reached:
    """All lots and makes that are reached from these, one question a step."""
    new = Reached(lots=frozenset(lots), makes=frozenset(makes))
    all_of = new
    while new.lots or new.makes:
        asked = {"dairy_id": dairy_id, "lots": list(new.lots), "makes": list(new.makes)}
        rows = session.execute(step, asked).all()
        new = Reached(
            lots=frozenset(lot for lot, _ in rows if lot) - all_of.lots,
            makes=frozenset(make for _, make in rows if make) - all_of.makes,
        )
        all_of = Reached(lots=all_of.lots | new.lots, makes=all_of.makes | new.makes)
    return all_of


@cache  # putting a question together takes longer than asking it
def _came_to() -> CompoundSelect[Any, Any]:
    """Lots and makes that came of some: made of milk, parted from it, run off a make."""
    return union(
        select(_NOBODY, MakeMilk.make_id).where(
            MakeMilk.dairy_id == _DAIRY, MakeMilk.lot_id == _LOTS
        ),
        select(LotPart.lot_id, _NOBODY).where(
            LotPart.dairy_id == _DAIRY, LotPart.of_lot_id == _LOTS
        ),
        select(MilkLot.id, _NOBODY).where(MilkLot.dairy_id == _DAIRY, MilkLot.make_id == _MAKES),
        _heated_with(),
    )


@cache
def _came_of() -> CompoundSelect[Any, Any]:
    """Lots and makes that some came of: poured, parted from, run off."""
    return union(
        select(MakeMilk.lot_id, _NOBODY).where(
            MakeMilk.dairy_id == _DAIRY, MakeMilk.make_id == _MAKES
        ),
        select(LotPart.of_lot_id, _NOBODY).where(
            LotPart.dairy_id == _DAIRY, LotPart.lot_id == _LOTS
        ),
        select(_NOBODY, MilkLot.make_id).where(MilkLot.dairy_id == _DAIRY, MilkLot.id == _LOTS),
        _heated_with(),
    )


def _heated_with() -> Select[Any, Any]:
    """The lots that stood in one pot with some."""
    own = aliased(MilkLot)
    return (
        select(MilkLot.id, _NOBODY)
        .join(own, (own.dairy_id == MilkLot.dairy_id) & (own.heating_id == MilkLot.heating_id))
        .where(MilkLot.dairy_id == _DAIRY, own.id == _LOTS)
    )


def backwards(session: Session, dairy_id: uuid.UUID, make_ids: Iterable[uuid.UUID]) -> Reached:
    """All that these makes came of: their milk, what it was parted from, the makes whose whey it
    is; bottles and brines of them all."""
    behind = _followed(session, dairy_id, (), make_ids, _came_of())
    makes = behind.makes
    bottles = select(StockMove.bottle_id).where(
        StockMove.dairy_id == dairy_id, among(StockMove.make_id, makes)
    )
    tubs = select(Brining.tub_id).where(Brining.dairy_id == dairy_id, among(Brining.make_id, makes))
    return replace(
        behind,
        bottles=frozenset(_ids(session, bottles)),
        tubs=frozenset(_ids(session, tubs)),
    )


def _ids(session: Session, query: Select[Any]) -> set[uuid.UUID]:
    return {each for each in session.scalars(query.distinct()) if each is not None}


@dataclass(frozen=True, slots=True, kw_only=True)
class TracedLot:
    """A lot of milk, as a trace tells it; herd, "" where it is of none."""

    id: uuid.UUID
    number: int
    name: str
    kind: str
    breed: str
    bought: bool
    mass_kg: float
    collected_at: datetime
    herd: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TracedMake:
    """A make, as a trace tells it."""

    id: uuid.UUID
    number: int
    name: str
    started_at: datetime
    milk_kg: float


@dataclass(frozen=True, slots=True, kw_only=True)
class TracedPiece:
    """A piece, as a trace tells it; place, where it lies or lay last."""

    id: uuid.UUID
    label: str
    name: str
    parent_id: uuid.UUID | None
    mass_kg: float
    left_kg: float
    laid_at: datetime
    ended_at: datetime | None
    place: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TracedOut:
    """What left of a piece: of which, how, to whom, kg, when."""

    label: str
    name: str
    kind: str
    to: str
    mass_kg: float
    at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Rows:
    """The rows of what hangs together, each in the order of its days."""

    lots: list[TracedLot] = field(default_factory=list)
    makes: list[TracedMake] = field(default_factory=list)
    bottles: list[Bottle] = field(default_factory=list)
    tubs: list[Tub] = field(default_factory=list)
    pieces: list[TracedPiece] = field(default_factory=list)
    outs: list[TracedOut] = field(default_factory=list)


def rows(
    session: Session, dairy_id: uuid.UUID, reached: Reached, made: Ids, most: int | None = None
) -> Rows:
    """The rows of what was reached: no more of each than is told, for there may be thousands.

    Parameters: made, the makes whose pieces are wanted, those that are here first; most, of each
    sort, None for all: only then what left of them too, line by line.
    """
    lots: Select[Any] = (
        select(*_of(MilkLot, TracedLot, "herd"), func.coalesce(Herd.name, "").label("herd"))
        .outerjoin(Herd, (Herd.dairy_id == MilkLot.dairy_id) & (Herd.id == MilkLot.herd_id))
        .where(MilkLot.dairy_id == dairy_id, among(MilkLot.id, reached.lots))
        .order_by(MilkLot.collected_at)
    )
    makes = (
        select(*_of(Make, TracedMake))
        .where(Make.dairy_id == dairy_id, among(Make.id, reached.makes))
        .order_by(Make.number)
    )
    bottles = mine(Bottle, dairy_id).where(among(Bottle.id, reached.bottles))
    tubs = mine(Tub, dairy_id).where(among(Tub.id, reached.tubs)).order_by(Tub.name)
    place = Piece.course["lain"][-1][0].astext
    order = (Piece.ended_at.is_not(None), Piece.made_on, Piece.number, Piece.label)
    told = select(Piece.id).where(Piece.dairy_id == dairy_id, among(Piece.make_id, made))
    some = told.order_by(*order).limit(most).subquery()  # where each lay is read of these alone
    pieces: Select[Any] = (
        select(*_of(Piece, TracedPiece, "place"), place.label("place"))
        .join(some, some.c.id == Piece.id)
        .where(Piece.dairy_id == dairy_id)
        .order_by(*order)
    )
    outs = (
        select(Piece.label, Piece.name, PieceOut.kind, PieceOut.to, PieceOut.mass_kg, PieceOut.at)
        .join(Piece, _of_piece())
        .where(Piece.dairy_id == dairy_id, among(Piece.make_id, made))
        .order_by(PieceOut.at, Piece.label)
    )
    return Rows(
        lots=as_named(TracedLot, session.execute(lots.limit(most))),
        makes=as_named(TracedMake, session.execute(makes.limit(most))),
        bottles=list(session.scalars(bottles.order_by(Bottle.kind, Bottle.name))),
        tubs=list(session.scalars(tubs)),
        pieces=as_named(TracedPiece, session.execute(pieces)) if made else [],
        outs=as_named(TracedOut, session.execute(outs)) if made and most is None else [],
    )


def _of_piece() -> ColumnElement[bool]:
    return and_(PieceOut.dairy_id == Piece.dairy_id, PieceOut.piece_id == Piece.id)


@dataclass(frozen=True, slots=True)
class Weights:
    """The pieces of some makes by weight: kg that were laid down, kg and how many that are here."""

    laid_kg: float
    here_kg: float
    here: int


def weights(session: Session, dairy_id: uuid.UUID, made: Ids) -> Weights:
    """The pieces of these makes by weight."""
    is_here = Piece.ended_at.is_(None)
    whole = func.sum(Piece.mass_kg).filter(Piece.parent_id.is_(None))
    query = select(
        func.coalesce(whole, 0.0),
        func.coalesce(func.sum(Piece.left_kg).filter(is_here), 0.0),
        func.count().filter(is_here),
    ).where(Piece.dairy_id == dairy_id, among(Piece.make_id, made))
    return Weights(*session.execute(query).one())


@dataclass(frozen=True, slots=True, kw_only=True)
class WentTo:
    """What went one way to somebody: how, to whom, kg; the numbers of the pieces; the first and the
    last of it."""

    kind: str
    to: str
    kg: float
    labels: tuple[str, ...]
    first: datetime
    last: datetime


def gone(session: Session, dairy_id: uuid.UUID, made: Ids) -> list[WentTo]:
    """What left of the pieces of these makes, by way and by whom."""
    to = func.trim(PieceOut.to)
    query = (
        select(
            PieceOut.kind,
            to,
            func.sum(PieceOut.mass_kg),
            func.array_agg(aggregate_order_by(Piece.label, PieceOut.at)),
            func.min(PieceOut.at),
            func.max(PieceOut.at),
        )
        .join(Piece, _of_piece())
        .where(Piece.dairy_id == dairy_id, among(Piece.make_id, made))
        .group_by(PieceOut.kind, to)
    )
    return [
        WentTo(
            kind=kind, to=whom, kg=kg, labels=tuple(dict.fromkeys(labels)), first=first, last=last
        )
        for kind, whom, kg, labels, first, last in session.execute(query)
    ]


def _of(table: Any, row: Any, *but: str) -> list[Any]:
    """The columns of a table that a row tells."""
    return [getattr(table, each.name) for each in fields(row) if each.name not in but]
