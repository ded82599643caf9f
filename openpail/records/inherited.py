"""What stays on milk, and on what is made of it, read of the facts of all that it came of."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import date, datetime
from functools import cache, partial
from typing import Any, NamedTuple, get_args
from zoneinfo import ZoneInfo

from sqlalchemy import (
    ARRAY,
    DateTime,
    Float,
    Select,
    Uuid,
    and_,
    any_,
    bindparam,
    cast,
    func,
    literal_column,
    null,
    or_,
    select,
    true,
    union_all,
)
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.orm import Session, aliased

from openpail.craft.house import House
from openpail.craft.marks import NO_MARKS, RAW_SOFT, Mark, MarkKey, Marks, joined
from openpail.craft.milk.fitness import Holding, judge
from openpail.craft.milk.kinds import (
    Breed,
    MilkKind,
    MilkTest,
    Species,
    Treatment,
    animals_of,
    species_of,
)
from openpail.craft.recipe.yields import ACID_HEAT
from openpail.records.base import Json, among, mine
from openpail.records.log.models import DeedRow
from openpail.records.makes.models import Make, MakeMilk
from openpail.records.milk.keeping import keeping_of
from openpail.records.milk.models import LEAST_KG, Heating, LotPart, MilkLot, MilkTestRow

# What may be told of a lot after it was poured, by its column, and the mark of it.
FLAGS: Mapping[str, MarkKey] = {
    "withdrawal": "withdrawal",
    "colostrum_or_sick": "colostrum",
    "off_smell": "off-smell",
}
NOTED = "noted"
_SPECIES: tuple[Species, ...] = get_args(Species)


@dataclass(frozen=True, slots=True, kw_only=True)
class LotThen:
    """A lot as it was judged when it was poured, or parted: what was known of its keeping, and what
    its slips say, whenever they came."""

    id: uuid.UUID
    name: str
    kind: MilkKind
    breed: Breed
    treatment: Treatment
    holding: Holding
    collected_at: datetime
    frozen_at: datetime | None
    freezer_c: float | None
    thawed_at: datetime | None
    frozen: bool
    best_before: date | None
    heated_at: datetime | None
    off_smell: bool
    colostrum_or_sick: bool
    withdrawal: bool
    created_at: datetime
    residue_at: datetime | None
    ph: float | None
    ph_at: datetime | None
    plates: float | None
    plates_at: datetime | None

    @property
    def slip(self) -> MilkTest:
        """What of its slips may leave a mark."""
        found = self.residue_at is not None
        return MilkTest(ph=self.ph, plates_per_ml=self.plates, residue_found=found)


class _Came(NamedTuple):
    """A make or a lot that something came of: what the make left on itself, None where that is to
    be worked out anew; when the lot was poured or parted, into which make, and what its maker wrote
    then (None where it was parted)."""

    root: uuid.UUID
    make: uuid.UUID | None
    marks: Marks | None
    lot: LotThen | None
    at: datetime | None
    into: uuid.UUID | None
    word: str


_DAIRY = bindparam("dairy_id", type_=Uuid())
_IDS = any_(bindparam("ids", type_=ARRAY(Uuid())))


def _none(sort: Any) -> Any:
    return cast(null(), sort)


def _step(came: Any) -> Any:
    """What went into a make; what a lot was parted from, was heated with, or ran off from."""
    nobody, never = _none(Uuid()), _none(DateTime(timezone=True))
    # said, no table is looked through for the lot of a make or the make of a lot, which is none
    is_make, is_lot = came.c.make.is_not(None), came.c.lot.is_not(None)
    poured = (
        select(nobody.label("make"), MakeMilk.lot_id.label("lot"), Make.started_at.label("at"))
        .add_columns(MakeMilk.make_id.label("into"))
        .join(Make, (Make.dairy_id == MakeMilk.dairy_id) & (Make.id == MakeMilk.make_id))
        .where(is_make, MakeMilk.dairy_id == _DAIRY, MakeMilk.make_id == came.c.make)
    )
    parted = select(nobody, LotPart.of_lot_id, LotPart.at, nobody).where(
        is_lot, LotPart.dairy_id == _DAIRY, LotPart.lot_id == came.c.lot
    )
    own, other = aliased(MilkLot), aliased(MilkLot)
    heated = (
        select(nobody, other.id, Heating.started_at, nobody)
        .join(Heating, (Heating.dairy_id == other.dairy_id) & (Heating.id == other.heating_id))
        .join(own, (own.dairy_id == other.dairy_id) & (own.heating_id == other.heating_id))
        .where(is_lot, own.dairy_id == _DAIRY, own.id == came.c.lot, other.id != own.id)
        .where(or_(came.c.at.is_(None), Heating.started_at <= came.c.at))  # parted before: not
    )
    ran_off = select(MilkLot.make_id, nobody, never, nobody).where(
        is_lot, MilkLot.dairy_id == _DAIRY, MilkLot.id == came.c.lot, MilkLot.make_id.is_not(None)
    )
    return union_all(poured, parted, heated, ran_off).lateral("step")


def _closure(start: Select[Any]) -> Any:
    """All that some makes or lots came of, themselves with them."""
    came = start.cte("came", recursive=True)
    step = _step(came)
    return came.union(
        select(came.c.root, step.c.make, step.c.lot, step.c.at, step.c.into).join(step, true())
    )


def _slips(lot: Any) -> Any:
    """What the slips of a lot say: since when a residue is known; the newest pH, the newest count
    of plates, and when each was told."""
    row = MilkTestRow

    def newest(part: Any) -> Any:
        there = part.is_not(None)
        return func.array_agg(aggregate_order_by(part, row.taken_at.desc())).filter(there)[1]

    return (
        select(
            func.min(row.told_at).filter(row.residue_found).label("residue_at"),
            newest(row.ph).label("ph"),
            func.max(row.told_at).filter(row.ph.is_not(None)).label("ph_at"),
            newest(row.plates_per_ml).label("plates"),
            func.max(row.told_at).filter(row.plates_per_ml.is_not(None)).label("plates_at"),
        )
        .where(lot.is_not(None), row.dairy_id == _DAIRY, row.lot_id == lot)
        .where(row.taken_back_at.is_(None))
        .lateral("slips")
    )


_OF_SLIPS = frozenset({"residue_at", "ph", "ph_at", "plates", "plates_at"})
_OF_LOT = tuple(each.name for each in fields(LotThen))


def _row(table: Any, key: Any, name: str, columns: Iterable[str]) -> Any:
    """The row of a key. Its limit keeps the planner, which takes what came of something for a
    million rows, from reading the whole table for it."""
    found = select(*(table.__table__.c[each] for each in columns)).where(key.is_not(None))
    return found.where(table.dairy_id == _DAIRY, table.id == key).limit(1).lateral(name)


def _question(start: Select[Any]) -> Select[Any]:
    """All that something came of, with what is known of each."""
    came = _closure(start)
    make = _row(Make, came.c.make, "of_make", ("number", "marks"))
    into = _row(Make, came.c.into, "poured_into", ("note",))
    lot = _row(MilkLot, came.c.lot, "of_lot", [n for n in _OF_LOT if n not in _OF_SLIPS])
    slips = _slips(came.c.lot)
    columns = [(slips.c if n in _OF_SLIPS else lot.c)[n] for n in _OF_LOT]
    return (
        select(came.c.root, came.c.make, came.c.at, came.c.into, into.c.note)
        .add_columns(make.c.number, make.c.marks, *columns)
        .select_from(came)
        .outerjoin(make, true())
        .outerjoin(into, true())
        .outerjoin(lot, true())
        .outerjoin(slips, true())
    )


@cache  # putting a question together takes longer than asking it
def _of_makes() -> Select[Any]:
    nobody, never = _none(Uuid()), _none(DateTime(timezone=True))
    start = select(Make.id.label("root"), Make.id.label("make")).add_columns(
        nobody.label("lot"), never.label("at"), nobody.label("into")
    )
    return _question(start.where(Make.dairy_id == _DAIRY, Make.id == _IDS))


@cache
def _of_lots() -> Select[Any]:
    nobody, never = _none(Uuid()), _none(DateTime(timezone=True))
    start = select(MilkLot.id.label("root"), nobody.label("make")).add_columns(
        MilkLot.id.label("lot"), never.label("at"), nobody.label("into")
    )
    parted = and_(MilkLot.kind.in_(("cream", "whey")), MilkLot.bought.is_(False))
    of_other = or_(parted, MilkLot.heating_id.is_not(None))
    waits = and_(MilkLot.left_kg > literal_column(str(LEAST_KG)), of_other)
    return _question(start.where(MilkLot.dairy_id == _DAIRY, or_(MilkLot.id == _IDS, waits)))


def _came_of(
    session: Session, dairy_id: uuid.UUID, question: Select[Any], ids: Collection[uuid.UUID]
) -> Iterator[_Came]:
    asked = {"dairy_id": dairy_id, "ids": list(ids)}
    for root, make, at, poured, word, number, marks, *lot in session.execute(question, asked):
        then = LotThen(**dict(zip(_OF_LOT, lot, strict=True))) if make is None else None
        own = None if marks is None else read(marks, f"make {number}")
        yield _Came(root, make, own, then, at, poured, word or "")


@dataclass(frozen=True, slots=True)
class _Look:
    """With what lots are looked at: limits and time zone; when what was told later of a lot was
    told; the family of a make's cheese."""

    house: House
    zone: ZoneInfo
    noted: Mapping[tuple[uuid.UUID, str], datetime]
    family: Callable[[uuid.UUID], str]

    def marks(
        self, lot: LotThen, at: datetime, into: uuid.UUID | None, word: str
    ) -> Iterable[Mark]:
        """What stays of a lot that was poured into a make, or (None) parted, at a moment."""
        kept = keeping_of(lot, at, self.zone)
        for reason in judge(kept, lot.slip, species_of(lot.breed), self.house).reasons:
            if reason.mark is None:
                continue
            boiled = reason.verdict == "boiled acid-and-heat only"
            if boiled and into and self.family(into) in ACID_HEAT:
                continue  # there such milk may go
            known = self._known_at(lot, reason.mark)
            yield Mark(
                key=reason.mark,
                words=reason.words,
                of=lot.name,
                word="" if reason.hard or known > at else word,
                known_at=known,
            )

    def _known_at(self, lot: LotThen, key: MarkKey) -> datetime:
        """Since when it is known: since its slip, or since it was told of the lot."""
        flag = next((name for name, of in FLAGS.items() if of == key), "")
        told = {
            "residue": lot.residue_at,
            "soured": lot.ph_at,
            "plates": lot.plates_at,
            "discard": lot.ph_at,
        }.get(key, self.noted.get((lot.id, flag)))
        return max(told or lot.created_at, lot.created_at)


class OfMakes(NamedTuple):
    """What stays on makes, by their ids; and those makes, of these or of whose whey they are, of
    which what they left is to be worked out anew before that is all."""

    marks: dict[uuid.UUID, Marks]
    lacking: frozenset[uuid.UUID]


def of_makes(
    session: Session,
    dairy_id: uuid.UUID,
    ids: Collection[uuid.UUID],
    *,
    house: House,
    zone: ZoneInfo,
) -> OfMakes:
    """What stays on makes: of themselves, and of all that they came of.

    Parameters: ids; house, the limits in force; zone, of the dairy.
    """
    came = list(_came_of(session, dairy_id, _of_makes(), ids)) if ids else []
    lacking = frozenset(each.make for each in came if each.make and each.marks is None)
    return OfMakes(_joined(session, dairy_id, came, house, zone), lacking)


def of_lots(
    session: Session, dairy_id: uuid.UUID, lot_id: uuid.UUID, *, house: House, zone: ZoneInfo
) -> dict[uuid.UUID, Marks]:
    """What stays on a lot, and on all others that wait, for what they came of; what a lot is by
    itself, its own fitness says.

    Parameters: lot_id; house, the limits in force; zone, of the dairy.
    """
    came = list(_came_of(session, dairy_id, _of_lots(), [lot_id]))
    return _joined(session, dairy_id, came, house, zone)


def _joined(
    session: Session, dairy_id: uuid.UUID, came: Sequence[_Came], house: House, zone: ZoneInfo
) -> dict[uuid.UUID, Marks]:
    noted = _noted(session, dairy_id, [each.lot for each in came if each.lot])
    look = _Look(house, zone, noted, partial(_family, session, dairy_id))
    found: dict[uuid.UUID, list[Marks]] = {}
    for each in came:
        group = found.setdefault(each.root, [])
        if each.lot is None:
            whey = each.root != each.make  # the law of a cheese is not the law of its whey
            own = each.marks or NO_MARKS
            group.append(tuple(m for m in own if not (whey and m.key == RAW_SOFT)))
        elif each.at and each.lot.id != each.root:
            group.append(tuple(look.marks(each.lot, each.at, each.into, each.word)))
    return {root: joined(*groups) for root, groups in found.items()}


def _family(session: Session, dairy_id: uuid.UUID, make_id: uuid.UUID) -> str:
    family = Make.frozen["recipe"]["recipe"]["family"].astext
    found = session.scalar(select(family).where(Make.dairy_id == dairy_id, Make.id == make_id))
    return found or ""


class _Poured(NamedTuple):
    """Milk that went into a make, with that of its whey: share, breed, how it was heated."""

    share: float
    breed: str
    treatment: str


def _poured(session: Session, dairy_id: uuid.UUID, make_id: uuid.UUID) -> Iterator[_Poured]:
    """The milk of a make; of whey, the milk that it ran off from, by its share."""
    query = (
        select(MakeMilk.mass_kg, MilkLot.breed, MilkLot.treatment, MilkLot.make_id)
        .join(MilkLot, (MilkLot.dairy_id == MakeMilk.dairy_id) & (MilkLot.id == MakeMilk.lot_id))
        .where(MakeMilk.dairy_id == dairy_id, MakeMilk.make_id == make_id)
    )
    rows = session.execute(query).all()
    whole = sum(kg for kg, *_ in rows)
    for kg, breed, treatment, of_make in rows:
        if of_make is None:
            yield _Poured(kg / whole, breed, treatment)
            continue
        for each in _poured(session, dairy_id, of_make):
            yield each._replace(share=each.share * kg / whole)


class MilkIn(NamedTuple):
    """The milk that is in a make, that of its whey too: animals by their share, how it was heated,
    each way that occurs."""

    animals: dict[str, float]
    treatments: frozenset[str]


def milk_in(session: Session, dairy_id: uuid.UUID, make_id: uuid.UUID) -> MilkIn:
    """The milk that is in a make."""
    poured = list(_poured(session, dairy_id, make_id))
    found: dict[str, float] = {}
    for each in poured:
        name = animals_of(each.breed)
        found[name] = found.get(name, 0.0) + each.share
    return MilkIn(found, frozenset(each.treatment for each in poured))


def animals(session: Session, dairy_id: uuid.UUID, make_id: uuid.UUID) -> dict[str, float]:
    """The animals whose milk is in a make, by their share of it: of whey, those of its milk."""
    return milk_in(session, dairy_id, make_id).animals


def told_late(
    session: Session, dairy_id: uuid.UUID, since: datetime, house: House
) -> set[uuid.UUID]:
    """Lots of which something that may leave a mark was told after they went into a make: a slip,
    or what came out of them.

    Parameters: since, the moment from which on it was told; house, the limits in force.
    """
    sour = max(house.number(f"fitness.souring_{each}") for each in _SPECIES)
    asked = {
        "dairy_id": dairy_id,
        "since": since,
        "plates": house.number("fitness.plates_most"),
        "sour": sour,
    }
    return set(session.scalars(_late(), asked))


@cache
def _late() -> Any:
    row, since = MilkTestRow, bindparam("since", type_=DateTime(timezone=True))
    adverse = or_(
        row.residue_found,
        row.plates_per_ml > bindparam("plates", type_=Float()),
        row.ph < bindparam("sour", type_=Float()),
    )
    slips = (
        select(row.lot_id)
        .join(MakeMilk, (MakeMilk.dairy_id == row.dairy_id) & (MakeMilk.lot_id == row.lot_id))
        .join(Make, (Make.dairy_id == MakeMilk.dairy_id) & (Make.id == MakeMilk.make_id))
        .where(
            row.dairy_id == _DAIRY,
            row.told_at >= since,
            row.told_at > Make.started_at,
            row.taken_back_at.is_(None),
            adverse,
        )
    )
    noted = select(DeedRow.subject_id).where(
        DeedRow.dairy_id == _DAIRY, DeedRow.subject == "milk", DeedRow.at >= since
    )
    return union_all(slips, noted)


def keep(make: Make, marks: Iterable[Mark]) -> None:
    """What a make left on itself is kept with what its deeds come to."""
    make.marks = [
        {"key": each.key, "words": each.words} | ({"word": each.word} if each.word else {})
        for each in marks
    ]


def read(kept: Sequence[Json], of: str) -> Marks:
    """What `keep` kept. Parameters: kept; of, what a make is called."""
    return tuple(
        Mark(key=each["key"], words=each["words"], of=of, word=each.get("word", ""))
        for each in kept
    )


def _noted(
    session: Session, dairy_id: uuid.UUID, lots: Iterable[LotThen]
) -> dict[tuple[uuid.UUID, str], datetime]:
    """When each was told of a lot, where it was told later than the lot itself."""
    flagged = {lot.id for lot in lots if any(getattr(lot, flag) for flag in FLAGS)}
    if not flagged:
        return {}
    query = mine(DeedRow, dairy_id).where(among(DeedRow.subject_id, flagged), DeedRow.deed == NOTED)
    return {
        (row.subject_id, row.payload["fact"]): row.at
        for row in session.scalars(query.order_by(DeedRow.at))
    }
