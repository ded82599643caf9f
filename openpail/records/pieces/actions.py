"""Pieces are weighed, cared for, eaten."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime

from sqlalchemy import (
    Update,
    delete,
    func,
    select,
    update,
)
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session, defer

from openpail.craft.cave.care import DueCare, care_plan, rind_cares
from openpail.craft.cave.deeds import Out
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.recipe.recipe import Recipe
from openpail.records.base import mine
from openpail.records.dairy.models import Dairy
from openpail.records.errors import NotHere, RecordError
from openpail.records.makes.models import Make
from openpail.records.pieces.models import Piece, PieceCare, PieceOut
from openpail.records.recipes.models import RecipeVersion

_NOTHING_KG = 0.005


def lay_down(
    session: Session,
    dairy: Dairy,
    make: Make,
    recipe: Recipe,
    masses_kg: Sequence[float],
    made_on: date,
    house: House,
    *,
    raw: bool,
    about: bool = False,
) -> list[Piece]:
    """Lay the pieces of a make down to rest, each with its own care plan.

    Parameters: masses_kg of each, over 0; raw, of the raw class; about: nobody weighed them.
    Raises: RecordError when the make was weighed before.
    """
    if session.scalar(
        select(func.count())
        .select_from(Piece)
        .where(Piece.dairy_id == dairy.id, Piece.make_id == make.id)
    ):
        raise RecordError(f"Make {make.number} was weighed already.", "weight")
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
            about=about,
        )
        session.add(piece)
        session.flush()
        _lay_cares(session, piece, (*rind_cares(recipe, made_on, mass), *plan.cares))
        pieces.append(piece)
    session.flush()
    return pieces


def _lay_cares(session: Session, piece: Piece, cares: Iterable[DueCare]) -> None:
    session.add_all(
        PieceCare(
            dairy_id=piece.dairy_id,
            id=uuid.uuid4(),
            piece_id=piece.id,
            stage=care.stage,
            key=care.key,
            words=care.words,
            place=care.place,
            due=care.due,
            matters=care.matters,
        )
        for care in cares
    )


def check_anew(session: Session, make: Make, masses_kg: Sequence[float]) -> None:
    """Refuse weights that a make's pieces cannot have had.

    Parameters: masses_kg, of as many pieces as there are, each no less than what left of it.
    Raises: RecordError.
    """
    laid = of_make(session, make)
    if len(laid) != len(masses_kg):
        raise RecordError(
            f"Pieces laid down: {len(laid)}. Write as many weights, in their order.", "weight"
        )
    for piece, mass in zip(laid, masses_kg, strict=True):
        gone = sum(each.mass_kg for each in out_of(session, piece))
        if mass < gone - _NOTHING_KG:
            raise RecordError(f"Of {piece.label} {gone:.2f} kg left already.", "weight")


def weighed_anew(
    session: Session, make: Make, recipe: Recipe, masses_kg: Sequence[float], *, about: bool
) -> None:
    """The weights of a make's pieces were other than told; `check_anew` let them through. The salt
    that a rind is still to get goes by them."""
    for piece, mass in zip(of_make(session, make), masses_kg, strict=True):
        piece.mass_kg, piece.about = mass, about
        for care in rind_cares(recipe, piece.made_on, mass):
            session.execute(
                update(PieceCare)
                .where(
                    PieceCare.dairy_id == piece.dairy_id,
                    PieceCare.piece_id == piece.id,
                    PieceCare.key == care.key,
                    PieceCare.done_at.is_(None),
                )
                .values(words=care.words)
            )
    session.flush()


def keep_salt(session: Session, make: Make, salt: Figure) -> None:
    """The salt that the pieces of a make are thought to hold travels with them."""
    for piece in of_make(session, make):
        piece.salt = salt.to_json()
    session.flush()


def mark(session: Session, make: Make, marks: Mapping[str, str]) -> None:
    """What stays said of the pieces of a make, whenever it becomes known."""
    of = (Piece.dairy_id == make.dairy_id, Piece.make_id == make.id)
    session.execute(update(Piece).where(*of).values(marks=dict(marks)))


def resting_by_recipe(
    session: Session, dairy: Dairy
) -> list[tuple[date, bool, RecipeVersion, int]]:
    """How many pieces rest, by the day they were made, raw or not, and their recipe."""
    version = Make.recipe_version_id
    counted = (
        select(Piece.made_on, Piece.raw, version, func.count().label("pieces"))
        .join(Make, (Make.dairy_id == Piece.dairy_id) & (Make.id == Piece.make_id))
        .where(Piece.dairy_id == dairy.id, Piece.ended_at.is_(None))
        .group_by(Piece.made_on, Piece.raw, version)
        .subquery()
    )
    query = (
        select(counted.c.made_on, counted.c.raw, RecipeVersion, counted.c.pieces)
        .join(counted, counted.c.recipe_version_id == RecipeVersion.id)
        .where(RecipeVersion.dairy_id == dairy.id)
        .options(defer(RecipeVersion.document))
    )
    return list(session.execute(query).all())


def of_make(session: Session, make: Make) -> list[Piece]:
    """The pieces of a make."""
    query = (
        select(Piece)
        .where(Piece.dairy_id == make.dairy_id, Piece.make_id == make.id)
        .order_by(Piece.number)
    )
    return list(session.scalars(query))


def weighed_kg(
    session: Session, dairy: Dairy, make_ids: Iterable[uuid.UUID]
) -> dict[uuid.UUID, float]:
    """What the pieces of these makes weighed together, eaten ones too; not of makes without."""
    query = (
        select(Piece.make_id, func.sum(Piece.mass_kg))
        .where(Piece.dairy_id == dairy.id, Piece.make_id.in_(list(make_ids)))
        .group_by(Piece.make_id)
    )
    return dict(session.execute(query).all())


def next_cares(
    session: Session, dairy: Dairy, piece_ids: Iterable[uuid.UUID] | None = None
) -> dict[uuid.UUID, PieceCare]:
    """The next care of each piece that rests, or of some; the longest overdue first of all."""
    query = (
        select(PieceCare)
        .join(Piece, (Piece.dairy_id == PieceCare.dairy_id) & (Piece.id == PieceCare.piece_id))
        .where(
            PieceCare.dairy_id == dairy.id, PieceCare.done_at.is_(None), Piece.ended_at.is_(None)
        )
        .order_by(PieceCare.piece_id, PieceCare.due, PieceCare.key)
        .ext(distinct_on(PieceCare.piece_id))
    )
    if piece_ids is not None:
        query = query.where(PieceCare.piece_id.in_(list(piece_ids)))
    return {care.piece_id: care for care in session.scalars(query)}


def due_by(session: Session, dairy: Dairy, day: date) -> list[tuple[PieceCare, Piece]]:
    """Cares due on or before a day and not done, with their pieces, the oldest first."""
    query = (
        select(PieceCare, Piece)
        .join(Piece, (Piece.dairy_id == PieceCare.dairy_id) & (Piece.id == PieceCare.piece_id))
        .where(
            PieceCare.dairy_id == dairy.id,
            PieceCare.done_at.is_(None),
            PieceCare.due <= day,
            Piece.ended_at.is_(None),
        )
        .order_by(PieceCare.due, Piece.label)
    )
    return [(care, piece) for care, piece in session.execute(query)]


def cares(
    session: Session, dairy: Dairy, care_ids: Iterable[uuid.UUID]
) -> list[tuple[PieceCare, Piece]]:
    """Cares by their ids, with their pieces. Raises NotHere when one is not here."""
    ids = list(dict.fromkeys(care_ids))
    query = (
        select(PieceCare, Piece)
        .join(Piece, (Piece.dairy_id == PieceCare.dairy_id) & (Piece.id == PieceCare.piece_id))
        .where(PieceCare.dairy_id == dairy.id, PieceCare.id.in_(ids))
    )
    found = [(care, piece) for care, piece in session.execute(query)]
    if len(found) != len(ids):
        raise NotHere("no such care")
    return found


def care_done(
    session: Session,
    care: PieceCare,
    at: datetime,
    person_id: uuid.UUID | None = None,
) -> None:
    """A care is done; earlier ones of the same key on the same piece are over with it."""
    with_it = _up_to(care).where(PieceCare.done_at.is_(None))
    session.execute(with_it.values(done_at=at, person_id=person_id))


def care_not_done(session: Session, care: PieceCare) -> None:
    """A care, and those that were over with it, are open again."""
    with_it = _up_to(care).where(PieceCare.done_at == care.done_at)
    session.execute(with_it.values(done_at=None, person_id=None))


def _up_to(care: PieceCare) -> Update:
    """A care with all earlier ones of its key on its piece."""
    return update(PieceCare).where(
        PieceCare.dairy_id == care.dairy_id,
        PieceCare.piece_id == care.piece_id,
        PieceCare.key == care.key,
        PieceCare.due <= care.due,
    )


def piece(session: Session, dairy: Dairy, piece_id: uuid.UUID) -> Piece:
    """One piece. Raises NotHere."""
    found = session.get(Piece, (dairy.id, piece_id))
    if not found:
        raise NotHere("no such piece")
    return found


def cares_of(session: Session, piece: Piece) -> list[PieceCare]:
    """All cares of a piece, by date."""
    query = (
        select(PieceCare)
        .where(PieceCare.dairy_id == piece.dairy_id, PieceCare.piece_id == piece.id)
        .order_by(PieceCare.due, PieceCare.key)
    )
    return list(session.scalars(query))


def out_of(session: Session, piece: Piece) -> list[PieceOut]:
    """Where parts of a piece went, the first first."""
    query = mine(PieceOut, piece.dairy_id).where(PieceOut.piece_id == piece.id)
    return list(session.scalars(query.order_by(PieceOut.at)))


def out(session: Session, piece: Piece, out_id: uuid.UUID) -> PieceOut:
    """One that left of a piece. Raises NotHere."""
    found = session.get(PieceOut, (piece.dairy_id, out_id))
    if not found or found.piece_id != piece.id:
        raise NotHere("nothing of it left so")
    return found


def comes_back(
    session: Session, piece: Piece, gone: PieceOut, recipe: Recipe, house: House, today: date
) -> None:
    """What was told as gone is there; a piece that was ended has its cares from today on again."""
    session.delete(gone)
    if piece.ended_at is not None:
        piece.ended_at = None
        plan = care_plan(recipe, piece.made_on, house, piece.raw)
        cares = (*rind_cares(recipe, piece.made_on, piece.mass_kg), *plan.cares)
        _lay_cares(session, piece, [care for care in cares if care.due >= today])
    session.flush()


def goes_out(
    session: Session,
    piece: Piece,
    out: Out,
    at: datetime,
    out_id: uuid.UUID,
    person_id: uuid.UUID | None = None,
) -> None:
    """A piece, or a part of it, is eaten, sold, given or thrown away; without a rest it is ended.

    Parameters: out, that the craft has checked; out_id, of the deed that told it.
    """
    session.refresh(piece, with_for_update=True)
    left = piece.mass_kg - sum(each.mass_kg for each in out_of(session, piece))
    mass = left if out.kg is None else min(out.kg, left)
    session.add(
        PieceOut(
            dairy_id=piece.dairy_id,
            id=out_id,
            piece_id=piece.id,
            kind=out.where,
            to=out.to,
            mass_kg=mass,
            why=out.why,
            at=at,
            person_id=person_id,
        )
    )
    if left - mass < _NOTHING_KG:
        piece.ended_at = at
        open_cares = (PieceCare.dairy_id == piece.dairy_id, PieceCare.piece_id == piece.id)
        session.execute(delete(PieceCare).where(*open_cares, PieceCare.done_at.is_(None)))
    session.flush()
