"""The days on which a recipe salts its rind."""

from __future__ import annotations

from openpail.craft.recipe.recipe import Recipe
from openpail.craft.salt.rind import Rub, rubs


def rind_rubs(recipe: Recipe, piece_kg: float) -> tuple[Rub, ...]:
    """The saltings of one piece's rind, the first with its step; () where it is salted otherwise.

    Parameters: recipe; piece_kg, as it comes out of its mould. Source: the recipe.
    """
    for each in recipe.ingredients:
        if each.product.kind == "salt" and each.basis == "percent_of_cheese":
            given = [step for step in recipe.steps if each.key in step.adds]
            if given and given[0].kind == "salt" and each.amount > 0:
                return rubs(piece_kg, each.amount, each.days)
    return ()
