"""How long a cheese ripens, and what of it decides which cautions it carries."""

from __future__ import annotations

from openpail.craft.house import House
from openpail.craft.recipe.recipe import Recipe, Stage
from openpail.craft.recipe.yields import ACID_HEAT

RAW_DAYS = 60
HEATED_C = 75.0
_WARM_C, _COLD_C = (10.0, 45.0), 7.0
_SOFT_RIPENED = frozenset({"bloomy", "blue", "washed_rind", "lactic"})


def stage_days(recipe: Recipe, house: House, raw: bool = False) -> list[tuple[Stage, int]]:
    """Each stage with its days, at least 1; a raw soft or blue cheese is faster.

    Parameters: recipe; house; raw, whether the milk was. Source: house value.
    """
    faster = house.number("ripen.raw_soft") if raw and recipe.family in _SOFT_RIPENED else 1.0
    return [(stage, max(1, round(stage.days * faster))) for stage in recipe.stages]


def ready_days(recipe: Recipe, house: House, raw: bool = False) -> tuple[int, int, int]:
    """Days from the make on which it is ready: the soonest, the recipe's, the latest.

    Parameters: recipe; house; raw, whether the milk was. Source: house value, 0.9 to 1.15 times.
    """
    total = sum(days for _, days in stage_days(recipe, house, raw))
    return round(total * 0.9), total, round(total * 1.15)


def is_heated(recipe: Recipe) -> bool:
    """Whether its own steps bring the milk to 75 °C before the acid or with it; whey cheese ever.

    Parameters: recipe, of acid and heat or whey; False for every other. Source: house value.
    """
    if recipe.family not in (*ACID_HEAT, "whey"):
        return False
    acids = {each.key for each in recipe.ingredients if each.product.kind == "acid"}
    for step in recipe.steps:
        if step.celsius and step.celsius.low >= HEATED_C:
            return True
        if acids & set(step.adds) and recipe.family != "whey":
            return False
    return False


def salt_in_milk_pct(recipe: Recipe) -> float:
    """Salt that goes into the milk before the rennet, % of it; 0 for none given in per cent.

    Parameters: recipe. Source: the recipe.
    """
    return max(
        (
            each.amount
            for each in recipe.ingredients
            if each.product.kind == "salt" and each.basis == "percent_of_milk"
        ),
        default=0.0,
    )


def without_acid(recipe: Recipe, house: House) -> bool:
    """Whether no acid guards its warm hours: salt in the milk, or no culture where others have one.

    Parameters: recipe; house. Source: house value.
    """
    if salt_in_milk_pct(recipe) >= house.number("culture.salt_stops"):
        return True
    return recipe.family in ("stretched_quick", "grilling") and not recipe.ingredient("culture")


def warm_hours(recipe: Recipe) -> float:
    """Hours that its steps keep it between 10 and 45 °C, until it is at 7 °C or colder.

    A step that names no warmth is as warm as the one before. Parameters: recipe.
    Source: derivation.
    """
    minutes, at = 0.0, recipe.renneting_c or 0.0
    for step in recipe.steps:
        if step.celsius:
            at = step.celsius.target
        if step.kind == "brine" and not step.celsius:
            at = _COLD_C
        if _WARM_C[0] <= at <= _WARM_C[1]:
            minutes += step.minutes
    return minutes / 60
