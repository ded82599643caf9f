"""Warmth, water and acid at the vat: how a warming goes, how much water, when the acid comes."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from statistics import median
from typing import TYPE_CHECKING

from openpail.craft.errors import CraftError
from openpail.craft.house import House
from openpail.craft.make.day import StepState
from openpail.craft.make.deeds import HeatOff, WaterAdded
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.ramp import Coach, WarmingNow, coach, half_band
from openpail.craft.make.standing import Reading, Standing, thinned, whey_off_l
from openpail.craft.make.warm_clock import WarmClock, wants_it, warm_clock
from openpail.craft.make.wash import Wash, wash
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.yields import WHEY_KG_PER_L
from openpail.records.dairy.models import Vat
from openpail.records.log import samples
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.keeping import hours_old
from openpail.work.here import Here
from openpail.work.make.made import milk_into

if TYPE_CHECKING:
    from openpail.work.vat.at_vat import AtVat

_TEACH_UNTIL, _TEACH_AFTER = 3, timedelta(minutes=3)


@dataclass(frozen=True, slots=True, kw_only=True)
class Warmth:
    """How a warming runs: °C it begins at, what was read since (minutes from its beginning), what
    is said of it; whether the heat is off, and whether a reading now would teach of the vat;
    half_band, how far a reading may lie off the ramp."""

    start_c: float
    read: tuple[tuple[float, float], ...]
    coach: Coach
    heat_is_off: bool
    would_teach: bool
    half_band: float


def overshoot(here: Here, vat: Vat, house: House) -> tuple[float, int]:
    """What a vat goes on by after the heat is off, °C; and of how many heat-offs it is known."""
    seen = makes.overshoots(here.session, here.dairy, vat.id)
    if seen:
        return median(seen), len(seen)
    key = "heat.overshoot_bath" if vat.heater == "immersed" else "heat.overshoot_stove"
    return house.number(key), 0


def _poured_c(here: Here, make: Make) -> float:
    """How warm the milk of a make went in, °C, as its lots say."""
    parts = milk_into(here, make)
    lots = [milk.lot(here.session, here.dairy, part.lot_id) for part in parts]
    warm = sum(
        slips.celsius_of(lot, here.house) * part.volume_l
        for lot, part in zip(lots, parts, strict=True)
    )
    return warm / sum(part.volume_l for part in parts)


def warmth(
    here: Here, make: Make, house: House, standing: Standing, step: StepState | None
) -> Warmth | None:
    """What was read while a step warms, by hand and by probe, few enough to draw; and the coach."""
    what = step.planned.step if step else None
    if step is None or what is None or what.kind not in ("warm", "heat") or not what.celsius:
        return None
    readings = [each for each in standing.readings if each.celsius is not None]
    found = [each for each in readings if each.at >= step.begins]
    found += [
        Reading(id="", at=each.at, celsius=each.celsius, ph=each.ph)
        for each in samples.drawn(here.session, make, step.begins)
    ]
    read = tuple(
        ((each.at - step.begins).total_seconds() / 60, each.celsius or 0.0)
        for each in thinned(sorted(found, key=lambda each: each.at))
    )
    before = [each.celsius for each in readings if each.celsius is not None]
    start = before[-1] if before else min(what.celsius.target, _poured_c(here, make))
    if before and len(before) > len(found):
        start = before[-len(found) - 1] if len(found) < len(before) else start
    start = read[0][1] if read and read[0][0] < 1 else start
    off = [tap.at for tap, _ in standing.of(HeatOff) if tap.at >= step.begins]
    vat = here.vat(make.vat_id)
    over, known = overshoot(here, vat, house)
    now_min = (here.now - step.begins).total_seconds() / 60
    said = coach(
        WarmingNow(
            start_c=start,
            target_c=what.celsius.target,
            minutes=step.planned.minutes,
            now_min=now_min,
            read=read,
            heat_off_min=(off[-1] - step.begins).total_seconds() / 60 if off else None,
            overshoot_c=over,
            curd=what.kind == "heat",
        ),
        house,
    )
    teach = bool(off) and known < _TEACH_UNTIL and here.now >= off[-1] + _TEACH_AFTER
    teach = teach and not any(each.at >= off[-1] + timedelta(minutes=2) for each in found)
    band = half_band(what.celsius.target - start, house)
    return Warmth(
        start_c=start,
        read=read,
        coach=said,
        heat_is_off=bool(off),
        would_teach=teach,
        half_band=band,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class WashNow:
    """A wash: from what it was last read to its target, with water so hot; how much, or why not."""

    from_c: float
    to_c: float
    water_c: float
    wash: Wash | None
    words: str = ""


def wash_now(at: AtVat, water_c: float | None) -> WashNow | None:
    """The water of the wash at hand, by what stands in the vat; None at other steps."""
    step = at.step
    what = step.planned.step if step else None
    if what is None or what.kind != "add water" or what.celsius is None:
        return None
    house = at.sheet.house
    read = [each.celsius for each in at.standing.readings if each.celsius is not None]
    steps = [each.planned.step for each in at.day.steps if each.done_at]
    planned = [each.celsius.target for each in steps if each.celsius]
    from_c = read[-1] if read else planned[-1] if planned else at.recipe.renneting_c or 30.0
    gone = at.standing.of(WaterAdded)
    hot = water_c or (gone[-1][1].celsius if gone else house.number("wash.water_c"))
    kg = at.sheet.milk.mass.minus(
        "whey taken off",
        whey_off_l(at.recipe, at.standing, at.litres) * WHEY_KG_PER_L,
        "kg",
    ).plus("water in it already", sum(deed.litres for _, deed in gone), "kg")
    try:
        found = wash(
            kg,
            from_c,
            what.celsius.target,
            water_c=hot,
            room_l=at.vat.brim_l - at.stands_l,
            house=house,
        )
    except CraftError as error:
        return WashNow(
            from_c=from_c, to_c=what.celsius.target, water_c=hot, wash=None, words=error.words
        )
    return WashNow(from_c=from_c, to_c=what.celsius.target, water_c=hot, wash=found)


@dataclass(frozen=True, slots=True)
class Stood:
    """The warm clock of a make without a working culture."""

    clock: WarmClock
    is_raw: bool


def stood_warm(
    here: Here, make: Make, recipe: Recipe, sheet: Frozen, standing: Standing
) -> Stood | None:
    """How long the milk stood warm so far; None for a make whose culture works."""
    if not wants_it(recipe):
        return None
    read = [(each.at, each.celsius) for each in standing.readings if each.celsius is not None]
    before = 0.0
    for part in makes.milk_of(here.session, make):
        lot = milk.lot(here.session, here.dairy, part.lot_id)
        if lot.holding == "warm":
            before = max(before, 60 * hours_old(lot, make.started_at))
    until = standing.weighed.at if standing.weighed else here.now
    clock = warm_clock(read, make.started_at, until, before, sheet.house)
    return Stood(clock, sheet.milk.raw)
