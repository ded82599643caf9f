"""Tables of the Bench."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import CheckConstraint, Index, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, Json, OfDairy, within_dairy


class Bench(Base, OfDairy):
    """One vat being filled.

    pours: [{lot, litres, typed, cream_pct}], litres under 0 for cream taken off; while state is
    "planned" they are what is meant, once "poured" what really went in, with the plan kept in
    `planned`. accepted: why a ratio that is off was let stand.
    """

    __tablename__ = "bench"
    __table_args__ = (
        within_dairy("vat_id", "vat"),
        CheckConstraint("state in ('planned', 'poured', 'used', 'cleared')", name="state"),
        Index("ix_bench_open", "dairy_id", "vat_id", unique=True,
              postgresql_where="state in ('planned', 'poured')"),
    )  # fmt: skip

    vat_id: Mapped[uuid.UUID]
    recipe_key: Mapped[str] = mapped_column(default="")
    state: Mapped[str] = mapped_column(default="planned")
    pours: Mapped[list[Json]] = mapped_column(JSONB, default=list)
    planned: Mapped[list[Json]] = mapped_column(JSONB, default=list)
    targets: Mapped[Json] = mapped_column(default=dict)
    accepted: Mapped[str] = mapped_column(default="")
    created_at: Mapped[datetime]
    poured_at: Mapped[datetime | None]


class Mix(Base, OfDairy):
    """A blend kept by name, “our Tuesday mix”: litres by animal, for any day's lots."""

    __tablename__ = "mix"
    __table_args__ = (UniqueConstraint("dairy_id", "name"),)

    name: Mapped[str]
    recipe_key: Mapped[str] = mapped_column(default="")
    parts: Mapped[list[Json]] = mapped_column(JSONB, default=list)
    created_at: Mapped[datetime]
