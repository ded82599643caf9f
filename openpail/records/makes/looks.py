"""What makes are found by: kept beside them, dropped when something is told of them."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time
from zoneinfo import ZoneInfo

from sqlalchemy import ColumnElement, and_, delete, func, or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from openpail.records.base import Json, as_named
from openpail.records.dairy.models import Dairy
from openpail.records.log.models import DeedRow
from openpail.records.makes.models import Make, MakeLook, MakeMilk
from openpail.records.milk.models import MilkLot
from openpail.records.pieces.models import Piece
from openpail.records.recipes.models import RecipeRow, RecipeVersion

VERSION = 3
_MOST_WORDS = 8


@dataclass(frozen=True, slots=True, kw_only=True)
class Find:
    """What is looked for; "" and None for all. words: each of them stands somewhere in what was
    written of a make; recipe: its key; animals; fault and outcome of its tastes; since and until,
    days; lot and bottle, by their ids."""

    words: str = ""
    recipe: str = ""
    animals: str = ""
    fault: str = ""
    outcome: str = ""
    since: date | None = None
    until: date | None = None
    lot: uuid.UUID | None = None
    bottle: uuid.UUID | None = None

    @property
    def asks(self) -> bool:
        """Whether anything is looked for."""
        return self != Find()


@dataclass(frozen=True, slots=True, kw_only=True)
class FoundMake:
    """A make that was found: what a line of the list tells."""

    id: uuid.UUID
    number: int
    name: str
    recipe: str
    started_at: datetime
    state: str
    milk_kg: float
    expected_kg: float
    real_kg: float | None
    animals: Sequence[str]
    outcome: str
    faults: Sequence[str]


def drop(session: Session, dairy_id: uuid.UUID, subject: str, subject_id: uuid.UUID) -> None:
    """Something was told of a make or a piece: what it is found by is worked out anew."""
    if subject not in ("make", "piece"):
        return
    of = subject_id
    if subject == "piece":
        found = session.scalar(
            select(Piece.make_id).where(Piece.dairy_id == dairy_id, Piece.id == subject_id)
        )
        if found is None:
            return
        of = found
    session.execute(delete(MakeLook).where(MakeLook.dairy_id == dairy_id, MakeLook.id == of))


def missing(session: Session, dairy: Dairy, most: int) -> tuple[list[Make], int]:
    """Makes without a look of the newest version, the newest first; and how many there are."""
    known = and_(
        MakeLook.dairy_id == Make.dairy_id, MakeLook.id == Make.id, MakeLook.version == VERSION
    )
    # by id alone: a make's row is wide, and nearly always there is nothing to do
    lack = (
        select(Make.id)
        .select_from(Make)
        .outerjoin(MakeLook, known)
        .where(Make.dairy_id == dairy.id, MakeLook.id.is_(None))
    )
    ids = list(session.scalars(lack.order_by(Make.started_at.desc()).limit(most)))
    if not ids:
        return [], 0
    query = select(Make).where(Make.dairy_id == dairy.id, Make.id.in_(ids))
    found = list(session.scalars(query.order_by(Make.started_at.desc())))
    if len(ids) < most:
        return found, len(ids)
    return found, session.scalar(select(func.count()).select_from(lack.subquery())) or 0


def keep(session: Session, rows: Iterable[Json]) -> None:
    """Keep looks as they are worked out now."""
    values = [{"version": VERSION, **row} for row in rows]
    if values:
        new = insert(MakeLook)
        names = [column.name for column in MakeLook.__table__.columns]
        changed = {name: new.excluded[name] for name in names if name not in ("dairy_id", "id")}
        on = new.on_conflict_do_update(index_elements=["dairy_id", "id"], set_=changed)
        session.execute(on, values)


def find(
    session: Session, dairy: Dairy, wanted: Find, limit: int, skip: int = 0
) -> list[FoundMake]:
    """The makes that are looked for, the newest first."""
    columns = (
        Make.id,
        Make.number,
        Make.name,
        RecipeRow.key.label("recipe"),
        Make.started_at,
        Make.state,
        Make.milk_kg,
        Make.expected_kg,
        MakeLook.real_kg,
        MakeLook.animals,
        MakeLook.outcome,
        MakeLook.faults,
    )
    query = (
        select(*columns)
        .join(MakeLook, and_(MakeLook.dairy_id == Make.dairy_id, MakeLook.id == Make.id))
        .join(
            RecipeVersion,
            and_(
                RecipeVersion.dairy_id == Make.dairy_id, RecipeVersion.id == Make.recipe_version_id
            ),
        )
        .join(
            RecipeRow,
            and_(
                RecipeRow.dairy_id == RecipeVersion.dairy_id,
                RecipeRow.id == RecipeVersion.recipe_id,
            ),
        )
        .where(Make.dairy_id == dairy.id)
        .order_by(Make.started_at.desc(), Make.number.desc())
    )
    query = query.where(*_narrowed(dairy, wanted)).offset(skip).limit(limit)
    return as_named(FoundMake, session.execute(query))


def _narrowed(dairy: Dairy, wanted: Find) -> Iterator[ColumnElement[bool]]:
    zone = ZoneInfo(dairy.zone)
    for word in wanted.words.casefold().split()[:_MOST_WORDS]:
        yield MakeLook.words.contains(word, autoescape=True)
    if wanted.recipe:
        yield RecipeRow.key == wanted.recipe
    if wanted.animals:
        yield MakeLook.animals.contains([wanted.animals])
    if wanted.fault:
        yield MakeLook.faults.contains([wanted.fault])
    if wanted.outcome:
        yield MakeLook.outcome == wanted.outcome
    if wanted.since:
        yield Make.started_at >= datetime.combine(wanted.since, time(), zone)
    if wanted.until:
        yield Make.started_at <= datetime.combine(wanted.until, time.max, zone)
    if wanted.bottle:
        yield MakeLook.bottles.contains([str(wanted.bottle)])
    if wanted.lot:
        of_lot = select(MakeMilk.make_id).where(
            MakeMilk.dairy_id == dairy.id, MakeMilk.lot_id == wanted.lot
        )
        yield Make.id.in_(of_lot)


def facts_of(
    session: Session, dairy: Dairy, ids: Sequence[uuid.UUID]
) -> dict[uuid.UUID, list[Json]]:
    """The facts of makes, as they are kept."""
    query = select(MakeLook.id, MakeLook.facts).where(
        MakeLook.dairy_id == dairy.id, MakeLook.id.in_(list(ids))
    )
    return dict(session.execute(query).all())


def written(session: Session, makes: Sequence[Make]) -> dict[uuid.UUID, list[str]]:
    """What people wrote of makes and their pieces, and what their milk is called."""
    ids = [make.id for make in makes]
    found: dict[uuid.UUID, list[str]] = {make.id: [make.name, make.note] for make in makes}
    if not makes:
        return found
    dairy_id = makes[0].dairy_id
    lots = (
        select(MakeMilk.make_id, MilkLot.name)
        .join(MilkLot, and_(MilkLot.dairy_id == MakeMilk.dairy_id, MilkLot.id == MakeMilk.lot_id))
        .where(MakeMilk.dairy_id == dairy_id, MakeMilk.make_id.in_(ids))
    )
    for key, name in session.execute(lots):
        found[key].append(name)
    pieces = dict(
        session.execute(
            select(Piece.id, Piece.make_id).where(
                Piece.dairy_id == dairy_id, Piece.make_id.in_(ids)
            )
        ).all()
    )
    payload = DeedRow.payload
    texts = [payload[name].astext for name in ("note", "word", "words", "why", "to")]
    told = select(DeedRow.subject_id, func.concat_ws(" ", *texts)).where(
        DeedRow.dairy_id == dairy_id,
        DeedRow.deed != "tasted",  # what was said blind is nobody's to find
        DeedRow.subject_id.in_([*ids, *pieces]),
        or_(*(text.is_not(None) for text in texts)),
    )
    for key, text in session.execute(told):
        found[pieces.get(key, key)].append(text)
    return found
