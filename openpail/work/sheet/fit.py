"""How the dairy's recipes go with the milk that is there."""

from __future__ import annotations

from collections.abc import Sequence

from openpail.craft.recipe.recipe import Recipe
from openpail.craft.sheet.fit import ANSWERS, Fit, fit, to_mix
from openpail.records.milk import keeping, slips
from openpail.records.milk.models import MilkLot
from openpail.work.here import LEAST_L, Here


def fits(here: Here, recipes: Sequence[Recipe], lots: Sequence[MilkLot]) -> dict[str, Fit]:
    """Each recipe's fit, by its key: to these lots together, or without any to the one of the
    shelf that it goes with best."""
    if lots:
        pours = [slips.pour_of(lot, here.known, here.free_l(lot)) for lot in lots]
        verdicts = [slips.fitness_of(lot, here.known).verdict for lot in lots]
        return {each.key: fit(each, pours, verdicts, here.house) for each in recipes}
    shelf = [
        (lot, slips.pour_of(lot, here.known, here.free_l(lot)), slips.fitness_of(lot, here.known))
        for lot in here.free
        if lot.kind in ("milk", "whey")
        and not keeping.in_freezer(lot)
        and here.free_l(lot) > LEAST_L
    ]
    found = {}
    for recipe in recipes:
        each_lot = (
            (fit(recipe, [pour], [fitness.verdict], here.house), lot)
            for lot, pour, fitness in shelf
        )
        best = min(each_lot, key=lambda pair: ANSWERS.index(pair[0].answer), default=None)
        mix = to_mix(recipe, {pour.species for _, pour, _ in shelf})
        if mix:
            found[recipe.key] = mix
        elif best is None:
            found[recipe.key] = Fit("not", "no milk is on the shelf")
        elif best[0].answer == "not":
            found[recipe.key] = best[0]
        else:
            found[recipe.key] = Fit(best[0].answer, f"{best[1].name}: {best[0].words}")
    return found
