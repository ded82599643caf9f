"""Tables of makes, and what is learnt of them."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import CheckConstraint, Index, LargeBinary, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openpail.craft.milk.kinds import Breed
from openpail.records.base import Base, Json, OfDairy, by_member, one_of, within_dairy

# of a make that somebody left out of the learning; the index of them has it too
LEFT_OUT = "standing ->> 'flocks_count' = 'false'"


class Make(Base, OfDairy):
    """A make. `frozen` holds everything its sheet was worked out from, and the sheet.

    station: where on the line it stands. standing: what its deeds come to, kept with the last one
    that was folded into it; None is to be folded anew. marks: what its deeds and its sheet left on
    it; None is to be worked out anew. expected_kg and milk_kg stand in `frozen` too: a list of
    makes reads only these.
    """

    __tablename__ = "make"
    __table_args__ = (
        within_dairy("vat_id", "vat"),
        within_dairy("recipe_version_id", "recipe_version"),
        by_member(),
        UniqueConstraint("dairy_id", "number"),
        CheckConstraint("state in ('under way', 'resting', 'ended')", name="state"),
        CheckConstraint("station in ('vat', 'press')", name="station"),
        Index("ix_make_dairy_id_state", "dairy_id", "state"),
        Index("ix_make_left_out", "dairy_id", postgresql_where=text(LEFT_OUT)),
        Index("ix_make_dairy_id_started_at", "dairy_id", "started_at"),
    )

    number: Mapped[int]
    name: Mapped[str]
    state: Mapped[str] = mapped_column(default="under way")
    station: Mapped[str] = mapped_column(default="vat")
    recipe_version_id: Mapped[uuid.UUID]
    vat_id: Mapped[uuid.UUID]
    started_at: Mapped[datetime]
    frozen: Mapped[Json] = mapped_column(deferred=True, deferred_group="frozen")
    frozen_version: Mapped[int] = mapped_column(default=1)
    expected_kg: Mapped[float]
    milk_kg: Mapped[float]
    standing: Mapped[Json | None] = mapped_column(default=None)
    folded: Mapped[uuid.UUID | None] = mapped_column(default=None)
    marks: Mapped[list[Json] | None] = mapped_column(JSONB(none_as_null=True), default=None)
    note: Mapped[str] = mapped_column(default="")
    person_id: Mapped[uuid.UUID | None]


class MakeMilk(Base, OfDairy):
    """How much of which lot went into a make."""

    __tablename__ = "make_milk"
    __table_args__ = (
        within_dairy("make_id", "make"),
        within_dairy("lot_id", "milk_lot"),
        Index("ix_make_milk_dairy_id_make_id", "dairy_id", "make_id"),
        Index("ix_make_milk_dairy_id_lot_id", "dairy_id", "lot_id"),
    )

    make_id: Mapped[uuid.UUID]
    lot_id: Mapped[uuid.UUID]
    mass_kg: Mapped[float]
    volume_l: Mapped[float]


class MakeLook(Base, OfDairy):
    """What a make is found by and compared with: worked out when somebody looks, and dropped when
    anything is told of the make or its pieces. Its id is the make's.

    version, of how it is worked out; words, all that was written of it; facts, as the craft has
    them; figures, those of them that are numbers, by key; culture, what soured it, "" where its
    acid was not read; lots and bottles, by their ids.
    """

    __tablename__ = "make_look"
    __table_args__ = (
        within_dairy("id", "make", ondelete="CASCADE"),
        CheckConstraint("outcome in ('', 'good', 'mixed', 'poor')", name="outcome"),
    )

    version: Mapped[int]
    words: Mapped[str]
    animals: Mapped[list[str]] = mapped_column(JSONB)
    bottles: Mapped[list[str]] = mapped_column(JSONB)
    outcome: Mapped[str]
    faults: Mapped[list[str]] = mapped_column(JSONB)
    real_kg: Mapped[float | None]
    facts: Mapped[list[Json]] = mapped_column(JSONB)
    figures: Mapped[Json]
    culture: Mapped[str]


class FlocksLesson(Base, OfDairy):
    """What the first flocks of a make teach of its bottle; written anew as deeds change."""

    __tablename__ = "flocks_lesson"
    __table_args__ = (
        within_dairy("make_id", "make"),
        within_dairy("bottle_id", "bottle"),
        one_of("animals", Breed),
        CheckConstraint("observed_min > 0 and expected_min > 0", name="minutes"),
        UniqueConstraint("dairy_id", "make_id"),
        Index("ix_flocks_lesson_dairy_id_bottle_id", "dairy_id", "bottle_id", "at"),
    )

    make_id: Mapped[uuid.UUID]
    bottle_id: Mapped[uuid.UUID]
    animals: Mapped[Breed]
    observed_min: Mapped[float]
    expected_min: Mapped[float]
    at: Mapped[datetime]


class WarmingLesson(Base, OfDairy):
    """What a warming of a make shows of its vat; written anew as deeds change."""

    __tablename__ = "warming_lesson"
    __table_args__ = (
        within_dairy("make_id", "make"),
        within_dairy("vat_id", "vat"),
        UniqueConstraint("dairy_id", "make_id", "step"),
        Index("ix_warming_lesson_dairy_id_vat_id", "dairy_id", "vat_id", "at"),
    )

    make_id: Mapped[uuid.UUID]
    step: Mapped[str]
    vat_id: Mapped[uuid.UUID]
    mass_kg: Mapped[float]
    from_c: Mapped[float]
    to_c: Mapped[float]
    minutes: Mapped[float]
    at: Mapped[datetime]


class OvershootLesson(Base, OfDairy):
    """What a vat went on by after the heat was off; written anew as deeds change."""

    __tablename__ = "overshoot_lesson"
    __table_args__ = (
        within_dairy("make_id", "make"),
        within_dairy("vat_id", "vat"),
        CheckConstraint("over_c >= 0", name="over_c"),
        Index("ix_overshoot_lesson_dairy_id_vat_id", "dairy_id", "vat_id", "at"),
        Index("ix_overshoot_lesson_dairy_id_make_id", "dairy_id", "make_id"),
    )

    make_id: Mapped[uuid.UUID]
    vat_id: Mapped[uuid.UUID]
    over_c: Mapped[float]
    at: Mapped[datetime]


class AcidLesson(Base, OfDairy):
    """How much acid a hot milk really wanted, against what was expected of it."""

    __tablename__ = "acid_lesson"
    __table_args__ = (
        within_dairy("make_id", "make"),
        one_of("animals", Breed),
        CheckConstraint("used > 0 and expected > 0", name="amounts"),
        UniqueConstraint("dairy_id", "make_id"),
        Index("ix_acid_lesson_dairy_id_acid", "dairy_id", "acid", "animals", "at"),
    )

    make_id: Mapped[uuid.UUID]
    acid: Mapped[str]
    animals: Mapped[Breed]
    used: Mapped[float]
    expected: Mapped[float]
    at: Mapped[datetime]


class ShareLesson(Base, OfDairy):
    """How much of what was expected came of something: the cheese of a recipe (of: its key), the
    speed of a culture (of: its bottle), the weight a rind lost in a room (of: the room).

    subject_id: the make, or the piece that was weighed."""

    __tablename__ = "share_lesson"
    __table_args__ = (
        within_dairy("make_id", "make"),
        CheckConstraint("sort in ('yield', 'vigour', 'drying')", name="sort"),
        CheckConstraint("seen > 0 and expected > 0", name="amounts"),
        UniqueConstraint("dairy_id", "sort", "subject_id"),
        Index("ix_share_lesson_dairy_id_sort", "dairy_id", "sort", "of", "at"),
    )

    sort: Mapped[str]
    of: Mapped[str]
    make_id: Mapped[uuid.UUID]
    subject_id: Mapped[uuid.UUID]
    seen: Mapped[float]
    expected: Mapped[float]
    at: Mapped[datetime]


class MakeFile(Base, OfDairy):
    """A photo or a spoken note of a make; the deed that tells of it carries its id."""

    __tablename__ = "make_file"
    __table_args__ = (
        within_dairy("make_id", "make"),
        by_member(),
        CheckConstraint("sort in ('photo', 'sound')", name="sort"),
        CheckConstraint("octet_length(data) <= 5242880", name="size"),
        Index("ix_make_file_dairy_id_make_id", "dairy_id", "make_id"),
    )

    make_id: Mapped[uuid.UUID]
    sort: Mapped[str]
    media_type: Mapped[str]
    data: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    at: Mapped[datetime]
    person_id: Mapped[uuid.UUID | None]
