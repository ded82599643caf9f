"""What is done to a dairy: founding it, its vats, its ways, its own house values."""

from __future__ import annotations

import re
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import datetime, time
from functools import lru_cache

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from openpail.craft.bench.vat import check_fills, check_sizes
from openpail.craft.dates import zone_of
from openpail.craft.doses.asked import Ways
from openpail.craft.errors import CraftError, NotHere, RecordError
from openpail.craft.house import House, check
from openpail.craft.units import is_unit_word
from openpail.records.dairy.models import Counter, Dairy, HouseOverride, OwnMeasure, Vat

_HOST = re.compile(r"[A-Za-z0-9.-]{1,253}|\[[0-9A-Fa-f:.]{2,45}\]")
_MOST_PORT = 65535

_CURRENCY = re.compile("[A-Z]{3}")  # as ISO 4217 writes it


def found(
    session: Session,
    name: str,
    zone: str,
    now: datetime,
    *,
    volume_system: str = "metric",
    mass_system: str = "metric",
    degrees: str = "C",
) -> Dairy:
    """Found a dairy. Raises RecordError for an unknown time zone or no name."""
    dairy = Dairy(
        id=uuid.uuid4(),
        name=_named(name),
        zone=_zone(zone),
        volume_system=volume_system,
        mass_system=mass_system,
        degrees=degrees,
        ways=asdict(Ways(small="scale" if volume_system == "metric" else "spoons")),
        created_at=now,
    )
    session.add(dairy)
    session.flush()
    return dairy


def _named(name: str) -> str:
    if not name.strip():
        raise RecordError("Write the name of the dairy.", "name")
    return name.strip()


def _zone(text: str) -> str:
    try:
        return zone_of(text)
    except CraftError as error:
        raise RecordError(error.words, "zone") from error


def change(session: Session, dairy: Dairy, name: str, zone: str, **units: str) -> None:
    """Change a dairy's name, zone and units. Raises RecordError as `found`."""
    dairy.name, dairy.zone = _named(name), _zone(zone)
    currency = units["currency"].strip().upper()
    if currency and not _CURRENCY.fullmatch(currency):
        raise RecordError("Write the three letters of your money, like EUR.", "currency")
    dairy.currency = currency
    for key in ("volume_system", "mass_system", "degrees", "pints"):
        setattr(dairy, key, units[key])
    session.flush()


def set_ways(session: Session, dairy: Dairy, ways: Ways) -> None:
    """Choose the house ways where makers disagree."""
    dairy.ways = asdict(ways)
    session.flush()


def set_quiet(dairy: Dairy, begin: time, end: time) -> None:
    """The local hours in which no hands-on step may fall."""
    dairy.quiet_from, dairy.quiet_until = begin, end


def ways_of(dairy: Dairy) -> Ways:
    """The house ways in force."""
    told = dict(dairy.ways)
    return Ways(**told | {"spoons": tuple(told.get("spoons", ()))})


def next_number(session: Session, dairy: Dairy, what: str) -> int:
    """The next human number of a kind ("make", "lot"); two at once never get the same."""
    statement = (
        insert(Counter)
        .values(dairy_id=dairy.id, id=uuid.uuid4(), what=what, last=1)
        .on_conflict_do_update(index_elements=["dairy_id", "what"], set_={"last": Counter.last + 1})
        .returning(Counter.last)
    )
    return session.execute(statement).scalar_one()


def add_vat(
    session: Session, dairy: Dairy, name: str, brim_l: float, diameter_cm: float | None = None
) -> Vat:
    """Add a vat: brim in L, inner diameter in cm where it is known. Raises RecordError by field."""
    vat = Vat(dairy_id=dairy.id, id=uuid.uuid4(), fills=[])
    change_vat(session, vat, name, brim_l, diameter_cm)
    session.add(vat)
    session.flush()
    return vat


def change_vat(
    session: Session, vat: Vat, name: str, brim_l: float, diameter_cm: float | None
) -> None:
    """Name and sizes of a vat, as `add_vat`. Raises RecordError by field."""
    name = name.strip()
    if not name:
        raise RecordError("Give the vat a name.", "name")
    if brim_l <= 0:
        raise RecordError("Write how much it holds to the brim.", "brim")
    try:
        check_sizes(brim_l, diameter_cm)
    except CraftError as error:
        raise RecordError(error.words, error.about) from error
    taken = select(Vat.id).where(
        Vat.dairy_id == vat.dairy_id, Vat.id != vat.id, func.lower(Vat.name) == name.lower()
    )
    with session.no_autoflush:
        if session.scalar(taken.limit(1)):
            raise RecordError(f"There is a vat “{name}” already.", "name")
    vat.name, vat.brim_l, vat.diameter_cm = name, brim_l, diameter_cm


def measure_fills(session: Session, vat: Vat, fills: Sequence[tuple[float, float]]) -> None:
    """Keep a vat's measured fills, pairs of cm and L; none goes back to its diameter.

    Raises: craft's OutOfRange when a higher stick does not hold more.
    """
    vat.fills = [list(pair) for pair in check_fills(fills)]
    session.flush()


def add_measure(session: Session, dairy: Dairy, name: str, litres: float) -> OwnMeasure:
    """A jar or bucket as a unit. Raises RecordError by field."""
    name = " ".join(name.lower().split())
    if not name or any(sign.isdigit() for sign in name):
        raise RecordError("Give it a name without figures, like big jar.", "name")
    if is_unit_word(name):
        raise RecordError(f"“{name}” is a unit already.", "name")
    if litres <= 0:
        raise RecordError("Write how much it holds.", "holds")
    if name in own_measures(session, dairy):
        raise RecordError(f"There is a “{name}” already.", "name")
    measure = OwnMeasure(dairy_id=dairy.id, id=uuid.uuid4(), name=name, litres=litres)
    session.add(measure)
    session.flush()
    return measure


def own_measures(session: Session, dairy: Dairy) -> dict[str, float]:
    """The dairy's jars and buckets, L by name."""
    query = select(OwnMeasure.name, OwnMeasure.litres).where(OwnMeasure.dairy_id == dairy.id)
    return dict(session.execute(query.order_by(OwnMeasure.name)).all())


def drop_measure(session: Session, dairy: Dairy, name: str) -> None:
    """Forget a jar; lots measured in it keep their litres."""
    query = select(OwnMeasure).where(OwnMeasure.dairy_id == dairy.id, OwnMeasure.name == name)
    for row in session.scalars(query):
        session.delete(row)
    session.flush()


def set_analyser(session: Session, dairy: Dairy, address: str) -> None:
    """Where the milk analyser answers, host:port; blank for none. Raises RecordError."""
    dairy.analyser = _address(address, "analyser", "127.0.0.1:7431")
    session.flush()


def set_logger(session: Session, dairy: Dairy, address: str) -> None:
    """Where the cave logger answers, host:port; blank for none. Raises RecordError."""
    dairy.logger = _address(address, "logger", "127.0.0.1:7432")
    session.flush()


def set_scale(session: Session, dairy: Dairy, address: str) -> None:
    """Where the scale answers, host:port; blank for none. Raises RecordError."""
    dairy.scale = _address(address, "scale", "127.0.0.1:7434")
    session.flush()


def set_probe(session: Session, vat: Vat, address: str) -> None:
    """Where the probe of a vat answers, host:port; blank for none. Raises RecordError."""
    vat.probe = _address(address, "probe", "127.0.0.1:7433")
    session.flush()


def _address(text: str, field: str, like: str) -> str:
    address = text.strip()
    host, _, port = address.rpartition(":")
    known = port.isascii() and port.isdigit() and len(port) <= len(str(_MOST_PORT))
    if address and not (known and 0 < int(port) <= _MOST_PORT and _HOST.fullmatch(host)):
        raise RecordError(f"Write it like {like}.", field)
    return address


def set_house_day(dairy: Dairy, weekday: int) -> None:
    """The weekday of the weekly cares, 1 Monday … 7 Sunday; 0 for none. Raises RecordError."""
    if not 0 <= weekday <= 7:
        raise RecordError("Choose a day of the week, or none.", "house_day")
    dairy.house_day = weekday


def set_calendar_key(session: Session, dairy: Dairy, key: str) -> None:
    """The secret part of the calendar's own address; "" ends it."""
    dairy.calendar_key = key
    session.flush()


def by_calendar_key(session: Session, key: str) -> Dairy | None:
    """The dairy whose calendar has this key, None when none has."""
    return session.scalar(select(Dairy).where(Dairy.calendar_key == key)) if key else None


def vats(session: Session, dairy: Dairy) -> list[Vat]:
    """The dairy's vats in use, smallest first."""
    query = select(Vat).where(Vat.dairy_id == dairy.id, Vat.put_away_at.is_(None))
    return list(session.scalars(query.order_by(Vat.brim_l, Vat.name)))


def vats_put_away(session: Session, dairy: Dairy) -> list[Vat]:
    """The vats that are not in use, by name."""
    query = select(Vat).where(Vat.dairy_id == dairy.id, Vat.put_away_at.is_not(None))
    return list(session.scalars(query.order_by(Vat.name)))


def vat(session: Session, dairy: Dairy, vat_id: uuid.UUID) -> Vat:
    """One vat. Raises NotHere."""
    found_vat = session.get(Vat, (dairy.id, vat_id))
    if not found_vat:
        raise NotHere("no such vat")
    return found_vat


def overrule(
    session: Session,
    dairy: Dairy,
    key: str,
    *,
    value: float,
    now: datetime,
    person_id: uuid.UUID | None = None,
    why: str = "",
) -> None:
    """Overrule a house value from now on. Raises craft's OutOfRange or Unknown."""
    check(key, value)
    end_override(session, dairy, key, now)
    session.add(
        HouseOverride(
            dairy_id=dairy.id,
            id=uuid.uuid4(),
            key=key,
            value=value,
            why=why,
            person_id=person_id,
            at=now,
        )
    )
    session.flush()


def end_override(session: Session, dairy: Dairy, key: str, now: datetime) -> None:
    """Go back to the shipped value of a key; the row stays, ended."""
    query = select(HouseOverride).where(
        HouseOverride.dairy_id == dairy.id, HouseOverride.key == key, HouseOverride.until.is_(None)
    )
    for row in session.scalars(query):
        row.until = now
    session.flush()


def own_values(session: Session, dairy: Dairy) -> dict[str, HouseOverride]:
    """The dairy's own house values in force, by key."""
    query = select(HouseOverride).where(
        HouseOverride.dairy_id == dairy.id, HouseOverride.until.is_(None)
    )
    return {row.key: row for row in session.scalars(query)}


def house_of(session: Session, dairy: Dairy) -> House:
    """The house values in force in this dairy."""
    query = select(HouseOverride.key, HouseOverride.value).where(
        HouseOverride.dairy_id == dairy.id, HouseOverride.until.is_(None)
    )
    return _house(tuple(sorted((key, value) for key, value in session.execute(query))))


def house_with(overrides: Mapping[str, float]) -> House:
    """The house values with these of the dairy's own."""
    return _house(tuple(sorted(overrides.items())))


@lru_cache(maxsize=64)
def _house(overrides: tuple[tuple[str, float], ...]) -> House:
    """One House for the same overrides, so that what was worked out with it is found again."""
    return House(dict(overrides))
