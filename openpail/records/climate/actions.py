"""The climate of places is kept, rolled up and read again."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import partial
from typing import Any, NamedTuple

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import aggregate_order_by, distinct_on, insert
from sqlalchemy.orm import Session

from openpail.craft.cave.climate import check_reading
from openpail.craft.cave.warmth import RoomDay
from openpail.craft.errors import RecordError
from openpail.records.climate.models import AirReading, ClimateDay, ClimateHour
from openpail.records.dairy.models import Dairy, RoomRow

MOST_AT_ONCE = 120_000
Rolled = type[ClimateHour] | type[ClimateDay]
_PART = 8_000  # rows of one statement: the driver takes 65 535 values at most


class Value(NamedTuple):
    """One value of a place: when, °C, % of humidity."""

    at: datetime
    celsius: float | None
    humidity: float | None


def take(
    session: Session,
    room: RoomRow,
    values: Sequence[Value],
    source: str,
    day_of: Callable[[datetime], date],
) -> int:
    """Keep a stretch of values of a place; what was kept before is harmless.

    Parameters: values, at most 120 000; source, typed, file or logger; day_of, the dairy's clock.
    Returns: how many were new. Raises: OutOfRange for what no place has; RecordError for too many.
    """
    if len(values) > MOST_AT_ONCE:
        raise RecordError(f"At most {MOST_AT_ONCE} values at a time: split the file.", "file")
    for each in values:
        check_reading(each.celsius, each.humidity)
    new: list[Value] = []
    of = {"dairy_id": room.dairy_id, "room_id": room.id, "source": source}
    for first in range(0, len(values), _PART):
        rows = [{**of, **each._asdict()} for each in values[first : first + _PART]]
        statement = insert(AirReading).on_conflict_do_nothing()
        kept = statement.returning(AirReading.at, AirReading.celsius, AirReading.humidity)
        new += [Value(*row) for row in session.execute(kept, rows)]
    _roll(session, ClimateHour, "begins", room=room, values=new, stretch_of=hour_of)
    _roll(session, ClimateDay, "day", room=room, values=new, stretch_of=day_of)
    return len(new)


def hour_of(moment: datetime) -> datetime:
    """The hour of a moment."""
    return moment.replace(minute=0, second=0, microsecond=0)


def _roll(
    session: Session,
    table: Rolled,
    column: str,
    *,
    room: RoomRow,
    values: Iterable[Value],
    stretch_of: Callable[[datetime], Any],
) -> None:
    """Add values to what is rolled up already."""
    found: dict[Any, list[Value]] = {}
    for each in values:
        found.setdefault(stretch_of(each.at), []).append(each)
    of = {"dairy_id": room.dairy_id, "room_id": room.id}
    rows = [{**of, column: key, **_sums(those)} for key, those in sorted(found.items())]
    if not rows:
        return
    statement = insert(table)
    new = statement.excluded
    added = {name: table.__table__.c[name] + new[name] for name in _ADDED}
    lows = {name: func.least(table.__table__.c[name], new[name]) for name in ("low_c", "low_h")}
    highs = {
        name: func.greatest(table.__table__.c[name], new[name]) for name in ("high_c", "high_h")
    }
    session.execute(
        statement.on_conflict_do_update(
            index_elements=["dairy_id", "room_id", column], set_={**added, **lows, **highs}
        ),
        rows,
    )


_ADDED = ("count_c", "sum_c", "count_h", "sum_h")


def _sums(values: Sequence[Value]) -> dict[str, float | None]:
    warm = [each.celsius for each in values if each.celsius is not None]
    damp = [each.humidity for each in values if each.humidity is not None]
    return {
        "count_c": len(warm),
        "sum_c": sum(warm),
        "low_c": min(warm, default=None),
        "high_c": max(warm, default=None),
        "count_h": len(damp),
        "sum_h": sum(damp),
        "low_h": min(damp, default=None),
        "high_h": max(damp, default=None),
    }


def forget(session: Session, room: RoomRow, at: datetime, day: date, first: datetime) -> None:
    """A typed value was a slip: it is gone, and its hour and day are summed anew.

    Parameters: at, of the value; day, by the dairy's clock, and first, the moment it began.
    """
    of_room = (AirReading.dairy_id == room.dairy_id, AirReading.room_id == room.id)
    session.execute(delete(AirReading).where(*of_room, AirReading.at == at))
    stretches: tuple[tuple[Rolled, str, Any, datetime, timedelta], ...] = (
        (ClimateHour, "begins", hour_of(at), hour_of(at), timedelta(hours=1)),
        (ClimateDay, "day", day, first, timedelta(days=1)),
    )
    for table, column, key, begins, length in stretches:
        of = table.__table__.c
        session.execute(
            delete(table).where(
                of.dairy_id == room.dairy_id, of.room_id == room.id, of[column] == key
            )
        )
        query = select(AirReading.at, AirReading.celsius, AirReading.humidity).where(
            *of_room, AirReading.at >= begins, AirReading.at < begins + length
        )
        rest = [Value(*row) for row in session.execute(query)]
        _roll(session, table, column, room=room, values=rest, stretch_of=partial(_same, key))


def _same(stretch: Any, _: datetime) -> Any:
    return stretch


def stamp(session: Session, dairy: Dairy, since: date) -> tuple[object, ...]:
    """What is another as soon as any day of any place from a day on is read otherwise."""
    of = ClimateDay
    told = func.concat(of.room_id, of.day, of.count_c, of.sum_c)
    query = select(func.count(), func.sum(func.hashtextextended(told, 0))).where(
        of.dairy_id == dairy.id, of.day >= since
    )
    return tuple(session.execute(query).one())


def days(session: Session, dairy: Dairy, since: date) -> dict[str, list[RoomDay]]:
    """The mean warmth of each day of each place that was read, by the place's name."""
    query = (
        select(RoomRow.name, ClimateDay.day, ClimateDay.sum_c / ClimateDay.count_c)
        .join(
            RoomRow, (RoomRow.dairy_id == ClimateDay.dairy_id) & (RoomRow.id == ClimateDay.room_id)
        )
        .where(ClimateDay.dairy_id == dairy.id, ClimateDay.day >= since, ClimateDay.count_c > 0)
        .order_by(ClimateDay.day)
    )
    found: dict[str, list[RoomDay]] = {}
    for name, day, celsius in session.execute(query):
        found.setdefault(name, []).append(RoomDay(day, celsius))
    return found


class Hour(NamedTuple):
    """An hour of a place: its mean °C and % of humidity, None where nobody read it."""

    begins: datetime
    celsius: float | None
    humidity: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class AirDay:
    """A day of a place as it was read: how often, the sums, the least and the most."""

    day: date
    count_c: int
    sum_c: float
    low_c: float | None
    high_c: float | None
    count_pct: int
    sum_pct: float


def air_of_days(session: Session, dairy: Dairy, since: date) -> dict[str, list[AirDay]]:
    """The air of each day of each place that was read, by the place's name."""
    table = ClimateDay
    query = (
        select(
            RoomRow.name.label("place"),
            table.day,
            table.count_c,
            table.sum_c,
            table.low_c,
            table.high_c,
            table.count_h.label("count_pct"),
            table.sum_h.label("sum_pct"),
        )
        .join(RoomRow, (RoomRow.dairy_id == table.dairy_id) & (RoomRow.id == table.room_id))
        .where(table.dairy_id == dairy.id, table.day >= since)
        .order_by(table.day)
    )
    found: dict[str, list[AirDay]] = {}
    rows: Sequence[Any] = session.execute(query).all()
    for row in rows:
        day = dict(row._mapping)
        found.setdefault(day.pop("place"), []).append(AirDay(**day))
    return found


def hours(
    session: Session, dairy: Dairy, room_id: uuid.UUID, since: datetime, until: datetime
) -> list[Hour]:
    """The hours of a place that were read between two moments."""
    # a stay has thousands of hours: they come as three lists in one row, not as a row for each
    table = ClimateHour
    celsius = table.sum_c / func.nullif(table.count_c, 0)
    humidity = table.sum_h / func.nullif(table.count_h, 0)
    columns = (table.begins, celsius, humidity)
    query = select(
        *(func.array_agg(aggregate_order_by(each, table.begins)) for each in columns)
    ).where(
        table.dairy_id == dairy.id,
        table.room_id == room_id,
        table.begins >= since - timedelta(hours=1),
        table.begins < until,
    )
    lists = session.execute(query).one()
    return [Hour(*each) for each in zip(*(part or () for part in lists), strict=True)]


def last(session: Session, dairy: Dairy) -> dict[uuid.UUID, Value]:
    """What each place was read at last."""
    query = (
        select(AirReading.room_id, AirReading.at, AirReading.celsius, AirReading.humidity)
        .where(AirReading.dairy_id == dairy.id)
        .ext(distinct_on(AirReading.room_id))
        .order_by(AirReading.room_id, AirReading.at.desc())
    )
    return {room: Value(at, c, h) for room, at, c, h in session.execute(query)}


def typed(session: Session, room: RoomRow, most: int) -> list[AirReading]:
    """What was typed of a place, the newest first."""
    query = (
        select(AirReading)
        .where(AirReading.dairy_id == room.dairy_id, AirReading.room_id == room.id)
        .where(AirReading.source == "typed")
        .order_by(AirReading.at.desc())
        .limit(most)
    )
    return list(session.scalars(query))


def last_of(session: Session, room: RoomRow, source: str) -> datetime | None:
    """When a place was read last by one source, None for never."""
    query = select(func.max(AirReading.at)).where(
        AirReading.dairy_id == room.dairy_id,
        AirReading.room_id == room.id,
        AirReading.source == source,
    )
    found: datetime | None = session.scalar(query)
    return found
