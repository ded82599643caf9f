"""A dairy's presses, moulds and rooms to ripen in, and what heats its vats."""

from __future__ import annotations

import json
import uuid
from dataclasses import asdict, replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from openpail.craft.cave.rooms import Room
from openpail.craft.clock.gear import Gear, Kind
from openpail.craft.clock.heat import HEATERS
from openpail.craft.errors import NotHere, RecordError
from openpail.craft.press.moulds import Mould
from openpail.craft.press.presses import Lever, Press
from openpail.craft.press.weights import Thing
from openpail.records.base import Json
from openpail.records.dairy.models import Dairy, GearRow, RoomRow, Vat, WeightRow

_MOST = 200
FULL_KG_PER_L = 1.0  # a cheese that fills its mould, less what it sinks under the follower


def add_gear(session: Session, dairy: Dairy, gear: Gear) -> GearRow:
    """Presses or moulds of one sort come in. Raises RecordError by field."""
    name = gear.name.strip()
    if not name:
        raise RecordError(f"Give the {gear.kind} a name.", "name")
    if not 1 <= gear.count <= _MOST:
        raise RecordError(f"Write how many there are, 1 to {_MOST}.", "count")
    if gear.kind == "mould" and gear.holds_kg <= 0 and gear.mould:
        gear = replace(gear, holds_kg=gear.mould.volume_l * FULL_KG_PER_L)
    if gear.kind == "mould" and gear.holds_kg <= 0:
        raise RecordError("Write how much cheese comes out of one mould.", "holds")
    there = gear_of(session, dairy)
    used = {each for row in there for each in (row.name, *row.names().values())}
    if used & {name, *Gear(kind=gear.kind, name=name, count=gear.count).names().values()}:
        raise RecordError(f"There is a “{name}” already.", "name")
    row = GearRow(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        kind=gear.kind,
        name=name,
        count=gear.count,
        holds_kg=gear.holds_kg,
        follower=gear.follower,
        measures=_measured(gear),
    )
    session.add(row)
    session.flush()
    return row


def gear_of(session: Session, dairy: Dairy) -> tuple[Gear, ...]:
    """All presses and moulds, by kind and size."""
    query = (
        select(GearRow)
        .where(GearRow.dairy_id == dairy.id)
        .order_by(GearRow.kind.desc(), GearRow.holds_kg, GearRow.name)
    )
    return tuple(_gear(row) for row in session.scalars(query))


def _gear(row: GearRow) -> Gear:
    told = row.measures
    mould = Mould(**told) if told and row.kind == "mould" else None
    press = None
    if told and row.kind == "press":
        press = Press(
            sort=told["sort"],
            levers=tuple(Lever(**each) for each in told["levers"]),
            follower_kg=told["follower_kg"],
            marks=tuple((mm, kg) for mm, kg in told["marks"]),
        )
    follower = mould.sort == "pressing" if mould else row.follower
    kind = _kind(row.kind)
    return Gear(
        kind=kind,
        name=row.name,
        count=row.count,
        holds_kg=row.holds_kg,
        follower=follower,
        id=str(row.id),
        mould=mould,
        press=press,
    )


def _measured(gear: Gear) -> Json:
    """The measures of a mould or press as plain data; {} while nobody took them."""
    found = gear.mould or gear.press
    return json.loads(json.dumps(asdict(found))) if found else {}


def one_gear(session: Session, dairy: Dairy, gear_id: uuid.UUID) -> Gear:
    """One sort of press or mould. Raises NotHere."""
    row = session.get(GearRow, (dairy.id, gear_id))
    if row is None:
        raise NotHere("no such press or mould")
    return _gear(row)


def measure(session: Session, dairy: Dairy, gear: Gear) -> None:
    """The measures of a press or mould are taken. Raises NotHere."""
    row = session.get(GearRow, (dairy.id, uuid.UUID(gear.id)))
    if row is None:
        raise NotHere("no such press or mould")
    row.measures = _measured(gear)
    if gear.mould:
        row.follower = gear.mould.sort == "pressing"
    session.flush()


def add_weight(session: Session, dairy: Dairy, thing: Thing) -> WeightRow:
    """A weight of the house, or a jug. Raises RecordError by field."""
    name = " ".join(thing.name.split())
    there = session.scalar(
        select(WeightRow.id).where(WeightRow.dairy_id == dairy.id, WeightRow.name == name)
    )
    if there is not None:
        raise RecordError(f"There is a “{name}” already.", "name")
    row = WeightRow(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        name=name,
        kg=thing.kg,
        count=thing.count,
        holds_l=thing.holds_l,
        height_cm=thing.height_cm,
    )
    session.add(row)
    session.flush()
    return row


def weights_of(session: Session, dairy: Dairy) -> tuple[Thing, ...]:
    """The weights of the house, the heaviest first."""
    query = select(WeightRow).where(WeightRow.dairy_id == dairy.id)
    found = [
        Thing(
            name=row.name, kg=row.kg, count=row.count, holds_l=row.holds_l, height_cm=row.height_cm
        )
        for row in session.scalars(query)
    ]
    return tuple(sorted(found, key=lambda each: (-each.most_kg, each.name)))


def drop_weight(session: Session, dairy: Dairy, name: str) -> None:
    """It is gone. Raises NotHere."""
    query = select(WeightRow).where(WeightRow.dairy_id == dairy.id, WeightRow.name == name)
    row = session.scalar(query)
    if row is None:
        raise NotHere("no such weight")
    session.delete(row)
    session.flush()


def _kind(text: str) -> Kind:
    return "press" if text == "press" else "mould"


def drop_gear(session: Session, dairy: Dairy, name: str) -> None:
    """It is broken or gone. Raises NotHere."""
    query = select(GearRow).where(GearRow.dairy_id == dairy.id, GearRow.name == name)
    row = session.scalar(query)
    if row is None:
        raise NotHere("no such press or mould")
    session.delete(row)
    session.flush()


def set_room(session: Session, dairy: Dairy, room: Room, channel: str = "") -> None:
    """A room to ripen as it is: how many pieces it holds (0 forgets it), its sort and shelves.

    Parameters: room; channel, its name on the logger. Raises: RecordError by field.
    """
    name = " ".join(room.name.split())
    if not name:
        raise RecordError("Name the place as your recipes do, like cave.", "name")
    if not 0 <= room.holds <= 10_000:
        raise RecordError("Write how many pieces it holds.", "holds")
    if not 1 <= room.shelves <= 60:
        raise RecordError("A place has 1 to 60 shelves.", "shelves")
    for cm, field in ((room.width_cm, "width"), (room.depth_cm, "depth")):
        if not 0 <= cm <= 1000:
            raise RecordError("A shelf is up to 10 m long.", field)
    if bool(room.width_cm) != bool(room.depth_cm):
        raise RecordError("Write both: how wide a shelf is, and how deep.", "width")
    query = select(RoomRow).where(RoomRow.dairy_id == dairy.id, RoomRow.name == name)
    row = session.scalar(query)
    if row is not None and room.holds == 0:
        session.delete(row)
    elif room.holds:
        if row is None:
            row = RoomRow(dairy_id=dairy.id, id=uuid.uuid4(), name=name)
            session.add(row)
        row.holds, row.sort, row.shelves = room.holds, room.sort, room.shelves
        row.width_cm, row.depth_cm, row.channel = room.width_cm, room.depth_cm, channel.strip()
    session.flush()


def rooms_of(session: Session, dairy: Dairy) -> tuple[Room, ...]:
    """The rooms to ripen in, by name."""
    return tuple(as_room(row) for row in room_rows(session, dairy))


def room_rows(session: Session, dairy: Dairy) -> list[RoomRow]:
    """The rows of the rooms to ripen in, by name."""
    query = select(RoomRow).where(RoomRow.dairy_id == dairy.id).order_by(RoomRow.name)
    return list(session.scalars(query))


def room_row(session: Session, dairy: Dairy, room_id: uuid.UUID) -> RoomRow:
    """One room to ripen in. Raises NotHere."""
    row = session.get(RoomRow, (dairy.id, room_id))
    if row is None:
        raise NotHere("no such place")
    return row


def as_room(row: RoomRow) -> Room:
    """A room as the craft sees it."""
    return Room(
        name=row.name,
        holds=row.holds,
        sort=row.sort,
        shelves=row.shelves,
        width_cm=row.width_cm,
        depth_cm=row.depth_cm,
    )


def set_heater(session: Session, vat: Vat, by: str, power_kw: float | None) -> None:
    """What heats a vat, and its power in kW. Raises RecordError by field."""
    if by and by not in HEATERS:
        raise RecordError("Choose what heats it.", "heater")
    if power_kw is not None and not 0 < power_kw <= 500:
        raise RecordError("Write its power in kW, like 2.5.", "power")
    if bool(by) != (power_kw is not None):
        raise RecordError("Write both: what heats it, and its power.", "power")
    vat.heater, vat.power_kw = by, power_kw
    session.flush()
