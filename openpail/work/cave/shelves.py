"""The cave: what lies where, what wants hands, and cares done for one piece or for many."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

from openpail.craft.cave.care import DueCare
from openpail.craft.cave.climate import hint
from openpail.craft.cave.deeds import Cared, MovedTo, PieceDeed, PieceUndone, Seal, Sealed
from openpail.craft.cave.rooms import Room, floor_cm2, floor_of, room_left
from openpail.craft.errors import NotPossible
from openpail.craft.marks import Marks, gravest
from openpail.craft.recipe.recipe import Band
from openpail.records.climate import actions as climate
from openpail.records.climate.actions import Value
from openpail.records.dairy import gear as gears
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece
from openpail.work.cave.piece import Telling, planned, tell
from openpail.work.cave.ripening import CareGroup, LivePiece, around, groups, live
from openpail.work.here import Here
from openpail.work.make import marks

ON_PAGE = 120
FIRST_ON_SHELF = 40
_USUAL_CM = 16.0


@dataclass(frozen=True, slots=True)
class OnBoard:
    """A piece on its shelf, the care that it wants first, and the gravest of what stays said of it,
    "" for nothing that may make ill."""

    piece: LivePiece
    care: DueCare | None
    is_due: bool
    marked: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """A place as it is: the room where the dairy has it, its id; what lies there, shelf by shelf
    (0: on none that was told), those that want hands first; how many lie there and want hands
    today; room for how many more of a usual wheel; what it was read at last, what its air asks."""

    name: str
    room: Room | None
    id: uuid.UUID | None
    shelves: tuple[tuple[int, tuple[OnBoard, ...]], ...]
    count: int
    waiting: int
    left: int | None
    read: Value | None
    says: str

    @property
    def hidden(self) -> bool:
        """Whether more lie there than are shown."""
        return self.count > sum(len(those) for _, those in self.shelves)


def board(here: Here, only: str = "", page: int = 0, *, due: bool = False) -> list[Place]:
    """The places as they are, the cheeses on them, the first of each place; or one place, a page.

    Parameters: only, the name of a place, "" for all; due: only what wants hands today.
    """
    rows = {row.name: row for row in here.room_rows}
    read = climate.last(here.session, here.dairy) if rows else {}
    there: dict[str, list[LivePiece]] = {} if due or only else {name: [] for name in rows}
    for each in live(here, here.ahead(_SEEN_DAYS)):
        there.setdefault(each.place, []).append(each)
    most = ON_PAGE if only else FIRST_ON_SHELF
    found, parts = [], dict[str, list[OnBoard]]()
    for name, all_of in there.items():
        if only and name != only:
            continue
        row = rows.get(name)
        room = gears.as_room(row) if row else None
        seen = [_on_board(each, here) for each in all_of]
        shown = [each for each in seen if each.is_due] if due else seen
        if due and not shown:
            continue
        part = sorted(shown, key=_first)[page * most : (page + 1) * most]
        last = read.get(row.id) if row else None
        wanted = _humidity(all_of)
        says = hint(last.celsius, last.humidity, wanted) if last else ""
        found.append(
            Place(
                name=name,
                room=room,
                id=row.id if row else None,
                shelves=(),
                count=len(shown),
                waiting=sum(1 for each in seen if each.is_due),
                left=_left(here, room, all_of),
                read=last,
                says=says,
            )
        )
        parts[name] = part
    makes = {each.piece.row.make_id for part in parts.values() for each in part}
    said = marks.of_makes(here, makes)
    found = [replace(e, shelves=_by_shelf(_marked(parts[e.name], said))) for e in found]
    return sorted(found, key=lambda each: (each.id is None, -each.waiting, each.name))


def _marked(those: Sequence[OnBoard], said: Mapping[uuid.UUID, Marks]) -> Iterator[OnBoard]:
    """Those of a board that are shown, with the gravest of what stays said of each."""
    for each in those:
        grave = gravest(said[each.piece.row.make_id])
        yield replace(each, marked=grave.sort.title if grave else "")


_SEEN_DAYS = 14
_PAPER: tuple[Seal, ...] = ("wrap", "foil")


def _on_board(each: LivePiece, here: Here) -> OnBoard:
    care = each.plan.cares[0] if each.plan.cares else None
    return OnBoard(each, care, care is not None and care.due <= here.today)


def _first(each: OnBoard) -> tuple[object, ...]:
    due = each.care.due.toordinal() if each.care else 10**9
    return not each.is_due, due, each.piece.row.made_on, each.piece.row.label


def _by_shelf(those: Iterable[OnBoard]) -> tuple[tuple[int, tuple[OnBoard, ...]], ...]:
    shelves: dict[int, list[OnBoard]] = {}
    for each in those:
        shelves.setdefault(each.piece.now.course.now.shelf, []).append(each)
    return tuple((number, tuple(shelves[number])) for number in sorted(shelves))


def _humidity(those: Sequence[LivePiece]) -> Band | None:
    """The band of humidity that all that lie together can bear; None where no stage says one, or
    they want different air."""
    bands = [
        each.now.recipe.stages[each.now.course.stage].humidity_pct
        for each in those
        if each.now.recipe.stages
    ]
    known = [band for band in bands if band is not None]
    if not known:
        return None
    low, high = max(band.low for band in known), min(band.high for band in known)
    return Band((low + high) / 2, low, high) if low <= high else None


def _left(here: Here, room: Room | None, those: Sequence[LivePiece]) -> int | None:
    if room is None:
        return None
    taken = [floor_of(each.now.recipe, here.house) for each in those]
    return room_left(room, taken, floor_cm2(_USUAL_CM, None, here.house))


def waiting(here: Here) -> int:
    """How many pieces want hands today."""
    return sum(1 for each in live(here, here.ahead(_SEEN_DAYS)) if _on_board(each, here).is_due)


def round_of(here: Here, place: str) -> list[CareGroup]:
    """What one place wants today, or all of them, what matters first."""
    those = [each for each in live(here) if not place or each.place == place]
    return groups(here, those, date.min, here.today)


# ── cares are done ──


def care_done(
    here: Here,
    piece_ids: Sequence[uuid.UUID],
    stage: str,
    *,
    key: str,
    batch: uuid.UUID,
    word: str = "",
) -> str:
    """One care is done, of one piece or of many.

    Parameters: batch, an id made by whoever tapped: the same tap twice is one.
    Returns: what was done, in words. Raises: NotHere; CraftError for a piece that is gone.
    """
    rows = pieces.some(here.session, here.dairy, piece_ids)
    care = _named(here, piece_ids, stage, key)
    steps = [
        Telling(
            piece_id=row.id,
            deed=_deed_of(care, row, stage, key, word),
            id=uuid.uuid5(batch, str(row.id)),
        )
        for row in rows
    ]
    tell(here, steps)
    labels = sorted(row.label for row in rows)
    words = care.words if care else key.replace("-", " ").capitalize()
    return f"{words}: {', '.join(labels[:6])}{' …' if len(labels) > 6 else ''}"


def _deed_of(care: DueCare | None, row: Piece, stage: str, key: str, word: str) -> PieceDeed:
    """What a care that is done is in the log: paper and foil seal it, and want no dry rind."""
    how = next((each for each in _PAPER if care is not None and each == care.kind), None)
    if how is not None:
        return Sealed(label=row.label, how=how, rind=None, by="shelf", word=word)
    return Cared(stage, key, word)


def _named(here: Here, piece_ids: Sequence[uuid.UUID], stage: str, key: str) -> DueCare | None:
    """A care that is due of one of these pieces, by its stage and key."""
    wanted = set(piece_ids)
    for each in live(here, here.ahead(_SEEN_DAYS)):
        if each.row.id in wanted:
            for care in each.plan.cares:
                if (care.stage, care.key) == (stage, key):
                    return care
    return None


def move_on(here: Here, piece_ids: Sequence[uuid.UUID], batch: uuid.UUID, word: str = "") -> str:
    """Pieces go on to the next stage of their own plan, each to the place that has it.

    Returns: what was done, in words. Raises: NotHere; CraftError by field, with the number of the
    piece that is asked about.
    """
    steps, labels, places = [], [], []
    for row in pieces.some(here.session, here.dairy, piece_ids):
        now, _ = planned(here, row)
        number = now.course.stage + 1
        if number >= len(now.recipe.stages):
            raise NotPossible(f"{row.label} is in the last stage of its plan already.")
        stage = now.recipe.stages[number]
        place = around(here).place(stage.place)
        deed = MovedTo(
            label=row.label, place=place, shelf=0, stage=stage.key, by="shelf", word=word
        )
        steps.append(Telling(piece_id=row.id, deed=deed, id=uuid.uuid5(batch, str(row.id))))
        labels.append(row.label)
        places.append(place)
    tell(here, steps)
    told = ", ".join(sorted(labels)[:6]) + (" …" if len(labels) > 6 else "")
    return f"Moved to {' and '.join(dict.fromkeys(places))}: {told}"


def care_not_done(here: Here, piece_ids: Sequence[uuid.UUID], batch: uuid.UUID) -> None:
    """A care that was told by a slip is open again, of all pieces of that tap or of some.

    Raises: NotHere; CraftError for later than ten minutes.
    """
    steps = []
    for each in piece_ids:
        done = uuid.uuid5(batch, str(each))
        steps.append(
            Telling(piece_id=each, deed=PieceUndone(), id=uuid.uuid5(done, "undo"), amends=done)
        )
    tell(here, steps)
