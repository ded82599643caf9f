"""Tastings at the table: what is ready, what is set out, and what each said once all have."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

from openpail.craft.cave.deeds import Tasted, TastingBegun, TastingClosed
from openpail.craft.cave.fold import counting
from openpail.craft.cave.tasting import Tasting, tastings
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece
from openpail.work.cave import piece
from openpail.work.cave.piece import OnePiece, Telling
from openpail.work.cave.ripening import LivePiece, live
from openpail.work.here import Here
from openpail.work.vat import photos

_SOON_DAYS = 14
_SET_OUT = timedelta(days=60)
_MOST_READY = 12


@dataclass(frozen=True, slots=True)
class TastingAt:
    """A piece at the table: with its make, and its tastings, the newest first."""

    piece: OnePiece
    tastings: tuple[Tasting, ...]

    @property
    def open(self) -> Tasting | None:
        """The tasting that somebody is still to taste for, None where there is none."""
        return next((each for each in self.tastings if each.is_blind), None)

    @property
    def shown(self) -> tuple[Tasting, ...]:
        """The tastings that are open to all, the newest first."""
        return tuple(each for each in self.tastings if each.tastes and not each.is_blind)


@dataclass(frozen=True, slots=True, kw_only=True)
class TableCounter:
    """What lies on the table's counter: pieces that are ready, the one whose window closes first
    in front; those that come soon; what is set out and not tasted by all. more: of the ready ones
    that are not told."""

    ready: tuple[LivePiece, ...]
    soon: tuple[LivePiece, ...]
    set_out: tuple[tuple[Piece, Tasting], ...]
    more: int = 0


def counter(here: Here) -> TableCounter:
    """What is ready to be tasted today, one piece of each make in front."""
    today = here.today
    ready = [e for e in live(here) if e.plan.ready.sooner <= today <= e.plan.ready.later]
    coming = today + timedelta(days=_SOON_DAYS)
    soon = [e for e in live(here) if today < e.plan.ready.sooner <= coming]
    ready.sort(key=lambda each: (each.plan.ready.later, each.row.label))
    soon.sort(key=lambda each: (each.plan.ready.sooner, each.row.label))
    first, first_soon = _one_of_each(ready), _one_of_each(soon)
    return TableCounter(
        ready=tuple(first[:_MOST_READY]),
        soon=tuple(first_soon[:_MOST_READY]),
        set_out=tuple(_set_out(here)),
        more=max(0, len(first) - _MOST_READY),
    )


def _one_of_each(these: Sequence[LivePiece]) -> list[LivePiece]:
    found: dict[uuid.UUID, LivePiece] = {}
    for each in these:
        found.setdefault(each.row.make_id, each)
    return list(found.values())


def _set_out(here: Here) -> list[tuple[Piece, Tasting]]:
    ids = pieces.set_out(here.session, here.dairy.id, here.now - _SET_OUT)
    if not ids:
        return []
    told = pieces.told(here.session, here.dairy.id, ids)
    rows = {row.id: row for row in pieces.some(here.session, here.dairy, ids)}
    found = []
    for key in ids:
        count = counting(pieces.as_told(each) for each in told.get(key, []))
        found += [(rows[key], each) for each in tastings(count) if each.is_blind]
    return found


def at_table(here: Here, piece_id: uuid.UUID) -> TastingAt:
    """A piece at the table. Raises NotHere."""
    at = piece.one(here, piece_id, 0)
    return TastingAt(at, tastings(at.standing.told)[::-1])


def set_out(
    here: Here, piece_id: uuid.UUID, tasters: Sequence[str], event: uuid.UUID, word: str = ""
) -> None:
    """It is set out for those who taste. Raises: NotHere; CraftError by field."""
    names = tuple(name.strip() for name in tasters if name.strip())
    piece.tell(here, [Telling(piece_id=piece_id, deed=TastingBegun(names, word), id=event)])


def taste(
    here: Here, piece_id: uuid.UUID, tasted: Tasted, event: uuid.UUID, photo: bytes = b""
) -> None:
    """One taster's own word. Raises: NotHere; CraftError by field; RecordError for a photo that is
    none."""
    if photo:
        make = piece.one(here, piece_id, 0).make
        kept = photos.keep(here, make.id, photo)
        tasted = tasted.with_file(str(kept.id))
    piece.tell(here, [Telling(piece_id=piece_id, deed=tasted, id=event)])


def open_to_all(here: Here, piece_id: uuid.UUID, tasting: str, event: uuid.UUID) -> None:
    """A tasting is opened before everybody tasted. Raises: NotHere; CraftError."""
    piece.tell(here, [Telling(piece_id=piece_id, deed=TastingClosed(tasting), id=event)])


def of_pieces(here: Here, ids: Sequence[uuid.UUID]) -> dict[uuid.UUID, tuple[Tasting, ...]]:
    """The tastings of pieces that are open to all, the first first."""
    told = pieces.told(here.session, here.dairy.id, ids)
    found = {}
    for key, rows in told.items():
        every = tastings(counting(pieces.as_told(each) for each in rows))
        shown = tuple(each for each in every if each.tastes and not each.is_blind)
        if shown:
            found[key] = shown
    return found
