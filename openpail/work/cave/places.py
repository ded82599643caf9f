"""The air of places: read by hand, from a logger's file, or off the logger; told and drawn."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.cave.climate import check_reading, dew_point_c, gaps
from openpail.craft.dates import check_undo
from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.recipe.recipe import Band
from openpail.instruments.logger import reader
from openpail.instruments.wire import NoReading
from openpail.records.climate import actions as climate
from openpail.records.climate.actions import Hour, Value
from openpail.records.climate.models import AirReading
from openpail.records.dairy import gear as gears
from openpail.records.dairy.models import RoomRow
from openpail.records.log import actions as log
from openpail.records.log.actions import Kept
from openpail.work.cave.ripening import LivePiece, live
from openpail.work.here import Here

# A value as a screen reads it off a file.
__all__ = ["Value"]

DAYS = 14
_TYPED = 8
_GAP = timedelta(hours=2)
_AHEAD = timedelta(minutes=2)
_FAR_C, _FAR_PCT = 8.0, 25.0
_LEAST_WORDS = 10


@dataclass(frozen=True, slots=True, kw_only=True)
class AirWanted:
    """What the cheeses of one kind in a place want of its air, and how many they are."""

    name: str
    count: int
    celsius: Band
    humidity: Band | None
    is_out: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class OnePlace:
    """A place with its air: the hours that were read, since when; what it was read at last and its
    dew point, °C; what was typed; stretches that nobody read; what lies there and wants what."""

    row: RoomRow
    hours: list[Hour]
    since: datetime
    last: Value | None
    dew_c: float | None
    typed: list[AirReading]
    gaps: list[tuple[datetime, datetime]]
    there: list[LivePiece]
    wants: list[AirWanted]


def one(here: Here, room_id: uuid.UUID) -> OnePlace:
    """One place and its air of the last days. Raises NotHere."""
    row = gears.room_row(here.session, here.dairy, room_id)
    since = here.now - timedelta(days=DAYS)
    hours = climate.hours(here.session, here.dairy, row.id, since, here.now)
    last = climate.last(here.session, here.dairy).get(row.id)
    there = [each for each in live(here) if each.place == row.name]
    dew = None
    if last and last.celsius is not None and last.humidity is not None:
        dew = dew_point_c(last.celsius, last.humidity)
    unread = gaps([hour.begins for hour in hours], _GAP)
    return OnePlace(
        row=row,
        hours=hours,
        since=since,
        last=last,
        dew_c=dew,
        typed=climate.typed(here.session, row, _TYPED),
        gaps=[(a + timedelta(hours=1), b) for a, b in unread],
        there=there,
        wants=_wants(there, last),
    )


def _wants(there: Sequence[LivePiece], last: Value | None) -> list[AirWanted]:
    found: dict[tuple[str, int], AirWanted] = {}
    for each in there:
        number, stages = each.now.course.stage, each.now.recipe.stages
        if not stages:
            continue
        stage = stages[number]
        warm = last.celsius if last else None
        is_out = warm is not None and not stage.celsius.low <= warm <= stage.celsius.high
        key = (each.row.name, number)
        before = found[key].count if key in found else 0
        found[key] = AirWanted(
            name=each.row.name,
            count=before + 1,
            celsius=stage.celsius,
            humidity=stage.humidity_pct,
            is_out=is_out,
        )
    return sorted(found.values(), key=lambda wants: wants.name)


def read_by_hand(
    here: Here,
    room_id: uuid.UUID,
    celsius: float | None,
    *,
    humidity: float | None,
    deed_id: uuid.UUID,
    at: datetime | None = None,
    word: str = "",
) -> None:
    """Somebody read a place. Raises NotHere; CraftError by field.

    What is far from what it was before is asked, and kept with a word.
    """
    row = gears.room_row(here.session, here.dairy, room_id)
    moment = at or here.now
    if moment > here.now + _AHEAD:
        raise OutOfRange("That has not happened yet. Look at the time.", "happened")
    check_reading(celsius, humidity)
    before = climate.last(here.session, here.dairy).get(row.id)
    if before and len(word.strip()) < _LEAST_WORDS:
        _ask(before, celsius, humidity)
    if deed_id in log.there(here.session, here.dairy.id, [deed_id]):
        return
    payload = {"celsius": celsius, "humidity": humidity, "word": word}
    kept = Kept(
        subject="room",
        subject_id=row.id,
        id=deed_id,
        deed="air_read",
        payload=payload,
        happened=moment,
        at=moment,
    )
    log.add(here.session, here.dairy.id, kept, here.now, here.person_id)
    climate.take(here.session, row, [Value(moment, celsius, humidity)], "typed", here.day_of)
    here.forget()


def _ask(before: Value, celsius: float | None, humidity: float | None) -> None:
    pairs = ((celsius, before.celsius, _FAR_C), (humidity, before.humidity, _FAR_PCT))
    for now, last, far in pairs:
        if now is not None and last is not None and abs(now - last) > far:
            raise OutOfRange(
                "That is far from what it was last. If it is so, write why in a few words; it is "
                "kept.",
                "word",
            )


def not_read(here: Here, room_id: uuid.UUID, at: datetime, deed_id: uuid.UUID) -> None:
    """A typed value was a slip. Raises NotHere; NotPossible for one that is long told."""
    row = gears.room_row(here.session, here.dairy, room_id)
    mine = [each for each in log.rows(here.session, here.dairy.id, row.id) if each.at == at]
    told = [each for each in mine if each.deed == "air_read"]
    if not told:
        raise NotPossible("Nothing was typed of it then.")
    check_undo(told[-1].arrived, here.now)
    kept = Kept(
        subject="room",
        subject_id=row.id,
        id=deed_id,
        deed="undo",
        payload={},
        happened=here.now,
        at=here.now,
        amends=told[-1].id,
    )
    if log.add(here.session, here.dairy.id, kept, here.now, here.person_id):
        day = here.day_of(at)
        first = here.local(at).replace(hour=0, minute=0, second=0, microsecond=0)
        climate.forget(here.session, row, at, day, first)
    here.forget()


@dataclass(frozen=True, slots=True, kw_only=True)
class Taken:
    """What came of a file or of the logger: values that came and were new, lines that were not
    read, stretches without a value."""

    came: int
    new: int
    broken: int
    gaps: list[tuple[datetime, datetime]]


def take_file(here: Here, room_id: uuid.UUID, values: Sequence[Value]) -> Taken:
    """The values of a logger's file are kept. Raises NotHere; CraftError, RecordError."""
    row = gears.room_row(here.session, here.dairy, room_id)
    ahead = [each for each in values if each.at > here.now + timedelta(days=1)]
    if ahead:
        raise OutOfRange(
            f"{len(ahead)} of its values lie ahead of now: its clock, or the order of day and "
            "month, is not what was thought.",
            "file",
        )
    new = climate.take(here.session, row, values, "file", here.day_of)
    here.forget()
    return Taken(came=len(values), new=new, broken=0, gaps=gaps([each.at for each in values], _GAP))


def read_logger(here: Here, room_id: uuid.UUID) -> Taken:
    """What the logger kept of a place since it was read last.

    Raises: NotHere; NoReading with words.
    """
    row = gears.room_row(here.session, here.dairy, room_id)
    if not row.channel:
        raise NoReading("This place has no channel on the logger: write it at Dairy, Gear.")
    last = climate.last_of(here.session, row, "logger")
    after = last or here.now - timedelta(days=30)
    told = reader.since(here.dairy.logger, row.channel, after)
    values = [Value(each.at, each.celsius, each.humidity) for each in told.values]
    new = climate.take(here.session, row, values, "logger", here.day_of)
    here.forget()
    begins = [after] if last else []
    moments = [*begins, *(each.at for each in values)]
    return Taken(came=len(values), new=new, broken=told.broken, gaps=gaps(moments, _GAP))
