"""What a sheet is asked for: a recipe, a milk, the bottles at hand, and the house ways."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from openpail.craft import calcium, rennet
from openpail.craft.blend import Blend
from openpail.craft.house import House
from openpail.craft.learning import NOTHING_LEARNT, Learnt
from openpail.craft.products import Product
from openpail.craft.recipe import Recipe


@dataclass(frozen=True, slots=True)
class Ways:
    """The dairy's house ways, where makers disagree."""

    raw_calcium: calcium.RawWay = "table"
    rennet: rennet.School = "keep_clock"
    raw_culture_less: bool = True


@dataclass(frozen=True, slots=True)
class Job:
    """What a sheet is asked for: recipe, milk, bottles by kind, house and ways, what-ifs.

    rennet_id names the bottle of rennet; learnt, what its makes taught of its strength.
    """

    recipe: Recipe
    milk: Blend
    house: House
    bottles: Mapping[str, Product] = field(default_factory=dict)
    ways: Ways = field(default_factory=Ways)
    renneting_c: float | None = None
    rennet_id: str = ""
    learnt: Learnt = NOTHING_LEARNT
