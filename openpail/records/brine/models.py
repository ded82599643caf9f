"""Tables of brine."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import CheckConstraint, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from openpail.craft.salt.cover import TubSize
from openpail.records.base import Base, Json, OfDairy, within_dairy


class Tub(Base, OfDairy):
    """A tub of brine: its inside in cm, the strength it is kept at, °C where it stands; soft, for
    white cheese; standing, what its deeds come to; when it was put away."""

    __tablename__ = "tub"
    __table_args__ = (
        UniqueConstraint("dairy_id", "name"),
        CheckConstraint(
            "across_cm > 0 and height_cm > 0 and goal_pct between 1 and 26.4", name="sizes"
        ),
    )

    name: Mapped[str]
    across_cm: Mapped[float]
    side_cm: Mapped[float | None]
    height_cm: Mapped[float]
    goal_pct: Mapped[float]
    celsius: Mapped[float] = mapped_column(default=12.0)
    soft: Mapped[bool] = mapped_column(default=False)
    standing: Mapped[Json] = mapped_column(default=dict)
    put_away_at: Mapped[datetime | None]

    @property
    def size(self) -> TubSize:
        """Its inside."""
        return TubSize(self.across_cm, self.height_cm, self.side_cm)


class Brining(Base, OfDairy):
    """Pieces of a make in a tub, by the deed that told it: how many, kg, the floor one wants;
    from, until, and since when they are out; the strength they went into and the salt that they
    are thought to have taken up. keeps: they stay in it until they are eaten."""

    __tablename__ = "brining"
    __table_args__ = (
        within_dairy("make_id", "make"),
        within_dairy("tub_id", "tub"),
        CheckConstraint("pieces > 0 and kg > 0 and salt_kg >= 0", name="amounts"),
        Index("ix_brining_dairy_id_tub_id", "dairy_id", "tub_id", "out_at"),
        Index("ix_brining_dairy_id_make_id", "dairy_id", "make_id"),
    )

    make_id: Mapped[uuid.UUID]
    tub_id: Mapped[uuid.UUID]
    step: Mapped[str]
    pieces: Mapped[int]
    kg: Mapped[float]
    floor_cm2: Mapped[float | None]
    pct_in: Mapped[float]
    salt_kg: Mapped[float]
    keeps: Mapped[bool] = mapped_column(default=False)
    in_at: Mapped[datetime]
    until: Mapped[datetime | None]
    out_at: Mapped[datetime | None]

    @property
    def salt_share(self) -> float:
        """The salt that it is thought to have taken up, a share of its weight."""
        return self.salt_kg / self.kg
