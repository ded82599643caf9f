"""What went into what: milk, cream, whey, bottles and brines forwards to pieces, and back."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from openpail.records.base import mine
from openpail.records.brine.models import Brining, Tub
from openpail.records.makes.models import Make, MakeMilk
from openpail.records.milk.models import Herd, LotPart, MilkLot
from openpail.records.pieces.actions import outs_of
from openpail.records.pieces.models import Piece, PieceOut
from openpail.records.stock.models import Bottle, StockMove

Ids = frozenset[uuid.UUID]
NONE: Ids = frozenset()


@dataclass(frozen=True, slots=True)
class Reached:
    """What hangs together, by ids: lots of milk, makes, bottles of the stock, tubs of brine."""

    lots: Ids = NONE
    makes: Ids = NONE
    bottles: Ids = NONE
    tubs: Ids = NONE


def forwards(session: Session, dairy_id: uuid.UUID, start: Reached) -> Reached:
    """All that came of these: makes of the milk, of the bottles and brines; cream that was taken
    off, whey that ran off, and what was made of it."""
    of_bottles = select(StockMove.make_id).where(
        StockMove.dairy_id == dairy_id, StockMove.bottle_id.in_(start.bottles)
    )
    of_tubs = select(Brining.make_id).where(
        Brining.dairy_id == dairy_id, Brining.tub_id.in_(start.tubs)
    )
    lots, makes = set(start.lots), set(start.makes)
    makes |= _ids(session, of_bottles) | _ids(session, of_tubs)
    new_lots, new_makes = set(lots), set(makes)
    while new_lots or new_makes:
        made = select(MakeMilk.make_id).where(
            MakeMilk.dairy_id == dairy_id, MakeMilk.lot_id.in_(new_lots)
        )
        cream = select(LotPart.lot_id).where(
            LotPart.dairy_id == dairy_id, LotPart.of_lot_id.in_(new_lots)
        )
        whey = select(MilkLot.id).where(
            MilkLot.dairy_id == dairy_id, MilkLot.make_id.in_(new_makes)
        )
        new_makes = _ids(session, made) - makes
        new_lots = (_ids(session, cream) | _ids(session, whey)) - lots
        lots |= new_lots
        makes |= new_makes
    return Reached(frozenset(lots), frozenset(makes), start.bottles, start.tubs)


def backwards(session: Session, dairy_id: uuid.UUID, make_ids: Iterable[uuid.UUID]) -> Reached:
    """All that these makes came of: their milk, what it was parted from, the makes whose whey it
    is; bottles and brines of them all."""
    lots: set[uuid.UUID] = set()
    makes = set(make_ids)
    new_lots, new_makes = set[uuid.UUID](), set(makes)
    while new_lots or new_makes:
        poured = select(MakeMilk.lot_id).where(
            MakeMilk.dairy_id == dairy_id, MakeMilk.make_id.in_(new_makes)
        )
        parted = select(LotPart.of_lot_id).where(
            LotPart.dairy_id == dairy_id, LotPart.lot_id.in_(new_lots)
        )
        whey_of = select(MilkLot.make_id).where(
            MilkLot.dairy_id == dairy_id, MilkLot.id.in_(new_lots)
        )
        found = _ids(session, poured) | _ids(session, parted)
        new_lots, new_makes = found - lots, _ids(session, whey_of) - makes
        lots |= new_lots
        makes |= new_makes
    bottles = select(StockMove.bottle_id).where(
        StockMove.dairy_id == dairy_id, StockMove.make_id.in_(makes)
    )
    tubs = select(Brining.tub_id).where(Brining.dairy_id == dairy_id, Brining.make_id.in_(makes))
    return Reached(
        frozenset(lots),
        frozenset(makes),
        frozenset(_ids(session, bottles)),
        frozenset(_ids(session, tubs)),
    )


def _ids(session: Session, query: Select[Any]) -> set[uuid.UUID]:
    return {each for each in session.scalars(query) if each is not None}


@dataclass(frozen=True, slots=True)
class Rows:
    """The rows of what hangs together, each in the order of its days."""

    lots: list[tuple[MilkLot, str]] = field(default_factory=list)
    makes: list[Make] = field(default_factory=list)
    bottles: list[Bottle] = field(default_factory=list)
    tubs: list[Tub] = field(default_factory=list)
    pieces: list[Piece] = field(default_factory=list)
    outs: list[tuple[Piece, PieceOut]] = field(default_factory=list)


def rows(session: Session, dairy_id: uuid.UUID, reached: Reached, made: Ids) -> Rows:
    """The rows of what was reached. Parameters: made, the makes whose pieces are wanted."""
    herds = (
        select(MilkLot, Herd.name)
        .outerjoin(Herd, (Herd.dairy_id == MilkLot.dairy_id) & (Herd.id == MilkLot.herd_id))
        .where(MilkLot.dairy_id == dairy_id, MilkLot.id.in_(list(reached.lots)))
        .order_by(MilkLot.collected_at)
    )
    makes = mine(Make, dairy_id).where(Make.id.in_(list(reached.makes))).order_by(Make.number)
    bottles = mine(Bottle, dairy_id).where(Bottle.id.in_(list(reached.bottles)))
    tubs = mine(Tub, dairy_id).where(Tub.id.in_(list(reached.tubs))).order_by(Tub.name)
    pieces = mine(Piece, dairy_id).where(Piece.make_id.in_(list(made)))
    return Rows(
        [(lot, herd or "") for lot, herd in session.execute(herds)],
        list(session.scalars(makes)),
        list(session.scalars(bottles.order_by(Bottle.kind, Bottle.name))),
        list(session.scalars(tubs)),
        list(session.scalars(pieces.order_by(Piece.made_on, Piece.number, Piece.label))),
        outs_of(session, dairy_id, made),
    )
