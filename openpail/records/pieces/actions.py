"""Pieces are laid down, cut up, weighed; what is folded from their deeds is kept beside them."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from functools import cache
from typing import Any, NamedTuple

from sqlalchemy import Select, Text, Uuid, bindparam, cast, delete, func, select, update
from sqlalchemy.orm import Session, defer

from openpail.craft.cave.course import PieceCourse, to_json
from openpail.craft.cave.deeds import PieceTold, read_deed
from openpail.craft.cave.fold import PieceStanding
from openpail.craft.errors import NotHere, RecordError
from openpail.craft.figure import Figure
from openpail.records.base import Json, mine
from openpail.records.dairy.models import Dairy
from openpail.records.log.models import DeedRow
from openpail.records.makes.models import Make
from openpail.records.pieces.models import Piece, PieceOut
from openpail.records.recipes.models import RecipeVersion

_NOTHING_KG = 0.005


@dataclass(frozen=True, slots=True)
class WholePiece:
    """A piece as it comes out of a make: kg, its course, what is known of it."""

    kg: float
    course: PieceCourse
    facts: Json


def lay_down(
    session: Session,
    make: Make,
    name: str,
    *,
    family: str,
    wholes: Sequence[WholePiece],
    made_on: date,
    laid_at: datetime,
    raw: bool,
    about: bool = False,
) -> list[Piece]:
    """Lay the pieces of a make down to rest.

    Parameters: name and family of its recipe; wholes, each with a weight over 0; raw, of the raw
    class; about: nobody weighed them. Raises: RecordError when the make was weighed before.
    """
    if of_make(session, make):
        raise RecordError(f"Make {make.number} was weighed already.", "weight")
    found = [
        Piece(
            dairy_id=make.dairy_id,
            id=uuid.uuid4(),
            make_id=make.id,
            number=number,
            label=f"{make.number}-{number}",
            name=name,
            family=family,
            raw=raw,
            mass_kg=each.kg,
            left_kg=each.kg,
            made_on=made_on,
            laid_at=laid_at,
            begins=to_json(each.course),
            course=to_json(each.course),
            facts=each.facts,
            about=about,
        )
        for number, each in enumerate(wholes, start=1)
    ]
    session.add_all(found)
    session.flush()
    return found


_LETTERS = "abcdefghijklmnopqrstuvwxyz"


def _lettered(number: int) -> str:
    """a, b, … z, aa, ab, …"""
    first, last = divmod(number, len(_LETTERS))
    return (_LETTERS[first - 1] if first else "") + _LETTERS[last]


def cut_off(
    session: Session,
    whole: Piece,
    deed_id: uuid.UUID,
    parts: Sequence[tuple[float, PieceCourse]],
    at: datetime,
) -> list[Piece]:
    """The parts of a piece that was cut up, each with a number of its own, 37-2a."""
    used = len(parts_of(session, whole))
    stem = whole.label if whole.parent_id is None else f"{whole.label}."
    found = [
        Piece(
            dairy_id=whole.dairy_id,
            id=uuid.uuid5(deed_id, str(number)),
            make_id=whole.make_id,
            number=whole.number,
            label=f"{stem}{_lettered(used + number)}",
            name=whole.name,
            family=whole.family,
            raw=whole.raw,
            mass_kg=kg,
            left_kg=kg,
            made_on=whole.made_on,
            laid_at=at,
            begins=to_json(course),
            course=to_json(course),
            facts=whole.facts,
            salt=whole.salt,
            about=whole.about,
            parent_id=whole.id,
            cut_by=deed_id,
        )
        for number, (kg, course) in enumerate(parts)
    ]
    session.add_all(found)
    session.flush()
    return found


def not_cut_off(session: Session, whole: Piece) -> None:
    """A piece was not cut after all. Raises RecordError once one of its parts was touched."""
    parts = parts_of(session, whole)
    touched = set(
        session.scalars(
            mine(DeedRow, whole.dairy_id)
            .with_only_columns(DeedRow.subject_id)
            .where(DeedRow.subject_id.in_([part.id for part in parts]))
        )
    )
    for part in parts:
        if part.id in touched:
            raise RecordError(f"{part.label} was moved, eaten or cared for since: it stays cut.")
    for part in parts:
        session.delete(part)
    session.flush()


def parts_of(session: Session, whole: Piece) -> list[Piece]:
    """What was cut off a piece."""
    query = mine(Piece, whole.dairy_id).where(Piece.parent_id == whole.id).order_by(Piece.label)
    return list(session.scalars(query))


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
        gone += sum(part.mass_kg for part in parts_of(session, piece))
        if mass < gone - _NOTHING_KG:
            raise RecordError(f"Of {piece.label} {gone:.2f} kg left already.", "weight")


def weighed_anew(
    session: Session, make: Make, wholes: Sequence[WholePiece], *, about: bool
) -> list[Piece]:
    """The weights of a make's pieces were other than told; `check_anew` let them through."""
    found = of_make(session, make)
    for piece, whole in zip(found, wholes, strict=True):
        piece.mass_kg, piece.about, piece.facts = whole.kg, about, whole.facts
    session.flush()
    return found


def keep_salt(session: Session, make: Make, salt: Figure) -> None:
    """The salt that the pieces of a make are thought to hold travels with them."""
    of = (Piece.dairy_id == make.dairy_id, Piece.make_id == make.id)
    session.execute(update(Piece).where(*of).values(salt=salt.to_json()))


def of_make(session: Session, make: Make) -> list[Piece]:
    """The pieces of a make as they were laid down, without what was cut off them."""
    query = (
        mine(Piece, make.dairy_id)
        .where(Piece.make_id == make.id, Piece.parent_id.is_(None))
        .order_by(Piece.number)
    )
    return list(session.scalars(query))


def weighed_kg(
    session: Session, dairy: Dairy, make_ids: Iterable[uuid.UUID]
) -> dict[uuid.UUID, float]:
    """What the pieces of these makes weighed together, eaten ones too; not of makes without."""
    query = (
        select(Piece.make_id, func.sum(Piece.mass_kg))
        .where(
            Piece.dairy_id == dairy.id,
            Piece.make_id.in_(list(make_ids)),
            Piece.parent_id.is_(None),
        )
        .group_by(Piece.make_id)
    )
    return dict(session.execute(query).all())


class Live(NamedTuple):
    """A piece that rests, with what its plan needs."""

    id: uuid.UUID
    make_id: uuid.UUID
    version_id: uuid.UUID
    label: str
    name: str
    family: str
    raw: bool
    mass_kg: float
    left_kg: float
    made_on: date
    laid_at: datetime
    course: str
    facts: str

    @property
    def alike(self) -> tuple[object, ...]:
        """What its plan follows from, beside its course."""
        return self.version_id, self.made_on, self.raw, self.facts


@cache  # putting a question together takes longer than asking it
def _live() -> Any:
    return (
        select(
            Piece.id,
            Piece.make_id,
            Make.recipe_version_id,
            Piece.label,
            Piece.name,
            Piece.family,
            Piece.raw,
            Piece.mass_kg,
            Piece.left_kg,
            Piece.made_on,
            Piece.laid_at,
            cast(Piece.course, Text),
            cast(Piece.facts, Text),
        )
        .join(Make, (Make.dairy_id == Piece.dairy_id) & (Make.id == Piece.make_id))
        .where(Piece.dairy_id == bindparam("dairy_id", type_=Uuid()), Piece.ended_at.is_(None))
        .order_by(Piece.made_on, Piece.label)
    )


def live(session: Session, dairy: Dairy) -> list[Live]:
    """The pieces that rest, the oldest first."""
    return [Live(*row) for row in session.execute(_live(), {"dairy_id": dairy.id})]


def versions(
    session: Session, dairy: Dairy, ids: Iterable[uuid.UUID]
) -> dict[uuid.UUID, RecipeVersion]:
    """Versions of recipes by their ids; the document comes when it is asked for."""
    query = mine(RecipeVersion, dairy.id).where(RecipeVersion.id.in_(list(ids)))
    query = query.options(defer(RecipeVersion.document))
    return {row.id: row for row in session.scalars(query)}


def _locked(query: Select[Any]) -> Select[Any]:
    """Rows as they are now, whoever read them before, held until it is told."""
    return query.with_for_update().execution_options(populate_existing=True)


def piece(session: Session, dairy: Dairy, piece_id: uuid.UUID, *, to_change: bool = False) -> Piece:
    """One piece; locked where it is to change. Raises NotHere."""
    query = mine(Piece, dairy.id).where(Piece.id == piece_id)
    found = session.scalar(_locked(query) if to_change else query)
    if not found:
        raise NotHere("no such piece")
    return found


def some(
    session: Session, dairy: Dairy, ids: Iterable[uuid.UUID], *, to_change: bool = False
) -> list[Piece]:
    """Pieces by their ids, in one order for all who lock them. Raises NotHere for a strange one."""
    wanted = set(ids)
    query = mine(Piece, dairy.id).where(Piece.id.in_(wanted)).order_by(Piece.id)
    found = list(session.scalars(_locked(query) if to_change else query))
    if len(found) != len(wanted):
        raise NotHere("no such piece")
    return found


def by_label(session: Session, dairy: Dairy, label: str) -> Piece | None:
    """The piece of a number, None when there is none."""
    told = label.strip().lower().replace(" ", "")
    return session.scalar(mine(Piece, dairy.id).where(func.lower(Piece.label) == told))


def out_of(session: Session, piece: Piece) -> list[PieceOut]:
    """Where parts of a piece went, the first first."""
    query = mine(PieceOut, piece.dairy_id).where(PieceOut.piece_id == piece.id)
    return list(session.scalars(query.order_by(PieceOut.at)))


def outs_of(
    session: Session, dairy_id: uuid.UUID, make_ids: Iterable[uuid.UUID]
) -> list[tuple[Piece, PieceOut]]:
    """Where the pieces of makes went, and the parts that were cut off them, the first first."""
    query = (
        select(Piece, PieceOut)
        .join(PieceOut, (PieceOut.dairy_id == Piece.dairy_id) & (PieceOut.piece_id == Piece.id))
        .where(Piece.dairy_id == dairy_id, Piece.make_id.in_(list(make_ids)))
        .order_by(PieceOut.at, Piece.label)
    )
    return [(piece, out) for piece, out in session.execute(query)]


def told(
    session: Session, dairy_id: uuid.UUID, ids: Iterable[uuid.UUID]
) -> dict[uuid.UUID, list[DeedRow]]:
    """The deeds of pieces, of each by when they happened."""
    query = (
        mine(DeedRow, dairy_id)
        .where(DeedRow.subject_id.in_(list(ids)))
        .order_by(DeedRow.at, DeedRow.counter, DeedRow.id)
    )
    found: dict[uuid.UUID, list[DeedRow]] = {}
    for row in session.scalars(query):
        found.setdefault(row.subject_id, []).append(row)
    return found


def set_out(session: Session, dairy_id: uuid.UUID, since: datetime) -> list[uuid.UUID]:
    """The pieces that were set out to be tasted since a moment, the newest first."""
    query = (
        mine(DeedRow, dairy_id)
        .with_only_columns(DeedRow.subject_id)
        .where(DeedRow.subject == "piece", DeedRow.deed == "tasting_begun", DeedRow.at >= since)
        .order_by(DeedRow.at.desc())
    )
    return list(dict.fromkeys(session.scalars(query)))


def as_told(row: DeedRow) -> PieceTold:
    """A deed of the log, as the craft folds it."""
    amends = str(row.amends) if row.amends else None
    return PieceTold(
        id=str(row.id),
        deed=read_deed(row.deed, row.payload),
        at=row.at,
        amends=amends,
        counter=row.counter,
    )


def keep_standing(
    session: Session, row: Piece, standing: PieceStanding, who: Mapping[str, uuid.UUID | None]
) -> None:
    """What the deeds of a piece come to is kept: its course, what is left, where it went.

    Parameters: who, told each deed, by its id.
    """
    row.course, row.ended_at = to_json(standing.course), standing.ended_at
    row.left_kg = max(0.0, standing.left_kg)
    there = {each.id: each for each in out_of(session, row)}
    wanted = {uuid.UUID(each.id): each for each in standing.gone}
    gone = set(there) - set(wanted)
    if gone:
        session.execute(
            delete(PieceOut).where(PieceOut.dairy_id == row.dairy_id, PieceOut.id.in_(gone))
        )
    for key, each in wanted.items():
        kept = there.get(key)
        if kept is None:
            kept = PieceOut(dairy_id=row.dairy_id, id=key, piece_id=row.id)
            session.add(kept)
        kept.kind, kept.to, kept.why, kept.at = each.where, each.to, each.why, each.at
        kept.mass_kg, kept.person_id = each.kg, who.get(each.id)
    session.flush()
