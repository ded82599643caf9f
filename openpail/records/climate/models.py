"""Tables of the climate of places."""

from __future__ import annotations

import uuid
from datetime import date, datetime

from sqlalchemy import CheckConstraint, ForeignKey
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, within_dairy


class _OfRoom:
    """A row of one room of one dairy."""

    dairy_id: Mapped[uuid.UUID] = mapped_column(
        ForeignKey("dairy.id", ondelete="CASCADE"), primary_key=True
    )
    room_id: Mapped[uuid.UUID] = mapped_column(primary_key=True)


class _Rolled(_OfRoom):
    """What was read in a stretch: how often, the sum, the lowest and the highest; of °C, and of %
    of humidity."""

    count_c: Mapped[int]
    sum_c: Mapped[float]
    low_c: Mapped[float | None]
    high_c: Mapped[float | None]
    count_h: Mapped[int]
    sum_h: Mapped[float]
    low_h: Mapped[float | None]
    high_h: Mapped[float | None]


class AirReading(Base, _OfRoom):
    """What a place was read at: °C, % of humidity, or both; by whom: typed, file, logger."""

    __tablename__ = "climate"
    __table_args__ = (
        within_dairy("room_id", "room", "CASCADE"),
        CheckConstraint("celsius is not null or humidity is not null", name="read"),
    )

    at: Mapped[datetime] = mapped_column(primary_key=True)
    celsius: Mapped[float | None]
    humidity: Mapped[float | None]
    source: Mapped[str] = mapped_column(default="typed")


class ClimateHour(Base, _Rolled):
    """An hour of a place."""

    __tablename__ = "climate_hour"
    __table_args__ = (within_dairy("room_id", "room", "CASCADE"),)

    begins: Mapped[datetime] = mapped_column(primary_key=True)


class ClimateDay(Base, _Rolled):
    """A day of a place, by the clock of its dairy."""

    __tablename__ = "climate_day"
    __table_args__ = (within_dairy("room_id", "room", "CASCADE"),)

    day: Mapped[date] = mapped_column(primary_key=True)
