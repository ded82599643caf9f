"""Tables of the Bench."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import CheckConstraint, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from openpail.craft.milk.kinds import Breed
from openpail.records.base import Base, Json, OfDairy, one_of, within_dairy


class BenchPour(Base, OfDairy):
    """So many litres of a lot in a vat on the bench, under 0 for cream taken off it.

    cream_pct: the fat of that cream, None for the milk itself; meant: it is the plan, kept beside
    what was really poured.
    """

    __tablename__ = "bench_pour"
    __table_args__ = (
        within_dairy("bench_id", "bench"),
        within_dairy("lot_id", "milk_lot"),
        CheckConstraint("(cream_pct is null) = (litres > 0)", name="litres"),
        UniqueConstraint("dairy_id", "bench_id", "lot_id", "meant", "position"),
        Index("ix_bench_pour_dairy_id_lot_id", "dairy_id", "lot_id"),
    )

    bench_id: Mapped[uuid.UUID]
    lot_id: Mapped[uuid.UUID]
    position: Mapped[int]
    litres: Mapped[float]
    typed: Mapped[str] = mapped_column(default="")
    cream_pct: Mapped[float | None]
    meant: Mapped[bool] = mapped_column(default=False)

    @property
    def is_cream(self) -> bool:
        """Whether it is cream that is taken off."""
        return self.cream_pct is not None


class Bench(Base, OfDairy):
    """One vat being filled.

    pours: while state is "planned" what is meant, once "poured" what really went in, with the plan
    kept in `meant`. accepted: why a ratio that is off was let stand.
    """

    __tablename__ = "bench"
    __table_args__ = (
        within_dairy("vat_id", "vat"),
        CheckConstraint("state in ('planned', 'poured', 'used', 'cleared')", name="state"),
        Index(
            "ix_bench_open",
            "dairy_id",
            "vat_id",
            unique=True,
            postgresql_where="state in ('planned', 'poured')",
        ),
    )

    vat_id: Mapped[uuid.UUID]
    recipe_key: Mapped[str] = mapped_column(default="")
    state: Mapped[str] = mapped_column(default="planned")
    targets: Mapped[Json] = mapped_column(default=dict)
    accepted: Mapped[str] = mapped_column(default="")
    created_at: Mapped[datetime]
    poured_at: Mapped[datetime | None]
    all_pours: Mapped[list[BenchPour]] = relationship(
        order_by=BenchPour.position, lazy="selectin", cascade="all, delete-orphan"
    )

    @property
    def pours(self) -> list[BenchPour]:
        """What stands in the vat: planned, or really poured."""
        return [each for each in self.all_pours if not each.meant]

    @property
    def planned(self) -> list[BenchPour]:
        """What was meant before it was really poured."""
        return [each for each in self.all_pours if each.meant]


class MixPart(Base, OfDairy):
    """Litres of one animal's milk in a mix kept by name."""

    __tablename__ = "mix_part"
    __table_args__ = (
        within_dairy("mix_id", "mix"),
        one_of("breed", Breed),
        CheckConstraint("litres > 0", name="litres"),
        UniqueConstraint("dairy_id", "mix_id", "breed"),
    )

    mix_id: Mapped[uuid.UUID]
    breed: Mapped[Breed]
    litres: Mapped[float]


class KeptMix(Base, OfDairy):
    """A blend kept by name, “our Tuesday mix”: litres by animal, for any day's lots."""

    __tablename__ = "mix"
    __table_args__ = (UniqueConstraint("dairy_id", "name"),)

    name: Mapped[str]
    recipe_key: Mapped[str] = mapped_column(default="")
    created_at: Mapped[datetime]
    parts: Mapped[list[MixPart]] = relationship(
        order_by=MixPart.breed, lazy="selectin", cascade="all, delete-orphan"
    )
