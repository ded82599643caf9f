"""A make is planned, made ready for, moved, dropped; one that was begun is planned no more."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from openpail.craft.gear import NO_OUTFIT, Outfit
from openpail.records.base import Json
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.errors import NotHere
from openpail.records.makes.models import Make
from openpail.records.milk.models import MilkLot
from openpail.records.plans.models import PlannedMake
from openpail.records.recipes.actions import newest_of
from openpail.records.recipes.models import RecipeRow, RecipeVersion


@dataclass(frozen=True, slots=True)
class Planned:
    """A planned make with its recipe as it now is, and its vat."""

    row: PlannedMake
    version: RecipeVersion
    vat: Vat
    begins: datetime

    @property
    def document(self) -> Json:
        """The recipe's document."""
        return self.version.document

    @property
    def name(self) -> str:
        """The recipe's name."""
        return str(self.document["recipe"]["name"])

    @property
    def given(self) -> Outfit:
        """Its vat, press and moulds."""
        return Outfit(
            self.vat.name, self.row.given.get("press", ""), tuple(self.row.given.get("moulds", ()))
        )


def plan(
    session: Session,
    dairy: Dairy,
    recipe_key: str,
    vat: Vat,
    lots: Mapping[MilkLot, float | None],
    begins: datetime,
    now: datetime,
    given: Outfit = NO_OUTFIT,
) -> PlannedMake:
    """Plan a make. Raises NotHere for a recipe not here.

    Parameters: lots, litres of each, None for all that is left; begins, with its zone; kept as the
    dairy's own day and time; given, its press and moulds.
    """
    row = PlannedMake(
        dairy_id=dairy.id, id=uuid.uuid4(),
        recipe_id=newest_of(session, dairy, recipe_key).recipe_id, vat_id=vat.id,
        lots={str(lot.id): litres for lot, litres in lots.items()}, created_at=now, ready={},
    )  # fmt: skip
    _set(row, dairy, begins, given)
    session.add(row)
    session.flush()
    return row


def _set(row: PlannedMake, dairy: Dairy, begins: datetime, given: Outfit) -> None:
    local = begins.astimezone(ZoneInfo(dairy.zone))
    row.day, row.at = local.date(), local.time()
    give(row, given)


def give(row: PlannedMake, given: Outfit) -> None:
    """It is given these, instead of what it had."""
    row.given = {"press": given.press, "moulds": list(given.moulds)}


def planned(session: Session, dairy: Dairy) -> list[Planned]:
    """All that is planned and not begun, the first first."""
    query = (
        select(PlannedMake, RecipeRow.key, Vat)
        .join(RecipeRow, (RecipeRow.dairy_id == PlannedMake.dairy_id)
              & (RecipeRow.id == PlannedMake.recipe_id))
        .join(Vat, (Vat.dairy_id == PlannedMake.dairy_id) & (Vat.id == PlannedMake.vat_id))
        .where(PlannedMake.dairy_id == dairy.id, PlannedMake.make_id.is_(None))
        .order_by(PlannedMake.day, PlannedMake.at, PlannedMake.created_at)
    )  # fmt: skip
    zone = ZoneInfo(dairy.zone)
    return [
        Planned(row, newest_of(session, dairy, key), vat,
                datetime.combine(row.day, row.at, zone))
        for row, key, vat in session.execute(query)
    ]  # fmt: skip


def planned_one(session: Session, dairy: Dairy, plan_id: uuid.UUID) -> Planned:
    """One planned make. Raises NotHere."""
    for each in planned(session, dairy):
        if each.row.id == plan_id:
            return each
    raise NotHere("no such plan")


def move(
    session: Session,
    dairy: Dairy,
    row: PlannedMake,
    begins: datetime,
    given: Outfit,
    *,
    pushed: bool = False,
) -> None:
    """A planned make begins at another moment; all it wants ready moves with it.

    Parameters: begins, with its zone; given, its press and moulds there; pushed, by another make
    that stood in its way, so that it is told where it stood.
    """
    stood = datetime.combine(row.day, row.at, ZoneInfo(dairy.zone))
    row.moved_from = (row.moved_from or stood) if pushed else None
    _set(row, dairy, begins, given)
    session.flush()


def made_ready(session: Session, row: PlannedMake, key: str, now: datetime, *, done: bool) -> None:
    """One of the things it wants ready is ready, or is not after all."""
    row.ready = {name: at for name, at in row.ready.items() if name != key}
    if done:
        row.ready = {**row.ready, key: now.isoformat()}
    session.flush()


def meant(
    session: Session, dairy: Dairy, version: RecipeVersion, lots: Collection[MilkLot]
) -> Planned | None:
    """The first plan of a recipe and some of this milk (or of none yet), None without one."""
    ids = {str(lot.id) for lot in lots}
    for each in planned(session, dairy):
        mine = each.row.recipe_id == version.recipe_id
        if mine and (ids & each.row.lots.keys() or not each.row.lots):
            return each
    return None


def begun(session: Session, row: PlannedMake, make: Make) -> None:
    """A make was begun from it: it is planned no more."""
    row.make_id = make.id
    session.flush()


def drop(session: Session, row: PlannedMake) -> None:
    """It is planned no more; what it wants ready goes with it."""
    session.delete(row)
    session.flush()
