"""What makes taught, make by make: to be looked at, and left out."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, replace
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
    literal,
    select,
    text,
    true,
    union_all,
)
from sqlalchemy.orm import Session, aliased

from openpail.craft.make.taught import ShareTaught
from openpail.records.base import as_named
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

_MOST_TOLD = 13  # of each thing: more than are told, by one
_DAIRY = bindparam("dairy_id", type_=Uuid())
_LAST_SHARES = 12
ShareSort = Literal["yield", "vigour", "drying"]
LessonSort = Literal["bottle", "vat", "overshoot", "acid"] | ShareSort


@dataclass(frozen=True, slots=True, kw_only=True)
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
    """The newest lessons that count of each thing in use, the newest first."""
    found = [
        replace(each, of=str(each.of))
        for query in _told()
        for each in as_named(LessonRow, session.execute(query, {"dairy_id": dairy.id}))
    ]
    return sorted(found, key=lambda each: each.at, reverse=True)


@cache  # putting a question together takes longer than asking it
def _told() -> tuple[Select[Any], ...]:
    """What each bottle, vat, acid, cheese, culture and place in use was taught."""
    bottles = (
        select(Bottle.id.label("of"), Bottle.name.label("name"))
        .where(Bottle.dairy_id == _DAIRY, Bottle.ended_at.is_(None))
        .subquery()
    )
    vats = (
        select(Vat.id.label("of"), Vat.name.label("name"))
        .where(Vat.dairy_id == _DAIRY, Vat.put_away_at.is_(None))
        .subquery()
    )
    acids = (
        select(AcidLesson.acid.label("of"), AcidLesson.animals.label("name"))
        .where(AcidLesson.dairy_id == _DAIRY)
        .distinct()
        .subquery()
    )
    flocks, warmed, over, acid, share = (
        FlocksLesson,
        WarmingLesson,
        OvershootLesson,
        AcidLesson,
        ShareLesson,
    )
    of_acid = and_(acid.acid == acids.c.of, acid.animals == acids.c.name)
    risen, things = warmed.to_c - warmed.from_c, _with_shares()
    of_thing = and_(share.sort == things.c.sort, share.of == things.c.of)
    return (
        _newest(
            "bottle",
            bottles,
            flocks.bottle_id == bottles.c.of,
            lesson=flocks,
            seen=flocks.observed_min,
            expected=flocks.expected_min,
        ),
        _newest(
            "vat",
            vats,
            warmed.vat_id == vats.c.of,
            lesson=warmed,
            seen=risen,
            expected=warmed.minutes,
        ),
        _newest(
            "overshoot",
            vats,
            over.vat_id == vats.c.of,
            lesson=over,
            seen=over.over_c,
            expected=over.over_c,
        ),
        _newest("acid", acids, of_acid, lesson=acid, seen=acid.used, expected=acid.expected),
        _newest(
            things.c.sort, things, of_thing, lesson=share, seen=share.seen, expected=share.expected
        ),
    )


def _newest(
    sort: Any, things: Any, same: ColumnElement[bool], *, lesson: Any, seen: Any, expected: Any
) -> Select[Any]:
    """The newest lessons of each of some things, of makes that count. Parameters: things, with
    their `of` and `name`; same, whether a lesson is of one of them."""
    columns = (
        Make.id.label("make_id"),
        Make.number,
        Make.name.label("make"),
        lesson.at.label("at"),
    )
    last = (
        select(seen.label("seen"), expected.label("expected"), *columns)
        .join(Make, _of_make(lesson))
        .where(lesson.dairy_id == _DAIRY, same, counts())
        .order_by(lesson.at.desc())
        .limit(_MOST_TOLD)
        .lateral()
    )
    named = literal(sort) if isinstance(sort, str) else sort
    return select(named.label("sort"), things.c.of, things.c.name, *last.c).join(last, true())


def _with_shares() -> Any:
    """The cheeses, cultures and places in use: of which sort of share each is taught."""
    return union_all(
        select(
            literal("yield").label("sort"), RecipeRow.key.label("of"), RecipeRow.name.label("name")
        ).where(RecipeRow.dairy_id == _DAIRY, RecipeRow.put_away.is_(False)),
        select(literal("vigour"), cast(Bottle.id, Text), Bottle.name).where(
            Bottle.dairy_id == _DAIRY, Bottle.kind == "culture", Bottle.ended_at.is_(None)
        ),
        select(literal("drying"), cast(RoomRow.id, Text), RoomRow.name).where(
            RoomRow.dairy_id == _DAIRY
        ),
    ).subquery()


def _of_make(lesson: Any) -> Any:
    return and_(Make.dairy_id == lesson.dairy_id, Make.id == lesson.make_id)


def left_out(session: Session, dairy: Dairy) -> list[Make]:
    """The makes that somebody left out of the learning, the newest first."""
    query = select(Make).where(Make.dairy_id == dairy.id, text(f"make.{LEFT_OUT}"))
    return list(session.scalars(query.order_by(Make.started_at.desc())))


def taught_no_rennet(session: Session, dairy: Dairy, of_last: int) -> list[Make]:
    """Of the last so many makes, those whose flocks taught nothing, the newest first."""
    last = (
        select(Make.id)
        .where(Make.dairy_id == dairy.id)
        .order_by(Make.started_at.desc())
        .limit(of_last)
    )
    taught = select(FlocksLesson.make_id).where(FlocksLesson.dairy_id == dairy.id)
    query = select(Make).where(Make.dairy_id == dairy.id, Make.id.in_(last), Make.id.not_in(taught))
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
    things = _with_shares()
    last = (
        select((ShareLesson.seen / ShareLesson.expected).label("share"))
        .join(Make, _of_make(ShareLesson))
        .where(
            ShareLesson.dairy_id == _DAIRY,
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
