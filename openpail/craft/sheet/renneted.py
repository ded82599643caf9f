"""A milk as its rennet meets it: told once, for the sheet and for who reads a recipe over."""

from __future__ import annotations

from openpail.craft.doses import acid
from openpail.craft.doses.asked import Job
from openpail.craft.doses.setting import Setting
from openpail.craft.house import House
from openpail.craft.milk.blend import VatMilk
from openpail.craft.milk.kinds import usual_ph
from openpail.craft.recipe.recipe import Band, Recipe


def acid_shift(job: Job) -> float:
    """By how much the acid at hand wants another pH than the recipe's own acid.

    Parameters: job. Returns: pH; 0 without an acid, or where each wants the same.
    Source: house value: citrate binds calcium, the others do not.
    """
    ingredient = job.recipe.ingredient("acid")
    if ingredient is None:
        return 0.0
    theirs, mine = acid.acids_of(ingredient, job.bottle(ingredient))
    family, written = job.recipe.family, job.recipe.acid_target_ph
    return acid.target_ph(family, mine, written, job.house) - acid.target_ph(
        family, theirs, written, job.house
    )


def goal_of(job: Job) -> Band | None:
    """The pH that the rennet waits for, with the acid at hand; None where the recipe names none.

    Parameters: job. Source: the recipe; `acid_shift`.
    """
    goal, by = job.recipe.renneting_ph(), acid_shift(job)
    return goal.moved(by) if goal and by else goal


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
    acid_by: float = 0.0,
) -> Setting:
    """A milk nobody measured at renneting: its usual pH less what the recipe's sours by.

    Parameters: recipe; milk; own, the recipe's milk; calcium_g_per_kg, anhydrous, given; celsius;
    house; acid_by, pH, as `acid_shift`. Source: the recipe; usual pH of the animals.
    """
    drop = sours_by(recipe, own, house)
    drop = drop and drop - acid_by
    rennet, goal = recipe.ingredient("rennet"), recipe.renneting_ph()
    return Setting(
        milk=milk,
        celsius=celsius,
        ph=usual_ph(milk.casein_shares(), house) - drop if drop else None,
        calcium_g_per_kg=calcium_g_per_kg,
        rennet=rennet.product.sort if rennet else "",
        named_ph=goal.target + acid_by if goal else None,
    )
