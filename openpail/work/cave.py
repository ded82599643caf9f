"""The cave: pieces, their next care, and what is told of them."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby

from openpail.craft.cave import deeds
from openpail.craft.cave.deeds import Back, Cared, Guarded, Out, PieceDeed, Uncared
from openpail.craft.dates import check_undo
from openpail.craft.figure import Figure
from openpail.records.log import actions as log
from openpail.records.log.actions import Kept
from openpail.records.makes import actions as makes
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece, PieceCare, PieceOut
from openpail.records.pieces.shelves import OnShelf, on_shelves
from openpail.work.here import Here
from openpail.work.made import recipe_of


@dataclass(frozen=True, slots=True)
class OnePiece:
    """A piece with its cares, where parts of it went, what is left, kg, and the salt that it is
    thought to hold, % of it."""

    piece: Piece
    cares: list[PieceCare]
    out: list[PieceOut]
    left_kg: float
    salt: Figure | None = None


FIRST_ON_SHELF = 24
ON_PAGE = 60


@dataclass(frozen=True, slots=True)
class Shelf:
    """A place with the pieces on it that are shown, the one to touch next first; all there are."""

    place: str
    rows: list[OnShelf]

    @property
    def count(self) -> int:
        """How many pieces are there."""
        return self.rows[0].count

    @property
    def waiting(self) -> int:
        """How many of them have a care due."""
        return self.rows[0].waiting


def shelves(here: Here, place: str = "", page: int = 0) -> list[Shelf]:
    """The pieces by place, the first of each; or of one place, a page of them."""
    first, last = (page * ON_PAGE + 1, (page + 1) * ON_PAGE) if place else (1, FIRST_ON_SHELF)
    rows = on_shelves(here.session, here.dairy, here.today, first, last, place)
    by_place = groupby(rows, lambda row: row.place)
    return [Shelf(name, list(those)) for name, those in by_place]


def one(here: Here, piece_id: uuid.UUID) -> OnePiece:
    """One piece. Raises NotHere."""
    piece = pieces.piece(here.session, here.dairy, piece_id)
    out = pieces.out_of(here.session, piece)
    left = piece.mass_kg - sum(each.mass_kg for each in out)
    salt = Figure.from_json(piece.salt) if piece.salt else None
    return OnePiece(piece, pieces.cares_of(here.session, piece), out, max(0.0, left), salt)


def care_done(here: Here, care_ids: Sequence[uuid.UUID]) -> str:
    """Cares are done, each with all earlier ones of its kind on its piece.

    Returns: what was done, in words. Raises: NotHere; CraftError for a piece that is gone.
    """
    found = pieces.cares(here.session, here.dairy, care_ids)
    for care, piece in found:
        deed = Cared(str(care.id))
        if care.done_at is None and _keep(here, piece, deed, uuid.uuid4(), piece.mass_kg):
            pieces.care_done(here.session, care, here.now, here.person_id)
    what = " and ".join(dict.fromkeys(care.words for care, _ in found))
    labels = [piece.label for _, piece in found]
    return f"{what}: {', '.join(labels[:6])}{' …' if len(labels) > 6 else ''}"


def care_not_done(here: Here, care_ids: Sequence[uuid.UUID]) -> None:
    """Cares that were told by a slip are open again, within ten minutes.

    Raises: NotHere; NotPossible for later, or a piece that is gone.
    """
    for care, piece in pieces.cares(here.session, here.dairy, care_ids):
        if care.done_at is None:
            continue
        check_undo(care.done_at, here.now)
        if _keep(here, piece, Uncared(str(care.id)), uuid.uuid4(), piece.mass_kg):
            pieces.care_not_done(here.session, care)


def goes_out(here: Here, piece_id: uuid.UUID, out: Out, deed_id: uuid.UUID) -> None:
    """A piece, or a part of it, goes out. Raises NotHere; CraftError by field."""
    found = one(here, piece_id)
    if _keep(here, found.piece, out, deed_id, found.left_kg):
        pieces.goes_out(here.session, found.piece, out, here.now, deed_id, here.person_id)


def comes_back(
    here: Here, piece_id: uuid.UUID, out_id: uuid.UUID, why: str, deed_id: uuid.UUID
) -> None:
    """A piece, or a part of it, did not go after all. Raises NotHere; CraftError by field."""
    found = one(here, piece_id)
    gone = pieces.out(here.session, found.piece, out_id)
    if _keep(here, found.piece, Back(str(out_id), why), deed_id, found.left_kg):
        make = makes.make(here.session, here.dairy, found.piece.make_id)
        sheet, recipe = makes.sheet_of(make), recipe_of(make)
        pieces.comes_back(here.session, found.piece, gone, recipe, sheet.house, here.today)


def _keep(here: Here, piece: Piece, deed: PieceDeed, deed_id: uuid.UUID, left_kg: float) -> bool:
    """Check a deed and put it into the log; False when it was told before."""
    if deed_id in log.there(here.session, piece.dairy_id, [deed_id]):
        return False
    guard = ""
    if isinstance(deed, Out):
        guard = Guarded(piece.raw, piece.made_on, piece.marks).words(deed.where, here.today)
    deeds.check(deed, here.now, here.now, piece.ended_at, left_kg, guard)
    payload = deeds.to_payload(deed)
    row = Kept("piece", piece.id, deed_id, deed.kind, payload, here.now, here.now)
    return log.add(here.session, piece.dairy_id, row, here.now, here.person_id)
