"""The milk: the shelf, what is known of a lot, what comes in, what becomes of it."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from openpail.craft.milk.blend import Pour
from openpail.craft.milk.fitness import Fitness
from openpail.craft.milk.kinds import Breed, Composition, MilkTest, species_of
from openpail.craft.milk.meaning import Meaning, meanings
from openpail.craft.units import Amount
from openpail.instruments.analyser import reader
from openpail.instruments.analyser.reader import Measured
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk import cream, keeping, slips
from openpail.records.milk.actions import NewMilk
from openpail.records.milk.models import USES, Herd, MilkLot
from openpail.work.here import Here

# Rows that a screen has in its hands and tells of by name.
__all__ = ["USES", "Herd", "MilkLot", "NewMilk"]

_NOTHING_KG, _ALL_BUT_KG = 0.01, 1e-6


class Pail(NamedTuple):
    """A lot of milk on the shelf, what it is fit for now, and hours since it was milked."""

    lot: MilkLot
    fitness: Fitness
    age_h: float


def pail(here: Here, lot: MilkLot) -> Pail:
    """A lot as it is now."""
    return Pail(lot, slips.fitness_of(lot, here.known), keeping.hours_old(lot, here.now))


def pails(here: Here, lots: Iterable[MilkLot]) -> list[Pail]:
    """Lots as they are now."""
    return [pail(here, lot) for lot in lots]


def pour(here: Here, lot: MilkLot) -> Pour:
    """A lot, all that is left of it, as it would go into a vat."""
    return slips.pour_of(lot, here.known)


def left_l(lot: MilkLot) -> float:
    """What is left of a lot, L."""
    return slips.left_l(lot)


def in_freezer(lot: MilkLot) -> bool:
    """Whether a lot is frozen, and not thawed yet."""
    return keeping.in_freezer(lot)


@dataclass(frozen=True, slots=True, kw_only=True)
class Went:
    """Where some of a lot went: kg, when, in words, the make or the cream that it became."""

    kg: float
    at: datetime
    words: str
    make: Make | None = None
    cream: MilkLot | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class OneLot:
    """All that is shown of a lot.

    pour: as it would go into a vat, None where nothing is there to pour; untouched: whether what
    was noted of it may still be mended; went, what became of it; part_of, the lot that it was
    taken off; poured, what of it stands at the Bench: the vat's name, L; gone_at, when the last of
    it went, None while some is left: from then on it grows no older; meanings, what the counts of
    its slips mean.
    """

    pail: Pail
    made_of: Composition
    pour: Pour | None
    untouched: bool
    went: tuple[Went, ...]
    part_of: MilkLot | None
    poured: tuple[tuple[str, float], ...]
    gone_at: datetime | None
    meanings: tuple[Meaning, ...]


def one(here: Here, lot_id: uuid.UUID) -> OneLot:
    """One lot: its slips, its age, what it is fit for, what became of it. Raises NotHere."""
    lot = find(here, lot_id)
    left = lot.left_kg > _NOTHING_KG
    there = left and not keeping.in_freezer(lot)
    untouched = not lot.uses and lot.left_kg >= lot.mass_kg - _ALL_BUT_KG and lot.kind != "whey"
    went = tuple(_went(here, lot))
    gone_at = None if left else max((each.at for each in went), default=None)
    fitness = slips.fitness_of(lot, here.known_at(gone_at) if gone_at else here.known)
    made_of = slips.composition_of(lot, here.house, here.known.herd_of(lot))
    return OneLot(
        pail=Pail(lot, fitness, keeping.hours_old(lot, here.now)),
        made_of=made_of,
        pour=pour(here, lot) if there else None,
        untouched=untouched,
        went=went,
        part_of=milk.part_of(here.session, lot) if lot.kind == "cream" else None,
        poured=tuple(
            (here.vat(bench.vat_id).name, litres) for bench, litres in here.poured.get(lot.id, ())
        ),
        gone_at=gone_at,
        meanings=meanings(
            slips.slip_of(lot), species_of(lot.breed), made_of.added_water, here.house
        )
        if lot.kind == "milk"
        else (),
    )


def _went(here: Here, lot: MilkLot) -> Iterable[Went]:
    for part, make in makes.of_lot(here.session, lot):
        words = f"make {make.number}, {make.name}"
        yield Went(kg=part.mass_kg, at=make.started_at, words=words, make=make)
    creams = {part.created_at: part for part in milk.parts_of(here.session, lot)}
    for use in lot.uses:
        words = USES[use.kind] + (f", {use.note}" if use.note else "")
        cream = creams.get(use.at) if use.kind == "skimmed" else None
        yield Went(kg=use.mass_kg, at=use.at, words=words, cream=cream)


def find(here: Here, lot_id: uuid.UUID) -> MilkLot:
    """A lot of this dairy. Raises NotHere."""
    return milk.lot(here.session, here.dairy, lot_id)


def last_herd(here: Here) -> uuid.UUID | None:
    """The herd whose milk came in last, None when none has."""
    return milk.last_herd(here.session, here.dairy)


# ── what is told ──


def _who(here: Here) -> uuid.UUID:
    if here.person_id is None:
        raise LookupError("Somebody tells of milk, and nobody is here.")
    return here.person_id


def take_in(here: Here, new: NewMilk, slip: MilkTest | None, *, source: str) -> MilkLot:
    """Milk comes in, with its slip where there is one. Raises PailError by field.

    Parameters: source, how the slip came: by hand, or off the analyser.
    """
    return milk.take_in(
        here.session,
        here.dairy,
        new,
        now=here.now,
        house=here.house,
        test=slip,
        person_id=_who(here),
        source=source,
    )


def add_slip(here: Here, lot: MilkLot, slip: MilkTest, *, source: str) -> None:
    """A slip comes later. Raises CraftError by part."""
    slips.add_test(
        here.session,
        lot,
        slip,
        now=here.now,
        house=here.house,
        person_id=_who(here),
        source=source,
    )


def off_the_analyser(here: Here, lot: MilkLot) -> Measured:
    """What the cup in the analyser says, not kept. Raises NoReading with words."""
    return reader.read(here.dairy.analyser, f"lot-{lot.number}")


def mend(
    here: Here,
    lot: MilkLot,
    *,
    amount: Amount | None,
    collected_at: datetime | None,
    breed: Breed | None,
    herd: Herd | None,
) -> None:
    """What was noted of a lot was otherwise. Raises PailError."""
    milk.mend(
        here.session,
        here.dairy,
        lot,
        amount=amount,
        collected_at=collected_at,
        breed=breed,
        herd=herd,
        now=here.now,
        house=here.house,
    )


def send_away(here: Here, lot: MilkLot, kind: str, litres: float | None, note: str) -> bool:
    """Some of a lot, or the rest (None), is fed, given or thrown away; whether all of it is gone.

    Raises: PailError.
    """
    milk.send_elsewhere(
        here.session,
        lot,
        kind,
        litres=litres,
        now=here.now,
        note=note,
        person_id=_who(here),
    )
    return lot.left_kg < _NOTHING_KG


def may_skim(lot: MilkLot) -> bool:
    """Whether cream can be taken off a lot by hand."""
    creams = lot.kind == "milk" and not lot.homogenised and lot.skimmed_at is None
    return creams and lot.left_kg > _NOTHING_KG and not keeping.in_freezer(lot)


def skim_says(lot: MilkLot) -> str:
    """What is said of skimming this milk by hand, "" for cow's."""
    if species_of(lot.breed) == "cow":
        return ""
    return "Goat’s, ewe’s and buffalo’s milk hardly creams by itself: test it after."


def skim(here: Here, lot: MilkLot, cream_l: float) -> MilkLot:
    """Cream is taken off a lot by hand: the lot of the cream. Raises PailError by field."""
    taken = cream.skim(here.session, here.dairy, lot, cream_l, now=here.now, known=here.known)
    here.forget()
    return taken


def thaw(here: Here, lot: MilkLot) -> None:
    """A lot leaves the freezer."""
    milk.thaw(here.session, here.dairy, lot, here.now)


def freeze_again(here: Here, lot: MilkLot) -> None:
    """It did not leave the freezer after all."""
    milk.freeze_again(here.session, here.dairy, lot, here.now)
