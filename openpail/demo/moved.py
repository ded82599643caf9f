"""The demo farm moved to another day: every moment, and what is folded from them."""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy import Date, DateTime, update
from sqlalchemy.orm import Session

from openpail.craft.make.fold import fold
from openpail.records.base import mine
from openpail.records.dairy.models import Dairy
from openpail.records.log import actions as log
from openpail.records.log.models import DeedRow
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.schema import METADATA
from openpail.work import brining
from openpail.work.here import Here
from openpail.work.made import recipe_of


def shift(session: Session, days: int) -> None:
    """Move every moment and date of every table by whole days."""
    for table in METADATA.sorted_tables:
        values = {
            column.name: column
            + (timedelta(days=days) if isinstance(column.type, DateTime) else days)
            for column in table.columns
            if isinstance(column.type, DateTime | Date)
        }
        if values:
            session.execute(update(table).values(values))


def fold_anew(session: Session, dairy: Dairy, now: datetime, days: int) -> None:
    """What is kept beside a deed, and the moments that a deed names, move with the rest."""
    session.expire_all()
    lying = mine(DeedRow, dairy.id).where(DeedRow.deed == "in_brine")
    for row in session.scalars(lying):
        until = row.payload.get("until")
        if until:
            later = datetime.fromisoformat(until) + timedelta(days=days)
            row.payload = {**row.payload, "until": later.isoformat()}
    here = Here(session, dairy, now)
    for make in session.scalars(mine(Make, dairy.id)):
        standing = fold(recipe_of(make), log.of_make(session, dairy.id, make.id))
        at_press = make.station == "press"
        makes.keep_standing(session, make, standing, make.folded, at_press=at_press)
    for tub in here.tubs:
        brining.refold(here, tub)
