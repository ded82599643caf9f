"""Pieces are weighed, cared for, eaten."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Sequence
from datetime import date, datetime

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from openpail.craft.ageing import care_plan
from openpail.craft.house import House
from openpail.craft.recipe import Recipe
from openpail.records.dairy.models import Dairy
from openpail.records.errors import NotHere, RecordError
from openpail.records.makes.models import Make
from openpail.records.pieces.models import Care, Piece
from openpail.records.recipes.models import RecipeVersion


def lay_down(
    session: Session,
    dairy: Dairy,
    make: Make,
    recipe: Recipe,
    masses_kg: Sequence[float],
    made_on: date,
    house: House,
) -> list[Piece]:
    """Lay the pieces of a make down to rest, each with its own care plan.

    Raises: RecordError without a weight, or when the make was weighed before.
    """
    if not masses_kg or any(mass <= 0 for mass in masses_kg):
        raise RecordError("Weigh the cheese and write its weight.", "weight")
    if session.scalar(
        select(func.count()).select_from(Piece).where(
            Piece.dairy_id == dairy.id, Piece.make_id == make.id
        )
    ):  # fmt: skip
        raise RecordError(f"Make {make.number} was weighed already.", "weight")
    raw = bool(make.frozen["milk"]["raw"])
    plan = care_plan(recipe, made_on, house, raw)
    pieces = []
    for number, mass in enumerate(masses_kg, start=1):
        piece = Piece(
            dairy_id=dairy.id,
            id=uuid.uuid4(),
            make_id=make.id,
            number=number,
            label=f"{make.number}-{number}",
            name=recipe.name,
            family=recipe.family,
            raw=raw,
            mass_kg=mass,
            made_on=made_on,
            ready_from=plan.ready_from,
            ready_until=plan.ready_until,
            eat_by=plan.eat_by,
        )
        session.add(piece)
        session.flush()
        session.add_all(
            Care(
                dairy_id=dairy.id, id=uuid.uuid4(), piece_id=piece.id, stage=care.stage,
                key=care.key, words=care.words, place=care.place, due=care.due,
                matters=care.matters,
            )
            for care in plan.cares
        )  # fmt: skip
        pieces.append(piece)
    session.flush()
    return pieces


def resting(session: Session, dairy: Dairy) -> list[Piece]:
    """Pieces not eaten, sold or thrown away, the newest first."""
    query = (
        select(Piece)
        .where(Piece.dairy_id == dairy.id, Piece.ended_at.is_(None))
        .order_by(Piece.made_on.desc(), Piece.label)
    )
    return list(session.scalars(query))


def resting_by_recipe(
    session: Session, dairy: Dairy
) -> list[tuple[date, bool, RecipeVersion, int]]:
    """How many pieces rest, by the day they were made, raw or not, and their recipe."""
    query = (
        select(Piece.made_on, Piece.raw, Make.recipe_version_id, func.count())
        .join(Make, (Make.dairy_id == Piece.dairy_id) & (Make.id == Piece.make_id))
        .where(Piece.dairy_id == dairy.id, Piece.ended_at.is_(None))
        .group_by(Piece.made_on, Piece.raw, Make.recipe_version_id)
    )
    return [
        (made_on, raw, session.get_one(RecipeVersion, (dairy.id, version)), count)
        for made_on, raw, version, count in session.execute(query)
    ]


def count_resting(session: Session, dairy: Dairy) -> int:
    """How many pieces rest."""
    query = select(func.count()).select_from(Piece).where(
        Piece.dairy_id == dairy.id, Piece.ended_at.is_(None)
    )  # fmt: skip
    return session.scalar(query) or 0


def of_make(session: Session, make: Make) -> list[Piece]:
    """The pieces of a make."""
    query = (
        select(Piece)
        .where(Piece.dairy_id == make.dairy_id, Piece.make_id == make.id)
        .order_by(Piece.number)
    )
    return list(session.scalars(query))


def by_make(session: Session, dairy: Dairy) -> dict[uuid.UUID, list[Piece]]:
    """All pieces of the dairy, eaten ones too, by their make."""
    found: dict[uuid.UUID, list[Piece]] = {}
    query = select(Piece).where(Piece.dairy_id == dairy.id).order_by(Piece.make_id, Piece.number)
    for each in session.scalars(query):
        found.setdefault(each.make_id, []).append(each)
    return found


def next_cares(session: Session, dairy: Dairy) -> dict[uuid.UUID, Care]:
    """The next care of each piece that rests, the longest overdue first of all."""
    query = (
        select(Care)
        .join(Piece, (Piece.dairy_id == Care.dairy_id) & (Piece.id == Care.piece_id))
        .where(Care.dairy_id == dairy.id, Care.done_at.is_(None), Piece.ended_at.is_(None))
        .order_by(Care.piece_id, Care.due, Care.key)
        .ext(distinct_on(Care.piece_id))
    )
    return {care.piece_id: care for care in session.scalars(query)}


def due_by(session: Session, dairy: Dairy, day: date) -> list[tuple[Care, Piece]]:
    """Cares due on or before a day and not done, with their pieces, the oldest first."""
    query = (
        select(Care, Piece)
        .join(Piece, (Piece.dairy_id == Care.dairy_id) & (Piece.id == Care.piece_id))
        .where(
            Care.dairy_id == dairy.id,
            Care.done_at.is_(None),
            Care.due <= day,
            Piece.ended_at.is_(None),
        )
        .order_by(Care.due, Piece.label)
    )
    return [(care, piece) for care, piece in session.execute(query)]


def care_done(
    session: Session,
    dairy: Dairy,
    care_ids: Iterable[uuid.UUID],
    now: datetime,
    person_id: uuid.UUID | None = None,
) -> int:
    """Cares are done; earlier ones of the same key on the same piece are over with them.

    Returns: how many pieces were cared for. Raises: NotHere.
    """
    pieces = set()
    for care_id in care_ids:
        care = session.get(Care, (dairy.id, care_id))
        if not care:
            raise NotHere("no such care")
        query = select(Care).where(
            Care.dairy_id == dairy.id,
            Care.piece_id == care.piece_id,
            Care.key == care.key,
            Care.due <= care.due,
            Care.done_at.is_(None),
        )
        for each in session.scalars(query):
            each.done_at, each.person_id = now, person_id
        pieces.add(care.piece_id)
    session.flush()
    return len(pieces)


def piece(session: Session, dairy: Dairy, piece_id: uuid.UUID) -> Piece:
    """One piece. Raises NotHere."""
    found = session.get(Piece, (dairy.id, piece_id))
    if not found:
        raise NotHere("no such piece")
    return found


def cares_of(session: Session, piece: Piece) -> list[Care]:
    """All cares of a piece, by date."""
    query = (
        select(Care)
        .where(Care.dairy_id == piece.dairy_id, Care.piece_id == piece.id)
        .order_by(Care.due, Care.key)
    )
    return list(session.scalars(query))


def end(session: Session, piece: Piece, now: datetime) -> None:
    """A piece is eaten, sold or thrown away."""
    piece.ended_at = now
    session.flush()
