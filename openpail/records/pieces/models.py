"""Tables of finished pieces."""

from __future__ import annotations

import uuid
from datetime import date, datetime

from sqlalchemy import CheckConstraint, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, Json, OfDairy, by_member, within_dairy


class Piece(Base, OfDairy):
    """A finished piece, 37-2: its weight, day made, place, and until when to eat it.

    marks: what stays said of it, by the key of the caution; about: nobody weighed it; salt, that it
    is thought to hold, a figure in % of it.
    """

    __tablename__ = "piece"
    __table_args__ = (
        within_dairy("make_id", "make"),
        UniqueConstraint("dairy_id", "make_id", "number"),
        CheckConstraint("mass_kg > 0", name="mass"),
        Index("ix_piece_dairy_id_ended_at", "dairy_id", "ended_at"),
    )

    make_id: Mapped[uuid.UUID]
    number: Mapped[int]
    label: Mapped[str]
    name: Mapped[str]
    family: Mapped[str]
    raw: Mapped[bool]
    mass_kg: Mapped[float]
    made_on: Mapped[date]
    ready_from: Mapped[date]
    ready_until: Mapped[date]
    eat_by: Mapped[date]
    marks: Mapped[Json] = mapped_column(default=dict)
    about: Mapped[bool] = mapped_column(default=False)
    salt: Mapped[Json | None]
    ended_at: Mapped[datetime | None]


class PieceOut(Base, OfDairy):
    """Where a piece, or a part of it, went: to whom, how many kg, why, and when."""

    __tablename__ = "piece_out"
    __table_args__ = (
        within_dairy("piece_id", "piece"),
        by_member(),
        CheckConstraint("kind in ('eaten', 'sold', 'given', 'thrown', '')", name="kind"),
        CheckConstraint("mass_kg > 0", name="mass"),
        Index("ix_piece_out_dairy_id_piece_id", "dairy_id", "piece_id"),
    )

    piece_id: Mapped[uuid.UUID]
    kind: Mapped[str] = mapped_column(default="")
    to: Mapped[str] = mapped_column(default="")
    mass_kg: Mapped[float]
    why: Mapped[str] = mapped_column(default="")
    at: Mapped[datetime]
    person_id: Mapped[uuid.UUID | None]


class PieceCare(Base, OfDairy):
    """One care of one piece on one local date, and when it was done."""

    __tablename__ = "care"
    __table_args__ = (
        within_dairy("piece_id", "piece"),
        by_member(),
        Index("ix_care_dairy_id_piece_id", "dairy_id", "piece_id"),
        Index("ix_care_open", "dairy_id", "piece_id", "due", postgresql_where="done_at is null"),
    )

    piece_id: Mapped[uuid.UUID]
    stage: Mapped[str]
    key: Mapped[str]
    words: Mapped[str]
    place: Mapped[str]
    due: Mapped[date]
    matters: Mapped[str] = mapped_column(default="daily")
    done_at: Mapped[datetime | None]
    person_id: Mapped[uuid.UUID | None]
