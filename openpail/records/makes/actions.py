"""What happens to a make: it starts, events arrive, it is weighed and goes to rest."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from openpail.craft.heat import Seen
from openpail.craft.house import House
from openpail.craft.plan import Event, effective
from openpail.craft.vat import check_room
from openpail.records.base import Json
from openpail.records.dairy.actions import next_number
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.errors import NotHere, RecordError
from openpail.records.makes.models import Make, MakeEvent, MakeMilk
from openpail.records.milk import actions as milk
from openpail.records.milk.actions import Draw
from openpail.records.milk.models import MilkLot
from openpail.records.recipes.models import RecipeVersion
from openpail.records.stock import actions as stock

UNDO_WITHIN = timedelta(minutes=10)


@dataclass(frozen=True, slots=True)
class Report:
    """An event as a device reports it: its own id makes a second delivery harmless."""

    id: uuid.UUID
    kind: str
    payload: Mapping[str, Any]
    happened: datetime
    amends: uuid.UUID | None = None
    device: str = ""
    device_counter: int = 0


def start(
    session: Session,
    dairy: Dairy,
    version: RecipeVersion,
    vat: Vat,
    draws: Sequence[Draw],
    frozen: Json,
    house: House,
    now: datetime,
    note: str = "",
    person_id: uuid.UUID | None = None,
) -> Make:
    """Start a make with these draws of milk; cream skimmed off becomes a lot of its own.

    Raises: craft's NotPossible when the vat is too small or a lot holds less; RecordError when
    the vat is in use.
    """
    litres = sum(draw.litres - draw.cream_l for draw in draws)
    check_room(litres, vat.brim_l, vat.name, house)
    session.refresh(vat, with_for_update=True)
    if any(make.vat_id == vat.id for make in under_way(session, dairy)):
        raise RecordError(f"{vat.name} is in use for a make under way.", "vat")
    make = Make(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        number=next_number(session, dairy, "make"),
        name=frozen["recipe"]["recipe"]["name"],
        recipe_version_id=version.id,
        vat_id=vat.id,
        started_at=now,
        frozen=frozen,
        note=note,
        person_id=person_id,
    )
    session.add(make)
    session.flush()
    for draw in draws:
        poured = draw.mass_kg - draw.cream_kg
        session.add(
            MakeMilk(
                dairy_id=dairy.id, id=uuid.uuid4(), make_id=make.id, lot_id=draw.lot.id,
                mass_kg=poured, volume_l=draw.litres - draw.cream_l,
            )
        )  # fmt: skip
        milk.use_up(session, draw.lot, poured)
        if draw.cream_kg:
            milk.keep_cream(session, dairy, draw.lot, draw.cream_kg, draw.cream_l, now)
    session.flush()
    return make


def report(
    session: Session,
    dairy: Dairy,
    make: Make,
    event: Report,
    now: datetime,
    person_id: uuid.UUID | None = None,
) -> bool:
    """Keep an event; True when it is new, False when this id was kept before.

    Raises: RecordError for an event from the future, an undo too late or of another make.
    """
    if event.happened > now + timedelta(minutes=2):
        raise RecordError("That has not happened yet. Look at the time.", "happened")
    if event.amends:
        _check_amends(session, dairy, make, event, now)
    statement = (
        insert(MakeEvent)
        .values(
            dairy_id=dairy.id,
            id=event.id,
            make_id=make.id,
            kind=event.kind,
            payload=dict(event.payload),
            payload_version=1,
            happened=event.happened,
            clock_offset_s=0.0,
            arrived=now,
            person_id=person_id,
            device=event.device,
            device_counter=event.device_counter,
            amends=event.amends,
        )
        .on_conflict_do_nothing(index_elements=["dairy_id", "id"])
        .returning(MakeEvent.id)
    )
    new = session.execute(statement).first() is not None
    if new and event.kind == "step_done":
        stock.use_in(
            session, make, _given_at(make, event.payload["step"]), event.id, event.happened
        )
    if new and event.kind == "undo" and event.amends:
        stock.give_back(session, make, event.amends, now)
    return new


def _given_at(make: Make, step_key: str) -> list[str]:
    """What a step gives; with the rennet goes what no step of the recipe gives."""
    steps = make.frozen["recipe"]["recipe"]["steps"]
    adds: list[str] = next((step.get("adds", []) for step in steps if step["key"] == step_key), [])
    kinds = {line["key"]: line["kind"] for line in make.frozen["lines"]}
    if "rennet" in [kinds.get(key) for key in adds]:
        placed = {key for step in steps for key in step.get("adds", [])}
        adds = [
            *adds,
            *(key for key, kind in kinds.items() if kind == "calcium" and key not in placed),
        ]
    return adds


def _check_amends(session: Session, dairy: Dairy, make: Make, event: Report, now: datetime) -> None:
    target = session.get(MakeEvent, (dairy.id, event.amends))
    if not target or target.make_id != make.id:
        raise NotHere("no such event")
    if event.kind == "undo" and now - target.arrived > UNDO_WITHIN:
        raise RecordError(
            "That is more than ten minutes ago: amend it instead, with a line of why."
        )


def events(session: Session, make: Make) -> list[Event]:
    """All events of a make, as craft folds them."""
    return [
        Event(str(row.id), row.kind, row.happened, row.payload, _text(row.amends))
        for row in rows(session, make)
    ]


def rows(session: Session, make: Make) -> list[MakeEvent]:
    """All event rows of a make, in the order in which they happened."""
    query = (
        select(MakeEvent)
        .where(MakeEvent.dairy_id == make.dairy_id, MakeEvent.make_id == make.id)
        .order_by(MakeEvent.happened, MakeEvent.device_counter, MakeEvent.id)
    )
    return list(session.scalars(query))


def _text(value: uuid.UUID | None) -> str | None:
    return None if value is None else str(value)


def rest(session: Session, make: Make) -> None:
    """The cheese is out of the vat and the press; it rests and ripens."""
    make.state = "resting"
    session.flush()


def make(session: Session, dairy: Dairy, make_id: uuid.UUID) -> Make:
    """One make. Raises NotHere."""
    found = session.get(Make, (dairy.id, make_id))
    if not found:
        raise NotHere("no such make")
    return found


def under_way(session: Session, dairy: Dairy) -> list[Make]:
    """Makes under way, the newest first."""
    query = (
        select(Make)
        .where(Make.dairy_id == dairy.id, Make.state == "under way")
        .order_by(Make.started_at.desc())
    )
    return list(session.scalars(query))


def names_under_way(session: Session, dairy: Dairy) -> list[tuple[uuid.UUID, str]]:
    """Ids and names of the makes under way, the newest first, without all that they hold."""
    query = (
        select(Make.id, Make.name)
        .where(Make.dairy_id == dairy.id, Make.state == "under way")
        .order_by(Make.started_at.desc())
    )
    return [(make_id, name) for make_id, name in session.execute(query)]


def all_makes(session: Session, dairy: Dairy, limit: int = 200) -> list[Make]:
    """All makes, the newest first."""
    query = (
        select(Make).where(Make.dairy_id == dairy.id).order_by(Make.started_at.desc()).limit(limit)
    )
    return list(session.scalars(query))


def milk_of(session: Session, make: Make) -> list[MakeMilk]:
    """What went into a make."""
    query = select(MakeMilk).where(MakeMilk.dairy_id == make.dairy_id, MakeMilk.make_id == make.id)
    return list(session.scalars(query))


def of_lot(session: Session, lot: MilkLot) -> list[tuple[MakeMilk, Make]]:
    """The makes that a lot went into, and how much of it."""
    query = (
        select(MakeMilk, Make)
        .join(Make, (Make.dairy_id == MakeMilk.dairy_id) & (Make.id == MakeMilk.make_id))
        .where(MakeMilk.dairy_id == lot.dairy_id, MakeMilk.lot_id == lot.id)
        .order_by(Make.number)
    )
    return [(part, make) for part, make in session.execute(query)]


def flocks_seen(make: Make, minutes: float | None, warmth_read: bool) -> Json:
    """What first flocks are kept with: enough to learn from, when warmth was read and a bottle
    was known. Expected is what the bottle's label alone would have given.
    """
    used, times = make.frozen.get("rennet"), make.frozen["set"]
    if minutes is None or minutes <= 0 or not warmth_read or not times or not used:
        return {}
    if not used["bottle"] or not times.get("holds", True):
        return {}
    most = max(make.frozen["milk"]["pours"], key=lambda pour: float(pour["mass_kg"]))
    expected = times["flocculation"]["value"] * used["learnt"]
    return {"bottle": used["bottle"], "animals": most["breed"], "observed_min": minutes,
            "expected_min": expected}  # fmt: skip


def warming_seen(session: Session, make: Make, happened: datetime) -> Json:
    """What a warming that ends at a moment is kept with: the vat learns its rate from it.

    It runs from the step before; {} with fewer than two readings of the temperature in it.
    """
    standing = [event for event in effective(events(session, make)) if event.happened <= happened]
    since = max((e.happened for e in standing if e.kind == "step_done"), default=make.started_at)
    read = [
        (event.happened, event.payload["celsius"])
        for event in standing
        if event.kind == "reading" and event.happened >= since and "celsius" in event.payload
    ]
    if len(read) < 2:
        return {}
    (first_at, first), (last_at, last) = read[0], read[-1]
    return {"warmed": {
        "mass_kg": sum(part.mass_kg for part in milk_of(session, make)), "from_c": first,
        "to_c": last, "minutes": (last_at - first_at).total_seconds() / 60,
    }}  # fmt: skip


def warmings(session: Session, dairy: Dairy) -> dict[uuid.UUID, list[Seen]]:
    """What the warmings of all makes showed of each vat, the newest first."""
    undone = select(MakeEvent.amends).where(
        MakeEvent.dairy_id == dairy.id, MakeEvent.kind == "undo"
    )
    query = (
        select(Make.vat_id, MakeEvent.payload)
        .join(Make, (Make.dairy_id == MakeEvent.dairy_id) & (Make.id == MakeEvent.make_id))
        .where(
            MakeEvent.dairy_id == dairy.id,
            MakeEvent.kind == "step_done",
            MakeEvent.payload.has_key("warmed"),
            MakeEvent.id.not_in(undone),
        )
        .order_by(MakeEvent.happened.desc())
    )
    found: dict[uuid.UUID, list[Seen]] = {}
    for vat_id, payload in session.execute(query):
        found.setdefault(vat_id, []).append(Seen(**payload["warmed"]))
    return found
