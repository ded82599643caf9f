"""Tables of recipes."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import Index, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, Json, OfDairy, by_member, within_dairy


class RecipeRow(Base, OfDairy):
    """A recipe of the dairy by its key; what it says is in its versions."""

    __tablename__ = "recipe"
    __table_args__ = (UniqueConstraint("dairy_id", "key"),)

    key: Mapped[str]
    name: Mapped[str]
    family: Mapped[str]
    put_away: Mapped[bool] = mapped_column(default=False)


class RecipeVersion(Base, OfDairy):
    """One version, never changed: the whole document with its checksum and a line of why."""

    __tablename__ = "recipe_version"
    __table_args__ = (
        within_dairy("recipe_id", "recipe"),
        UniqueConstraint("dairy_id", "recipe_id", "number"),
        by_member(),
        Index("ix_recipe_version_dairy_id_recipe_id", "dairy_id", "recipe_id"),
    )

    recipe_id: Mapped[uuid.UUID]
    number: Mapped[int]
    document: Mapped[Json]
    checksum: Mapped[str]
    why: Mapped[str] = mapped_column(default="")
    person_id: Mapped[uuid.UUID | None]
    created_at: Mapped[datetime]


class RecipeDraft(Base, OfDairy):
    """A recipe being written: every field as typed, so that nothing is lost before it is kept.

    `fields` are the form's; `before` the states that a slip can be taken back to; `over` the
    document it changes (of recipe_id's newest version when there is one); `parent` the document
    of a daughter's parent; `lines` what was read of a pasted text, line by line.
    """

    __tablename__ = "recipe_draft"
    __table_args__ = (within_dairy("recipe_id", "recipe"),)

    recipe_id: Mapped[uuid.UUID | None]
    over_number: Mapped[int] = mapped_column(default=0)
    fields: Mapped[Json]
    before: Mapped[list[Json]] = mapped_column(JSONB, default=list)
    over: Mapped[Json | None]
    parent: Mapped[Json | None]
    lines: Mapped[list[Json]] = mapped_column(JSONB, default=list)
    changed_at: Mapped[datetime]


class KeptFile(Base, OfDairy):
    """A recipe file from a newer version, kept as it came until it can be read here."""

    __tablename__ = "kept_file"
    __table_args__ = (UniqueConstraint("dairy_id", "checksum"),)

    name: Mapped[str]
    document: Mapped[Json]
    checksum: Mapped[str]
    why: Mapped[str]
    came_at: Mapped[datetime]
