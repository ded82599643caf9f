"""Tables of planned makes."""

from __future__ import annotations

import uuid
from datetime import date, datetime, time

from sqlalchemy import Index
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, Json, OfDairy, within_dairy


class PlannedMake(Base, OfDairy):
    """A make that is to begin at a local day and time.

    lots: litres of each lot by its id, None for all that is left of it. given: its press and moulds
    by name. ready: when what it wants ready was, by key. make_id, once it is begun; moved_from,
    where it stood before another make stood in its way.
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
    lots: Mapped[dict[str, float | None]] = mapped_column(JSONB)
    given: Mapped[Json] = mapped_column(default=dict)
    ready: Mapped[dict[str, str]] = mapped_column(JSONB, default=dict)
    day: Mapped[date]
    at: Mapped[time]
    created_at: Mapped[datetime]
    moved_from: Mapped[datetime | None]
    make_id: Mapped[uuid.UUID | None]
