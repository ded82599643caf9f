"""A make, read: its recipe, its steps on the clock, its vat and gear, its whey."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from functools import partial

from openpail.craft.clock.gear import Outfit
from openpail.craft.errors import OutOfRange
from openpail.craft.house import House
from openpail.craft.make.additions import expected_flocks
from openpail.craft.make.day import MakeDay, hours_since, lasting, on_the_clock
from openpail.craft.make.drain import room_factor
from openpail.craft.make.fold import fold
from openpail.craft.make.slow_acid import AcidReading, asleep, slow_acid
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.steps import PlannedStep, laid_out
from openpail.craft.recipe.yields import WHEY_KG_PER_L, left_in_whey
from openpail.craft.sheet.cautions import Caution
from openpail.craft.sheet.moves import moved
from openpail.formats import recipe_file
from openpail.records.log import actions as log
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
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


def planned_of(here: Here, make: Make) -> tuple[PlannedStep, ...]:
    """The make's steps with their lengths, as its sheet worked them out."""
    sheet = makes.sheet_of(make)
    floc, cut = (sheet.set.flocculation.value, sheet.set.cut.value) if sheet.set else (None, None)
    warm = {key: figure.value for key, figure in sheet.warm.items()}
    return laid_out(moved(recipe_of(make), sheet.moved.moves), floc, cut, warm)


def day_of(here: Here, make: Make, standing: Standing | None = None) -> MakeDay:
    """The make's steps on the clock, from now: by its sheet, by the rennet that really went in,
    and by the room that it drains in.

    standing: where it stands; None reads it.
    """
    standing = standing_of(here, make) if standing is None else standing
    sheet, recipe = makes.sheet_of(make), recipe_of(make)
    planned = planned_of(here, make)
    expected = expected_flocks(recipe, sheet, standing)
    if sheet.set and expected != sheet.set.flocculation.value:
        share = expected / sheet.set.flocculation.value
        planned = lasting(
            planned,
            {each.step.key: each.minutes * share for each in planned if each.step.clock != "fixed"},
        )
    multiplier = sheet.set.multiplier.value if sheet.set else None
    planned = lasting(planned, _in_tubs(recipe, standing))
    clock = partial(
        on_the_clock,
        started=make.started_at,
        standing=standing,
        now=here.now,
        cut_multiplier=multiplier,
        flocks_min=expected or None,
    )
    day = clock(planned)
    by_room = _by_room(recipe, sheet.house, day)
    return clock(lasting(planned, by_room)) if by_room else day


def _in_tubs(recipe: Recipe, standing: Standing) -> dict[str, float]:
    """Minutes that a stay in brine lasts, as it was told when it went in."""
    found: dict[str, float] = {}
    for step in recipe.steps:
        told, begun = standing.in_brine(step.key), standing.begun.get(step.key)
        if told and told.until and begun:
            until = datetime.fromisoformat(told.until)
            found[step.key] = max(1.0, (until - begun).total_seconds() / 60)
    return found


def _by_room(recipe: Recipe, house: House, day: MakeDay) -> dict[str, float]:
    """Minutes of the step of now, where it goes by the warmth of the room and that was read."""
    state = day.current
    if state is None:
        return {}
    read = [
        each.celsius
        for each in day.standing.readings
        if each.celsius is not None and each.at >= state.begins
    ]
    if not read:
        return {}
    try:
        factor = room_factor(recipe.family, state.planned.step, read[-1], house)
    except OutOfRange:  # the reading is of something else than a room
        return {}
    return {state.planned.step.key: state.planned.minutes * factor} if factor != 1.0 else {}


def given_to(here: Here, make: Make) -> Outfit:
    """Its vat, and the press and moulds that it was given when it started.

    Sheets of the first version called them by their names.
    """
    given = makes.sheet_of(make).given
    by_name = {name: key for key, name in here.names.items()}
    press = by_name.get(given.press, given.press)
    moulds = tuple(by_name.get(each, each) for each in given.moulds)
    return here.outfit(here.vat(make.vat_id), press, moulds)


def acid_of(here: Here, make: Make, standing: Standing) -> Caution | None:
    """Stop and look, when a pH reading ever said that acid is slow, by the make's own house; else
    what was not read in time, or does not move."""
    culture = standing.culture_at
    if culture is None:
        return None
    readings = [
        AcidReading(each.ph, hours_since(culture, each.at))
        for each in standing.readings
        if each.ph is not None and each.at > culture
    ]
    under_way = hours_since(culture, here.now) if make.state == "under way" else None
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


def made_of_whey(here: Here, make: Make) -> WheyOf:
    """The whey that a make leaves."""
    sheet, recipe = makes.sheet_of(make), recipe_of(make)
    milk = sheet.milk
    kg, *left = left_in_whey(
        recipe.family,
        milk.fat.value,
        milk.casein.value,
        milk.protein.value,
        milk.mass.value,
        sheet.cheese.value,
        sheet.house,
    )
    parts = dict(zip(("fat", "protein", "casein"), left, strict=True))
    return WheyOf(kg / WHEY_KG_PER_L, parts)
