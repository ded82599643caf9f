"""The water of a wash as the steps plan it: it runs off again with the whey."""

from __future__ import annotations

from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.house import House
from openpail.craft.recipe.recipe import Recipe

CURD_AND_WHEY_KJ, WATER_KJ = 3.90, 4.186  # kJ/(kg K)


def hot_water_kg(vat_kg: float, from_c: float, to_c: float, water_c: float) -> float:
    """Hot water that brings curd and whey to a warmth.

    Parameters: vat_kg, the mass in the vat, over 0; from_c to to_c, °C; water_c, over to_c.
    Raises: OutOfRange, NotPossible. Source: heat balance, curd and whey at 3.90 kJ/(kg K).
    """
    if vat_kg <= 0:
        raise OutOfRange("There is nothing in the vat.", "vat_kg")
    if to_c <= from_c:
        return 0.0
    if water_c <= to_c:
        raise NotPossible(
            f"Water of {water_c:.0f} °C does not warm it to {to_c:g} °C: make it hotter, or warm "
            "the vat.",
            "water_c",
        )
    return vat_kg * CURD_AND_WHEY_KJ * (to_c - from_c) / (WATER_KJ * (water_c - to_c))


def planned_water_kg(recipe: Recipe, milk_kg: float, house: House) -> float:
    """Wash water that the steps of a recipe bring, kg, with water as hot as is usual.

    Parameters: recipe, as this milk moves it; milk_kg, over 0; house. Source: heat balance of each
    wash, one after the other; house value for how hot.
    """
    water, in_vat = 0.0, milk_kg
    warm = recipe.renneting_c
    for step in recipe.steps:
        if step.kind == "take whey off":
            in_vat -= (step.share or 0.0) * milk_kg
        elif step.kind == "add water" and step.celsius and warm is not None and in_vat > 0:
            hot = max(house.number("wash.water_c"), step.celsius.target + 1)
            kg = hot_water_kg(in_vat, warm, step.celsius.target, hot)
            water, in_vat = water + kg, in_vat + kg
        warm = step.celsius.target if step.celsius else warm
    return water
