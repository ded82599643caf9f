"""The cave: pieces, their next care, and what is told of them."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass

from openpail.craft.cave import deeds
from openpail.craft.cave.deeds import Cared, Out, PieceDeed
from openpail.records.log import actions as log
from openpail.records.log.actions import Kept
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Care, Piece, PieceOut
from openpail.work.here import Here


@dataclass(frozen=True, slots=True)
class OnePiece:
    """A piece with its cares, where parts of it went, and what is left, kg."""

    piece: Piece
    cares: list[Care]
    out: list[PieceOut]
    left_kg: float


FIRST_ON_SHELF = 24
ON_PAGE = 60


@dataclass(frozen=True, slots=True)
class Shelf:
    """A place with the pieces on it that are shown, the one to touch next first; all there are."""

    place: str
    rows: list[tuple[Piece, Care | None]]
    count: int
    due: int


def shelves(here: Here, place: str = "", page: int = 0) -> list[Shelf]:
    """The pieces by place, the first of each; or of one place, a page of them."""
    found = []
    for name, rows in _by_place(here):
        due = sum(1 for _, care in rows if care and care.due <= here.today)
        first, most = (page * ON_PAGE, ON_PAGE) if place else (0, FIRST_ON_SHELF)
        if not place or name == place:
            found.append(Shelf(name, rows[first : first + most], len(rows), due))
    return found


def _by_place(here: Here) -> list[tuple[str, list[tuple[Piece, Care | None]]]]:
    cares = pieces.next_cares(here.session, here.dairy)
    found: dict[str, list[tuple[Piece, Care | None]]] = {}
    for piece in pieces.resting(here.session, here.dairy):
        care = cares.get(piece.id)
        found.setdefault(care.place if care else "ready", []).append((piece, care))
    for rows in found.values():
        rows.sort(key=lambda row: (row[1].due if row[1] else here.today, row[0].label))
    return sorted(found.items())


def one(here: Here, piece_id: uuid.UUID) -> OnePiece:
    """One piece. Raises NotHere."""
    piece = pieces.piece(here.session, here.dairy, piece_id)
    out = pieces.out_of(here.session, piece)
    left = piece.mass_kg - sum(each.mass_kg for each in out)
    return OnePiece(piece, pieces.cares_of(here.session, piece), out, max(0.0, left))


def care_done(here: Here, care_ids: Sequence[uuid.UUID]) -> int:
    """Cares are done, each with all earlier ones of its kind on its piece.

    Returns: how many pieces were cared for. Raises: NotHere; CraftError for a piece that is gone.
    """
    touched = set()
    for care, piece in pieces.cares(here.session, here.dairy, care_ids):
        deed = Cared(str(care.id))
        if care.done_at is None and _keep(here, piece, deed, uuid.uuid4(), piece.mass_kg):
            pieces.care_done(here.session, care, here.now, here.person_id)
        touched.add(piece.id)
    return len(touched)


def goes_out(here: Here, piece_id: uuid.UUID, out: Out, deed_id: uuid.UUID) -> None:
    """A piece, or a part of it, goes out. Raises NotHere; CraftError by field."""
    found = one(here, piece_id)
    if _keep(here, found.piece, out, deed_id, found.left_kg):
        pieces.goes_out(here.session, found.piece, out, here.now, deed_id, here.person_id)


def _keep(
    here: Here, piece: Piece, deed: PieceDeed, deed_id: uuid.UUID, left_kg: float
) -> bool:
    """Check a deed and put it into the log; False when it was told before."""
    if deed_id in log.there(here.session, piece.dairy_id, [deed_id]):
        return False
    deeds.check(deed, here.now, here.now, piece.ended_at, left_kg)
    payload = deeds.to_payload(deed)
    row = Kept("piece", piece.id, deed_id, deed.kind, payload, here.now, here.now)
    return log.add(here.session, piece.dairy_id, row, here.now, here.person_id)
