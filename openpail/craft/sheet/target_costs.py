"""What a standardised milk costs the make: lactose, calcium, rennet and cheese, beside the milk."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.bench.standardise import StandardMix
from openpail.craft.doses import calcium, rennet
from openpail.craft.doses.setting import Setting
from openpail.craft.errors import CraftError
from openpail.craft.figure import replay
from openpail.craft.house import House
from openpail.craft.milk.blend import Blend
from openpail.craft.recipe import yields
from openpail.craft.recipe.recipe import Recipe, reference_milk


@dataclass(frozen=True, slots=True, kw_only=True)
class Costs:
    """Against the milk as it stands: lactose (%), calcium chloride (g more in each kg), rennet (a
    share more or less of it in each kg), cheese (kg more of 100 kg). None: rennet plays no part.
    """

    lactose_pct: float
    calcium_g_per_kg: float
    rennet: float | None
    cheese_per_100: float
    lactose_high: bool


def costs_of(recipe: Recipe, now: Blend, then: Blend, mix: StandardMix, house: House) -> Costs:
    """What a mix costs a recipe, beside the milk that stands now.

    Parameters: recipe; now, the milk as it stands; then, what the mix pours, cream taken off left
    out of account; mix, for what it is made of; house.
    Source: the rules of calcium, rennet and yields.
    """
    before, after = now.numbers, then.numbers
    own = reference_milk(recipe, house)
    more = 0.0
    if recipe.family not in calcium.NO_CALCIUM_FAMILIES:
        more = replay(calcium.table_steps(after, house)) - replay(
            calcium.table_steps(before, house)
        )
    kept = None
    if recipe.renneting_c is not None:
        try:
            mine, theirs = (
                Setting(milk=milk, celsius=recipe.renneting_c, ph=None, calcium_g_per_kg=0.0)
                for milk in (after, before)
            )
            kept = rennet.ratio(mine, theirs, house) - 1
        except CraftError:  # a milk that rennet does not set: the sheet says so
            kept = None
    fat, casein = mix.reached["fat"], mix.reached["casein"]
    made = [
        yields.of_recipe(recipe, own, milk, house, about=False).value
        for milk in (before, after.as_if(fat, casein))
    ]
    high = mix.lactose_pct > house.number("milk.lactose_most")
    return Costs(
        lactose_pct=mix.lactose_pct,
        calcium_g_per_kg=more,
        rennet=kept,
        cheese_per_100=made[1] - made[0],
        lactose_high=high,
    )
