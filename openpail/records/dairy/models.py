"""Tables of the dairy itself."""

from __future__ import annotations

import uuid
from datetime import datetime, time

from sqlalchemy import CheckConstraint, Index, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openpail.craft.cave.rooms import Sort
from openpail.craft.units import System
from openpail.records.base import Base, Json, OfDairy, by_member, one_of


class Dairy(Base):
    """A dairy. Units and °C/°F are each their own switch; quiet hours are local times; house_day:
    the weekday of its weekly cares, 1 Monday … 7 Sunday, 0 for none; label, the maker's own
    words on a label."""

    __tablename__ = "dairy"
    __table_args__ = (
        one_of("volume_system", System),
        CheckConstraint("mass_system in ('metric', 'us')", name="mass_system"),
        CheckConstraint("degrees in ('C', 'F')", name="degrees"),
        CheckConstraint("pints in ('', 'us', 'imperial')", name="pints"),
        CheckConstraint("house_day between 0 and 7", name="house_day"),
    )

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    name: Mapped[str]
    zone: Mapped[str]
    volume_system: Mapped[System] = mapped_column(default="metric")
    mass_system: Mapped[str] = mapped_column(default="metric")
    degrees: Mapped[str] = mapped_column(default="C")
    pints: Mapped[str] = mapped_column(default="")
    currency: Mapped[str] = mapped_column(default="")
    quiet_from: Mapped[time] = mapped_column(default=time(22, 30))
    quiet_until: Mapped[time] = mapped_column(default=time(6, 30))
    ways: Mapped[Json] = mapped_column(default=dict)
    analyser: Mapped[str] = mapped_column(default="")
    logger: Mapped[str] = mapped_column(default="")
    scale: Mapped[str] = mapped_column(default="")
    house_day: Mapped[int] = mapped_column(default=0)
    label: Mapped[Json] = mapped_column(default=dict)
    allergens: Mapped[Json] = mapped_column(default=dict)
    calendar_key: Mapped[str] = mapped_column(default="")
    created_at: Mapped[datetime]

    @property
    def spoken_system(self) -> System:
        """Whose gallon, quart and pint is meant where nobody says: its own, else those it told."""
        if self.volume_system != "metric" or not self.pints:
            return self.volume_system
        return "us" if self.pints == "us" else "imperial"


class Counter(Base, OfDairy):
    """The last human number given out: make 37, lot 112."""

    __tablename__ = "counter"
    __table_args__ = (UniqueConstraint("dairy_id", "what"),)

    what: Mapped[str]
    last: Mapped[int] = mapped_column(default=0)


class Vat(Base, OfDairy):
    """A vat: its brim in L, its inner diameter in cm where it was measured, measured fills (cm, L),
    what heats it, where its probe answers, and when it was put away."""

    __tablename__ = "vat"
    __table_args__ = (
        UniqueConstraint("dairy_id", "name"),
        CheckConstraint("brim_l > 0 and diameter_cm > 0", name="sizes"),
        CheckConstraint("heater in ('', 'plate', 'gas', 'immersed')", name="heater"),
    )

    name: Mapped[str]
    brim_l: Mapped[float]
    diameter_cm: Mapped[float | None]
    fills: Mapped[list[list[float]]] = mapped_column(JSONB, default=list)
    heater: Mapped[str] = mapped_column(default="")
    power_kw: Mapped[float | None]
    probe: Mapped[str] = mapped_column(default="")
    put_away_at: Mapped[datetime | None]

    @property
    def measured(self) -> tuple[tuple[float, float], ...]:
        """The measured fills, pairs of cm and L."""
        return tuple((cm, litres) for cm, litres in self.fills)


class GearRow(Base, OfDairy):
    """Presses, or moulds, of one sort: how many, what cheese one mould holds, kg, and measures."""

    __tablename__ = "gear"
    __table_args__ = (
        UniqueConstraint("dairy_id", "name"),
        CheckConstraint("kind in ('press', 'mould')", name="kind"),
        CheckConstraint("count > 0 and (kind = 'press' or holds_kg > 0)", name="amounts"),
    )

    kind: Mapped[str]
    name: Mapped[str]
    count: Mapped[int] = mapped_column(default=1)
    holds_kg: Mapped[float] = mapped_column(default=0.0)
    follower: Mapped[bool] = mapped_column(default=True)
    measures: Mapped[Json] = mapped_column(default=dict)


class WeightRow(Base, OfDairy):
    """A weight of the house: kg of one, how many, L of water that go into it, cm it stands high."""

    __tablename__ = "weight"
    __table_args__ = (
        UniqueConstraint("dairy_id", "name"),
        CheckConstraint(
            "count > 0 and kg >= 0 and holds_l >= 0 and kg + holds_l > 0", name="amounts"
        ),
    )

    name: Mapped[str]
    kg: Mapped[float]
    count: Mapped[int] = mapped_column(default=1)
    holds_l: Mapped[float] = mapped_column(default=0.0)
    height_cm: Mapped[float] = mapped_column(default=0.0)


class RoomRow(Base, OfDairy):
    """A place to ripen, as recipes call it: how many pieces it holds, its sort, its shelves, how
    wide and deep each is, cm (0: nobody measured them), and its channel on the logger."""

    __tablename__ = "room"
    __table_args__ = (
        UniqueConstraint("dairy_id", "name"),
        CheckConstraint("holds > 0", name="holds"),
        CheckConstraint("shelves > 0 and width_cm >= 0 and depth_cm >= 0", name="shelves"),
        one_of("sort", Sort),
    )

    name: Mapped[str]
    holds: Mapped[int]
    sort: Mapped[Sort] = mapped_column(default="cave")
    shelves: Mapped[int] = mapped_column(default=1)
    width_cm: Mapped[float] = mapped_column(default=0.0)
    depth_cm: Mapped[float] = mapped_column(default=0.0)
    channel: Mapped[str] = mapped_column(default="")


class OwnMeasure(Base, OfDairy):
    """A jar or bucket of the house, as a unit: its name and what it holds, L."""

    __tablename__ = "own_measure"
    __table_args__ = (
        UniqueConstraint("dairy_id", "name"),
        CheckConstraint("litres > 0", name="litres"),
    )

    name: Mapped[str]
    litres: Mapped[float]


class HouseOverride(Base, OfDairy):
    """A house value overruled: a row per change; `until` ends it."""

    __tablename__ = "house_override"
    __table_args__ = (
        by_member(),
        Index("ix_house_override_dairy_id_until", "dairy_id", "until"),
        Index(
            "ix_house_override_dairy_id_key",
            "dairy_id",
            "key",
            unique=True,
            postgresql_where="until is null",
        ),
    )

    key: Mapped[str]
    value: Mapped[float]
    why: Mapped[str] = mapped_column(default="")
    person_id: Mapped[uuid.UUID | None]
    at: Mapped[datetime]
    until: Mapped[datetime | None]


class InstrumentCheck(Base, OfDairy):
    """A pH meter set on its buffers (slope, %), or a thermometer tried in ice and boiling water (°C
    as it read, at a place so many m high)."""

    __tablename__ = "instrument_check"
    __table_args__ = (
        by_member(),
        CheckConstraint("kind in ('ph', 'thermometer')", name="kind"),
        Index("ix_instrument_check_dairy_id_kind", "dairy_id", "kind", "at"),
    )

    kind: Mapped[str]
    at: Mapped[datetime]
    slope_pct: Mapped[float | None]
    ice_c: Mapped[float | None]
    boiling_c: Mapped[float | None]
    altitude_m: Mapped[float | None]
    is_true: Mapped[bool]
    person_id: Mapped[uuid.UUID | None]
