"""Tables of finished pieces."""

from __future__ import annotations

import uuid
from datetime import date, datetime

from sqlalchemy import CheckConstraint, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, Json, OfDairy, by_member, within_dairy


class Piece(Base, OfDairy):
    """A finished piece, 37-2, or a part that was cut off it, 37-2a: its weight as it was laid down,
    when that was, what of it is left.

    about: nobody weighed it; salt, that it is thought to hold, a figure in % of it; begins and
    course, how it was laid down and where it stands on its way; facts: what moves its days and how
    long it keeps.
    """

    __tablename__ = "piece"
    __table_args__ = (
        within_dairy("make_id", "make"),
        within_dairy("parent_id", "piece"),
        UniqueConstraint("dairy_id", "label"),
        CheckConstraint("mass_kg > 0", name="mass"),
        CheckConstraint("left_kg >= 0", name="left"),
        Index("ix_piece_dairy_id_make_id", "dairy_id", "make_id", "number"),
        Index("ix_piece_dairy_id_parent_id", "dairy_id", "parent_id"),
        Index("ix_piece_dairy_id_ended_at", "dairy_id", "ended_at"),
    )

    make_id: Mapped[uuid.UUID]
    number: Mapped[int]
    label: Mapped[str]
    name: Mapped[str]
    family: Mapped[str]
    raw: Mapped[bool]
    mass_kg: Mapped[float]
    left_kg: Mapped[float]
    made_on: Mapped[date]
    laid_at: Mapped[datetime]
    begins: Mapped[Json]
    course: Mapped[Json]
    facts: Mapped[Json] = mapped_column(default=dict)
    about: Mapped[bool] = mapped_column(default=False)
    salt: Mapped[Json | None]
    parent_id: Mapped[uuid.UUID | None]
    cut_by: Mapped[uuid.UUID | None]
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
