"""Tables of milk."""

from __future__ import annotations

import uuid
from datetime import date, datetime

from sqlalchemy import CheckConstraint, Index
from sqlalchemy.orm import Mapped, mapped_column, relationship

from openpail.records.base import Base, OfDairy, within_dairy


class MilkLot(Base, OfDairy):
    """A lot of milk: amounts in kg and L, and what was typed with its temperature."""

    __tablename__ = "milk_lot"
    __table_args__ = (
        CheckConstraint("volume_l > 0 and mass_kg > 0 and left_kg >= -1e-9", name="amounts"),
        Index("ix_milk_lot_dairy_id_left", "dairy_id", "collected_at"),
    )

    number: Mapped[int]
    name: Mapped[str]
    breed: Mapped[str]
    treatment: Mapped[str]
    homogenised: Mapped[bool] = mapped_column(default=False)
    frozen: Mapped[bool] = mapped_column(default=False)
    bought: Mapped[bool] = mapped_column(default=False)
    best_before: Mapped[date | None]
    typed: Mapped[str]
    typed_unit: Mapped[str]
    celsius: Mapped[float | None]
    volume_l: Mapped[float]
    mass_kg: Mapped[float]
    left_kg: Mapped[float]
    collected_at: Mapped[datetime]
    holding: Mapped[str] = mapped_column(default="cold")
    off_smell: Mapped[bool] = mapped_column(default=False)
    colostrum_or_sick: Mapped[bool] = mapped_column(default=False)
    withdrawal: Mapped[bool] = mapped_column(default=False)
    person_id: Mapped[uuid.UUID | None]
    created_at: Mapped[datetime]
    tests: Mapped[list[MilkTestRow]] = relationship(
        order_by="MilkTestRow.taken_at", lazy="selectin", back_populates="lot"
    )


class MilkTestRow(Base, OfDairy):
    """A test of a lot, % w/w as on the slip; protein_kind true, crude or unknown."""

    __tablename__ = "milk_test"
    __table_args__ = (
        within_dairy("lot_id", "milk_lot"),
        CheckConstraint("protein_kind in ('true', 'crude', 'unknown')", name="protein_kind"),
        Index("ix_milk_test_dairy_id_lot_id", "dairy_id", "lot_id"),
    )

    lot_id: Mapped[uuid.UUID]
    taken_at: Mapped[datetime]
    fat_pct: Mapped[float | None]
    protein_pct: Mapped[float | None]
    protein_kind: Mapped[str] = mapped_column(default="unknown")
    casein_pct: Mapped[float | None]
    ph: Mapped[float | None]
    ph_sample_c: Mapped[float | None]
    cells_per_ml: Mapped[float | None]
    residue_found: Mapped[bool] = mapped_column(default=False)
    person_id: Mapped[uuid.UUID | None]
    lot: Mapped[MilkLot] = relationship(back_populates="tests", overlaps="tests")
