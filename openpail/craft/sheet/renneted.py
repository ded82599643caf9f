"""A milk as its rennet meets it: told once, for the sheet and for who reads a recipe over."""

from __future__ import annotations

from openpail.craft.doses.setting import Setting
from openpail.craft.house import House
from openpail.craft.milk.blend import VatMilk
from openpail.craft.milk.kinds import usual_ph
from openpail.craft.recipe.recipe import Recipe


def sours_by(recipe: Recipe, own: VatMilk, house: House) -> float:
    """By how much the recipe's own milk sours until the rennet, pH; 0 when it does not say.

    Parameters: recipe; own, its milk; house. Source: the recipe.
    """
    goal = recipe.renneting_ph()
    if goal is None:
        return recipe.ripening_ph_drop
    return usual_ph(own.casein_shares(), house) - goal.target


def unmeasured(
    recipe: Recipe,
    milk: VatMilk,
    *,
    own: VatMilk,
    calcium_g_per_kg: float,
    celsius: float,
    house: House,
) -> Setting:
    """A milk nobody measured at renneting: its usual pH less what the recipe's sours by.

    Parameters: recipe; milk; own, the recipe's milk; calcium_g_per_kg, anhydrous, given; celsius;
    house. Source: the recipe; usual pH of the animals.
    """
    drop = sours_by(recipe, own, house)
    rennet, goal = recipe.ingredient("rennet"), recipe.renneting_ph()
    return Setting(
        milk=milk,
        celsius=celsius,
        ph=usual_ph(milk.casein_shares(), house) - drop if drop else None,
        calcium_g_per_kg=calcium_g_per_kg,
        rennet=rennet.product.sort if rennet else "",
        named_ph=goal.target if goal else None,
    )
