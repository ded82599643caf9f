"""The table of answered forms."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import Index
from sqlalchemy.orm import Mapped

from openpail.records.base import Base, OfDairy


class Answered(Base, OfDairy):
    """A form that did something, and the page that its sender was led to. `id` is made of the
    form's own id and of all that was written in it."""

    __tablename__ = "answered"
    __table_args__ = (Index("ix_answered_at", "at"),)

    at: Mapped[datetime]
    location: Mapped[str | None]
