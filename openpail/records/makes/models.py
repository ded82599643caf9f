"""Tables of makes."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import CheckConstraint, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, Json, OfDairy, within_dairy


class Make(Base, OfDairy):
    """A make. `frozen` holds everything its sheet was worked out from, and the sheet."""

    __tablename__ = "make"
    __table_args__ = (
        within_dairy("vat_id", "vat"),
        within_dairy("recipe_version_id", "recipe_version"),
        UniqueConstraint("dairy_id", "number"),
        CheckConstraint("state in ('under way', 'resting', 'ended')", name="state"),
        Index("ix_make_dairy_id_state", "dairy_id", "state"),
    )

    number: Mapped[int]
    name: Mapped[str]
    state: Mapped[str] = mapped_column(default="under way")
    recipe_version_id: Mapped[uuid.UUID]
    vat_id: Mapped[uuid.UUID]
    started_at: Mapped[datetime]
    frozen: Mapped[Json]
    frozen_version: Mapped[int] = mapped_column(default=1)
    note: Mapped[str] = mapped_column(default="")
    person_id: Mapped[uuid.UUID | None]


class MakeMilk(Base, OfDairy):
    """How much of which lot went into a make."""

    __tablename__ = "make_milk"
    __table_args__ = (within_dairy("make_id", "make"), within_dairy("lot_id", "milk_lot"))

    make_id: Mapped[uuid.UUID]
    lot_id: Mapped[uuid.UUID]
    mass_kg: Mapped[float]
    volume_l: Mapped[float]


class MakeEvent(Base, OfDairy):
    """What happened in a make: append-only; its id is made by the device that saw it."""

    __tablename__ = "make_event"
    __table_args__ = (
        within_dairy("make_id", "make"),
        CheckConstraint(
            "kind in ('step_done', 'reading', 'flocks', 'note', 'weighed', 'amend', 'undo', "
            "'finished')",
            name="kind",
        ),
        Index("ix_make_event_dairy_id_make_id", "dairy_id", "make_id", "happened"),
    )

    make_id: Mapped[uuid.UUID]
    kind: Mapped[str]
    payload: Mapped[Json]
    payload_version: Mapped[int] = mapped_column(default=1)
    happened: Mapped[datetime]
    clock_offset_s: Mapped[float] = mapped_column(default=0.0)
    arrived: Mapped[datetime]
    person_id: Mapped[uuid.UUID | None]
    device: Mapped[str] = mapped_column(default="")
    device_counter: Mapped[int] = mapped_column(default=0)
    amends: Mapped[uuid.UUID | None]
