"""Tables of recipes."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, Json, OfDairy, within_dairy


class RecipeRow(Base, OfDairy):
    """A recipe of the dairy by its key; what it says is in its versions."""

    __tablename__ = "recipe"
    __table_args__ = (UniqueConstraint("dairy_id", "key"),)

    key: Mapped[str]
    name: Mapped[str]
    family: Mapped[str]


class RecipeVersion(Base, OfDairy):
    """One version, never changed: the whole document with its checksum and a line of why."""

    __tablename__ = "recipe_version"
    __table_args__ = (
        within_dairy("recipe_id", "recipe"),
        UniqueConstraint("dairy_id", "recipe_id", "number"),
        Index("ix_recipe_version_dairy_id_recipe_id", "dairy_id", "recipe_id"),
    )

    recipe_id: Mapped[uuid.UUID]
    number: Mapped[int]
    document: Mapped[Json]
    checksum: Mapped[str]
    why: Mapped[str] = mapped_column(default="")
    person_id: Mapped[uuid.UUID | None]
    created_at: Mapped[datetime]
