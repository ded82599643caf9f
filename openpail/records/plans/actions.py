"""A make is planned, made ready for, moved, dropped; one that was begun is planned no more."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cache
from zoneinfo import ZoneInfo

from sqlalchemy import Select, Uuid, bindparam, select
from sqlalchemy.orm import Session, defer, joinedload

from openpail.craft.bench.vat import check_room
from openpail.craft.clock.gear import NO_OUTFIT, Gear, Outfit
from openpail.craft.errors import NotPossible, RecordError
from openpail.craft.house import House
from openpail.records.base import mine
from openpail.records.dairy.models import Dairy, GearRow, Vat
from openpail.records.makes.models import Make
from openpail.records.milk.models import MilkLot
from openpail.records.milk.slips import left_l
from openpail.records.plans.models import PlannedGear, PlannedLot, PlannedMake
from openpail.records.recipes.actions import is_newest_of, newest_of
from openpail.records.recipes.models import RecipeRow, RecipeVersion

_NEAR_L = 0.05
_JUST_NOW = timedelta(minutes=10)
_FARTHEST = timedelta(days=731)


@dataclass(frozen=True, slots=True, kw_only=True)
class Planned:
    """A planned make with its recipe as it now is, and its vat."""

    row: PlannedMake
    recipe: RecipeRow
    version: RecipeVersion
    vat: Vat
    begins: datetime

    @property
    def name(self) -> str:
        """The recipe's name."""
        return self.recipe.name

    def given(self, gear: Sequence[Gear]) -> Outfit:
        """Its vat, press and moulds, as the dairy calls them now."""
        called = {key: name for each in gear for key, name in each.names().items()}
        kinds = {each.id: each.kind for each in gear}
        mine = sorted(self.row.gear, key=lambda each: (str(each.gear_id), each.number))
        keys = [(kinds.get(str(each.gear_id)), f"{each.gear_id}/{each.number}") for each in mine]
        press = next((key for kind, key in keys if kind == "press" and key in called), "")
        moulds = tuple(key for kind, key in keys if kind == "mould" and key in called)
        return Outfit(
            vat=vat_key(self.vat.id),
            press=press,
            moulds=moulds,
            names={**called, vat_key(self.vat.id): self.vat.name},
        )


def vat_key(vat_id: uuid.UUID) -> str:
    """What the clock knows a vat by, whatever it is called."""
    return f"vat {vat_id}"


def plan(
    session: Session,
    dairy: Dairy,
    recipe_key: str,
    *,
    vat: Vat,
    lots: Mapping[MilkLot, float | None],
    begins: datetime,
    now: datetime,
    house: House,
    given: Outfit = NO_OUTFIT,
) -> PlannedMake:
    """Plan a make.

    Parameters: lots, litres of each, None for all that is left; begins, with its zone; kept as the
    dairy's own day and time; given, its press and moulds. Raises: NotHere for a recipe not here;
    craft's NotPossible for more than the vat takes or a lot holds; RecordError for the past.
    """
    _check_moment(begins, now)
    for lot, litres in lots.items():
        if litres is not None and not 0 < litres <= left_l(lot) + _NEAR_L:
            raise NotPossible(f"{lot.name}: {left_l(lot):.1f} L is left, not {litres:.1f}.", "lot")
    wanted = sum(left_l(lot) if part is None else part for lot, part in lots.items())
    check_room(wanted, vat.brim_l, vat.name, house)
    row = PlannedMake(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        recipe_id=newest_of(session, dairy, recipe_key).recipe_id,
        vat_id=vat.id,
        created_at=now,
        ready={},
        parts=[],
        gear=[],
    )
    row.parts.extend(
        PlannedLot(dairy_id=dairy.id, id=uuid.uuid4(), plan_id=row.id, lot_id=lot.id, litres=litres)
        for lot, litres in lots.items()
    )
    _set(row, dairy, begins)
    session.add(row)
    session.flush()
    give(session, row, given)
    return row


def _check_moment(begins: datetime, now: datetime) -> None:
    if begins < now - _JUST_NOW:
        raise RecordError("That time is over. Choose one that is to come.", "begins")
    if begins > now + _FARTHEST:
        raise RecordError("That is more than two years from now. Look at the day.", "begins")


def _set(row: PlannedMake, dairy: Dairy, begins: datetime) -> None:
    local = begins.astimezone(ZoneInfo(dairy.zone))
    row.day, row.at = local.date(), local.time()


def give(session: Session, row: PlannedMake, given: Outfit) -> None:
    """It is given these, instead of what it had; a thing that the dairy has no more is left out."""
    wanted = set(filter(None, (_single(each) for each in (given.press, *given.moulds))))
    there = mine(GearRow, row.dairy_id).with_only_columns(GearRow.id, GearRow.count)
    counts = dict(session.execute(there).all()) if wanted else {}
    for each in list(row.gear):
        if (each.gear_id, each.number) not in wanted:
            row.gear.remove(each)
    had = {(each.gear_id, each.number) for each in row.gear}
    row.gear.extend(
        PlannedGear(
            dairy_id=row.dairy_id, id=uuid.uuid4(), plan_id=row.id, gear_id=gear_id, number=number
        )
        for gear_id, number in sorted(wanted - had)
        if number <= counts.get(gear_id, 0)
    )
    session.flush()


def _single(key: str) -> tuple[uuid.UUID, int] | None:
    gear_id, _, number = key.partition("/")
    try:
        return uuid.UUID(gear_id), int(number)
    except ValueError:
        return None


@cache  # putting a question together takes longer than asking it
def _planned() -> Select[PlannedMake, RecipeRow, RecipeVersion, Vat]:
    """What is planned and not begun, with recipe, newest version and vat, the first first."""
    return (
        select(PlannedMake, RecipeRow, RecipeVersion, Vat)
        .join(
            RecipeRow,
            (RecipeRow.dairy_id == PlannedMake.dairy_id) & (RecipeRow.id == PlannedMake.recipe_id),
        )
        .join(Vat, (Vat.dairy_id == PlannedMake.dairy_id) & (Vat.id == PlannedMake.vat_id))
        .join(RecipeVersion, is_newest_of(PlannedMake.dairy_id, PlannedMake.recipe_id))
        .options(
            defer(RecipeVersion.document),
            joinedload(PlannedMake.parts),
            joinedload(PlannedMake.gear),
        )
        .where(
            PlannedMake.dairy_id == bindparam("dairy_id", type_=Uuid()),
            PlannedMake.make_id.is_(None),
        )
        .order_by(PlannedMake.day, PlannedMake.at, PlannedMake.created_at)
    )


def planned(session: Session, dairy: Dairy) -> list[Planned]:
    """All that is planned and not begun, the first first."""
    zone = ZoneInfo(dairy.zone)
    return [
        Planned(
            row=row,
            recipe=recipe,
            version=version,
            vat=vat,
            begins=datetime.combine(row.day, row.at, zone),
        )
        for row, recipe, version, vat in session.execute(
            _planned(), {"dairy_id": dairy.id}
        ).unique()
    ]


def move(
    session: Session,
    dairy: Dairy,
    row: PlannedMake,
    *,
    begins: datetime,
    given: Outfit,
    now: datetime,
    pushed: bool = False,
) -> None:
    """A planned make begins at another moment; all it wants ready moves with it.

    Parameters: begins, with its zone; given, its press and moulds there; pushed, by another make
    that stood in its way, so that it is told where it stood. Raises: RecordError for the past.
    """
    _check_moment(begins, now)
    stood = datetime.combine(row.day, row.at, ZoneInfo(dairy.zone))
    row.moved_from = (row.moved_from or stood) if pushed else None
    _set(row, dairy, begins)
    give(session, row, given)
    session.flush()


def made_ready(session: Session, row: PlannedMake, key: str, now: datetime, *, done: bool) -> None:
    """One of the things it wants ready is ready, or is not after all."""
    row.ready = {name: at for name, at in row.ready.items() if name != key}
    if done:
        row.ready = {**row.ready, key: now.isoformat()}
    session.flush()


def begun(session: Session, row: PlannedMake, make: Make) -> None:
    """A make was begun from it: it is planned no more."""
    row.make_id = make.id
    session.flush()


def not_begun(session: Session, make: Make) -> None:
    """The make that was begun from it is none: it is planned again."""
    rows = mine(PlannedMake, make.dairy_id).where(PlannedMake.make_id == make.id)
    for row in session.scalars(rows):
        row.make_id = None
    session.flush()


def drop(session: Session, row: PlannedMake) -> None:
    """It is planned no more; what it wants ready goes with it."""
    session.delete(row)
    session.flush()
