"""A make, read: its recipe, its steps on the clock, its vat and gear, its whey."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from openpail.craft.clock.gear import Outfit
from openpail.craft.make.by_sheet import planned_by
from openpail.craft.make.care import OfGas, foul
from openpail.craft.make.deeds import WaterAdded
from openpail.craft.make.facts import makes_gas
from openpail.craft.make.fold import fold
from openpail.craft.make.slow_acid import (
    AcidReading,
    asleep,
    hours_that_count,
    slow_acid,
    steadied,
    stood_uncultured,
)
from openpail.craft.make.standing import Standing
from openpail.craft.make.warm_clock import wants_it
from openpail.craft.make.wash import WATER_KG_PER_L
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.steps import PlannedStep
from openpail.craft.recipe.yields import WHEY_KG_PER_L, left_in_whey
from openpail.craft.sheet.cautions import Caution
from openpail.craft.sheet.moves import moved
from openpail.craft.sheet.washed import planned_water_kg
from openpail.formats import recipe_file
from openpail.records.log import actions as log
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make, MakeMilk
from openpail.work.here import Here

_RECIPES: dict[object, Recipe] = {}
_MOST_KEPT = 256


def recipe_of(make: Make) -> Recipe:
    """The recipe as it was when the make started, read once for as long as the process lives."""
    key = make.recipe_version_id
    if key not in _RECIPES:
        if len(_RECIPES) >= _MOST_KEPT:
            _RECIPES.clear()
        _RECIPES[key] = recipe_file.read(makes.sheet_of(make).recipe)
    return _RECIPES[key]


def standing_of(here: Here, make: Make) -> Standing:
    """What the deeds of a make come to: as it was kept, else folded anew."""
    kept = makes.standing_of(make)
    if kept is not None:
        return kept
    return fold(recipe_of(make), log.of_make(here.session, make.dairy_id, make.id))


def planned_of(make: Make) -> tuple[PlannedStep, ...]:
    """The make's steps with their lengths, as its sheet worked them out."""
    return planned_by(recipe_of(make), makes.sheet_of(make))


def milk_into(here: Here, make: Make) -> list[MakeMilk]:
    """What went into a make, asked for once."""
    key = ("milk into", make.id)
    if key not in here.worked:
        here.worked[key] = makes.milk_of(here.session, make)
    found = here.worked[key]
    assert isinstance(found, list)
    return found


def poured_l(here: Here, make: Make) -> float:
    """The milk that went into a make, L."""
    return sum(part.volume_l for part in milk_into(here, make))


def given_to(here: Here, make: Make) -> Outfit:
    """Its vat, and the press and moulds that it was given when it started.

    Sheets of the first version called them by their names.
    """
    given = makes.sheet_of(make).given
    by_name = {name: key for key, name in here.names.items()}
    press = by_name.get(given.press, given.press)
    moulds = tuple(by_name.get(each, each) for each in given.moulds)
    return here.outfit(here.vat(make.vat_id), press, moulds)


def stops_of(here: Here, make: Make, standing: Standing) -> tuple[Caution, ...]:
    """What happened to a make that stays with it: slow acid, a vat that stood, what is foul."""
    slow = acid_of(here, make, standing)
    sheet = makes.sheet_of(make)
    of_gas = OfGas(
        raw=sheet.milk.raw,
        is_cultured_for=any(makes_gas(each.name) for each in sheet.bottles.values()),
        acid_is_slow=slow is not None,
        late_h=sheet.house.number("help.gas_early"),
    )
    found = (slow, _stood_of(here, make, standing), foul(standing, of_gas))
    return tuple(each for each in found if each)


def _stood_of(here: Here, make: Make, standing: Standing) -> Caution | None:
    """How long its milk stood in the vat before a culture that it is to have went in; what it did
    before that was judged as it was poured."""
    recipe = recipe_of(make)
    is_waiting = make.state == "under way" and not standing.ended
    until = standing.cultured_at or (here.now if is_waiting else None)
    if until is None or wants_it(recipe) or not recipe.ingredient("culture"):
        return None
    warm = [(each.at, each.celsius) for each in standing.readings if each.celsius is not None]
    hours = hours_that_count(warm, make.started_at, until)
    return stood_uncultured(hours, makes.sheet_of(make).house)


def acid_of(here: Here, make: Make, standing: Standing) -> Caution | None:
    """Stop and look, when a pH ever said that acid is slow, read by hand or by the probe, by the
    make's own house; else what was not read in time, or does not move."""
    culture = standing.cultured_at
    if culture is None:
        return None
    warm = [(each.at, each.celsius) for each in standing.readings if each.celsius is not None]
    stream = here.stream_of(make)
    read = [(each.at, each.ph) for each in standing.readings]
    read += zip((e.at for e in stream), steadied([e.ph for e in stream]), strict=True)
    readings = [
        AcidReading(ph, hours_that_count(warm, culture, at))
        for at, ph in sorted((at, ph) for at, ph in read if ph is not None and at > culture)
    ]
    under_way = hours_that_count(warm, culture, here.now) if make.state == "under way" else None
    sheet, recipe = makes.sheet_of(make), recipe_of(make)
    found = slow_acid(recipe, readings, sheet.house, under_way)
    if found and found.level == "stop":
        return found
    start = sheet.milk.ph.value if sheet.milk.ph else None
    sleeps = asleep(recipe, start, readings, sheet.house) if under_way is not None else None
    return sleeps or found


@dataclass(frozen=True, slots=True)
class WheyOf:
    """The whey of a make: how much to expect, and what is in it, % by part."""

    litres: float
    made_of: Mapping[str, float]


def _wash_kg(here: Here, make: Make) -> float:
    """Wash water of a make, kg: as it was told, else as it is planned, unless it was left out."""
    standing, sheet, recipe = standing_of(here, make), makes.sheet_of(make), recipe_of(make)
    told = sum(deed.litres for _, deed in standing.of(WaterAdded))
    washes = [step.key for step in recipe.steps if step.kind == "add water"]
    if told or all(key in standing.skipped for key in washes):
        return told * WATER_KG_PER_L
    return planned_water_kg(moved(recipe, sheet.moved.moves), sheet.milk.mass.value, sheet.house)


def made_of_whey(here: Here, make: Make) -> WheyOf:
    """The whey that a make leaves."""
    sheet, recipe = makes.sheet_of(make), recipe_of(make)
    milk = sheet.milk
    kg, *left = left_in_whey(
        recipe.family,
        milk.fat.value,
        milk.casein.value,
        protein_pct=milk.protein.value,
        milk_kg=milk.mass.value,
        cheese_kg=sheet.cheese.value,
        house=sheet.house,
        water_kg=_wash_kg(here, make),
    )
    parts = dict(zip(("fat", "protein", "casein"), left, strict=True))
    return WheyOf(kg / WHEY_KG_PER_L, parts)
