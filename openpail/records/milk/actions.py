"""What is done with milk: it comes in, goes into a vat or elsewhere, is thawed."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal

from sqlalchemy import func, literal_column, select
from sqlalchemy.orm import Session, joinedload

from openpail.craft.dates import check_undo
from openpail.craft.errors import NotHere, NotPossible, OutOfRange, RecordError
from openpail.craft.house import House
from openpail.craft.milk.density import RICH_PCT, mass_of
from openpail.craft.milk.fitness import Holding
from openpail.craft.milk.kinds import (
    DRY,
    RAW_CLASS,
    Breed,
    Composition,
    MilkKind,
    MilkTest,
    Treatment,
)
from openpail.craft.milk.slip import Skimmed, composition
from openpail.craft.recipe.yields import WHEY_KG_PER_L
from openpail.craft.units import Amount
from openpail.records.base import mine
from openpail.records.bench.models import Bench, BenchPour
from openpail.records.dairy.actions import next_number
from openpail.records.dairy.models import Dairy
from openpail.records.makes.models import Make, MakeMilk
from openpail.records.milk.models import (
    LEAST_KG,
    USES,
    Heating,
    Herd,
    LotPart,
    MilkLot,
    MilkUse,
    Task,
)
from openpail.records.milk.slips import add_test, kg_of, left_l, means_of, slip_of

_SOON_THAWED = timedelta(days=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class NewMilk:
    """Milk as it comes in. `celsius` is the warmth at which the volume was read."""

    name: str
    breed: Breed
    treatment: Treatment
    amount: Amount
    collected_at: datetime
    celsius: float | None = None
    homogenised: bool = False
    frozen: bool = False
    bought: bool = False
    best_before: date | None = None
    holding: Holding = "cold"
    off_smell: bool = False
    colostrum_or_sick: bool = False
    withdrawal: bool = False
    kind: MilkKind = "milk"
    herd: Herd | None = None
    stage: str = ""
    container: str = ""
    price: Decimal | None = None
    in_freezer: bool = False
    frozen_at: datetime | None = None
    freezer_c: float | None = None
    thawed_at: datetime | None = None
    wanted_on: date | None = None
    skimmed_share: float | None = None  # by hand; 0 where nobody measured


@dataclass(frozen=True, slots=True, kw_only=True)
class Draw:
    """What a make takes of a lot: litres and kg, and the cream skimmed off of that: cream_of,
    what it is made of, %."""

    lot: MilkLot
    litres: float
    mass_kg: float
    cream_l: float = 0.0
    cream_kg: float = 0.0
    cream_of: Mapping[str, float] = field(default_factory=dict)


def all_of(lot: MilkLot) -> Draw:
    """All that is left of a lot."""
    return Draw(lot=lot, litres=left_l(lot), mass_kg=lot.left_kg)


def take_in(
    session: Session,
    dairy: Dairy,
    milk: NewMilk,
    *,
    now: datetime,
    house: House,
    test: MilkTest | None = None,
    person_id: uuid.UUID | None = None,
    source: str = "hand",
) -> MilkLot:
    """Take milk in, with its test when there is one; frozen milk gets its thaw-by task.

    Raises: craft's OutOfRange (amount, temperature, test); RecordError for milk from the future.
    """
    if milk.collected_at > now:
        raise RecordError("This milk has not been milked yet. Look at the time.", "collected_at")
    herd = milk.herd
    means = means_of(session, dairy, herd, house) if herd else {}
    made_of = composition(
        milk.breed,
        test or MilkTest(),
        house,
        herd=means,
        kind=milk.kind,
        stage=milk.stage,
        skimmed=None if milk.skimmed_share is None else Skimmed(milk.skimmed_share),
    )
    volume_l, mass_kg = _volume_and_mass(milk, made_of)
    is_frozen, waits = milk.frozen or milk.in_freezer, milk.in_freezer
    _check_frozen(milk, now)
    lot = MilkLot(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        number=next_number(session, dairy, "lot"),
        name=milk.name,
        kind=milk.kind,
        herd_id=herd.id if herd else None,
        breed=milk.breed,
        treatment="tinned" if milk.kind == "evaporated" else milk.treatment,
        homogenised=milk.homogenised,
        frozen=is_frozen,
        frozen_at=(milk.frozen_at or milk.collected_at) if is_frozen else None,
        freezer_c=milk.freezer_c if is_frozen else None,
        thawed_at=(milk.thawed_at or milk.collected_at) if is_frozen and not waits else None,
        bought=milk.bought,
        price=milk.price,
        best_before=milk.best_before,
        stage=milk.stage,
        kappa=herd.kappa if herd else "",
        container=milk.container,
        typed=milk.amount.text,
        typed_unit=milk.amount.unit.key,
        celsius=milk.celsius,
        volume_l=volume_l,
        mass_kg=mass_kg,
        left_kg=mass_kg,
        collected_at=milk.collected_at,
        holding=milk.holding,
        skimmed_at=None if milk.skimmed_share is None else milk.collected_at,
        skimmed_share=milk.skimmed_share or 0.0,
        off_smell=milk.off_smell,
        colostrum_or_sick=milk.colostrum_or_sick,
        withdrawal=milk.withdrawal,
        person_id=person_id,
        created_at=now,
        tests=[],
        uses=[],
    )
    session.add(lot)
    session.flush()
    if test is not None:
        add_test(session, lot, test, now=now, house=house, person_id=person_id, source=source)
    if milk.wanted_on:
        thaw_for(session, lot, milk.wanted_on, house)
    return lot


def _check_frozen(milk: NewMilk, now: datetime) -> None:
    """Milk goes into a freezer after it was milked, and out of it after it went in."""
    if not (milk.frozen or milk.in_freezer):
        return
    frozen, thawed = milk.frozen_at or milk.collected_at, milk.thawed_at
    if not milk.collected_at <= frozen <= now:
        raise RecordError(
            "Frozen then? Look at the day: after it was milked, not to come.", "frozen_on"
        )
    if milk.frozen and thawed is None and now - frozen > _SOON_THAWED:
        raise RecordError(
            "Write when it left the freezer: its days since then are its age.", "thawed_on"
        )
    if thawed is not None and not frozen <= thawed <= now:
        raise RecordError("Thawed then? It left the freezer after it went in.", "thawed_on")


def _volume_and_mass(milk: NewMilk, made_of: Composition) -> tuple[float, float]:
    if milk.amount.base <= 0:
        raise RecordError("Write how much milk there is, more than nothing.", "amount")
    if milk.amount.unit.dimension == "volume":
        if milk.kind in DRY:
            raise RecordError("Powder is weighed: write it like 500 g.", "amount")
        fat, at = made_of.fat.value, 20.0 if milk.celsius is None else milk.celsius
        if fat > RICH_PCT and not 15 <= at <= 25:
            raise OutOfRange(
                f"At {fat:.0f} % fat a volume can be trusted near 20 °C only: weigh it.", "amount"
            )
        return milk.amount.base, mass_of(milk.amount.base, milk.celsius, made_of).value
    return milk.amount.base / mass_of(1.0, milk.celsius, made_of).value, milk.amount.base


def mend(
    session: Session,
    dairy: Dairy,
    lot: MilkLot,
    *,
    amount: Amount | None,
    collected_at: datetime | None,
    breed: Breed | None,
    herd: Herd | None,
    now: datetime,
    house: House,
) -> None:
    """What was noted of a lot was otherwise; only while nothing was made of it.

    Parameters: amount, collected_at, breed (with its herd): None leaves it as it is.
    Raises: RecordError by field; craft's OutOfRange.
    """
    if lot.uses or lot.left_kg < lot.mass_kg - 1e-6 or lot.kind == "whey":
        raise RecordError("Some of it went already: what is left stays as it was noted.", "amount")
    if collected_at and collected_at > now:
        raise RecordError("This milk has not been milked yet. Look at the time.", "milked")
    if breed:
        lot.breed, lot.herd_id = breed, herd.id if herd else None
        lot.kappa = herd.kappa if herd else ""
    if collected_at:
        lot.collected_at = collected_at
    if amount:
        lot.typed, lot.typed_unit = amount.text, amount.unit.key
        means = means_of(session, dairy, herd, house) if herd else {}
        made_of = composition(
            lot.breed, slip_of(lot), house, herd=means, kind=lot.kind, stage=lot.stage
        )
        told = NewMilk(
            name=lot.name,
            breed=lot.breed,
            treatment=lot.treatment,
            amount=amount,
            collected_at=lot.collected_at,
            celsius=lot.celsius,
            kind=lot.kind,
        )
        lot.volume_l, lot.mass_kg = _volume_and_mass(told, made_of)
        lot.left_kg = lot.mass_kg
    session.flush()


def thaw_for(session: Session, lot: MilkLot, wanted_on: date, house: House) -> Task:
    """Plan when frozen milk must move to the fridge for a make on a day."""
    days = round(house.number("milk.thaw_days"))
    task = Task(
        dairy_id=lot.dairy_id,
        id=uuid.uuid4(),
        words=f"{lot.name} out of the freezer, into the fridge: it is wanted on "
        f"{wanted_on:%-d %b}.",
        due=wanted_on - timedelta(days=days),
        lot_id=lot.id,
    )
    session.add(task)
    session.flush()
    return task


def thaw(session: Session, dairy: Dairy, lot: MilkLot, now: datetime) -> None:
    """The lot leaves the freezer: its age counts from here, its thaw tasks are done."""
    if not lot.frozen or lot.thawed_at:
        raise RecordError(f"{lot.name} is not in the freezer.")
    lot.thawed_at = now
    query = select(Task).where(
        Task.dairy_id == dairy.id, Task.lot_id == lot.id, Task.done_at.is_(None)
    )
    for task in session.scalars(query):
        task.done_at = now
    session.flush()


def freeze_again(session: Session, dairy: Dairy, lot: MilkLot, now: datetime) -> None:
    """It did not leave the freezer after all.

    Raises: RecordError; craft's NotPossible after ten minutes.
    """
    if lot.thawed_at is None:
        raise RecordError(f"{lot.name} is in the freezer.")
    check_undo(lot.thawed_at, now)
    query = select(Task).where(
        Task.dairy_id == dairy.id, Task.lot_id == lot.id, Task.done_at == lot.thawed_at
    )
    for task in session.scalars(query):
        task.done_at = None
    lot.thawed_at = None
    session.flush()


def tasks(session: Session, dairy: Dairy, until: date) -> list[Task]:
    """What is to be done by a day and is not, the oldest first."""
    query = (
        select(Task)
        .where(Task.dairy_id == dairy.id, Task.done_at.is_(None), Task.due <= until)
        .order_by(Task.due)
    )
    return list(session.scalars(query))


def use_up(session: Session, lot: MilkLot, mass_kg: float, bench: Bench | None = None) -> None:
    """Take milk out of a lot. Raises craft's NotPossible when there is not so much to be had.

    bench: the one it was poured on; what stands poured on another is not to be had. The row is
    locked first, so that two hands never take the same milk.
    """
    session.refresh(lot, ["left_kg"], with_for_update=True)
    check_not_heating(session, lot)
    if mass_kg > lot.left_kg + 1e-6:
        raise NotPossible(f"{lot.name}: {lot.left_kg:.1f} kg is left, not {mass_kg:.1f}.")
    elsewhere = poured_l(session, lot.dairy_id, bench).get(lot.id, 0.0)
    free = lot.left_kg - kg_of(lot, elsewhere)
    if mass_kg > free + 0.05:
        raise NotPossible(
            f"{lot.name}: {elsewhere:.1f} L of it stands poured at the Bench; {max(0.0, free):.1f} "
            f"kg is free, not {mass_kg:.1f}."
        )
    lot.left_kg = max(0.0, lot.left_kg - mass_kg)
    session.flush()


def check_not_heating(session: Session, lot: MilkLot) -> None:
    """Refuse what stands in a pot and is being pasteurised. Raises craft's NotPossible."""
    row = session.get(Heating, (lot.dairy_id, lot.heating_id)) if lot.heating_id else None
    if row is not None and row.ended_at is None:
        raise NotPossible(f"{lot.name} is being pasteurised: close its record first.")


def give_back(session: Session, lot: MilkLot, mass_kg: float, at: datetime) -> None:
    """Milk is in its lot again, and the cream that was to be skimmed off it at a moment with it,
    where nobody has used of that cream."""
    session.refresh(lot, ["left_kg"], with_for_update=True)
    lot.left_kg = min(lot.mass_kg, lot.left_kg + mass_kg)
    query = mine(LotPart, lot.dairy_id).where(LotPart.of_lot_id == lot.id, LotPart.at == at)
    for part in session.scalars(query).all():
        cream = session.get_one(MilkLot, (lot.dairy_id, part.lot_id))
        if cream.left_kg < cream.mass_kg - 1e-9:
            continue
        for use in [each for each in lot.uses if each.kind == "skimmed" and each.at == at]:
            lot.uses.remove(use)
            session.delete(use)
        session.delete(part)
        session.flush()
        session.delete(cream)
        lot.left_kg = min(lot.mass_kg, lot.left_kg + part.mass_kg)
    session.flush()


def lock(session: Session, dairy_id: uuid.UUID, ids: Sequence[uuid.UUID]) -> None:
    """Nobody else takes of these lots until this is done."""
    query = mine(MilkLot, dairy_id).with_only_columns(MilkLot.id).where(MilkLot.id.in_(ids))
    session.execute(query.order_by(MilkLot.id).with_for_update())


def poured_l(
    session: Session, dairy_id: uuid.UUID, but: Bench | None = None
) -> dict[uuid.UUID, float]:
    """Litres of each lot that stand poured in vats at the Bench, without one of them."""
    query = (
        select(BenchPour.lot_id, func.sum(BenchPour.litres))
        .join(Bench, (Bench.dairy_id == BenchPour.dairy_id) & (Bench.id == BenchPour.bench_id))
        .where(
            BenchPour.dairy_id == dairy_id,
            Bench.state == "poured",
            BenchPour.meant.is_(False),
            BenchPour.litres > 0,
        )
        .group_by(BenchPour.lot_id)
    )
    if but is not None:
        query = query.where(Bench.id != but.id)
    return dict(session.execute(query).all())


def send_elsewhere(
    session: Session,
    lot: MilkLot,
    kind: str,
    *,
    litres: float | None,
    now: datetime,
    note: str = "",
    person_id: uuid.UUID | None = None,
) -> MilkUse:
    """Milk is fed, given, thrown away, used otherwise: so many litres, or all that is left.

    Raises: RecordError for a use not known or nothing left, craft's NotPossible for too much.
    """
    if kind not in USES:
        raise RecordError("Choose what became of it.", "kind")
    mass = lot.left_kg if litres is None else kg_of(lot, litres)
    if mass <= 0:
        raise RecordError("Write how much, more than nothing; blank is all of it.", "litres")
    use_up(session, lot, mass)
    use = MilkUse(
        dairy_id=lot.dairy_id,
        id=uuid.uuid4(),
        lot_id=lot.id,
        kind=kind,
        mass_kg=mass,
        at=now,
        note=note.strip(),
        person_id=person_id,
    )
    lot.uses.append(use)
    session.flush()
    return use


def part_of(session: Session, lot: MilkLot) -> MilkLot | None:
    """The lot that a lot was part of, None when it came in by itself."""
    query = (
        mine(MilkLot, lot.dairy_id)
        .join(LotPart, (LotPart.dairy_id == MilkLot.dairy_id) & (LotPart.of_lot_id == MilkLot.id))
        .where(LotPart.lot_id == lot.id)
    )
    return session.scalar(query)


def parts_of(session: Session, lot: MilkLot) -> list[MilkLot]:
    """The lots that were part of a lot, the oldest first."""
    query = (
        mine(MilkLot, lot.dairy_id)
        .join(LotPart, (LotPart.dairy_id == MilkLot.dairy_id) & (LotPart.lot_id == MilkLot.id))
        .where(LotPart.of_lot_id == lot.id)
        .order_by(LotPart.at)
    )
    return list(session.scalars(query))


def keep_whey(
    session: Session,
    dairy: Dairy,
    make: Make,
    *,
    litres: float,
    made_of: dict[str, float],
    at: datetime,
    lot_id: uuid.UUID,
    celsius: float | None = None,
    person_id: uuid.UUID | None = None,
) -> MilkLot:
    """The whey of a make is a lot of its own, warm, aged from when it was caught.

    Parameters: litres as measured; made_of, what the make left in it, % w/w by part, and its pH
    where the vat was read; celsius, as warm as the vat was; lot_id, its own id, that of the deed
    which told it.
    """
    poured = session.scalars(
        select(MakeMilk).where(MakeMilk.dairy_id == dairy.id, MakeMilk.make_id == make.id)
    ).all()
    first = max(poured, key=lambda part: part.mass_kg)
    milk = session.get_one(MilkLot, (dairy.id, first.lot_id))
    lots = [session.get_one(MilkLot, (dairy.id, part.lot_id)) for part in poured]
    raw = next((lot.treatment for lot in lots if lot.treatment in RAW_CLASS), milk.treatment)
    weight = litres * WHEY_KG_PER_L
    whey = MilkLot(
        dairy_id=dairy.id,
        id=lot_id,
        number=next_number(session, dairy, "lot"),
        name=f"Whey of make {make.number}",
        kind="whey",
        breed=milk.breed,
        treatment=raw,
        homogenised=False,
        frozen=False,
        bought=False,
        stage="",
        container="",
        typed=f"{litres:g} L",
        typed_unit="L",
        celsius=celsius,
        volume_l=litres,
        mass_kg=weight,
        left_kg=weight,
        collected_at=at,
        holding="warm",
        heat_record=lots[0].heat_record if all(lot.heat_record for lot in lots) else "",
        person_id=person_id,
        created_at=at,
        make_id=make.id,
        made_of=made_of,
        tests=[],
        uses=[],
    )
    session.add(whey)
    session.flush()
    return whey


def whey_of(session: Session, dairy: Dairy, make: Make) -> MilkLot | None:
    """The whey that was kept of a make, None when none was."""
    query = select(MilkLot).where(MilkLot.dairy_id == dairy.id, MilkLot.make_id == make.id)
    return session.scalars(query.order_by(MilkLot.created_at)).first()


def drop_whey(session: Session, whey: MilkLot) -> None:
    """Whey that was not kept after all. Raises craft's NotPossible when some of it was used."""
    if whey.left_kg < whey.mass_kg - 1e-9:
        raise NotPossible(f"Some of {whey.name} was used already: it cannot be taken back.")
    session.delete(whey)
    session.flush()


def waiting(session: Session, dairy: Dairy) -> list[MilkLot]:
    """Milk not used yet, the newest first."""
    query = (
        select(MilkLot)
        .where(MilkLot.dairy_id == dairy.id, MilkLot.left_kg > literal_column(str(LEAST_KG)))
        .order_by(MilkLot.collected_at.desc(), MilkLot.number.desc())
        .options(joinedload(MilkLot.tests))
    )
    return list(session.scalars(query).unique())


def last_herd(session: Session, dairy: Dairy) -> uuid.UUID | None:
    """The herd whose milk came in last, None when none has."""
    query = (
        select(MilkLot.herd_id)
        .where(MilkLot.dairy_id == dairy.id, MilkLot.herd_id.is_not(None))
        .order_by(MilkLot.collected_at.desc())
        .limit(1)
    )
    return session.scalar(query)


def all_lots(session: Session, dairy: Dairy) -> list[MilkLot]:
    """Every lot, used up or not, the oldest first."""
    query = select(MilkLot).where(MilkLot.dairy_id == dairy.id).order_by(MilkLot.number)
    return list(session.scalars(query))


def lot(session: Session, dairy: Dairy, lot_id: uuid.UUID) -> MilkLot:
    """One lot. Raises NotHere."""
    found = session.get(MilkLot, (dairy.id, lot_id))
    if not found:
        raise NotHere("no such milk")
    return found


def lots_by_id(
    session: Session, dairy: Dairy, ids: Sequence[uuid.UUID]
) -> dict[uuid.UUID, MilkLot]:
    """Several lots at once; those not there are left out."""
    query = select(MilkLot).where(MilkLot.dairy_id == dairy.id, MilkLot.id.in_(ids))
    return {each.id: each for each in session.scalars(query)}
