"""The demo farm moved to another day: every moment, and what is folded from them."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Date, DateTime, Table, delete, insert, select, update
from sqlalchemy.orm import Session

from openpail.craft.cave.course import from_json, later, to_json
from openpail.craft.make.fold import fold
from openpail.records.base import mine
from openpail.records.dairy.models import Dairy
from openpail.records.log import actions as log
from openpail.records.log.models import DeedRow
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.pieces.models import Piece
from openpail.records.schema import METADATA
from openpail.work.cave.ripening import refold
from openpail.work.here import Here
from openpail.work.make.made import recipe_of
from openpail.work.press import brining


def shift(session: Session, days: int) -> None:
    """Move every moment and date of every table by whole days."""
    for table in METADATA.sorted_tables:
        values = {
            column.name: column
            + (timedelta(days=days) if isinstance(column.type, DateTime) else days)
            for column in table.columns
            if isinstance(column.type, DateTime | Date)
        }
        if not values:
            continue
        keys = {column.name for column in table.primary_key}
        if keys & set(values):  # on the way no row may stand where another stands still
            _move_keys(session, table, values)
        else:
            session.execute(update(table).values(values))


def _move_keys(session: Session, table: Table, values: Mapping[str, Any]) -> None:
    """Move rows whose moment is a part of their key: out, and in again."""
    rows = session.execute(
        select(*(values.get(column.name, column).label(column.name) for column in table.columns))
    ).mappings()
    moved = [dict(row) for row in rows]
    session.execute(delete(table))
    if moved:
        session.execute(insert(table), moved)


def fold_anew(session: Session, dairy: Dairy, now: datetime, days: int) -> None:
    """What is kept beside a deed, and the moments that a deed names, move with the rest."""
    session.expire_all()
    lying = mine(DeedRow, dairy.id).where(DeedRow.deed == "in_brine")
    for row in session.scalars(lying):
        until = row.payload.get("until")
        if until:
            moment = datetime.fromisoformat(until) + timedelta(days=days)
            row.payload = {**row.payload, "until": moment.isoformat()}
    here = Here(session, dairy, now)
    for piece in session.scalars(mine(Piece, dairy.id)):
        piece.begins = to_json(later(from_json(piece.begins), days))
    session.flush()
    for make in session.scalars(mine(Make, dairy.id)):
        standing = fold(recipe_of(make), log.of_make(session, dairy.id, make.id))
        at_press = make.station == "press"
        makes.keep_standing(session, make, standing, make.folded, at_press=at_press)
        laid = [row for row in session.scalars(mine(Piece, dairy.id)) if row.make_id == make.id]
        refold(here, laid, recipe_of(make))
    for tub in here.tubs:
        brining.refold(here, tub)
