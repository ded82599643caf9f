"""A make is planned, moved, dropped; one that was begun is planned no more."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

from sqlalchemy import exists, select
from sqlalchemy.orm import Session

from openpail.craft.house import House
from openpail.records.base import Json
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.errors import NotHere
from openpail.records.makes.models import Make
from openpail.records.milk.actions import thaw_for
from openpail.records.milk.models import MilkLot
from openpail.records.milk.slips import in_freezer
from openpail.records.plans.models import PlannedMake
from openpail.records.recipes.actions import newest_of
from openpail.records.recipes.models import RecipeRow, RecipeVersion


@dataclass(frozen=True, slots=True)
class Planned:
    """A planned make with its recipe as it now is, and its vat."""

    row: PlannedMake
    document: Json
    vat: Vat
    begins: datetime

    @property
    def name(self) -> str:
        """The recipe's name."""
        return str(self.document["recipe"]["name"])


def plan(
    session: Session,
    dairy: Dairy,
    recipe_key: str,
    vat: Vat,
    lots: Sequence[MilkLot],
    begins: datetime,
    now: datetime,
    house: House,
) -> PlannedMake:
    """Plan a make; frozen milk gets its thaw-by task. Raises NotHere for a recipe not here.

    Parameters: begins, with its zone; kept as the dairy's own day and time.
    """
    local = begins.astimezone(ZoneInfo(dairy.zone))
    row = PlannedMake(
        dairy_id=dairy.id, id=uuid.uuid4(),
        recipe_id=newest_of(session, dairy, recipe_key).recipe_id, vat_id=vat.id,
        lots=[str(lot.id) for lot in lots], day=local.date(),
        at=local.time(), created_at=now,
    )  # fmt: skip
    session.add(row)
    for lot in lots:
        if in_freezer(lot):
            thaw_for(session, lot, local.date(), house)
    session.flush()
    return row


def planned(session: Session, dairy: Dairy) -> list[Planned]:
    """All that is planned and not begun since, the first first."""
    begun = exists().where(
        Make.dairy_id == PlannedMake.dairy_id,
        Make.started_at >= PlannedMake.created_at,
        RecipeVersion.dairy_id == Make.dairy_id,
        RecipeVersion.id == Make.recipe_version_id,
        RecipeVersion.recipe_id == PlannedMake.recipe_id,
    )
    query = (
        select(PlannedMake, RecipeRow.key, Vat)
        .join(RecipeRow, (RecipeRow.dairy_id == PlannedMake.dairy_id)
              & (RecipeRow.id == PlannedMake.recipe_id))
        .join(Vat, (Vat.dairy_id == PlannedMake.dairy_id) & (Vat.id == PlannedMake.vat_id))
        .where(PlannedMake.dairy_id == dairy.id, ~begun)
        .order_by(PlannedMake.day, PlannedMake.at)
    )  # fmt: skip
    zone = ZoneInfo(dairy.zone)
    return [
        Planned(row, newest_of(session, dairy, key).document, vat,
                datetime.combine(row.day, row.at, zone))
        for row, key, vat in session.execute(query)
    ]  # fmt: skip


def planned_one(session: Session, dairy: Dairy, plan_id: uuid.UUID) -> Planned:
    """One planned make. Raises NotHere."""
    for each in planned(session, dairy):
        if each.row.id == plan_id:
            return each
    raise NotHere("no such plan")


def move(session: Session, dairy: Dairy, row: PlannedMake, begins: datetime) -> None:
    """A planned make begins at another moment (with its zone), kept as local day and time."""
    local = begins.astimezone(ZoneInfo(dairy.zone))
    row.day, row.at = local.date(), local.time()
    session.flush()


def drop(session: Session, row: PlannedMake) -> None:
    """It is planned no more."""
    session.delete(row)
    session.flush()
