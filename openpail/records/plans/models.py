"""Tables of planned makes."""

from __future__ import annotations

import uuid
from datetime import date, datetime, time

from sqlalchemy import CheckConstraint, Index, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from openpail.records.base import Base, OfDairy, within_dairy


class PlannedLot(Base, OfDairy):
    """Milk that a planned make is to take: litres of a lot, None for all that is left of it."""

    __tablename__ = "planned_lot"
    __table_args__ = (
        within_dairy("plan_id", "planned_make", ondelete="CASCADE"),
        within_dairy("lot_id", "milk_lot"),
        UniqueConstraint("dairy_id", "plan_id", "lot_id"),
        CheckConstraint("litres > 0", name="litres"),
        Index("ix_planned_lot_dairy_id_lot_id", "dairy_id", "lot_id"),
    )

    plan_id: Mapped[uuid.UUID]
    lot_id: Mapped[uuid.UUID]
    litres: Mapped[float | None]


class PlannedGear(Base, OfDairy):
    """One press or mould that a planned make is given: of which sort, and which of them."""

    __tablename__ = "planned_gear"
    __table_args__ = (
        within_dairy("plan_id", "planned_make", ondelete="CASCADE"),
        within_dairy("gear_id", "gear", ondelete="CASCADE"),
        UniqueConstraint("dairy_id", "plan_id", "gear_id", "number"),
        CheckConstraint("number > 0", name="number"),
    )

    plan_id: Mapped[uuid.UUID]
    gear_id: Mapped[uuid.UUID]
    number: Mapped[int]


class PlannedMake(Base, OfDairy):
    """A make that is to begin at a local day and time.

    ready: when what it wants ready was, by key. make_id, once it is begun; moved_from, where it
    stood before another make stood in its way.
    """

    __tablename__ = "planned_make"
    __table_args__ = (
        within_dairy("recipe_id", "recipe"),
        within_dairy("vat_id", "vat"),
        within_dairy("make_id", "make"),
        Index("ix_planned_make_dairy_id_day", "dairy_id", "day"),
    )

    recipe_id: Mapped[uuid.UUID]
    vat_id: Mapped[uuid.UUID]
    ready: Mapped[dict[str, str]] = mapped_column(JSONB, default=dict)
    day: Mapped[date]
    at: Mapped[time]
    created_at: Mapped[datetime]
    moved_from: Mapped[datetime | None]
    make_id: Mapped[uuid.UUID | None]
    parts: Mapped[list[PlannedLot]] = relationship(
        lazy="selectin", cascade="all, delete-orphan", passive_deletes=True
    )
    gear: Mapped[list[PlannedGear]] = relationship(
        lazy="selectin", cascade="all, delete-orphan", passive_deletes=True
    )

    @property
    def lots(self) -> dict[uuid.UUID, float | None]:
        """Litres by lot, None for all that is left of it."""
        return {each.lot_id: each.litres for each in self.parts}
