"""Pasteurising in a vat: begun, read, looked at live, and closed with no more than it shows."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.bench.vat import check_room
from openpail.craft.dates import check_undo
from openpail.craft.errors import NotPossible, RecordError
from openpail.craft.make import pasteurise
from openpail.craft.make.pasteurise import (
    COOLED_WITHIN_MIN,
    HOLD_MIN,
    LONGEST_GAP_MIN,
    Degrees,
    HeatReading,
    Hold,
    hold,
)
from openpail.craft.milk.fitness import Reason
from openpail.craft.milk.kinds import RAW_CLASS, Treatment
from openpail.craft.units import to_celsius
from openpail.records.dairy import checks
from openpail.records.dairy.models import Vat
from openpail.records.log.models import DeedRow
from openpail.records.milk import actions as milk
from openpail.records.milk import heatings, keeping, slips
from openpail.records.milk.models import Heating, MilkLot
from openpail.work.here import Here

_THERMISED_C = 57.0
_COOL_C, _BATH_C = 32.0, 8.0
_SOON = timedelta(minutes=LONGEST_GAP_MIN - 1)


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatingAt:
    """A pasteurising as its page shows it.

    hold: what the record shows so far; read: its readings as they were told; look_by, when the next
    is due at the latest; cooling: minutes since the hold was met, and how many more until it is
    cool, None unknown.
    """

    row: Heating
    vat: Vat
    lots: list[MilkLot]
    hold: Hold
    read: list[DeedRow]
    litres: float
    look_by: datetime | None
    cooling_min: float | None
    cool_in_min: float | None

    @property
    def last(self) -> DeedRow | None:
        """The last reading of the milk."""
        told = [each for each in self.read if not each.payload.get("of_air")]
        return told[-1] if told else None

    @property
    def held_min(self) -> float:
        """Minutes held so far: of the run under way, or the longest once it is met."""
        return self.hold.longest_min if self.hold.meets else self.hold.running_min

    @property
    def wanted_min(self) -> float:
        """Minutes that it is to be held."""
        return HOLD_MIN

    @property
    def is_under(self) -> bool:
        """Whether the milk was last read under what is wanted."""
        return self.last is not None and float(self.last.payload["value"]) < self.hold.wanted

    @property
    def cool_c(self) -> float:
        """To how many °C it is cooled within the hour."""
        return _COOL_C

    @property
    def too_slow(self) -> bool:
        """Whether it cools longer than is aimed at."""
        return self.cooling_min is not None and self.cooling_min > COOLED_WITHIN_MIN


def may_be_heated(here: Here, lot: MilkLot) -> bool:
    """Whether a lot can be pasteurised: raw, not frozen, not poured, some of it left."""
    raw = lot.treatment in RAW_CLASS and lot.kind in ("milk", "cream")
    return raw and not keeping.in_freezer(lot) and lot.left_kg > 0.01 and not here.poured_l(lot)


def outlives_heat(here: Here, lot: MilkLot) -> tuple[Reason, ...]:
    """Why a lot is no milk for cheese though it be pasteurised: germs die, toxins stay."""
    reasons = slips.fitness_of(lot, here.known).reasons
    return tuple(e for e in reasons if e.verdict == "not for cheese" and not e.heat_ends)


def begin(here: Here, lot_ids: Sequence[uuid.UUID], vat_id: uuid.UUID, unit: Degrees) -> Heating:
    """Lots go whole into a vat, to be pasteurised there.

    Raises: NotHere; RecordError for a vat in use; craft's NotPossible for milk that is not raw,
    that no heat makes fit, or more than goes in.
    """
    lots = [milk.lot(here.session, here.dairy, each) for each in dict.fromkeys(lot_ids)]
    if not lots:
        raise RecordError("Tick the milk that goes in.", "lots")
    for lot in lots:
        milk.check_not_heating(here.session, lot)
        if not may_be_heated(here, lot):
            raise NotPossible(f"{lot.name} cannot be pasteurised: it is not raw, or not here.")
        for reason in outlives_heat(here, lot):
            raise NotPossible(f"{lot.name}: heat does not mend it. {reason.words}", "lots")
    vat = here.vat(vat_id)
    if vat not in here.free_vats:
        raise RecordError(f"{vat.name} is in use for a make under way.", "vat")
    litres = sum(slips.left_l(lot) for lot in lots)
    check_room(litres, vat.brim_l, vat.name, here.house)
    kg = sum(lot.left_kg for lot in lots)
    made_of = [
        (lot, slips.composition_of(lot, here.house, here.known.herd_of(lot))) for lot in lots
    ]
    row = Heating(
        dairy_id=here.dairy.id,
        id=uuid.uuid4(),
        vat_id=vat.id,
        unit=unit,
        fat_pct=sum(lot.left_kg * each.fat.value for lot, each in made_of) / kg,
        solids_pct=sum(lot.left_kg * each.total_solids.value for lot, each in made_of) / kg,
        solids_measured=all(each.total_solids.known == "measured" for _, each in made_of),
        thermometer_checked=checks.thermometer_true(here.session, here.dairy, here.now),
        started_at=here.now,
        person_id=here.person_id,
    )
    return heatings.begin(here.session, here.dairy, vat, lots, row)


def at(here: Here, heating_id: uuid.UUID) -> HeatingAt:
    """A pasteurising as it stands. Raises NotHere."""
    row = heatings.one(here.session, here.dairy, heating_id)
    read = heatings.standing(here.session, row)
    now_min = None if row.ended_at else (here.now - row.started_at).total_seconds() / 60
    found = _hold(row, read, now_min)
    lots = heatings.lots_of(here.session, row)
    of_milk = [each for each in read if not each.payload.get("of_air")]
    look_by = of_milk[-1].at + _SOON if of_milk and not row.ended_at and not found.meets else None
    met = _met_at(row, of_milk, found)
    cooling = (here.now - met).total_seconds() / 60 if met and not row.ended_at else None
    cool_in = None
    if met:
        since = [
            (
                (each.at - met).total_seconds() / 60,
                to_celsius(float(each.payload["value"]), row.unit),
            )
            for each in of_milk
            if each.at >= met
        ]
        cool_in = pasteurise.still_to_cool(since, _COOL_C, _BATH_C)
    litres = sum(slips.left_l(lot) for lot in lots)
    return HeatingAt(
        row=row,
        vat=here.vat(row.vat_id),
        lots=lots,
        hold=found,
        read=read,
        litres=litres,
        look_by=look_by,
        cooling_min=cooling,
        cool_in_min=cool_in,
    )


def _hold(
    row: Heating,
    read: Sequence[DeedRow],
    now_min: float | None,
    stirred: bool = True,
    coldest: bool = True,
) -> Hold:
    told = [
        HeatReading(
            (each.at - row.started_at).total_seconds() / 60,
            float(each.payload["value"]),
            bool(each.payload.get("of_air")),
        )
        for each in read
    ]
    unit: Degrees = "F" if row.unit == "F" else "C"
    return hold(
        told,
        pasteurise.Milk(
            fat_pct=row.fat_pct,
            total_solids_pct=row.solids_pct,
            solids_measured=row.solids_measured,
        ),
        unit,
        is_checked=row.thermometer_checked,
        now_min=now_min,
        stirred=stirred,
        coldest=coldest,
        with_air=True,
    )


def _met_at(row: Heating, of_milk: Sequence[DeedRow], found: Hold) -> datetime | None:
    """When the hold was met: the first reading that closes 30 unbroken minutes."""
    if not found.meets:
        return None
    for number in range(len(of_milk)):
        if _hold(row, of_milk[: number + 1], None).meets:
            return of_milk[number].at
    return None


def read(
    here: Here, heating_id: uuid.UUID, deed_id: uuid.UUID, value: float, *, of_air: bool
) -> None:
    """The milk, or the air under the lid, was read, in the record's own unit.

    Raises: NotHere; RecordError for a record that is closed; craft's OutOfRange.
    """
    row = heatings.one(here.session, here.dairy, heating_id, to_change=True)
    _check_open(row)
    pasteurise.check_heat(value, "F" if row.unit == "F" else "C")
    payload: dict[str, object] = {"value": value, "of_air": of_air}
    heatings.tell(
        here.session,
        row,
        deed_id,
        deed=heatings.READ,
        payload=payload,
        now=here.now,
        person_id=here.person_id,
    )


def take_back(here: Here, heating_id: uuid.UUID, deed_id: uuid.UUID, target: uuid.UUID) -> None:
    """A reading was a slip of the finger: both stay in the record.

    Raises: NotHere; RecordError; craft's NotPossible after ten minutes.
    """
    row = heatings.one(here.session, here.dairy, heating_id, to_change=True)
    _check_open(row)
    found = next((e for e in heatings.standing(here.session, row) if e.id == target), None)
    if found is None:
        raise RecordError("This reading is not in the record, or was taken back.")
    check_undo(found.arrived, here.now)
    heatings.tell(
        here.session,
        row,
        deed_id,
        deed=heatings.UNDONE,
        payload={},
        now=here.now,
        person_id=here.person_id,
        amends=target,
    )


def close(here: Here, heating_id: uuid.UUID, *, stirred: bool, coldest: bool) -> Hold:
    """Close the record; the milk becomes what it shows, no more. Raises NotHere, RecordError."""
    row = heatings.one(here.session, here.dairy, heating_id, to_change=True)
    _check_open(row)
    found = _hold(row, heatings.standing(here.session, row), None, stirred, coldest)
    record = found.words if found.is_logged else ""
    heatings.close(here.session, row, here.now, _treatment(found), record)
    here.forget()
    return found


def _treatment(found: Hold) -> Treatment | None:
    """What the milk is now: heated strongly, pasteurised, warmed only, or as raw as it was."""
    if found.is_high_heat:
        return "high_heat"
    if found.meets:
        return "batch"
    return "thermised" if found.hottest_c >= _THERMISED_C else None


def _check_open(row: Heating) -> None:
    if row.ended_at is not None:
        raise RecordError("This record is closed: nothing is added to it.")
