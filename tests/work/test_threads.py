"""Trace without a page: from a piece to its milkings and its sisters, and back."""

import uuid
from dataclasses import replace

import pytest
from sqlalchemy import select

from openpail.craft.cave.deeds import Out
from openpail.records.makes import actions as makes
from openpail.records.milk.models import LotPart, MilkLot
from openpail.records.stock.models import StockMove
from openpail.work.cave import piece
from openpail.work.cave.piece import Telling
from openpail.work.cave.ripening import resting
from openpail.work.logbook import trace


@pytest.fixture
def sold(farm):
    """A make of several pieces, two of which are sold and one given to nobody that is named."""
    here = farm()
    rows = [row for row in resting(here) if not row.raw]
    by_make = {row.make_id: [r for r in rows if r.make_id == row.make_id] for row in rows}
    mine = max(by_make.values(), key=len)[:3]
    outs = (
        Out(where="sold", to="Mill Inn", kg=mine[0].left_kg / 2),
        Out(where="sold", to="Tarrow shop"),
        Out(where="given"),
    )
    for row, out in zip(mine, outs, strict=True):
        deed = replace(out, label=row.label, why="as every week, a regular")
        piece.tell(here, [Telling(piece_id=row.id, deed=deed, id=uuid.uuid4())])
    here.session.commit()
    return mine


def test_a_sold_piece_leads_to_its_milkings_and_to_its_sisters(farm, sold):
    here = farm()
    traced = trace.trace(here, "piece", sold[0].id)
    make = makes.make(here.session, here.dairy, sold[0].make_id)
    milk = {each.lot_id for each in makes.milk_of(here.session, make)}
    assert milk <= {lot.id for lot in traced.came.lots}
    assert {row.id for row in sold} <= {each.id for each in traced.of_it.pieces}
    assert {each.name for each in traced.whom} == {"Mill Inn", "Tarrow shop", trace.NOBODY}
    bottles = set(
        here.session.scalars(select(StockMove.bottle_id).where(StockMove.make_id == make.id))
    )
    assert bottles == {each.id for each in traced.came.bottles}


def test_whey_of_a_make_and_what_was_made_of_it_hang_together_both_ways(farm):
    here = farm()
    lots = here.session.scalars(select(MilkLot).where(MilkLot.make_id.is_not(None))).all()
    for whey in lots:
        ahead = trace.trace(here, "make", whey.make_id)
        assert whey.id in {lot.id for lot in ahead.of_it.lots}
        for make in trace.trace(here, "lot", whey.id).of_it.makes:
            behind = trace.trace(here, "make", make.id)
            assert whey.make_id in {each.id for each in behind.came.makes}
    make = makes.all_makes(here.session, here.dairy)[-1]
    source = makes.milk_of(here.session, make)[0].lot_id
    kept = MilkLot(
        **{
            column.key: getattr(here.session.scalars(select(MilkLot)).first(), column.key)
            for column in MilkLot.__table__.columns
        }
        | {"id": uuid.uuid4(), "number": 9_999, "make_id": make.id, "kind": "whey", "name": "whey"},
        tests=[],
    )
    here.session.add(kept)
    here.session.flush()
    traced = trace.trace(here, "lot", source)
    assert kept.id in {lot.id for lot in traced.of_it.lots}


def test_cream_that_was_taken_off_a_milk_leads_to_it_and_from_it(farm):
    here = farm()
    make = makes.all_makes(here.session, here.dairy)[-1]
    used = makes.milk_of(here.session, make)[0].lot_id
    source = here.session.scalars(
        select(MilkLot).where(MilkLot.id != used, MilkLot.kind == "milk")
    ).first()
    parted = LotPart(
        dairy_id=make.dairy_id,
        id=uuid.uuid4(),
        lot_id=used,
        of_lot_id=source.id,
        mass_kg=1.0,
        at=make.started_at,
    )
    here.session.add(parted)
    here.session.flush()
    ahead = trace.trace(here, "lot", source.id)
    assert make.id in {each.id for each in ahead.of_it.makes}
    assert used in {lot.id for lot in ahead.of_it.lots}
    behind = trace.trace(here, "make", make.id)
    assert {source.id, used} <= {lot.id for lot in behind.came.lots}
    unmade = trace.trace(here, "lot", source.id).words
    assert source.name in unmade
