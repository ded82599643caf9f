"""What a batch's own record says that may be behind a fault: facts by key, each in words."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from math import prod

from openpail.craft.house import House
from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.make.deeds import AcidGiven, CalledAway, CameBack, SetLooked, WaterAdded
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.order import set_step
from openpail.craft.make.ramp import half_band
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe, StepKind
from openpail.craft.sheet.moves import moved
from openpail.craft.stock.products import Product, rennet_strength, vigour

_MOST = 0.5  # of the milk: it is told for what it is mostly


@dataclass(frozen=True, slots=True, kw_only=True)
class Record:
    """A make as it is looked at for help: all that is known of it now.

    milk_says: words of its lots, where they stood warm or old; acid_slow: the words of a stop or
    caution for slow acid; meter_checked: whether the pH meter was set today; has_meter: whether the
    house has one; milk_l, L that went in.
    """

    recipe: Recipe
    sheet: Frozen
    standing: Standing
    day: MakeDay
    now: datetime
    milk_says: Mapping[str, str] = field(default_factory=dict)
    acid_slow: str = ""
    meter_checked: bool = True
    has_meter: bool = True
    milk_l: float = 0.0

    @property
    def house(self) -> House:
        """The house values of the make."""
        return self.sheet.house


def facts_of(record: Record) -> dict[str, str]:
    """What the record holds that speaks for a cause, by the keys of help.toml.

    Parameters: record. Source: the record itself; house values for how far is far.
    """
    found = dict(record.milk_says)
    for part in (_of_milk, _of_doses, _of_set, _of_steps, _of_acid, _of_warmth):
        found.update(part(record))
    return found


def _of_milk(record: Record) -> Iterator[tuple[str, str]]:
    milk = record.sheet.milk
    total = sum(pour.mass_kg for pour in milk.pours) or 1.0
    for breed in ("goat", "buffalo"):
        share = sum(p.mass_kg for p in milk.pours if p.breed.startswith(breed)) / total
        if share > _MOST:
            yield breed, f"{100 * share:.0f} % of the milk is {breed}’s"
    if any(pour.homogenised for pour in milk.pours):
        yield "homogenised", "there is homogenised milk in it"
    if any(pour.treatment in ("high_heat", "scalded") for pour in milk.pours):
        yield "high_heat", "the milk was heated strongly"
    if milk.raw:
        yield "raw", "the milk is raw"
    if milk.fat.value > record.house.number("help.rich"):
        yield "rich", f"{milk.fat.value:.1f} % of fat"
    if milk.fat.value < record.house.number("help.lean"):
        yield "lean", f"{milk.fat.value:.1f} % of fat"
    if milk.casein.value < record.house.number("help.low_casein"):
        yield "low_casein", f"{milk.casein.value:.2f} % of casein"


def _of_doses(record: Record) -> Iterator[tuple[str, str]]:
    sheet = record.sheet
    for line in sheet.lines:
        bottle = sheet.bottles.get(line.key)
        if bottle is not None:
            yield from _of_bottle(bottle, record.house)
        if line.kind == "rennet" and line.water is not None:
            yield "diluted", "it was thinned in water"
    if sheet.learnt > record.house.number("help.lively"):
        yield "learnt_weak", "makes taught that this bottle sets late"
    if sheet.learnt < record.house.number("help.weak"):
        yield "learnt_strong", "makes taught that this bottle sets early"
    calcium = [line for line in sheet.lines if line.kind == "calcium" and line.figure.value > 0]
    if not calcium and record.recipe.ingredient("rennet") and not sheet.milk.raw:
        yield "no_calcium", "no calcium chloride was given"
    for line in sheet.lines:
        gave = [
            record.standing.gave(step.key)[line.key]
            for step in record.recipe.steps
            if line.key in record.standing.gave(step.key)
        ]
        share = gave[-1] / line.figure.value if gave and line.figure.value > 0 else 1.0
        if abs(share - 1) > record.house.number("help.same_dose"):
            key = f"{'less' if share < 1 else 'more'}_{line.kind}"
            yield key, f"{100 * share:.0f} % of the {line.kind} was given"


def _of_bottle(bottle: Product, house: House) -> Iterator[tuple[str, str]]:
    if bottle.kind == "rennet":
        left = prod(step.value for step in rennet_strength(bottle, house)[1:])
        if left < house.number("help.weak"):
            yield "old_rennet", f"the bottle has about {100 * left:.0f} % of its strength"
    if bottle.kind == "culture":
        if vigour(bottle, house) < house.number("help.weak"):
            yield "old_culture", f"the {bottle.name} is old"
        if bottle.form == "jar":
            yield "jar", "the culture is a fed jar"
        if makes_gas(bottle.name):
            yield "aroma", "an aroma culture is in it"


def makes_gas(name: str) -> bool:
    """Whether a culture of a name makes gas of its own. Parameters: name.
    Source: usual practice."""
    return "aroma" in name.lower()


def _near(record: Record, at: datetime) -> float | None:
    """The last °C that was read by a moment."""
    read = [r.celsius for r in record.standing.readings if r.celsius is not None and r.at <= at]
    return read[-1] if read else None


def _of_set(record: Record) -> Iterator[tuple[str, str]]:
    standing, recipe, sheet = record.standing, record.recipe, record.sheet
    if recipe.ingredient("rennet") is None:
        return
    if standing.rennet_at is None:
        yield "no_rennet", "the rennet is not ticked off"
        return
    wanted = sheet.renneting_c or recipe.renneting_c
    until = standing.done.get(set_step(recipe) or "")
    since = [
        r.celsius
        for r in standing.readings
        if r.celsius is not None
        and standing.rennet_at <= r.at <= (until.at if until else record.now)
    ]
    at = _near(record, standing.rennet_at)
    read = [each for each in (at, *since) if each is not None]
    if wanted and read and min(read) < wanted - record.house.number("help.far_c"):
        yield "cold_set", f"{min(read):.1f} °C was read, where {wanted:g} °C is wanted"
    if wanted and read and max(read) > wanted + record.house.number("help.far_c"):
        yield "hot_set", f"{max(read):.1f} °C was read, where {wanted:g} °C is wanted"
    band = moved(recipe, sheet.moved.moves).renneting_ph()
    sour = [r.ph for r in standing.readings if r.ph is not None and r.at <= standing.rennet_at]
    if band and sour and sour[-1] > band.high + record.house.number("help.far_ph"):
        yield (
            "sweet_at_rennet",
            f"pH {sour[-1]:.2f} at the rennet, where {band.target:.2f} is wanted",
        )
    if band and sour and sour[-1] < band.low - record.house.number("help.far_ph"):
        yield (
            "sour_at_rennet",
            f"pH {sour[-1]:.2f} at the rennet, where {band.target:.2f} is wanted",
        )
    if sheet.set is None:
        return
    cut_min = record.day.cut_min or sheet.set.cut.value
    looks = [tap.at for tap, deed in standing.of(SetLooked) if deed.look in ("soft", "liquid")]
    tried = until.at if until else looks[-1] if looks else None
    if tried is not None:
        share = (tried - standing.rennet_at) / timedelta(minutes=cut_min)
        words = f"{100 * share:.0f} % of the time to the cut"
        if share < record.house.number("help.cut_early"):
            yield ("cut_early" if until else "looked_early"), f"it was tried after {words}"
        if share > record.house.number("help.late") and until:
            yield "cut_late", f"it was cut after {words}"


def _lasted(state: StepState) -> float:
    """How long a step took against what was planned, × 1 while it is not ended."""
    if state.done_at is None or state.skipped or state.planned.minutes <= 0:
        return 1.0
    return state.minutes / state.planned.minutes


_SHORT: Mapping[StepKind, str] = {"heal": "no_rest", "heat": "fast_heat", "wait": "ended_early"}
_LONG: Mapping[StepKind, str] = {
    **{"stir": "stirred_long", "heal": "healed_long", "wait": "ripened_long"},
    **{"drain": "drained_long", "hang": "drained_long"},
}
_EXPLAINED = frozenset({"flocculation", "cut"})


def _of_steps(record: Record) -> Iterator[tuple[str, str]]:
    for state in record.day.steps:
        step, share = state.planned.step, _lasted(state)
        if step.clock in _EXPLAINED:
            continue
        words = f"“{step.title}” took {state.minutes:.0f} min of {state.planned.minutes:.0f}"
        if share < record.house.number("help.short") and step.kind in _SHORT:
            yield _SHORT[step.kind], words
        if share > record.house.number("help.late") and step.kind in _LONG:
            yield _LONG[step.kind], words
    if any(move.part == "cut_mm" and move.left for move in record.sheet.moved.moves):
        yield "cut_large", "the cut was left as it is written for another milk"
    salted = [each for each in record.recipe.ingredients if each.basis == "percent_of_curd"]
    if any(each.product.kind == "salt" for each in salted):
        yield "salted_curd", "the curd was salted before the mould"
    yield from _of_away(record)


def _of_away(record: Record) -> Iterator[tuple[str, str]]:
    taps = [tap for tap in record.standing.taps if isinstance(tap.deed, CalledAway | CameBack)]
    for number, tap in enumerate(taps):
        if not isinstance(tap.deed, CalledAway):
            continue
        back = taps[number + 1].at if number + 1 < len(taps) else record.now
        minutes = (back - tap.at).total_seconds() / 60
        stirred = [
            each
            for each in record.day.steps
            if each.planned.step.kind in ("stir", "heat")
            and each.begins < back
            and (each.done_at or record.now) > tap.at
        ]
        if stirred and minutes > record.house.number("help.away"):
            yield "unstirred", f"nobody was at the vat for {minutes:.0f} min"


def _of_acid(record: Record) -> Iterator[tuple[str, str]]:
    if record.acid_slow:
        yield "slow_acid", record.acid_slow
    if record.standing.cultured_at is not None:
        hours = (record.now - record.standing.cultured_at).total_seconds() / 3600
        if hours < record.house.number("help.gas_early"):
            yield "gas_early", f"it is {hours:.0f} h after the culture"
    if not record.meter_checked:
        yield "meter_unchecked", "the pH meter was not set today"
    yield from _of_ph(record)
    acid = record.recipe.ingredient("acid")
    line = record.sheet.line(acid.key) if acid else None
    given = sum(deed.amount for _, deed in record.standing.of(AcidGiven))
    if line is not None and given and line.figure.value > 0:
        share = given / line.figure.value
        if share < 1:
            yield "little_acid", f"{100 * share:.0f} % of the acid was given so far"
        elif share > record.house.number("help.much_acid"):
            yield "much_acid", f"{100 * share:.0f} % of the acid was given"
    bottle = record.sheet.bottles.get(acid.key) if acid else None
    if bottle is not None and bottle.sort.startswith("lemon"):
        yield "juice", "the strength of lemon juice is a guess"


def _of_ph(record: Record) -> Iterator[tuple[str, str]]:
    sour = [r for r in record.standing.readings if r.ph is not None]
    for state in record.day.steps:
        band = state.planned.step.ph
        at = [r for r in sour if state.begins <= r.at <= (state.done_at or record.now)]
        if band is None or not at:
            continue
        ph = at[-1].ph or 0.0
        if ph > band.high + record.house.number("help.far_ph") and record.now > state.ends:
            yield "ph_high", f"pH {ph:.2f}, where {band.target:.2f} is wanted"
        if ph < band.low - record.house.number("help.far_ph"):
            yield "ph_low", f"pH {ph:.2f}, where {band.target:.2f} is wanted"


def _of_warmth(record: Record) -> Iterator[tuple[str, str]]:
    warm = [r for r in record.standing.readings if r.celsius is not None]
    for state in record.day.steps:
        step = state.planned.step
        read = [
            r.celsius or 0.0 for r in warm if state.begins <= r.at <= (state.done_at or record.now)
        ]
        if not read:
            continue
        last = read[-1]
        if step.celsius and step.kind in ("warm", "heat", "stir", "hold"):
            if max(read) > step.celsius.target + half_band(0.0, record.house):
                yield (
                    "overshot",
                    f"{max(read):.1f} °C was read, {step.celsius.target:g} °C is wanted",
                )
            if step.kind in ("stir", "hold") and last < step.celsius.low:
                yield "cool_cook", f"{last:.1f} °C was read, {step.celsius.target:g} °C is wanted"
        if step.kind in ("hang", "drain") and last < record.house.number("help.cold_room"):
            yield "cold_room", f"{last:.1f} °C was read where it drains"
        if step.kind in ("mould", "press") and last < record.house.number("help.cool_curd"):
            yield "cool_curd", f"the curd was read at {last:.1f} °C"
        if step.kind == "stretch" and max(read) < record.house.number("help.stretches"):
            yield "cool_stretch", f"{max(read):.1f} °C was read as it was stretched"
        adds_acid = any(
            each.product.kind == "acid" and each.key in step.adds
            for each in record.recipe.ingredients
        )
        hot = step.celsius is not None and step.celsius.target > record.house.number(
            "help.hot_acid"
        )
        if adds_acid and hot and last < record.house.number("help.hot_enough"):
            yield "not_hot", f"{last:.1f} °C was read with the acid"
    for _, deed in record.standing.of(WaterAdded):
        if deed.celsius > record.house.number("help.hot_wash"):
            yield "hot_wash", f"water of {deed.celsius:.0f} °C went in"
