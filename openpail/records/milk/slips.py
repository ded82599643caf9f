"""Tests and herds: what is known of a milk, and how the craft sees a lot."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, field, fields
from datetime import date, datetime, time, timedelta
from functools import cache, partial
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import (
    DateTime,
    Integer,
    Select,
    String,
    Uuid,
    bindparam,
    func,
    or_,
    select,
    true,
    update,
)
from sqlalchemy.orm import Session

from openpail.craft.bench.standardise import Stream, skimmings
from openpail.craft.errors import NotHere, OutOfRange, RecordError
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.marks import NO_MARKS, Marks
from openpail.craft.milk.animals import Kappa
from openpail.craft.milk.blend import Pour
from openpail.craft.milk.density import mass_of
from openpail.craft.milk.fitness import Fitness, inheriting, judge
from openpail.craft.milk.herd import DatedTest, running_means
from openpail.craft.milk.kinds import BREEDS, Composition, MilkTest, species_of
from openpail.craft.milk.slip import Herd as Means
from openpail.craft.milk.slip import HerdMean, Skimmed, check_test, composition
from openpail.records import inherited
from openpail.records.dairy.models import Dairy
from openpail.records.milk.keeping import hours_old, in_freezer, keeping_of
from openpail.records.milk.models import LEAST_KG, CsvLayout, Herd, MilkLot, MilkTestRow

PARTS = tuple(each.name for each in fields(MilkTest))
_WITH = {
    "ph": "ph_sample_c",
    "density_g_ml": "density_c",
    "lactometer": "lactometer_c",
    "protein_pct": "protein_kind",
}
_ALONE = tuple(part for part in PARTS if part not in (*_WITH, *_WITH.values(), "residue_found"))
WEIGHED = ("kg", "g", "lb", "oz")
_SLIPS_PER_TEST = 3  # so many slips are read for each that a running mean is of


def add_herd(
    session: Session,
    dairy: Dairy,
    name: str,
    *,
    breed: str,
    now: datetime,
    head: int | None = None,
    kappa: Kappa = "",
) -> Herd:
    """Add a group of animals; kappa, of cows where it is known. Raises RecordError by field."""
    if breed not in BREEDS:
        raise RecordError("Choose the animal.", "breed")
    herd = Herd(dairy_id=dairy.id, id=uuid.uuid4(), breed=breed, created_at=now)
    change_herd(session, herd, name, head, kappa)
    session.add(herd)
    session.flush()
    return herd


def change_herd(
    session: Session, herd: Herd, name: str, head: int | None, kappa: Kappa = ""
) -> None:
    """Name, number and genes of a group of animals; its milk that waits goes by them.

    Raises: RecordError by field.
    """
    name = name.strip()
    if not name:
        raise RecordError("Write what you call these animals.", "name")
    taken = select(Herd.id).where(
        Herd.dairy_id == herd.dairy_id, Herd.id != herd.id, func.lower(Herd.name) == name.lower()
    )
    with session.no_autoflush:
        if session.scalar(taken.limit(1)):
            raise RecordError(f"There is a group “{name}” already.", "name")
    if kappa and not herd.breed.startswith("cow"):
        raise RecordError("κ-casein is told of cows only.", "kappa")
    herd.name, herd.head, herd.kappa = name, head, kappa
    waits = (
        MilkLot.dairy_id == herd.dairy_id,
        MilkLot.herd_id == herd.id,
        MilkLot.left_kg > LEAST_KG,
    )
    session.execute(update(MilkLot).where(*waits).values(kappa=kappa))


def change_animal(session: Session, herd: Herd, breed: str, why: str) -> None:
    """A herd is of another animal after all. Milk that stands untouched is of that animal too; what
    was poured stays as it was noted, and wants a word.

    Raises: RecordError by field.
    """
    if breed not in BREEDS:
        raise RecordError("Choose the animal.", "breed")
    its = (MilkLot.dairy_id == herd.dairy_id, MilkLot.herd_id == herd.id)
    used = select(MilkLot.id).where(*its, MilkLot.left_kg < MilkLot.mass_kg - LEAST_KG)
    if session.scalar(used.limit(1)) is not None:
        if not why.strip():
            raise RecordError("Milk of it was used already: write a word how it came.", "why")
        herd.breed_why = why.strip()
    herd.breed = next(each for each in BREEDS if each == breed)
    if not breed.startswith("cow"):
        herd.kappa = ""
    untouched = MilkLot.left_kg >= MilkLot.mass_kg - LEAST_KG
    session.execute(update(MilkLot).where(*its, untouched).values(breed=breed, kappa=herd.kappa))
    session.flush()
    session.expire_all()


def put_away(herd: Herd, at: datetime | None) -> None:
    """No longer milked, or (None) milked again; its milk and its tests stay."""
    herd.put_away_at = at


def herds(session: Session, dairy: Dairy) -> list[Herd]:
    """The groups of animals that are milked, by name."""
    query = select(Herd).where(Herd.dairy_id == dairy.id, Herd.put_away_at.is_(None))
    return list(session.scalars(query.order_by(Herd.name)))


def herds_put_away(session: Session, dairy: Dairy) -> list[Herd]:
    """The groups that are no longer milked, by name."""
    query = select(Herd).where(Herd.dairy_id == dairy.id, Herd.put_away_at.is_not(None))
    return list(session.scalars(query.order_by(Herd.name)))


def herd(session: Session, dairy: Dairy, herd_id: uuid.UUID) -> Herd:
    """One group of animals. Raises NotHere."""
    found = session.get(Herd, (dairy.id, herd_id))
    if not found:
        raise NotHere("no such herd")
    return found


def add_test(
    session: Session,
    lot: MilkLot,
    test: MilkTest,
    *,
    now: datetime,
    house: House,
    person_id: uuid.UUID | None = None,
    source: str = "hand",
    told_at: datetime | None = None,
) -> MilkTestRow:
    """Add a test slip to a lot; an untouched lot's weight follows the new composition.

    Parameters: now, when the sample was taken; told_at, when the slip came, None for then.

    Raises: craft's OutOfRange, Contradictory for a slip no milk has.
    """
    check_test(test, lot.kind)
    row = _row(lot.dairy_id, test, now, source, person_id)
    row.told_at = told_at or now
    row.lot_id, row.herd_id = lot.id, lot.herd_id
    lot.tests.append(row)
    made_of = composition_of(lot, house, {})
    if lot.typed_unit not in WEIGHED and lot.left_kg == lot.mass_kg:
        lot.mass_kg = lot.left_kg = mass_of(lot.volume_l, lot.celsius, made_of).value
    session.flush()
    return row


def add_herd_test(
    session: Session, herd: Herd, test: MilkTest, taken_at: datetime, source: str = "file"
) -> MilkTestRow:
    """Add a slip of a herd that belongs to no lot here. Raises as `add_test`."""
    check_test(test)
    row = _row(herd.dairy_id, test, taken_at, source, None)
    row.herd_id = herd.id
    session.add(row)
    session.flush()
    return row


def _row(
    dairy_id: uuid.UUID, test: MilkTest, now: datetime, source: str, person_id: uuid.UUID | None
) -> MilkTestRow:
    return MilkTestRow(
        dairy_id=dairy_id,
        id=uuid.uuid4(),
        taken_at=now,
        told_at=now,
        source=source,
        person_id=person_id,
        **asdict(test),
    )


def test_of(row: MilkTestRow) -> MilkTest:
    """A kept slip as the craft reads it."""
    return MilkTest(**{part: getattr(row, part) for part in PARTS})


def slip_of(lot: MilkLot) -> MilkTest:
    """The lot's tests as one slip: the newest reading of each part; a residue found stays."""
    slip: dict[str, Any] = {}
    stand = [row for row in lot.tests if row.taken_back_at is None]
    for row in stand:
        for part in _ALONE:
            if getattr(row, part) is not None:
                slip[part] = getattr(row, part)
        for part, beside in _WITH.items():
            if getattr(row, part) is not None:
                slip[part], slip[beside] = getattr(row, part), getattr(row, beside)
    if lot.made_of and "ph" in lot.made_of:
        slip.setdefault("ph", lot.made_of["ph"])  # as sour as the vat was when it ran off
    slip["residue_found"] = any(row.residue_found for row in stand)
    return MilkTest(**slip)


def means_of(session: Session, dairy: Dairy, herd: Herd, house: House) -> Means:
    """A herd's own running means; empty with too few tests."""
    tests = dated_tests(session, dairy, herd=herd.id).get(herd.id, ())
    return running_means(herd.breed, tests, house)


@cache  # putting a question together takes longer than asking it
def _dated() -> Select[Any]:
    """Slips of a herd, or of every herd, the last so many of each (None: all)."""
    dairy, herd = bindparam("dairy_id", type_=Uuid()), bindparam("herd_id", type_=Uuid())
    newest = (
        select(MilkTestRow)
        .where(
            MilkTestRow.dairy_id == Herd.dairy_id,
            MilkTestRow.herd_id == Herd.id,
            MilkTestRow.taken_back_at.is_(None),
        )
        .order_by(MilkTestRow.taken_at.desc())
        .limit(bindparam("last", type_=Integer()))
        .lateral()
    )
    return (
        select(Herd.id, newest.c.taken_at, *(newest.c[part] for part in PARTS))
        .join(newest, true())
        .where(Herd.dairy_id == dairy, or_(herd.is_(None), Herd.id == herd))
        .order_by(newest.c.taken_at)
    )


def dated_tests(
    session: Session,
    dairy: Dairy,
    herd: uuid.UUID | None = None,
    last: int | None = None,
) -> dict[uuid.UUID, list[DatedTest]]:
    """Every slip of every herd, or of one, with its local day; or only the last so many of each."""
    zone = ZoneInfo(dairy.zone)
    asked = {"dairy_id": dairy.id, "herd_id": herd, "last": last}
    found: dict[uuid.UUID, list[DatedTest]] = {}
    for row in session.execute(_dated(), asked):
        parts = dict(row._mapping)
        herd_id, day = parts.pop("id"), parts.pop("taken_at").astimezone(zone).date()
        found.setdefault(herd_id, []).append(DatedTest(day, MilkTest(**parts)))
    return found


@cache
def _month_means() -> Select[Any]:
    slip = MilkTestRow
    zone = bindparam("zone", type_=String())
    month = func.date_trunc("month", func.timezone(zone, slip.taken_at)).label("month")
    alike = (month, slip.protein_kind, slip.protein_pct.is_(None), slip.casein_pct.is_(None))
    means = [func.avg(part) for part in (slip.fat_pct, slip.protein_pct, slip.casein_pct)]
    return (
        select(slip.herd_id, month, slip.protein_kind, func.count(), *means)
        .where(
            slip.dairy_id == bindparam("dairy_id", type_=Uuid()),
            slip.herd_id.is_not(None),
            slip.taken_back_at.is_(None),
            slip.taken_at >= bindparam("since", type_=DateTime(timezone=True)),
        )
        .group_by(slip.herd_id, *alike, slip.fat_pct.is_(None))
    )


def month_means(
    session: Session, dairy: Dairy, since: datetime
) -> dict[uuid.UUID, list[DatedTest]]:
    """The slips since a moment as the mean of what is alike (the same parts, told the same way) in
    each local month, by herd: a year of them is few rows, however many were kept."""
    asked = {"dairy_id": dairy.id, "zone": dairy.zone, "since": since}
    found: dict[uuid.UUID, list[DatedTest]] = {}
    for herd_id, month, kind, count, *means in session.execute(_month_means(), asked):
        fat, protein, casein = means
        test = MilkTest(fat_pct=fat, protein_pct=protein, protein_kind=kind, casein_pct=casein)
        found.setdefault(herd_id, []).append(DatedTest(month.date(), test, count))
    return found


def count_tests(session: Session, dairy: Dairy) -> dict[uuid.UUID, int]:
    """How many slips each herd has."""
    query = (
        select(MilkTestRow.herd_id, func.count())
        .where(
            MilkTestRow.dairy_id == dairy.id,
            MilkTestRow.herd_id.is_not(None),
            MilkTestRow.taken_back_at.is_(None),
        )
        .group_by(MilkTestRow.herd_id)
    )
    return {herd: count for herd, count in session.execute(query) if herd}


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What is needed to look at a dairy's lots now: the clock, the house, the herds' means; what
    stays on cream, whey and milk that was heated with other of what it came of; the animals of the
    milk of a make."""

    now: datetime
    house: House
    zone: ZoneInfo
    slips: Callable[[uuid.UUID], Sequence[DatedTest]]
    inherits: Callable[[uuid.UUID], Marks]
    animals: Callable[[uuid.UUID], Mapping[str, float]]
    _means: dict[uuid.UUID, Means] = field(default_factory=dict)

    def herd_of(self, lot: MilkLot) -> Means:
        """The means of the lot's own herd, worked out once; empty when there are none."""
        if not lot.herd_id:
            return {}
        if lot.herd_id not in self._means:
            tests = self.slips(lot.herd_id)
            self._means[lot.herd_id] = running_means(lot.breed, tests, self.house)
        return self._means[lot.herd_id]


def known(session: Session, dairy: Dairy, now: datetime, house: House) -> Known:
    """Gather what is needed to look at lots; the slips are read when a herd's lot is looked at."""
    read: dict[uuid.UUID, list[DatedTest]] | None = None

    def slips(herd: uuid.UUID) -> Sequence[DatedTest]:
        nonlocal read
        if read is None:
            last = _SLIPS_PER_TEST * round(house.number("milk.herd_window"))
            read = dated_tests(session, dairy, last=last)
        return read.get(herd, ())

    came: dict[uuid.UUID, Marks] = {}
    zone = ZoneInfo(dairy.zone)

    def inherits(lot: uuid.UUID) -> Marks:
        if lot not in came:
            came.update(inherited.of_lots(session, dairy.id, lot, house=house, zone=zone))
        return came.setdefault(lot, NO_MARKS)

    animals = cache(partial(inherited.animals, session, dairy.id))
    return Known(now=now, house=house, zone=zone, slips=slips, inherits=inherits, animals=animals)


def composition_of(lot: MilkLot, house: House, herd_means: Means) -> Composition:
    """What the lot is made of, as craft works it out; of whey, what its make left in it."""
    if lot.made_of:
        herd_means = {
            part: HerdMean(value, _spread(lot.kind, part, house), 0)
            for part, value in lot.made_of.items()
            if part != "ph"
        }
    return composition(
        lot.breed,
        slip_of(lot),
        house,
        herd=herd_means,
        kind=lot.kind,
        stage=lot.stage,
        skimmed=_skimmed(lot),
    )


def _spread(kind: str, part: str, house: House) -> float:
    """How far a part of a whey, or of cream taken off by hand, may lie off, %."""
    part = "protein" if kind == "cream" and part == "casein" else part
    return house.number(f"stream.{'cream' if kind == 'cream' else 'whey'}.{part}_sd")


def _skimmed(lot: MilkLot) -> Skimmed | None:
    if lot.skimmed_at is None:
        return None
    tested = [row.taken_at for row in lot.tests if row.fat_pct and row.taken_back_at is None]
    return Skimmed(lot.skimmed_share, bool(tested) and max(tested) < lot.skimmed_at)


def parts_of_milk(milk: Composition) -> dict[str, float]:
    """What a lot that was parted is kept as made of, % by part."""
    return {name: getattr(milk, name).value for name in ("fat", "protein", "casein")}


def is_gone(lot: MilkLot) -> bool:
    """Whether nothing is left of a lot but what clings to its pail."""
    return lot.left_kg <= LEAST_KG


def fitness_of(lot: MilkLot, known: Known) -> Fitness:
    """What the lot is fit for now, and why: by what is known of it, and of all that it came of."""
    watered = composition_of(lot, known.house, known.herd_of(lot)).added_water
    test = slip_of(lot)
    kept = keeping_of(lot, known.now, known.zone)
    own = judge(kept, test, species_of(lot.breed), known.house, watered)
    parted = lot.kind in ("cream", "whey") and not lot.bought
    came_of_other = parted or lot.heating_id is not None
    return inheriting(own, known.inherits(lot.id)) if came_of_other else own


def celsius_of(lot: MilkLot, house: House) -> float:
    """How warm a lot goes into the vat, °C: as it came in, unless it stood in the cold since."""
    cold = house.number("heat.cold_milk")
    if lot.celsius is None:
        return cold
    return min(cold, lot.celsius) if lot.holding == "cold" else lot.celsius


def left_l(lot: MilkLot) -> float:
    """What is left of the lot, L."""
    return lot.volume_l * lot.left_kg / lot.mass_kg


def kg_of(lot: MilkLot, litres: float) -> float:
    """What so many litres of a lot weigh, kg."""
    return litres * lot.mass_kg / lot.volume_l


def pour_of(lot: MilkLot, known: Known, litres: float | None = None) -> Pour:
    """The lot, all that is left or so many litres, as it goes into the vat."""
    made_of = composition_of(lot, known.house, known.herd_of(lot))
    poured = left_l(lot) if litres is None else litres
    if lot.typed_unit in WEIGHED or lot.left_kg != lot.mass_kg:
        mass = Figure.start(
            "milk, by its lot’s weight", kg_of(lot, poured), "kg", "measured", sd=0.005 * poured
        )
    else:
        mass = mass_of(poured, lot.celsius, made_of)
    stands = lot.holding in ("cold", "cool") and not in_freezer(lot)
    cold = hours_old(lot, known.now) if stands else 0.0
    return Pour(
        name=lot.name,
        breed=lot.breed,
        treatment=lot.treatment,
        mass=mass,
        milk=made_of,
        homogenised=lot.homogenised,
        frozen=lot.frozen,
        hours_cold=cold,
        litres=poured,
        stage=lot.stage,
        kind=lot.kind,
        cells_per_ml=slip_of(lot).cells_per_ml,
        kappa=lot.kappa,
        heat_record=lot.heat_record,
        came_of=known.animals(lot.make_id) if lot.make_id else {},
    )


def stream_of(lot: MilkLot, known: Known, low_kg: float, high_kg: float, main: bool) -> Stream:
    """The lot as a stream to standardise with."""
    made_of = composition_of(lot, known.house, known.herd_of(lot))
    cost = float(lot.price) / lot.mass_kg if lot.price is not None else 0.0
    return Stream(
        key=str(lot.id),
        name=lot.name,
        fat_pct=made_of.fat.value,
        protein_pct=made_of.protein.value,
        casein_pct=made_of.casein.value,
        low_kg=low_kg,
        high_kg=high_kg,
        cost_per_kg=cost,
        hours_old=hours_old(lot, known.now),
        is_main=main,
        kg_per_l=lot.mass_kg / lot.volume_l,
        species=species_of(lot.breed),
        kind=lot.kind,
        lactose_pct=made_of.lactose.value,
    )


def cream_off(lot: MilkLot, known: Known, poured_kg: float, cream_pct: float) -> Stream:
    """Cream that can be taken off a standing lot, as a stream under 0. Raises OutOfRange."""
    if lot.homogenised:
        raise OutOfRange(f"{lot.name} is homogenised: its cream does not rise.")
    milk = stream_of(lot, known, 0.0, poured_kg, True)
    return skimmings(milk, poured_kg, cream_pct, known.house, f"cream off {lot.name}")


def cream_pour(lot: MilkLot, known: Known, litres: float, cream_pct: float) -> Pour:
    """So many litres of cream taken off a lot, as a pour of negative mass."""
    stream = cream_off(lot, known, kg_of(lot, left_l(lot)), cream_pct)
    milk = pour_of(lot, known).milk
    parts = {
        name: Figure.start(f"{name} of the cream taken off", value, "%", "assumed", sd=sd)
        for name, value, sd in (
            ("fat", stream.fat_pct, 0.1 * stream.fat_pct),
            ("protein", stream.protein_pct, milk.protein.sd or 0.0),
            ("casein", stream.casein_pct, milk.casein.sd or 0.0),
        )
    }
    made_of = Composition(
        fat=parts["fat"],
        protein=parts["protein"],
        casein=parts["casein"],
        solids_not_fat=milk.solids_not_fat,
        ph=milk.ph,
        lactose=milk.lactose,
        total_solids=milk.total_solids,
    )
    mass = Figure.start(f"cream taken off {lot.name}", -litres * stream.kg_per_l, "kg")
    return Pour(
        name=f"cream off {lot.name}",
        breed=lot.breed,
        treatment=lot.treatment,
        mass=mass,
        milk=made_of,
        homogenised=lot.homogenised,
        frozen=lot.frozen,
        hours_cold=0.0,
        litres=-litres,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class HerdSlip:
    """One row of a file that was understood: whose slip, which day, what it says."""

    herd_id: uuid.UUID | None
    lot_id: uuid.UUID | None
    day: date
    test: MilkTest


def keep_slips(
    session: Session,
    dairy: Dairy,
    slips: Sequence[HerdSlip],
    *,
    lots: Iterable[MilkLot],
    house: House,
    now: datetime,
    person_id: uuid.UUID | None = None,
) -> int:
    """Keep all slips of a file, or none: an error leaves nothing behind at the edge.

    Returns: how many were new; a slip that is there already, the same in every part, is not
    kept twice. Raises: craft's OutOfRange, Contradictory; NotHere.
    """
    by_id = {lot.id: lot for lot in lots}
    zone = ZoneInfo(dairy.zone)
    kept = 0
    for slip in slips:
        noon = datetime.combine(slip.day, time(12), zone)
        if _there(session, dairy, slip, noon):
            continue
        at = min(noon, now)
        if slip.lot_id:
            lot = by_id[slip.lot_id]
            add_test(
                session,
                lot,
                slip.test,
                now=max(at, lot.collected_at),
                house=house,
                person_id=person_id,
                source="file",
                told_at=now,
            )
        elif slip.herd_id:
            add_herd_test(session, herd(session, dairy, slip.herd_id), slip.test, at)
        else:
            raise NotHere("a slip of nothing")
        kept += 1
    return kept


def _there(session: Session, dairy: Dairy, slip: HerdSlip, at: datetime) -> bool:
    query = select(MilkTestRow).where(
        MilkTestRow.dairy_id == dairy.id,
        MilkTestRow.lot_id == slip.lot_id
        if slip.lot_id
        else (MilkTestRow.herd_id == slip.herd_id) & MilkTestRow.lot_id.is_(None),
        MilkTestRow.taken_at >= at - timedelta(hours=12),
        MilkTestRow.taken_at < at + timedelta(hours=12),
        MilkTestRow.taken_back_at.is_(None),
    )
    return any(test_of(row) == slip.test for row in session.scalars(query))


def all_slips(session: Session, dairy: Dairy) -> list[tuple[MilkTestRow, int, str]]:
    """Every slip with its lot's number (0 without one) and whose it is, the oldest first."""
    query = (
        select(MilkTestRow, MilkLot.number, MilkLot.name, Herd.name)
        .outerjoin(
            MilkLot,
            (MilkLot.dairy_id == MilkTestRow.dairy_id) & (MilkLot.id == MilkTestRow.lot_id),
        )
        .outerjoin(Herd, (Herd.dairy_id == MilkTestRow.dairy_id) & (Herd.id == MilkTestRow.herd_id))
        .where(MilkTestRow.dairy_id == dairy.id, MilkTestRow.taken_back_at.is_(None))
        .order_by(MilkTestRow.taken_at, MilkTestRow.id)
    )
    return [(row, number or 0, lot or herd) for row, number, lot, herd in session.execute(query)]


def layout_of(session: Session, dairy: Dairy, header: str) -> dict[str, str]:
    """What was answered about a file of these columns before."""
    query = select(CsvLayout).where(CsvLayout.dairy_id == dairy.id, CsvLayout.header == header)
    found = session.scalar(query)
    return dict(found.answers) if found else {}


def remember_layout(session: Session, dairy: Dairy, header: str, answers: dict[str, str]) -> None:
    """Keep the answers, so that the same file is not asked about again."""
    query = select(CsvLayout).where(CsvLayout.dairy_id == dairy.id, CsvLayout.header == header)
    layout = session.scalar(query)
    if layout is None:
        layout = CsvLayout(dairy_id=dairy.id, id=uuid.uuid4(), header=header, answers=answers)
        session.add(layout)
    layout.answers = answers
    session.flush()
