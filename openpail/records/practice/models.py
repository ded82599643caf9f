"""The table of dry runs: no make, no milk and no bottle knows of it."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import CheckConstraint, Index
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, Json, OfDairy, by_member


class DryRun(Base, OfDairy):
    """A dry run of a recipe on a reckoned vat.

    scenario: shared by all runs of the same milk, mishaps and chance; starts, the moment of its
    minute 0; frozen, its sheet; run, what was done and how it stands; faults, steps with something
    to say of them, once it is judged; told, whether its mishaps are told before its end.
    """

    __tablename__ = "dry_run"
    __table_args__ = (
        by_member(),
        CheckConstraint("litres > 0 and power_kw > 0", name="vat"),
        Index("ix_dry_run_dairy_id_begun_at", "dairy_id", "begun_at"),
    )

    scenario: Mapped[uuid.UUID]
    name: Mapped[str]
    milk: Mapped[str]
    begun_at: Mapped[datetime]
    starts: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    frozen: Mapped[Json]
    litres: Mapped[float]
    celsius: Mapped[float]
    power_kw: Mapped[float]
    mishaps: Mapped[list[str]] = mapped_column(JSONB)
    told: Mapped[bool]
    seed: Mapped[int]
    vigour: Mapped[float]
    run: Mapped[Json]
    faults: Mapped[int | None]
    person_id: Mapped[uuid.UUID | None]
