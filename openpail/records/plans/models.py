"""Tables of planned makes."""

from __future__ import annotations

import uuid
from datetime import date, datetime, time

from sqlalchemy import Index
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, OfDairy, within_dairy


class PlannedMake(Base, OfDairy):
    """A make that is to begin at a local day and time: of what milk (ids of lots), in which vat."""

    __tablename__ = "planned_make"
    __table_args__ = (
        within_dairy("recipe_id", "recipe"),
        within_dairy("vat_id", "vat"),
        Index("ix_planned_make_dairy_id_day", "dairy_id", "day"),
    )

    recipe_id: Mapped[uuid.UUID]
    vat_id: Mapped[uuid.UUID]
    lots: Mapped[list[str]] = mapped_column(JSONB)
    day: Mapped[date]
    at: Mapped[time]
    created_at: Mapped[datetime]
