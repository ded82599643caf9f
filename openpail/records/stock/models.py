"""Tables of what stands in the fridge."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import CheckConstraint, Index
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, OfDairy


class Bottle(Base, OfDairy):
    """A bottle or packet by its label; the newest of a kind that is not ended is the one used."""

    __tablename__ = "bottle"
    __table_args__ = (
        CheckConstraint("kind in ('calcium', 'culture', 'rennet', 'acid', 'salt')", name="kind"),
        Index("ix_bottle_dairy_id_kind", "dairy_id", "kind"),
    )

    kind: Mapped[str]
    name: Mapped[str]
    strength: Mapped[float | None]
    counts: Mapped[str] = mapped_column(default="dihydrate")
    per: Mapped[str] = mapped_column(default="w/v")
    g_per_tsp: Mapped[float | None]
    kept: Mapped[str] = mapped_column(default="fridge")
    opened_on: Mapped[date | None]
    best_before: Mapped[date | None]
    ended_at: Mapped[datetime | None]
    created_at: Mapped[datetime]
