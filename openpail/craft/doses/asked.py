"""What a sheet is asked for: a recipe, a milk, the bottles at hand, and the house ways."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from openpail.craft.doses import calcium, rennet
from openpail.craft.house import House
from openpail.craft.milk.blend import Blend
from openpail.craft.recipe.recipe import Ingredient, Recipe
from openpail.craft.stock.learning import NOTHING_LEARNT, Learnt
from openpail.craft.stock.products import Product

Small = Literal["spoons", "scale", "dilution"]
Ripen = Literal["to_ph", "by_clock"]
BrineBy = Literal["weight", "faces"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Ways:
    """The dairy's house ways, where makers disagree, and what it measures small amounts with.

    spoons: names of the spoons in the drawer, () for all; scale_g: the finest weight its scale
    shows, 0 for none. rennet_diluted: or drop by drop, as it is. brining: hours in brine told by
    the weight of a piece, or by its faces.
    """

    raw_calcium: calcium.RawWay = "table"
    rennet: rennet.School = "keep_clock"
    raw_culture_less: bool = False
    raw_rennet_less: float = 0.0
    ripen: Ripen = "to_ph"
    rest_cold: bool = False
    move_steps: bool = True
    small: Small = "spoons"
    spoons: tuple[str, ...] = ()
    scale_g: float = 0.0
    rennet_diluted: bool = True
    brining: BrineBy = "weight"


@dataclass(frozen=True, slots=True, kw_only=True)
class Job:
    """What a sheet is asked for: recipe, milk, bottles by ingredient, house and ways, what-ifs.

    renneting_c, renneting_ph: instead of the recipe's, the milk's. own: the maker's amounts by
    ingredient, in the bottle's unit. left_out: factors the maker leaves out, (ingredient, house
    key). as_written and moved: of steps, (step, part) that the maker leaves as written, or moves
    against the house way. learnt: what the makes with this rennet taught of its
    strength; acid_learnt, what they taught of how much of this acid hot milk wants; yield_learnt,
    of how much of this cheese comes; lively, of the speed of cultures, by lot.
    """

    recipe: Recipe
    milk: Blend
    house: House
    bottles: Mapping[str, Product] = field(default_factory=dict)
    ways: Ways = field(default_factory=Ways)
    renneting_c: float | None = None
    learnt: Learnt = NOTHING_LEARNT
    renneting_ph: float | None = None
    own: Mapping[str, float] = field(default_factory=dict)
    left_out: frozenset[tuple[str, str]] = frozenset()
    as_written: frozenset[tuple[str, str]] = frozenset()
    moved: frozenset[tuple[str, str]] = frozenset()
    acid_learnt: Learnt = NOTHING_LEARNT
    yield_learnt: Learnt = NOTHING_LEARNT
    lively: Mapping[str, Learnt] = field(default_factory=dict)

    def bottle(self, ingredient: Ingredient) -> Product:
        """The bottle an ingredient is given from: the chosen one, else the recipe's own."""
        return self.bottles.get(ingredient.key, ingredient.product)

    def is_raw(self) -> bool:
        """Raw for every safety rule: the milk, or a culture that was grown in raw milk."""
        return self.milk.numbers.is_raw or any(
            self.bottle(each).raw for each in self.recipe.ingredients
        )

    def has_own_rennet(self) -> bool:
        """Whether a packet in use brings the rennet with it, where the recipe's does not."""
        return any(
            self.bottle(each).form == "one-packet" and each.product.form != "one-packet"
            for each in self.recipe.ingredients
        )


def rennet_lot(recipe: Recipe, bottles: Mapping[str, Product]) -> str:
    """The lot that a recipe's rennet is given from, "" without one; makes teach by lot.

    Parameters: bottles, by ingredient. Source: derivation.
    """
    rennet = recipe.ingredient("rennet")
    return bottles[rennet.key].lot if rennet and rennet.key in bottles else ""
