"""What makes taught, make by make: to be looked at, and left out."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Any, Literal

from sqlalchemy import (
    ColumnElement,
    Select,
    Text,
    Uuid,
    and_,
    bindparam,
    cast,
    delete,
    func,
    literal,
    select,
    text,
    true,
    union_all,
)
from sqlalchemy.orm import Session, aliased

from openpail.craft.make.taught import ShareTaught
from openpail.records.dairy.models import Dairy, RoomRow, Vat
from openpail.records.makes.models import (
    LEFT_OUT,
    AcidLesson,
    FlocksLesson,
    Make,
    OvershootLesson,
    ShareLesson,
    WarmingLesson,
)
from openpail.records.recipes.models import RecipeRow
from openpail.records.stock.models import Bottle

_MOST_TOLD = 60  # of each sort: more than ever count at once
_LAST_SHARES = 12
ShareSort = Literal["yield", "vigour", "drying"]
LessonSort = Literal["bottle", "vat", "overshoot", "acid"] | ShareSort


@dataclass(frozen=True, slots=True)
class LessonRow:
    """What one make taught of something: of what by its id and name, seen against expected, in
    which make, when."""

    sort: LessonSort
    of: str
    name: str
    seen: float
    expected: float
    make_id: uuid.UUID
    number: int
    make: str
    at: datetime


def all_of(session: Session, dairy: Dairy) -> list[LessonRow]:
    """All lessons that count, of what is in use, the newest first."""
    made = (Make.id, Make.number, Make.name)
    questions: tuple[tuple[LessonSort, Any], ...] = (
        (
            "bottle",
            select(
                Bottle.id,
                Bottle.name,
                FlocksLesson.observed_min,
                FlocksLesson.expected_min,
                *made,
                FlocksLesson.at,
            )
            .join(
                Bottle,
                and_(Bottle.dairy_id == FlocksLesson.dairy_id, Bottle.id == FlocksLesson.bottle_id),
            )
            .join(Make, _of_make(FlocksLesson))
            .where(FlocksLesson.dairy_id == dairy.id, Bottle.ended_at.is_(None))
            .order_by(FlocksLesson.at.desc()),
        ),
        (
            "vat",
            select(
                Vat.id,
                Vat.name,
                WarmingLesson.to_c - WarmingLesson.from_c,
                WarmingLesson.minutes,
                *made,
                WarmingLesson.at,
            )
            .join(Vat, and_(Vat.dairy_id == WarmingLesson.dairy_id, Vat.id == WarmingLesson.vat_id))
            .join(Make, _of_make(WarmingLesson))
            .where(WarmingLesson.dairy_id == dairy.id, Vat.put_away_at.is_(None))
            .order_by(WarmingLesson.at.desc()),
        ),
        (
            "overshoot",
            select(
                Vat.id,
                Vat.name,
                OvershootLesson.over_c,
                OvershootLesson.over_c,
                *made,
                OvershootLesson.at,
            )
            .join(
                Vat,
                and_(Vat.dairy_id == OvershootLesson.dairy_id, Vat.id == OvershootLesson.vat_id),
            )
            .join(Make, _of_make(OvershootLesson))
            .where(OvershootLesson.dairy_id == dairy.id, Vat.put_away_at.is_(None))
            .order_by(OvershootLesson.at.desc()),
        ),
        (
            "acid",
            select(
                AcidLesson.acid,
                AcidLesson.animals,
                AcidLesson.used,
                AcidLesson.expected,
                *made,
                AcidLesson.at,
            )
            .join(Make, _of_make(AcidLesson))
            .where(AcidLesson.dairy_id == dairy.id)
            .order_by(AcidLesson.at.desc()),
        ),
    )
    found = [LessonRow(*row) for row in session.execute(_shares_told(), {"dairy_id": dairy.id})]
    found += [
        LessonRow(sort, str(of), name, *rest)
        for sort, query in questions
        for of, name, *rest in session.execute(query.limit(_MOST_TOLD))
    ]
    return sorted(found, key=lambda each: each.at, reverse=True)


@cache  # putting a question together takes longer than asking it
def _shares_told() -> Any:
    """The shares of all sorts by what they are of, the newest first."""
    lesson = ShareLesson
    recipe, bottle, room = (
        and_(table.dairy_id == lesson.dairy_id, key == lesson.of, lesson.sort == sort)
        for table, key, sort in (
            (RecipeRow, RecipeRow.key, "yield"),
            (Bottle, cast(Bottle.id, Text), "vigour"),
            (RoomRow, cast(RoomRow.id, Text), "drying"),
        )
    )
    name = func.coalesce(RecipeRow.name, Bottle.name, RoomRow.name)
    return (
        select(
            lesson.sort,
            lesson.of,
            name,
            lesson.seen,
            lesson.expected,
            Make.id,
            Make.number,
            Make.name,
            lesson.at,
        )
        .join(Make, _of_make(lesson))
        .outerjoin(RecipeRow, recipe)
        .outerjoin(Bottle, bottle)
        .outerjoin(RoomRow, room)
        .where(lesson.dairy_id == bindparam("dairy_id", type_=Uuid()), name.is_not(None), counts())
        .order_by(lesson.at.desc())
        .limit(_MOST_TOLD)
    )


def _of_make(lesson: Any) -> Any:
    return and_(Make.dairy_id == lesson.dairy_id, Make.id == lesson.make_id)


def left_out(session: Session, dairy: Dairy) -> list[Make]:
    """The makes that somebody left out of the learning, the newest first."""
    query = select(Make).where(Make.dairy_id == dairy.id, text(f"make.{LEFT_OUT}"))
    return list(session.scalars(query.order_by(Make.started_at.desc())))


# ── shares: seen against expected ──


def keep_shares(
    session: Session,
    make: Make,
    subject_id: uuid.UUID,
    taught: Mapping[ShareSort, ShareTaught | None],
) -> None:
    """What a make or one of its pieces teaches of shares now, in place of what it taught before.
    Parameters: taught, by sort, None where it teaches nothing of it."""
    session.execute(
        delete(ShareLesson).where(
            ShareLesson.dairy_id == make.dairy_id,
            ShareLesson.subject_id == subject_id,
            ShareLesson.sort.in_(list(taught)),
        )
    )
    session.add_all(
        ShareLesson(
            dairy_id=make.dairy_id,
            id=uuid.uuid4(),
            sort=sort,
            of=each.of,
            make_id=make.id,
            subject_id=subject_id,
            seen=each.seen,
            expected=each.expected,
            at=each.at,
        )
        for sort, each in taught.items()
        if each is not None
    )


@cache  # putting a question together takes longer than asking it
def _last_shares() -> Select[Any]:
    """The last shares of each cheese, culture and place that is in use, of makes that count."""
    dairy_id = bindparam("dairy_id", type_=Uuid())
    things = union_all(
        select(literal("yield").label("sort"), RecipeRow.key.label("of")).where(
            RecipeRow.dairy_id == dairy_id, RecipeRow.put_away.is_(False)
        ),
        select(literal("vigour"), cast(Bottle.id, Text)).where(
            Bottle.dairy_id == dairy_id, Bottle.kind == "culture", Bottle.ended_at.is_(None)
        ),
        select(literal("drying"), cast(RoomRow.id, Text)).where(RoomRow.dairy_id == dairy_id),
    ).subquery()
    last = (
        select((ShareLesson.seen / ShareLesson.expected).label("share"))
        .join(Make, _of_make(ShareLesson))
        .where(
            ShareLesson.dairy_id == dairy_id,
            ShareLesson.sort == things.c.sort,
            ShareLesson.of == things.c.of,
            counts(),
        )
        .order_by(ShareLesson.at.desc())
        .limit(_LAST_SHARES)
        .lateral()
    )
    return select(things.c.sort, things.c.of, last.c.share).join(last, true())


def counts() -> ColumnElement[bool]:
    """Whether a make counts in what is learnt: nobody left it out."""
    out = aliased(Make, name="left_out")
    left = select(out.id).where(out.dairy_id == Make.dairy_id, text(f"left_out.{LEFT_OUT}"))
    return ~left.where(out.id == Make.id).correlate(Make).exists()


def shares(session: Session, dairy: Dairy) -> dict[tuple[str, str], list[float]]:
    """What came of what was expected, by sort and of what: the last ones."""
    found: dict[tuple[str, str], list[float]] = {}
    for sort, of, share in session.execute(_last_shares(), {"dairy_id": dairy.id}):
        found.setdefault((sort, of), []).append(share)
    return found
