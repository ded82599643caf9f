"""The table of recall drills."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import CheckConstraint, Index
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, OfDairy, by_member


class Drill(Base, OfDairy):
    """A recall tried out, or a real one: of what, from when to when, who was reached by then.

    real: it is no exercise.
    """

    __tablename__ = "drill"
    __table_args__ = (
        by_member(),
        CheckConstraint("sort in ('lot', 'bottle', 'tub', 'make', 'piece')", name="sort"),
        CheckConstraint("ended_at >= begun_at", name="ends"),
        Index("ix_drill_dairy_id_begun_at", "dairy_id", "begun_at"),
    )

    sort: Mapped[str]
    subject_id: Mapped[uuid.UUID]
    words: Mapped[str]
    real: Mapped[bool]
    begun_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    reached: Mapped[dict[str, str]] = mapped_column(JSONB, default=dict)
    person_id: Mapped[uuid.UUID | None]
