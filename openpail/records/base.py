"""What every table shares: key names, the dairy in every key, moments in UTC."""

from __future__ import annotations

import uuid
from datetime import date, datetime
from typing import Any

from sqlalchemy import Date, DateTime, ForeignKey, ForeignKeyConstraint, MetaData, Text, Uuid
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, declared_attr, mapped_column

Json = dict[str, Any]


class Base(DeclarativeBase):
    """Every table's base. Money is Decimal, masses kg, volumes L, moments UTC."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_N_label)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012
        datetime: DateTime(timezone=True),
        date: Date(),
        str: Text(),
        uuid.UUID: Uuid(),
        Json: JSONB(),
    }


class OfDairy:
    """A row that belongs to one dairy: its key is (dairy_id, id), the id made by its maker."""

    @declared_attr
    def dairy_id(cls) -> Mapped[uuid.UUID]:
        """The dairy, first in the key, so that no row is ever found without it."""
        return mapped_column(
            ForeignKey("dairy.id", ondelete="CASCADE"), primary_key=True, sort_order=-2
        )

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4, sort_order=-1)


def within_dairy(column: str, table: str) -> ForeignKeyConstraint:
    """A foreign key that cannot leave the dairy."""
    return ForeignKeyConstraint(["dairy_id", column], [f"{table}.dairy_id", f"{table}.id"])
