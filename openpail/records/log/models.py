"""Tables of the log: deeds of every subject, and the streams of probes."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import CheckConstraint, ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, Json, OfDairy, by_member, within_dairy

_SET_OUT = "deed = 'tasting_begun'"


class DeedRow(Base, OfDairy):
    """What happened, append-only; its id is made by the device that saw it.

    happened as the device claims, by a clock that was clock_offset_s behind ours; at, corrected.
    """

    __tablename__ = "deed"
    __table_args__ = (
        within_dairy("amends", "deed"),
        by_member(),
        CheckConstraint(
            "subject in ('make', 'piece', 'heating', 'brine', 'room', 'milk')", name="subject"
        ),
        Index("ix_deed_dairy_id_subject_id", "dairy_id", "subject_id", "at", "counter", "id"),
        Index("ix_deed_dairy_id_subject_id_arrived", "dairy_id", "subject_id", "arrived"),
        Index("ix_deed_tasting_begun", "dairy_id", "at", postgresql_where=text(_SET_OUT)),
    )

    subject: Mapped[str]
    subject_id: Mapped[uuid.UUID]
    deed: Mapped[str]
    payload: Mapped[Json]
    payload_version: Mapped[int] = mapped_column(default=1)
    happened: Mapped[datetime]
    clock_offset_s: Mapped[float] = mapped_column(default=0.0)
    at: Mapped[datetime]
    arrived: Mapped[datetime]
    person_id: Mapped[uuid.UUID | None]
    device: Mapped[str] = mapped_column(default="")
    counter: Mapped[int] = mapped_column(default=0)
    amends: Mapped[uuid.UUID | None]


class Sample(Base):
    """One value of a probe's stream, as it came."""

    __tablename__ = "sample"
    __table_args__ = (within_dairy("make_id", "make"),)

    dairy_id: Mapped[uuid.UUID] = mapped_column(
        ForeignKey("dairy.id", ondelete="CASCADE"), primary_key=True
    )
    make_id: Mapped[uuid.UUID] = mapped_column(primary_key=True)
    probe: Mapped[str] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(primary_key=True)
    celsius: Mapped[float]
    ph: Mapped[float | None]


class SampleSpan(Base):
    """Five minutes of a probe's stream: its lowest, highest and last value; what is drawn."""

    __tablename__ = "sample_span"
    __table_args__ = (
        within_dairy("make_id", "make"),
        CheckConstraint("low_c <= last_c and last_c <= high_c and count > 0", name="values"),
    )

    dairy_id: Mapped[uuid.UUID] = mapped_column(
        ForeignKey("dairy.id", ondelete="CASCADE"), primary_key=True
    )
    make_id: Mapped[uuid.UUID] = mapped_column(primary_key=True)
    probe: Mapped[str] = mapped_column(primary_key=True)
    begins: Mapped[datetime] = mapped_column(primary_key=True)
    count: Mapped[int]
    low_c: Mapped[float]
    high_c: Mapped[float]
    last_c: Mapped[float]
    last_at: Mapped[datetime]
    last_ph: Mapped[float | None]
