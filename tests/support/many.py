"""Many of everything: lots, plans, makes and pieces of the demo farm, copied."""

import uuid

from sqlalchemy import select
from sqlalchemy.orm import undefer

from openpail.records.log.models import DeedRow
from openpail.records.makes.models import Make, MakeMilk
from openpail.records.milk.models import MilkLot
from openpail.records.pieces.models import Piece
from openpail.records.plans.models import PlannedLot, PlannedMake


def copy_of(row, **change):
    """A row like another, with an id of its own."""
    names = [each.key for each in row.__mapper__.column_attrs]
    values = {name: getattr(row, name) for name in names}
    return type(row)(**{**values, "id": uuid.uuid4(), **change})


def multiply(session, times):
    """So many more lots, makes under way, plans and pieces with a care due, as one there is."""
    lot = session.scalar(select(MilkLot).where(MilkLot.left_kg > 1, MilkLot.kind == "milk"))
    query = select(Make).where(Make.state == "under way").options(undefer(Make.frozen))
    make = session.scalar(query)
    part = session.scalar(select(MakeMilk).where(MakeMilk.make_id == make.id))
    deeds = session.scalars(select(DeedRow).where(DeedRow.subject_id == make.id)).all()
    plan = session.scalar(select(PlannedMake))
    piece = session.scalar(select(Piece).where(Piece.ended_at.is_(None)))
    for number in range(times):
        new_lot = copy_of(lot, number=1000 + number, tests=[], uses=[])
        new_make = copy_of(make, number=1000 + number)
        new_plan, new_piece = copy_of(plan), copy_of(piece, label=f"{1000 + number}-1")
        session.add_all((new_lot, new_make, new_plan, new_piece))
        session.flush()
        session.add(copy_of(part, make_id=new_make.id, lot_id=new_lot.id))
        session.add_all(copy_of(each, subject_id=new_make.id, amends=None) for each in deeds)
        session.add(
            PlannedLot(
                dairy_id=plan.dairy_id,
                id=uuid.uuid4(),
                plan_id=new_plan.id,
                lot_id=new_lot.id,
                litres=None,
            )
        )
    session.flush()
