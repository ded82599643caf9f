"""A recipe read over with the model of the set in hand, after the second reader."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from openpail.craft.doses.dose import ml_per_g
from openpail.craft.doses.setting import flocculation_minutes
from openpail.craft.errors import CraftError
from openpail.craft.figure import replay
from openpail.craft.house import House
from openpail.craft.recipe.recipe import Recipe, reference_milk
from openpail.craft.recipe.ripening import salt_in_milk_pct
from openpail.craft.recipe.second_reader import Remark, remarks
from openpail.craft.sheet.renneted import unmeasured
from openpail.craft.stock.products import rennet_strength


def read_over(recipe: Recipe, house: House) -> tuple[Remark, ...]:
    """All that is said of a recipe before milk is warmed, the grave first.

    Parameters: recipe; house. Source: the second reader; rennet flocculation.
    """
    return (*remarks(recipe, house), *_set(recipe, house))


def own_set_min(recipe: Recipe, house: House) -> tuple[float, float] | None:
    """Minutes to the flocks and to the cut of a recipe's own dose in its own milk by the model;
    None for one without such a set.

    Parameters: recipe; house. Source: rennet flocculation.
    """
    rennet, times = recipe.ingredient("rennet"), recipe.cut_multiplier
    if rennet is None or times is None or recipe.renneting_c is None:
        return None
    try:
        milk = replace(reference_milk(recipe, house), salt_pct=salt_in_milk_pct(recipe))
        imcu = rennet.amount * replay(rennet_strength(rennet.product, house)) / milk.mass_kg
        calcium = recipe.ingredient("calcium")
        given = calcium.amount / ml_per_g(calcium.product) / milk.mass_kg if calcium else 0.0
        setting = unmeasured(
            recipe,
            milk,
            own=milk,
            calcium_g_per_kg=given,
            celsius=recipe.renneting_c,
            house=house,
        )
        flocks = flocculation_minutes(imcu, setting, house)
    except CraftError:  # the sheet and the second reader say what is wrong with it
        return None
    return flocks, flocks * times


def _set(recipe: Recipe, house: House) -> Iterator[Remark]:
    found, most = own_set_min(recipe, house), house.number("sense.set_apart")
    flocks = [step for step in recipe.steps if step.clock == "flocculation"]
    cut = [step for step in recipe.steps if step.clock == "cut"]
    if found is None or not flocks:
        return
    told_min = flocks[0].minutes
    if abs(told_min / found[0] - 1) > most:
        yield Remark(
            f"steps/{flocks[0].key}",
            f"Flocks after {told_min:.0f} min, it says; its own dose gives them in its own milk "
            f"after about {found[0]:.0f}.",
        )
    elif cut and abs((told_min + cut[0].minutes) / found[1] - 1) > most:
        yield Remark(
            f"steps/{cut[0].key}",
            f"Cut after {told_min + cut[0].minutes:.0f} min by its steps, after about "
            f"{found[1]:.0f} by its flocks and how many times them it is cut.",
        )
