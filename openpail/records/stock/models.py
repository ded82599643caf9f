"""Tables of the stock: what stands in the fridge and on the shelf, and what became of it."""

from __future__ import annotations

import uuid
from datetime import date, datetime
from decimal import Decimal

from sqlalchemy import CheckConstraint, Index, Numeric
from sqlalchemy.orm import Mapped, mapped_column

from openpail.craft.products import KINDS
from openpail.records.base import Base, OfDairy, within_dairy


class Bottle(Base, OfDairy):
    """A lot by its label: a bottle, a packet, a jar. `bought`, `left` and `usual`
    (what a make takes, the last ones counting most) are in its dose's unit.

    The newest that fits a recipe and is not ended is the one used, until the sheet says else.
    """

    __tablename__ = "bottle"
    __table_args__ = (
        CheckConstraint(f"kind in ({', '.join(map(repr, KINDS))})", name="kind"),
        Index("ix_bottle_dairy_id_kind", "dairy_id", "kind"),
    )

    kind: Mapped[str]
    name: Mapped[str]
    sort: Mapped[str] = mapped_column(default="")
    form: Mapped[str] = mapped_column(default="")
    strength: Mapped[float | None]
    scale: Mapped[str] = mapped_column(default="imcu")
    counts: Mapped[str] = mapped_column(default="dihydrate")
    per: Mapped[str] = mapped_column(default="w/v")
    g_per_tsp: Mapped[float | None]
    serves_l: Mapped[float | None]
    size_ml: Mapped[float | None]
    raw: Mapped[bool] = mapped_column(default=False)
    kept: Mapped[str] = mapped_column(default="fridge")
    place: Mapped[str] = mapped_column(default="")
    supplier_lot: Mapped[str] = mapped_column(default="")
    price: Mapped[Decimal | None] = mapped_column(Numeric(10, 2))
    bought: Mapped[float | None]
    left: Mapped[float | None]
    usual: Mapped[float | None]
    bought_on: Mapped[date | None]
    opened_on: Mapped[date | None]
    best_before: Mapped[date | None]
    ended_at: Mapped[datetime | None]
    created_at: Mapped[datetime]


class StockMove(Base, OfDairy):
    """What was taken from a lot or put right: a signed amount in the lot's unit, and why."""

    __tablename__ = "stock_move"
    __table_args__ = (
        within_dairy("bottle_id", "bottle"),
        within_dairy("make_id", "make"),
        CheckConstraint("kind in ('used', 'given back', 'weighed')", name="kind"),
        Index("ix_stock_move_dairy_id_bottle_id", "dairy_id", "bottle_id", "at"),
    )

    bottle_id: Mapped[uuid.UUID]
    make_id: Mapped[uuid.UUID | None]
    event_id: Mapped[uuid.UUID | None]
    kind: Mapped[str]
    amount: Mapped[float]
    at: Mapped[datetime]


class JarFeeding(Base, OfDairy):
    """A feeding of a jar, and what became of it; hours and pH are None until they are seen."""

    __tablename__ = "jar_feeding"
    __table_args__ = (
        within_dairy("bottle_id", "bottle"),
        CheckConstraint("smell in ('clean', 'sharp', 'yeasty', 'off')", name="smell"),
        Index("ix_jar_feeding_dairy_id_bottle_id", "dairy_id", "bottle_id", "at"),
    )

    bottle_id: Mapped[uuid.UUID]
    at: Mapped[datetime]
    set_hours: Mapped[float | None]
    smell: Mapped[str] = mapped_column(default="clean")
    ph: Mapped[float | None]
    note: Mapped[str] = mapped_column(default="")
