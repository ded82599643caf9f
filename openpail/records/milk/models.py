"""Tables of milk: herds, lots, tests, and what became of each lot."""

from __future__ import annotations

import uuid
from datetime import date, datetime
from decimal import Decimal

from sqlalchemy import CheckConstraint, Index, Numeric, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from openpail.craft.milk.animals import Kappa
from openpail.craft.milk.fitness import Holding
from openpail.craft.milk.kinds import Breed, MilkKind, ProteinKind, Treatment
from openpail.records.base import Base, Json, OfDairy, by_member, one_of, within_dairy

USES = {
    "fed": "fed",
    "given": "given away",
    "kitchen": "used in the kitchen",
    "thrown": "thrown away",
    "skimmed": "skimmed off as cream",
}


class Herd(Base, OfDairy):
    """A group of animals that is milked together; its tests make its own means. breed_why: the word
    with which its animal was told anew, once milk was noted of it."""

    __tablename__ = "herd"
    __table_args__ = (
        UniqueConstraint("dairy_id", "name"),
        one_of("breed", Breed),
        one_of("kappa", Kappa),
    )

    name: Mapped[str]
    breed: Mapped[Breed]
    head: Mapped[int | None]
    kappa: Mapped[Kappa] = mapped_column(default="")
    breed_why: Mapped[str] = mapped_column(default="")
    created_at: Mapped[datetime]
    put_away_at: Mapped[datetime | None]


LEAST_KG = 0.01  # what clings to an emptied pail; the index of what waits has it too


class MilkLot(Base, OfDairy):
    """A lot of milk: amounts in kg and L, and what was typed with its temperature.

    mass_kg is left_kg and all that went into makes (make_milk) or elsewhere (milk_use). Whey is
    a lot too: of the make it ran off, made_of what that make's milk left in it (%). heating_id: the
    pasteurising that it is in, or went through here; heat_record, what its record says, where it
    lacks nothing. skimmed_at: when its cream was taken off by hand; skimmed_share, what share of it
    that was, 0 where nobody measured.
    """

    __tablename__ = "milk_lot"
    __table_args__ = (
        within_dairy("herd_id", "herd"),
        CheckConstraint("volume_l > 0 and mass_kg > 0 and left_kg >= -1e-9", name="amounts"),
        one_of("kind", MilkKind),
        one_of("breed", Breed),
        one_of("treatment", Treatment),
        one_of("holding", Holding),
        one_of("kappa", Kappa),
        within_dairy("make_id", "make"),
        within_dairy("heating_id", "heating"),
        by_member(),
        CheckConstraint("skimmed_share >= 0 and skimmed_share < 0.5", name="skimmed_share"),
        CheckConstraint("stage in ('', 'early', 'mid', 'late')", name="stage"),
        Index("ix_milk_lot_dairy_id_make_id", "dairy_id", "make_id"),
        Index("ix_milk_lot_waiting", "dairy_id", "collected_at", postgresql_where="left_kg > 0.01"),
    )

    number: Mapped[int]
    name: Mapped[str]
    kind: Mapped[MilkKind] = mapped_column(default="milk")
    herd_id: Mapped[uuid.UUID | None]
    breed: Mapped[Breed]
    treatment: Mapped[Treatment]
    homogenised: Mapped[bool] = mapped_column(default=False)
    frozen: Mapped[bool] = mapped_column(default=False)
    frozen_at: Mapped[datetime | None]
    freezer_c: Mapped[float | None]
    thawed_at: Mapped[datetime | None]
    bought: Mapped[bool] = mapped_column(default=False)
    price: Mapped[Decimal | None] = mapped_column(Numeric(10, 2))
    best_before: Mapped[date | None]
    stage: Mapped[str] = mapped_column(default="")
    kappa: Mapped[Kappa] = mapped_column(default="")
    container: Mapped[str] = mapped_column(default="")
    typed: Mapped[str]
    typed_unit: Mapped[str]
    celsius: Mapped[float | None]
    volume_l: Mapped[float]
    mass_kg: Mapped[float]
    left_kg: Mapped[float]
    collected_at: Mapped[datetime]
    holding: Mapped[Holding] = mapped_column(default="cold")
    make_id: Mapped[uuid.UUID | None]
    made_of: Mapped[Json | None]
    heating_id: Mapped[uuid.UUID | None]
    heat_record: Mapped[str] = mapped_column(default="")
    heated_at: Mapped[datetime | None]
    skimmed_at: Mapped[datetime | None]
    skimmed_share: Mapped[float] = mapped_column(default=0.0)
    off_smell: Mapped[bool] = mapped_column(default=False)
    colostrum_or_sick: Mapped[bool] = mapped_column(default=False)
    withdrawal: Mapped[bool] = mapped_column(default=False)
    person_id: Mapped[uuid.UUID | None]
    created_at: Mapped[datetime]
    tests: Mapped[list[MilkTestRow]] = relationship(
        order_by="MilkTestRow.taken_at", lazy="selectin", back_populates="lot"
    )
    uses: Mapped[list[MilkUse]] = relationship(order_by="MilkUse.at")


class MilkTestRow(Base, OfDairy):
    """A test slip of a lot, or of a herd without a lot, as read; `source` tells how it came.

    taken_at, the sample; told_at, when the slip came here; taken_back_at: it was of other milk, or
    read wrong: it stays, and nothing reads it; why.
    """

    __tablename__ = "milk_test"
    __table_args__ = (
        within_dairy("lot_id", "milk_lot"),
        within_dairy("herd_id", "herd"),
        one_of("protein_kind", ProteinKind),
        by_member(),
        CheckConstraint("source in ('hand', 'file', 'analyser')", name="source"),
        CheckConstraint("lot_id is not null or herd_id is not null", name="of_something"),
        Index("ix_milk_test_dairy_id_lot_id", "dairy_id", "lot_id"),
        Index("ix_milk_test_dairy_id_herd_id", "dairy_id", "herd_id", "taken_at"),
    )

    lot_id: Mapped[uuid.UUID | None]
    herd_id: Mapped[uuid.UUID | None]
    source: Mapped[str] = mapped_column(default="hand")
    taken_at: Mapped[datetime]
    told_at: Mapped[datetime]
    fat_pct: Mapped[float | None]
    protein_pct: Mapped[float | None]
    protein_kind: Mapped[ProteinKind] = mapped_column(default="unknown")
    casein_pct: Mapped[float | None]
    lactose_pct: Mapped[float | None]
    snf_pct: Mapped[float | None]
    total_solids_pct: Mapped[float | None]
    density_g_ml: Mapped[float | None]
    density_c: Mapped[float | None]
    lactometer: Mapped[float | None]
    lactometer_c: Mapped[float | None]
    freezing_point_c: Mapped[float | None]
    acidity_pct: Mapped[float | None]
    ph: Mapped[float | None]
    ph_sample_c: Mapped[float | None]
    cells_per_ml: Mapped[float | None]
    plates_per_ml: Mapped[float | None]
    residue_found: Mapped[bool] = mapped_column(default=False)
    taken_back_at: Mapped[datetime | None]
    taken_back_why: Mapped[str] = mapped_column(default="")
    person_id: Mapped[uuid.UUID | None]
    lot: Mapped[MilkLot | None] = relationship(back_populates="tests", overlaps="tests")


class MilkUse(Base, OfDairy):
    """Milk of a lot that went elsewhere than into a make."""

    __tablename__ = "milk_use"
    __table_args__ = (
        within_dairy("lot_id", "milk_lot"),
        CheckConstraint("kind in ('fed', 'given', 'kitchen', 'thrown', 'skimmed')", name="kind"),
        CheckConstraint("mass_kg > 0", name="mass"),
        by_member(),
        Index("ix_milk_use_dairy_id_lot_id", "dairy_id", "lot_id"),
    )

    lot_id: Mapped[uuid.UUID]
    kind: Mapped[str]
    mass_kg: Mapped[float]
    at: Mapped[datetime]
    note: Mapped[str] = mapped_column(default="")
    person_id: Mapped[uuid.UUID | None]


class LotPart(Base, OfDairy):
    """A lot that was part of another: its cream. How much of it, and when they parted."""

    __tablename__ = "lot_part"
    __table_args__ = (
        within_dairy("lot_id", "milk_lot"),
        within_dairy("of_lot_id", "milk_lot"),
        CheckConstraint("mass_kg > 0 and lot_id <> of_lot_id", name="parted"),
        Index("ix_lot_part_dairy_id_lot_id", "dairy_id", "lot_id"),
        Index("ix_lot_part_dairy_id_of_lot_id", "dairy_id", "of_lot_id"),
    )

    lot_id: Mapped[uuid.UUID]
    of_lot_id: Mapped[uuid.UUID]
    mass_kg: Mapped[float]
    at: Mapped[datetime]


class Task(Base, OfDairy):
    """Something to do on a day before a make: frozen milk into the fridge."""

    __tablename__ = "task"
    __table_args__ = (
        within_dairy("lot_id", "milk_lot"),
        Index("ix_task_dairy_id_due", "dairy_id", "due"),
    )

    words: Mapped[str]
    due: Mapped[date]
    lot_id: Mapped[uuid.UUID]
    done_at: Mapped[datetime | None]


class CsvLayout(Base, OfDairy):
    """What a dairy answered once about the columns of a file: their meaning and units."""

    __tablename__ = "csv_layout"
    __table_args__ = (UniqueConstraint("dairy_id", "header"),)

    header: Mapped[str]
    answers: Mapped[Json]


class Heating(Base, OfDairy):
    """A pasteurising in a vat: what milk, how it is read; its readings are deeds of the log.

    meets: None while it runs; else whether its record meets the hold and lacks nothing.
    """

    __tablename__ = "heating"
    __table_args__ = (
        within_dairy("vat_id", "vat"),
        by_member(),
        CheckConstraint("unit in ('C', 'F')", name="unit"),
        Index("ix_heating_dairy_id_ended_at", "dairy_id", "ended_at"),
    )

    vat_id: Mapped[uuid.UUID]
    unit: Mapped[str]
    fat_pct: Mapped[float]
    solids_pct: Mapped[float]
    solids_measured: Mapped[bool]
    thermometer_checked: Mapped[bool]
    started_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    meets: Mapped[bool | None]
    person_id: Mapped[uuid.UUID | None]
