"""What the demo farm's cheeses lived through: cares, moves, weighings, and the air they lay in."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from math import pi, sin

from sqlalchemy.orm import Session

from openpail.craft.cave.care import DueCare, care_plan
from openpail.craft.cave.deeds import (
    SEALS,
    Cared,
    MovedTo,
    Out,
    PieceDeed,
    PieceTold,
    Sealed,
    Seen,
    WeighedAgain,
)
from openpail.craft.cave.fold import fold
from openpail.craft.cave.loss import loss_pct, surface_m2_per_kg
from openpail.craft.cave.piece import PieceNow
from openpail.craft.cave.seal import TOUCH_DRY
from openpail.craft.cave.signs import SIGNS
from openpail.craft.deed import to_payload
from openpail.demo.farm import ROOMS
from openpail.records.climate import actions as climate
from openpail.records.climate.actions import Value
from openpail.records.dairy import gear as gears
from openpail.records.dairy.models import Dairy
from openpail.records.log import actions as log
from openpail.records.log.actions import Kept
from openpail.records.makes import actions as makes
from openpail.records.pieces.models import Piece
from openpail.work.cave.piece import one, teach_drying
from openpail.work.cave.ripening import around, as_now, begun_of, refold
from openpail.work.here import Here
from openpail.work.make.made import recipe_of

_ROUND = time(17, 10)
_AT_HOME = "At our own table, by those who know what it is"
_WANTED = "a regular, who knows what it is"
_HUMIDITY = 85.0
_LATE_DAYS = 2


def live_through(
    session: Session,
    dairy: Dairy,
    rows: Sequence[Piece],
    *,
    laid: datetime,
    now: datetime,
    buyers: Sequence[str] = (),
    early: bool = False,
) -> None:
    """The pieces of a make, from the day they were laid down until yesterday; the last cares wait.

    They lived alike: one life is walked through by its own plan, and told of each. What is eaten
    by now was eaten at home. buyers: who takes it once it is ready, piece by piece in turn; "" is
    the house. early: it left its first place after its first care there, ready or not.
    """
    if not rows:
        return
    here = Here(session, dairy, now)
    first, recipe = rows[0], recipe_of(makes.make(session, dairy, rows[0].make_id))
    begun = begun_of(here, first, recipe)
    of, life = around(here, first.made_on), list[PieceTold]()
    day, last = here.day_of(laid) + timedelta(days=1), here.today
    while day < last:
        piece = replace(as_now(here, first, recipe), course=fold(life, begun).course)
        plan = care_plan(piece, replace(of, today=day), last)
        if plan.eat_by <= day + timedelta(days=1):
            life.append(
                _told(here, len(life), day, Out(where="eaten", to="the house", why=_AT_HOME))
            )
            break
        if buyers and day >= plan.ready_from + (plan.ready_until - plan.ready_from) / 3:
            life.append(_told(here, len(life), day, Out(where="sold", why=_WANTED)))
            break
        due = [care for care in plan.cares if care.due <= day]
        if (last - day).days > _late(first):
            if early and len(life) and not any(isinstance(e.deed, MovedTo) for e in life):
                due = [next(e for e in plan.cares if e.kind == "move")]
            for care in sorted(due, key=lambda care: care.kind == "move"):
                deed = _deed(here, first, piece, care, day)
                if isinstance(deed, MovedTo) and care.due > day:
                    deed = replace(deed, word=_EARLY)
                life.append(_told(here, len(life), day, deed))
        ahead = [care.due for care in plan.cares if care.due > day]
        day = min([day + timedelta(days=1) if due else last, *ahead])
    every = [
        Kept(
            subject="piece",
            subject_id=row.id,
            id=uuid.uuid5(row.id, each.id),
            deed=each.deed.kind,
            payload=to_payload(_of(row, each.deed, buyers)),
            happened=each.at,
            at=each.at,
            counter=each.counter,
        )
        for row in rows
        for each in life
    ]
    log.add_all(session, dairy.id, every)
    refold(here, rows, recipe)
    if any(isinstance(each.deed, WeighedAgain) for each in life):
        for row in rows:
            teach_drying(here, one(here, row.id))


def _told(here: Here, number: int, day: date, deed: PieceDeed) -> PieceTold:
    at = datetime.combine(day, _ROUND, here.zone).astimezone(UTC) + timedelta(minutes=number % 30)
    return PieceTold(id=f"life-{number}", deed=deed, at=at, counter=number)


def _of(row: Piece, deed: PieceDeed, buyers: Sequence[str]) -> PieceDeed:
    """A deed as it is told of one of several sisters."""
    if isinstance(deed, Out) and buyers:
        to = buyers[row.number % len(buyers)]
        if to:
            return replace(deed, label=row.label, to=to)
        return replace(deed, label=row.label, where="eaten")
    return replace(deed, label=row.label) if isinstance(deed, MovedTo | Sealed) else deed


def _late(row: Piece) -> int:
    """How many days before now the cares of a piece were done last: a few stay late, as they do."""
    return _LATE_DAYS if int(row.label.partition("-")[0]) % 5 == 0 else 0


def _deed(here: Here, row: Piece, piece: PieceNow, care: DueCare, day: date) -> PieceDeed:
    """What the hands did for a care."""
    recipe = piece.recipe
    if care.kind == "move":
        stage = recipe.stages[piece.course.stage + 1]
        return MovedTo(
            label=row.label,
            place=around(here).place(stage.place),
            shelf=0,
            stage=stage.key,
            by="label",
            word=_AS_PLANNED,
        )
    if care.kind in ("sign", "recheck"):
        return Seen(care.sign, SIGNS[care.sign].ends)
    if care.kind == "weigh":
        days = (day - row.made_on).days
        surface = surface_m2_per_kg(recipe.wheels, row.mass_kg, here.house)
        lost = loss_pct(days, _HUMIDITY, surface, here.house).value
        return WeighedAgain(round(row.mass_kg * (1 - 0.92 * lost / 100), 2))
    for how in SEALS:
        if care.kind == how:
            return Sealed(label=row.label, how=how, rind=TOUCH_DRY, by="shelf", word=_AS_PLANNED)
    return Cared(care.stage, care.key)


_AS_PLANNED = "as its plan has it"
_EARLY = "before its coat was there: the place was wanted"


def read_rooms(
    session: Session, dairy: Dairy, begins: datetime, now: datetime, *, every_h: int = 1
) -> None:
    """What the logger and the hands read of the places: a value every so many hours, with the day
    in them, a warm spell in the cave, and a night on which the logger stood still."""
    here = Here(session, dairy, now)
    rows = {row.name: row for row in gears.room_rows(session, dairy)}
    hours = int((now - begins) / timedelta(hours=1))
    first = begins.replace(minute=0, second=0, microsecond=0)
    for room, channel, celsius, humidity in ROOMS:
        if celsius is None:
            continue
        values = []
        for number in range(0, hours, every_h if channel else 24):
            at = first + timedelta(hours=number)
            back = (now - at).days
            if channel and back == _STOOD_STILL and at.hour < 9:
                continue
            day = sin(2 * pi * (at.hour - 9) / 24)
            warm = celsius + 0.35 * day + (2.4 if room.sort == "cave" and back in _WARM else 0)
            damp = None if humidity is None else round(humidity - 1.5 * day, 1)
            values.append(Value(at, round(warm, 2), damp))
        climate.take(
            session, rows[room.name], values, "logger" if channel else "typed", here.day_of
        )


_WARM = range(20, 22)
_STOOD_STILL = 9
