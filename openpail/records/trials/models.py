"""Tables of planned trials and of kept looks."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import CheckConstraint, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base, OfDairy, by_member, within_dairy


class KeptLook(Base, OfDairy):
    """A look at the logbook that was kept: its name, and what it asks for, as an address does."""

    __tablename__ = "kept_look"
    __table_args__ = (UniqueConstraint("dairy_id", "name"),)

    name: Mapped[str]
    query: Mapped[str]
    created_at: Mapped[datetime]


class Trial(Base, OfDairy):
    """One thing that is tried another way: of which cheese, what is otherwise, in words; fact, its
    key where it is one that every make tells of, "" where it is none; step, the key of the step at
    which it is done, "" where it is of the whole make; each, how many makes of each kind are
    wanted."""

    __tablename__ = "trial"
    __table_args__ = (
        within_dairy("recipe_id", "recipe"),
        by_member(),
        CheckConstraint("each between 2 and 40", name="each"),
        Index("ix_trial_dairy_id_begun_at", "dairy_id", "begun_at"),
    )

    recipe_id: Mapped[uuid.UUID]
    words: Mapped[str]
    fact: Mapped[str] = mapped_column(default="")
    step: Mapped[str] = mapped_column(default="")
    each: Mapped[int]
    begun_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    person_id: Mapped[uuid.UUID | None]


class TrialMake(Base, OfDairy):
    """A make of a trial: made the new way, or as always."""

    __tablename__ = "trial_make"
    __table_args__ = (
        within_dairy("trial_id", "trial", ondelete="CASCADE"),
        within_dairy("make_id", "make"),
        UniqueConstraint("dairy_id", "trial_id", "make_id"),
    )

    trial_id: Mapped[uuid.UUID]
    make_id: Mapped[uuid.UUID]
    is_new_way: Mapped[bool]
