"""What a cheese weighs out of its mould says at once: its yield, and the moisture it implies."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.make.frozen import Frozen
from openpail.craft.recipe.recipe import Recipe, reference_milk
from openpail.craft.recipe.yields import moisture, own_moisture, usual_of

_DRIEST, _WETTEST = 20.0, 88.0
_FAR = 12.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Yielded:
    """The cheese as it was weighed against what was expected.

    kg; of_expected, × 1 as expected; moisture_pct that it implies, and expected_pct; per_100kg of
    milk; words, what that means.
    """

    kg: float
    of_expected: float
    moisture_pct: Figure
    expected_pct: float
    per_100kg: float
    words: str

    @property
    def cannot_be(self) -> bool:
        """Whether no cheese of this milk has that weight, or hardly."""
        found = self.moisture_pct.value
        return not _DRIEST <= found <= _WETTEST or abs(found - self.expected_pct) > _FAR


def expected_moisture(recipe: Recipe, sheet: Frozen) -> float:
    """Moisture that the cheese of a sheet is expected to have, a fraction.

    Parameters: recipe and sheet. Source: as the yield.
    """
    house, milk = sheet.house, sheet.milk
    if recipe.family == "whey":
        return moisture("whey", house)
    usually = usual_of(recipe, reference_milk(recipe, house), house)
    whey = max(0.0, milk.protein.value - milk.casein.value)
    return own_moisture(
        recipe.family,
        milk.fat.value,
        milk.casein.value,
        house=house,
        usually=usually,
        whey_protein_pct=whey,
    )


def yielded(recipe: Recipe, sheet: Frozen, kg: float) -> Yielded:
    """What a weight out of the mould says.

    Parameters: recipe and sheet; kg of all its pieces, over 0. Source: mass balance: the solids are
    as expected, what more it weighs is water.
    """
    water = expected_moisture(recipe, sheet)
    # of what the milk brings: more cheese than that, as it was learnt, is taken to be water
    solids = sheet.cheese.value / sheet.yield_learnt * (1 - water)
    figure = Figure.start("all of it", 100.0, "%", rests_on_assumed=True).minus(
        f"solids: {solids:.2f} kg expected, in {kg:.2f} kg weighed", 100 * solids / kg, "%"
    )
    share = kg / sheet.cheese.value
    return Yielded(
        kg=kg,
        of_expected=share,
        moisture_pct=figure,
        expected_pct=100 * water,
        per_100kg=100 * kg / sheet.milk.mass.value,
        words=_said(share, sheet.house),
    )


def _said(share: float, house: House) -> str:
    much, little = house.number("yield.much"), house.number("yield.little")
    if share > 1 + much:
        return "Much more than expected: it holds more water, and ripens sooner and softer."
    if share > 1 + little:
        return "A little more than expected: a little more water in it."
    if share < 1 - much:
        return (
            "Much less than expected: drier, or curd went with the whey. Was the whey milky, the "
            "cut rough?"
        )
    if share < 1 - little:
        return "A little less than expected: a little drier."
    return "As expected."
