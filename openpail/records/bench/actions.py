"""What is done at the Bench: milk is planned into a vat, poured, compared, and goes on."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cache

from sqlalchemy import Select, Uuid, bindparam, select
from sqlalchemy.orm import Session, joinedload

from openpail.craft.errors import NotHere, NotPossible, RecordError
from openpail.craft.milk.blend import Pour
from openpail.craft.milk.fitness import is_plain
from openpail.craft.milk.kinds import RAW_CLASS, Breed, species_of
from openpail.records.base import Json
from openpail.records.bench.models import Bench, BenchPour, KeptMix, MixPart
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.milk import actions as milk
from openpail.records.milk.actions import Draw
from openpail.records.milk.keeping import in_freezer
from openpail.records.milk.models import MilkLot
from openpail.records.milk.slips import (
    Known,
    cream_pour,
    fitness_of,
    kg_of,
    left_l,
    parts_of_milk,
    pour_of,
)

_OPEN = ("planned", "poured")
NO_LOTS: Mapping[uuid.UUID, MilkLot] = {}
_NEAR_L, _NEARLY_L = 1e-6, 0.005


def bench_of(session: Session, dairy: Dairy, vat: Vat, now: datetime) -> Bench:
    """The open bench of a vat, begun when there is none."""
    session.refresh(vat, with_for_update=True)  # two hands at one vat: one bench
    found = peek(session, dairy, vat)
    if found:
        return found
    bench = Bench(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        vat_id=vat.id,
        state="planned",
        all_pours=[],
        targets={},
        recipe_key="",
        accepted="",
        created_at=now,
    )
    session.add(bench)
    session.flush()
    return bench


def peek(session: Session, dairy: Dairy, vat: Vat) -> Bench | None:
    """The open bench of a vat, None when nothing stands there."""
    query = select(Bench).where(
        Bench.dairy_id == dairy.id, Bench.vat_id == vat.id, Bench.state.in_(_OPEN)
    )
    return session.scalar(query)


def open_benches(session: Session, dairy: Dairy) -> list[Bench]:
    """Benches with milk on them, the newest first."""
    return list(session.scalars(_open_benches(), {"dairy_id": dairy.id}).unique())


@cache  # putting a question together takes longer than asking it
def _open_benches() -> Select[Bench]:
    return (
        select(Bench)
        .where(Bench.dairy_id == bindparam("dairy_id", type_=Uuid()), Bench.state.in_(_OPEN))
        .order_by(Bench.created_at.desc())
        .options(joinedload(Bench.all_pours))
    )


def bench(session: Session, dairy: Dairy, bench_id: uuid.UUID) -> Bench:
    """One bench. Raises NotHere."""
    found = session.get(Bench, (dairy.id, bench_id))
    if not found:
        raise NotHere("no such bench")
    return found


def choose_recipe(session: Session, bench: Bench, key: str) -> None:
    """The recipe this vat is for; "" for none yet."""
    bench.recipe_key = key
    bench.accepted = ""
    session.flush()


def set_pour(session: Session, bench: Bench, lot: MilkLot, litres: float, typed: str = "") -> None:
    """Plan so many litres of a lot into the vat; 0 takes it out again.

    Raises: RecordError once poured, craft's NotPossible for more than there is.
    """
    _still_planned(bench)
    _check_lot(lot, litres)
    _put(bench, lot.id, litres, typed)
    session.flush()


def set_cream_off(
    session: Session, bench: Bench, lot: MilkLot, litres: float, cream_pct: float
) -> None:
    """Plan so many litres of cream off a lot in this vat (0 or more); 0 leaves it on.

    Raises: RecordError once poured, craft's NotPossible when the lot is not in the vat.
    """
    _still_planned(bench)
    if litres > 0 and not any(_is(part, lot.id, cream=False) for part in bench.pours):
        raise NotPossible(f"{lot.name} is not in this vat: its cream cannot be taken off here.")
    _put(bench, lot.id, -litres, cream_pct=cream_pct)
    session.flush()


def _put(
    bench: Bench, lot_id: uuid.UUID, litres: float, typed: str = "", cream_pct: float | None = None
) -> None:
    cream = cream_pct is not None
    found = next((each for each in bench.pours if _is(each, lot_id, cream=cream)), None)
    if abs(litres) > _NEAR_L:
        if found is None:
            found = _pour(bench, lot_id, litres)
            bench.all_pours.append(found)
        found.litres, found.typed, found.cream_pct = litres, typed, cream_pct
        return
    for each in bench.pours:  # without its milk there is no cream to take
        if each is found or (not cream and each.lot_id == lot_id):
            bench.all_pours.remove(each)


def _pour(bench: Bench, lot_id: uuid.UUID, litres: float) -> BenchPour:
    last = max((each.position for each in bench.all_pours), default=0)
    return BenchPour(
        dairy_id=bench.dairy_id,
        id=uuid.uuid4(),
        bench_id=bench.id,
        lot_id=lot_id,
        position=last + 1,
        litres=litres,
        typed="",
        meant=False,
    )


def _is(part: BenchPour, lot_id: uuid.UUID, *, cream: bool) -> bool:
    return part.lot_id == lot_id and part.is_cream == cream


def planned_l(bench: Bench, lot: MilkLot) -> float:
    """Litres of a lot that stand in this vat, without its cream taken off."""
    mine = (part.litres for part in bench.pours if _is(part, lot.id, cream=False))
    return float(sum(mine))


def _still_planned(bench: Bench) -> None:
    if bench.state != "planned":
        raise RecordError("This vat is poured already. Take it back to the plan first.")


def _check_lot(lot: MilkLot, litres: float, elsewhere_l: float = 0.0) -> None:
    if litres < 0:
        raise NotPossible(f"{lot.name}: write how much goes in, 0 or more.")
    if litres > 0 and in_freezer(lot):
        raise NotPossible(f"{lot.name} is in the freezer: thaw it in the fridge first.")
    if litres > left_l(lot) + 0.005:
        raise NotPossible(f"{lot.name}: {left_l(lot):.1f} L is left, not {litres:.1f}.")
    if elsewhere_l and litres > left_l(lot) - elsewhere_l + 0.005:
        free = max(0.0, left_l(lot) - elsewhere_l)
        raise NotPossible(
            f"{lot.name}: {elsewhere_l:.1f} L of it stands poured in another vat; {free:.1f} L is "
            f"free, not {litres:.1f}."
        )


def plan_all(
    session: Session,
    bench: Bench,
    lots: Mapping[uuid.UUID, MilkLot],
    litres: Mapping[uuid.UUID, float],
) -> None:
    """Plan several lots at once (a suggestion, a saved mix); the others leave the vat.

    Raises: as `set_pour`; nothing is changed then.
    """
    _still_planned(bench)
    for lot_id, amount in litres.items():
        _check_lot(lots[lot_id], amount)
    for each in bench.pours:
        bench.all_pours.remove(each)
    session.flush()
    for lot_id, amount in litres.items():
        if amount > _NEAR_L:
            bench.all_pours.append(_pour(bench, lot_id, min(amount, left_l(lots[lot_id]))))
    session.flush()


def pour_really(
    session: Session,
    bench: Bench,
    real: Mapping[uuid.UUID, float],
    lots: Mapping[uuid.UUID, MilkLot],
    now: datetime,
) -> None:
    """Note what really went in, litres by the id of the part that was planned.

    Raises: RecordError with nothing planned, craft's NotPossible for more than there is to be had.
    """
    _still_planned(bench)
    if not bench.pours:
        raise RecordError("Nothing is planned into this vat yet.")
    milk.lock(session, bench.dairy_id, list(lots))
    poured = milk.poured_l(session, bench.dairy_id, bench)
    for part in bench.pours:
        if not part.is_cream:
            _check_lot(lots[part.lot_id], real[part.id], poured.get(part.lot_id, 0.0))
    if not any(real[part.id] > _NEAR_L for part in bench.pours if not part.is_cream):
        raise RecordError("Write what really went in.")
    for part in bench.pours:
        kept = _pour(bench, part.lot_id, part.litres)
        kept.typed, kept.cream_pct, kept.meant = part.typed, part.cream_pct, True
        bench.all_pours.append(kept)
        if real[part.id] > _NEAR_L:
            part.litres = -real[part.id] if part.is_cream else real[part.id]
        else:
            bench.all_pours.remove(part)
    bench.state, bench.poured_at, bench.accepted = "poured", now, ""
    session.flush()


def back_to_plan(session: Session, bench: Bench) -> None:
    """What was noted as poured was not so, or is mended: the real amounts are the plan now."""
    bench.state, bench.poured_at, bench.accepted = "planned", None, ""
    for each in bench.planned:
        bench.all_pours.remove(each)
    session.flush()


def accept(session: Session, bench: Bench, why: str) -> None:
    """A ratio that is off is let stand, with why. Raises RecordError without a word."""
    if not why.strip():
        raise RecordError("Write why it may stand as it is.", "why")
    bench.accepted = why.strip()
    session.flush()


def clear(session: Session, bench: Bench) -> None:
    """Nothing of this bench goes on; the milk was never taken from its lots."""
    bench.state = "cleared"
    session.flush()


def set_targets(session: Session, bench: Bench, targets: Json) -> None:
    """Keep the targets as typed."""
    bench.targets = targets
    session.flush()


@dataclass(frozen=True, slots=True)
class OnBench:
    """What stands on a bench: its lots, pours as craft sees them, and draws for a make."""

    lots: dict[uuid.UUID, MilkLot]
    pours: tuple[Pour, ...]
    draws: tuple[Draw, ...]


def standing(
    session: Session,
    dairy: Dairy,
    parts: Sequence[BenchPour],
    known: Known,
    there: Mapping[uuid.UUID, MilkLot] = NO_LOTS,
) -> OnBench:
    """Read a bench's parts as pours and draws; a lot used up elsewhere in between is refused.

    Parameters: there, lots that were read already.

    Raises: craft's OutOfRange for cream no richer than its milk.
    """
    lots = dict(there)
    missing = [part.lot_id for part in parts if part.lot_id not in lots]
    if missing:
        lots |= milk.lots_by_id(session, dairy, missing)
    lots = {part.lot_id: lots[part.lot_id] for part in parts}
    pours, draws = [], []
    for part in parts:
        lot = lots[part.lot_id]
        if not part.is_cream:
            off = next((each for each in parts if _is(each, lot.id, cream=True)), None)
            cream_l = -off.litres if off else 0.0
            pours.append(pour_of(lot, known, part.litres))
            cream = cream_pour(lot, known, cream_l, off.cream_pct or 0.0) if off else None
            if cream:
                pours.append(cream)
            draws.append(
                Draw(
                    lot=lot,
                    litres=part.litres,
                    mass_kg=kg_of(lot, part.litres),
                    cream_l=cream_l,
                    cream_kg=-cream.mass.value if cream else 0.0,
                    cream_of=parts_of_milk(cream.milk) if cream else {},
                )
            )
    return OnBench(lots, tuple(pours), tuple(draws))


def save_mix(session: Session, dairy: Dairy, name: str, bench: Bench, now: datetime) -> KeptMix:
    """Keep this blend by name; a mix of that name is replaced. Raises RecordError."""
    name = name.strip()
    if not name:
        raise RecordError("Give the mix a name, like our Tuesday mix.", "name")
    milks = [part for part in bench.pours if not part.is_cream]
    lots = milk.lots_by_id(session, dairy, [part.lot_id for part in milks])
    parts: dict[Breed, float] = {}
    for part in milks:
        breed = lots[part.lot_id].breed
        parts[breed] = parts.get(breed, 0.0) + part.litres
    if not parts:
        raise RecordError("Pour something in first.", "name")
    query = select(KeptMix).where(KeptMix.dairy_id == dairy.id, KeptMix.name == name)
    mix = session.scalar(query) or KeptMix(dairy_id=dairy.id, id=uuid.uuid4(), name=name, parts=[])
    mix.recipe_key, mix.created_at = bench.recipe_key, now
    session.add(mix)
    mix.parts.clear()
    session.flush()
    mix.parts.extend(
        MixPart(dairy_id=dairy.id, id=uuid.uuid4(), mix_id=mix.id, breed=breed, litres=litres)
        for breed, litres in parts.items()
    )
    session.flush()
    return mix


def mixes(session: Session, dairy: Dairy) -> list[KeptMix]:
    """The saved mixes, by name."""
    return list(
        session.scalars(select(KeptMix).where(KeptMix.dairy_id == dairy.id).order_by(KeptMix.name))
    )


def take_mix(session: Session, dairy: Dairy, bench: Bench, mix_id: uuid.UUID, known: Known) -> None:
    """Plan a saved mix from the lots on the shelf, the oldest of each animal first.

    Raises: NotHere; craft's NotPossible when an animal's milk does not suffice.
    """
    mix = session.get(KeptMix, (dairy.id, mix_id))
    if not mix:
        raise NotHere("no such mix")
    every = _pourable(session, dairy, known)
    of_class = [shelf for raw in (True, False) if (shelf := [e for e in every if is_raw(e) is raw])]
    of_class.sort(key=lambda shelf: shelf[0].collected_at)
    wanted = next((found for shelf in (*of_class, every) if (found := _of_mix(mix, shelf))), None)
    if wanted is None:
        part, there = _lacking(mix, every)
        raise NotPossible(
            f"“{mix.name}” wants {part.litres:.1f} L of {part.breed.replace('_', ' ')} milk, and "
            f"{there:.1f} L is on the shelf."
        )
    bench.recipe_key = mix.recipe_key or bench.recipe_key
    plan_all(session, bench, {lot.id: lot for lot in every}, wanted)


def is_raw(lot: MilkLot) -> bool:
    """Whether a lot is of the raw class: a drop of it makes all of a vat raw."""
    return lot.treatment in RAW_CLASS


def _of_mix(mix: KeptMix, shelf: Sequence[MilkLot]) -> dict[uuid.UUID, float] | None:
    """How much of each lot a saved mix takes, None where the shelf does not hold so much."""
    wanted: dict[uuid.UUID, float] = {}
    for part in mix.parts:
        missing = part.litres
        for lot in (each for each in shelf if each.breed == part.breed):
            taken = min(missing, left_l(lot))
            missing -= taken
            if taken > _NEAR_L:
                wanted[lot.id] = taken
        if missing > _NEARLY_L:
            return None
    return wanted


def _lacking(mix: KeptMix, shelf: Sequence[MilkLot]) -> tuple[MixPart, float]:
    """The first part of a mix of which a shelf has too little, and how much it has."""
    for part in mix.parts:
        there = sum(left_l(lot) for lot in shelf if lot.breed == part.breed)
        if there < part.litres - _NEARLY_L:
            return part, there
    return mix.parts[0], 0.0


def _pourable(session: Session, dairy: Dairy, known: Known) -> list[MilkLot]:
    """Whole milk on the shelf that may go to other milk unasked, the oldest first."""
    return [
        lot
        for lot in milk.waiting(session, dairy)[::-1]
        if lot.kind == "milk" and not in_freezer(lot) and is_plain(fitness_of(lot, known))
    ]


def mend(
    session: Session, dairy: Dairy, bench: Bench, *, species: str, litres: float, known: Known
) -> None:
    """Pour so many litres more of an animal (the oldest spare first), or hold some back (under 0).

    Raises: RecordError once poured, craft's NotPossible when the shelf does not hold so much.
    """
    _still_planned(bench)
    there = {part.lot_id: part.litres for part in bench.pours if not part.is_cream}
    stand = {is_raw(lot) for lot in milk.lots_by_id(session, dairy, list(there)).values()}
    shelf = [
        lot
        for lot in _pourable(session, dairy, known)
        if species_of(lot.breed) == species and not (is_raw(lot) and stand == {False})
    ]
    missing = abs(litres)
    for lot in shelf if litres > 0 else shelf[::-1]:
        here = there.get(lot.id, 0.0)
        moved = min(missing, left_l(lot) - here if litres > 0 else here)
        if moved > _NEAR_L:
            there[lot.id] = here + (moved if litres > 0 else -moved)
            missing -= moved
    if missing > 0.005:
        raise NotPossible(f"There is {missing:.1f} L too little {species} milk for that.")
    lots = milk.lots_by_id(session, dairy, list(there))
    creams = [(part.lot_id, part.litres, part.cream_pct) for part in bench.pours if part.is_cream]
    plan_all(session, bench, lots, there)
    for lot_id, cream_l, cream_pct in creams:
        if there.get(lot_id, 0.0) > 0:
            _put(bench, lot_id, cream_l, cream_pct=cream_pct)
    session.flush()
