"""What is done with milk: it comes in, is tested, goes into a vat; and how craft sees a lot."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from openpail.craft.blend import Pour
from openpail.craft.errors import NotPossible
from openpail.craft.figure import Figure
from openpail.craft.fitness import Fitness, Holding, Keeping, judge
from openpail.craft.house import House
from openpail.craft.milk import (
    Breed,
    Composition,
    MilkTest,
    ProteinKind,
    Treatment,
    check_test,
    composition,
    mass_of,
    species_of,
)
from openpail.craft.units import Amount
from openpail.records.dairy.actions import next_number
from openpail.records.dairy.models import Dairy
from openpail.records.errors import NotHere, RecordError
from openpail.records.milk.models import MilkLot, MilkTestRow


@dataclass(frozen=True, slots=True)
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


def take_in(
    session: Session,
    dairy: Dairy,
    milk: NewMilk,
    now: datetime,
    house: House,
    test: MilkTest | None = None,
    person_id: uuid.UUID | None = None,
) -> MilkLot:
    """Take milk in, with its test when there is one.

    Raises: craft's OutOfRange (amount, temperature, test); RecordError for milk from the future.
    """
    if milk.collected_at > now:
        raise RecordError("This milk has not been milked yet. Look at the time.", "collected_at")
    slip = test or MilkTest()
    made_of = composition(milk.breed, slip, house)
    volume_l, mass_kg = _volume_and_mass(milk, made_of)
    lot = MilkLot(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        number=next_number(session, dairy, "lot"),
        name=milk.name,
        breed=milk.breed,
        treatment=milk.treatment,
        homogenised=milk.homogenised,
        frozen=milk.frozen,
        bought=milk.bought,
        best_before=milk.best_before,
        typed=milk.amount.text,
        typed_unit=milk.amount.unit.key,
        celsius=milk.celsius,
        volume_l=volume_l,
        mass_kg=mass_kg,
        left_kg=mass_kg,
        collected_at=milk.collected_at,
        holding=milk.holding,
        off_smell=milk.off_smell,
        colostrum_or_sick=milk.colostrum_or_sick,
        withdrawal=milk.withdrawal,
        person_id=person_id,
        created_at=now,
        tests=[],
    )
    session.add(lot)
    session.flush()
    if test is not None:
        add_test(session, lot, test, now, house, person_id)
    return lot


def _volume_and_mass(milk: NewMilk, made_of: Composition) -> tuple[float, float]:
    if milk.amount.unit.dimension == "volume":
        return milk.amount.base, mass_of(milk.amount.base, milk.celsius, made_of).value
    per_litre = mass_of(1.0, milk.celsius, made_of).value
    if milk.amount.base <= 0:
        raise RecordError("Write how much milk there is, more than nothing.", "amount")
    return milk.amount.base / per_litre, milk.amount.base


def add_test(
    session: Session,
    lot: MilkLot,
    test: MilkTest,
    now: datetime,
    house: House,
    person_id: uuid.UUID | None = None,
) -> MilkTestRow:
    """Add a test slip to a lot; its weight follows the new composition.

    Raises: craft's OutOfRange for a slip no milk has.
    """
    check_test(test)
    row = MilkTestRow(
        dairy_id=lot.dairy_id,
        id=uuid.uuid4(),
        lot_id=lot.id,
        taken_at=now,
        fat_pct=test.fat_pct,
        protein_pct=test.protein_pct,
        protein_kind=test.protein_kind,
        casein_pct=test.casein_pct,
        ph=test.ph,
        ph_sample_c=test.ph_sample_c,
        cells_per_ml=test.cells_per_ml,
        residue_found=test.residue_found,
        person_id=person_id,
    )
    lot.tests.append(row)
    if lot.typed_unit not in ("kg", "g", "lb", "oz"):
        used = lot.mass_kg - lot.left_kg
        lot.mass_kg = mass_of(lot.volume_l, lot.celsius, composition_of(lot, house)).value
        lot.left_kg = max(0.0, lot.mass_kg - used)
    session.flush()
    return row


def slip_of(lot: MilkLot) -> MilkTest:
    """The lot's tests as one slip: the newest reading of each part; a residue found stays."""
    slip: dict[str, float | None] = {
        "fat_pct": None, "protein_pct": None, "casein_pct": None, "ph": None,
        "ph_sample_c": None, "cells_per_ml": None,
    }  # fmt: skip
    kind: ProteinKind = "unknown"
    for row in lot.tests:
        for part in ("fat_pct", "protein_pct", "casein_pct", "cells_per_ml"):
            if getattr(row, part) is not None:
                slip[part] = getattr(row, part)
        if row.protein_pct is not None:
            kind = row.protein_kind  # type: ignore[assignment]
        if row.ph is not None:
            slip["ph"], slip["ph_sample_c"] = row.ph, row.ph_sample_c
    residue = any(row.residue_found for row in lot.tests)
    return MilkTest(protein_kind=kind, residue_found=residue, **slip)


def composition_of(lot: MilkLot, house: House) -> Composition:
    """What the lot is made of, as craft works it out."""
    return composition(lot.breed, slip_of(lot), house)  # type: ignore[arg-type]


def hours_old(lot: MilkLot, now: datetime) -> float:
    """Hours since the milk was milked or bought."""
    return max(0.0, (now - lot.collected_at).total_seconds() / 3600)


def fitness_of(lot: MilkLot, now: datetime, house: House) -> Fitness:
    """What the lot is fit for now, and why."""
    kept = Keeping(
        lot.treatment,  # type: ignore[arg-type]
        hours_old(lot, now),
        lot.holding,  # type: ignore[arg-type]
        lot.off_smell,
        lot.colostrum_or_sick,
        lot.withdrawal,
    )
    return judge(kept, slip_of(lot), species_of(lot.breed), house)  # type: ignore[arg-type]


def pour_of(lot: MilkLot, now: datetime, house: House) -> Pour:
    """All that is left of the lot, as it goes into the vat."""
    made_of = composition_of(lot, house)
    volume = lot.volume_l * lot.left_kg / lot.mass_kg
    if lot.typed_unit in ("kg", "g", "lb", "oz"):
        mass = Figure.start("milk, weighed", lot.left_kg, "kg", "measured")
    else:
        mass = mass_of(volume, lot.celsius, made_of)
    cold = hours_old(lot, now) if lot.holding == "cold" else 0.0
    return Pour(
        lot.name,
        lot.breed,  # type: ignore[arg-type]
        lot.treatment,  # type: ignore[arg-type]
        mass,
        made_of,
        lot.homogenised,
        lot.frozen,
        cold,
    )


def left_l(lot: MilkLot) -> float:
    """What is left of the lot, L."""
    return lot.volume_l * lot.left_kg / lot.mass_kg


def use_up(session: Session, lot: MilkLot, mass_kg: float) -> None:
    """Take milk out of a lot. Raises craft's NotPossible when there is not so much."""
    if mass_kg > lot.left_kg + 1e-6:
        raise NotPossible(f"{lot.name}: {lot.left_kg:.1f} kg is left, not {mass_kg:.1f}.")
    lot.left_kg = max(0.0, lot.left_kg - mass_kg)
    session.flush()


def waiting(session: Session, dairy: Dairy) -> list[MilkLot]:
    """Milk not used yet, the newest first."""
    query = (
        select(MilkLot)
        .where(MilkLot.dairy_id == dairy.id, MilkLot.left_kg > 0.01)
        .order_by(MilkLot.collected_at.desc(), MilkLot.number.desc())
    )
    return list(session.scalars(query))


def lot(session: Session, dairy: Dairy, lot_id: uuid.UUID) -> MilkLot:
    """One lot. Raises NotHere."""
    found = session.get(MilkLot, (dairy.id, lot_id))
    if not found:
        raise NotHere("no such milk")
    return found


def pour_away(session: Session, lot: MilkLot) -> None:
    """The rest of the lot is fed, given or thrown away."""
    lot.left_kg = 0.0
    session.flush()
