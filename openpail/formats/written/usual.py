"""What is usual for a family, by the starter recipe of it: amounts, places to ripen."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache

from openpail.craft.recipe.recipe import Family, Ingredient, Recipe, Stage
from openpail.craft.stock.products import Kind
from openpail.formats.recipe_file import library


@cache
def _starters() -> Mapping[Family, Recipe]:
    """The first starter recipe of each family."""
    found: dict[Family, Recipe] = {}
    for recipe, _ in library():
        found.setdefault(recipe.family, recipe)
    return found


def usual_amount(family: Family, kind: Kind, milk_l: float) -> Ingredient | None:
    """How much of a kind of thing goes into so much milk of a family.

    Parameters: family; kind; milk_l, more than 0. Returns: the starter's, scaled by its litres of
    milk; None where its starter has no such thing. Source: the starter library.
    """
    starter = _starters().get(family)
    if starter is None:
        return None
    ingredient = next((e for e in starter.ingredients if e.product.kind == kind), None)
    if ingredient is None or ingredient.basis != "batch":
        return ingredient
    written_for_l = sum(part.volume_l for part in starter.reference)
    amount = float(f"{ingredient.amount * milk_l / written_for_l:.2g}")
    return Ingredient(
        key=ingredient.key, product=ingredient.product, amount=amount, unit=ingredient.unit
    )


def usual_stages(family: Family) -> tuple[Stage, ...]:
    """The places where a family ripens, none for a fresh one. Parameters: family.

    Source: the starter library.
    """
    starter = _starters().get(family)
    return starter.stages if starter else ()
