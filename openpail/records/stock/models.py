"""Tables of the stock: what stands in the fridge and on the shelf, and what became of it."""

from __future__ import annotations

import uuid
from datetime import date, datetime
from decimal import Decimal

from sqlalchemy import CheckConstraint, Index, Numeric
from sqlalchemy.orm import Mapped, mapped_column, relationship

from openpail.craft.stock.jar import Smell
from openpail.craft.stock.products import Form, Kept, Kind, Per, Salt, Scale
from openpail.records.base import Base, OfDairy, one_of, within_dairy

_CHECKED = {"kind": Kind, "form": Form, "scale": Scale, "counts": Salt, "per": Per, "kept": Kept}


class JarFeeding(Base, OfDairy):
    """A feeding of a jar, and what became of it; hours and pH are None until they are seen."""

    __tablename__ = "jar_feeding"
    __table_args__ = (
        within_dairy("bottle_id", "bottle"),
        one_of("smell", Smell),
        Index("ix_jar_feeding_dairy_id_bottle_id", "dairy_id", "bottle_id", "at"),
    )

    bottle_id: Mapped[uuid.UUID]
    at: Mapped[datetime]
    set_hours: Mapped[float | None]
    smell: Mapped[Smell] = mapped_column(default="clean")
    ph: Mapped[float | None]
    note: Mapped[str] = mapped_column(default="")


class Bottle(Base, OfDairy):
    """A lot by its label: a bottle, a packet, a jar. `bought`, `balance` (what
    came in less what was taken) and `usual` (what a make takes, the last ones counting most) are
    in its dose's unit.

    The newest that fits a recipe and is not ended is the one used, until the sheet says else.
    """

    __tablename__ = "bottle"
    __table_args__ = (
        *map(one_of, *zip(*_CHECKED.items(), strict=True)),
        Index("ix_bottle_dairy_id_kind", "dairy_id", "kind"),
    )

    kind: Mapped[Kind]
    name: Mapped[str]
    sort: Mapped[str] = mapped_column(default="")
    form: Mapped[Form] = mapped_column(default="")
    strength: Mapped[float | None]
    scale: Mapped[Scale] = mapped_column(default="imcu")
    counts: Mapped[Salt] = mapped_column(default="dihydrate")
    per: Mapped[Per] = mapped_column(default="w/v")
    g_per_tsp: Mapped[float | None]
    drops_per_ml: Mapped[float | None]
    serves_l: Mapped[float | None]
    size_ml: Mapped[float | None]
    raw: Mapped[bool] = mapped_column(default=False)
    stands_salt: Mapped[bool] = mapped_column(default=False)
    kept: Mapped[Kept] = mapped_column(default="fridge")
    place: Mapped[str] = mapped_column(default="")
    supplier_lot: Mapped[str] = mapped_column(default="")
    price: Mapped[Decimal | None] = mapped_column(Numeric(10, 2))
    bought: Mapped[float | None]
    balance: Mapped[float | None] = mapped_column("left")
    usual: Mapped[float | None]
    bought_on: Mapped[date | None]
    opened_on: Mapped[date | None]
    best_before: Mapped[date | None]
    ended_at: Mapped[datetime | None]
    created_at: Mapped[datetime]
    fed: Mapped[list[JarFeeding]] = relationship(order_by=JarFeeding.at, viewonly=True)

    @property
    def left(self) -> float | None:
        """What is left of it, None unknown; more taken than there was leaves nothing."""
        return None if self.balance is None else max(0.0, self.balance)


class StockMove(Base, OfDairy):
    """What was taken from a lot or put right: a signed amount in the lot's unit, and why.

    What a make took names the step that gave it and the deed that said so.
    """

    __tablename__ = "stock_move"
    __table_args__ = (
        within_dairy("bottle_id", "bottle"),
        within_dairy("make_id", "make"),
        within_dairy("deed_id", "deed"),
        CheckConstraint("kind in ('used', 'given back', 'weighed')", name="kind"),
        Index("ix_stock_move_dairy_id_make_id", "dairy_id", "make_id"),
        Index("ix_stock_move_dairy_id_bottle_id", "dairy_id", "bottle_id", "at"),
    )

    bottle_id: Mapped[uuid.UUID]
    make_id: Mapped[uuid.UUID | None]
    deed_id: Mapped[uuid.UUID | None]
    step: Mapped[str] = mapped_column(default="")
    kind: Mapped[str]
    amount: Mapped[float]
    at: Mapped[datetime]
