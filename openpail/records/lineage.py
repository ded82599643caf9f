"""What went into what: milk, cream, whey, bottles and brines forwards to pieces, and back."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from dataclasses import dataclass, field, fields
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Select, and_, func, select
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
    lots, makes = set(start.lots), set(start.makes)
    makes |= _ids(session, of_bottles) | _ids(session, of_tubs)
    new_lots, new_makes = set(lots), set(makes)
    while new_lots or new_makes:
        made = select(MakeMilk.make_id).where(
            MakeMilk.dairy_id == dairy_id, among(MakeMilk.lot_id, new_lots)
        )
        cream = select(LotPart.lot_id).where(
            LotPart.dairy_id == dairy_id, among(LotPart.of_lot_id, new_lots)
        )
        whey = select(MilkLot.id).where(
            MilkLot.dairy_id == dairy_id, among(MilkLot.make_id, new_makes)
        )
        heated = _heated_with(dairy_id, new_lots)
        new_makes = _ids(session, made) - makes
        new_lots = (_ids(session, cream) | _ids(session, whey) | _ids(session, heated)) - lots
        lots |= new_lots
        makes |= new_makes
    return Reached(
        lots=frozenset(lots), makes=frozenset(makes), bottles=start.bottles, tubs=start.tubs
    )


def _heated_with(dairy_id: uuid.UUID, lots: Iterable[uuid.UUID]) -> Select[Any]:
    """The lots that stood in one pot with these."""
    own = aliased(MilkLot)
    return (
        select(MilkLot.id)
        .join(own, (own.dairy_id == MilkLot.dairy_id) & (own.heating_id == MilkLot.heating_id))
        .where(MilkLot.dairy_id == dairy_id, among(own.id, set(lots)))
    )


def backwards(session: Session, dairy_id: uuid.UUID, make_ids: Iterable[uuid.UUID]) -> Reached:
    """All that these makes came of: their milk, what it was parted from, the makes whose whey it
    is; bottles and brines of them all."""
    lots: set[uuid.UUID] = set()
    makes = set(make_ids)
    new_lots, new_makes = set[uuid.UUID](), set(makes)
    while new_lots or new_makes:
        poured = select(MakeMilk.lot_id).where(
            MakeMilk.dairy_id == dairy_id, among(MakeMilk.make_id, new_makes)
        )
        parted = select(LotPart.of_lot_id).where(
            LotPart.dairy_id == dairy_id, among(LotPart.lot_id, new_lots)
        )
        whey_of = select(MilkLot.make_id).where(
            MilkLot.dairy_id == dairy_id, among(MilkLot.id, new_lots)
        )
        heated = _heated_with(dairy_id, new_lots)
        found = _ids(session, poured) | _ids(session, parted) | _ids(session, heated)
        new_lots, new_makes = found - lots, _ids(session, whey_of) - makes
        lots |= new_lots
        makes |= new_makes
    bottles = select(StockMove.bottle_id).where(
        StockMove.dairy_id == dairy_id, among(StockMove.make_id, makes)
    )
    tubs = select(Brining.tub_id).where(Brining.dairy_id == dairy_id, among(Brining.make_id, makes))
    return Reached(
        lots=frozenset(lots),
        makes=frozenset(makes),
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
