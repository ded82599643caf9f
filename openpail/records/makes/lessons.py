"""What makes taught, make by make: to be looked at, and left out."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from sqlalchemy import and_, select
from sqlalchemy.orm import Session

from openpail.records.dairy.models import Dairy, Vat
from openpail.records.makes.models import (
    AcidLesson,
    FlocksLesson,
    Make,
    OvershootLesson,
    WarmingLesson,
)
from openpail.records.stock.models import Bottle

_MOST_TOLD = 240  # of each sort: more than ever count at once
LessonSort = Literal["bottle", "vat", "overshoot", "acid"]


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
    found = [
        LessonRow(sort, str(of), name, *rest)
        for sort, query in questions
        for of, name, *rest in session.execute(query.limit(_MOST_TOLD))
    ]
    return sorted(found, key=lambda each: each.at, reverse=True)


def _of_make(lesson: Any) -> Any:
    return and_(Make.dairy_id == lesson.dairy_id, Make.id == lesson.make_id)


def left_out(session: Session, dairy: Dairy) -> list[Make]:
    """The makes that somebody left out of the learning, the newest first."""
    query = select(Make).where(
        Make.dairy_id == dairy.id, Make.standing["flocks_count"].astext == "false"
    )
    return list(session.scalars(query.order_by(Make.started_at.desc())))
