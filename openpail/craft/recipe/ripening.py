"""How long a cheese ripens, and what of it decides which cautions it carries."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import prod
from typing import NamedTuple

from openpail.craft.house import House
from openpail.craft.milk.kinds import species_of
from openpail.craft.recipe.recipe import Recipe, Stage
from openpail.craft.recipe.yields import ACID_HEAT, STRETCHED

RAW_DAYS = 60
HEATED_C = 75.0
WARM_C, COLD_C = (10.0, 45.0), 7.0  # germs grow between; in the cold they do not
# Soft whatever its moisture, where its milk is raw; and where Listeria grows, of any milk.
SOFT_WHEN_RAW = frozenset({"bloomy", "washed_rind", "lactic", "whey", "grilling", *ACID_HEAT})
LISTERIA = frozenset({*SOFT_WHEN_RAW, *STRETCHED, "blue", "white_brined"})
_SOFT_RIPENED = frozenset({"bloomy", "blue", "washed_rind", "lactic"})
_FROM_THE_RIND = frozenset({"bloomy", "washed_rind"})
_SAME = 0.02
SOONER, LATER = 0.9, 1.15


@dataclass(frozen=True, slots=True)
class OfPiece:
    """What of a piece moves its days against the recipe's.

    raw; thick: its height against the recipe's; animals: share of its milk by species, {} where
    it is the recipe's own.
    """

    raw: bool = False
    thick: float = 1.0
    animals: Mapping[str, float] = field(default_factory=dict)


class Pace(NamedTuple):
    """One reason why a cheese ripens in more or fewer days than the recipe says."""

    label: str
    factor: float
    source: str
    house_key: str = ""


def paces(recipe: Recipe, house: House, piece: OfPiece) -> list[Pace]:
    """Why a piece ripens faster or slower than its recipe, before it ever lay anywhere.

    Parameters: recipe; house; piece. Source: house values; days × (thickness / recipe’s)^0.7.
    """
    found = []
    if piece.raw and recipe.family in _SOFT_RIPENED:
        key = "ripen.raw_soft"
        found.append(Pace("soft, of raw milk", house.number(key), house.source(key), key))
    if recipe.family in _FROM_THE_RIND and abs(piece.thick - 1) > _SAME:
        key = "ripen.thickness_power"
        factor = piece.thick ** house.number(key)
        than = "thinner" if piece.thick < 1 else "thicker"
        label = f"{than} than the recipe’s: {100 * piece.thick:.0f} % of its height"
        found.append(Pace(label, factor, house.source(key), key))
    if recipe.family in _FROM_THE_RIND and piece.animals:
        own = {part.breed: part.volume_l for part in recipe.reference}
        asked: dict[str, float] = {}
        for breed, litres in own.items():
            name = species_of(breed)
            asked[name] = asked.get(name, 0.0) + litres / sum(own.values())
        key = f"ripen.{max(piece.animals, key=lambda name: piece.animals[name])}"
        factor = _of_species(piece.animals, house) / _of_species(asked, house)
        if abs(factor - 1) > _SAME:
            told = " and ".join(sorted(piece.animals))
            label = f"of {told} milk, not {' and '.join(sorted(asked))}"
            found.append(Pace(label, factor, house.source(key), key))
    return found


def _of_species(shares: Mapping[str, float], house: House) -> float:
    return sum(share * house.number(f"ripen.{name}") for name, share in shares.items()) / sum(
        shares.values()
    )


def stage_days(
    recipe: Recipe, house: House, raw: bool = False, piece: OfPiece | None = None
) -> list[tuple[Stage, int]]:
    """Each stage with its days, at least 1; a raw soft or blue cheese is faster.

    Parameters: recipe; house; raw, whether the milk was; piece, where it is known whose days they
    are. Source: house value.
    """
    factor = prod(each.factor for each in paces(recipe, house, piece or OfPiece(raw)))
    return [(stage, max(1, round(stage.days * factor))) for stage in recipe.stages]


def ready_days(recipe: Recipe, house: House, raw: bool = False) -> tuple[int, int, int]:
    """Days from the make on which it is ready: the soonest, the recipe's, the latest.

    Parameters: recipe; house; raw, whether the milk was. Source: house value, 0.9 to 1.15 times.
    """
    total = sum(days for _, days in stage_days(recipe, house, raw))
    return round(total * SOONER), total, round(total * LATER)


def is_heated(recipe: Recipe) -> bool:
    """Whether its own steps bring the milk to 75 °C before the acid or with it; whey cheese ever.

    Parameters: recipe, of acid and heat or whey; False for every other. Source: our own judgement.
    """
    if recipe.family not in (*ACID_HEAT, "whey"):
        return False
    acids = {each.key for each in recipe.ingredients if each.product.kind == "acid"}
    for step in recipe.steps:
        if step.celsius and step.celsius.low >= HEATED_C:
            return True
        if acids & set(step.adds) and recipe.family != "whey":
            return False
    return False


def salt_in_milk_pct(recipe: Recipe) -> float:
    """Salt that goes into the milk before the rennet, % of it; 0 for none given in per cent.

    Parameters: recipe. Source: the recipe.
    """
    return max(
        (
            each.amount
            for each in recipe.ingredients
            if each.product.kind == "salt" and each.basis == "percent_of_milk"
        ),
        default=0.0,
    )


def without_acid(recipe: Recipe, house: House) -> bool:
    """Whether no acid guards its warm hours: salt in the milk, or no culture where others have one.

    Parameters: recipe; house. Source: house value.
    """
    if salt_in_milk_pct(recipe) >= house.number("culture.salt_stops"):
        return True
    return recipe.family in ("stretched_quick", "grilling") and not recipe.ingredient("culture")


def warm_hours(recipe: Recipe) -> float:
    """Hours that its steps keep it between 10 and 45 °C, until it is at 7 °C or colder.

    A step that names no warmth is as warm as the one before. Parameters: recipe.
    Source: derivation.
    """
    minutes, at = 0.0, recipe.renneting_c or 0.0
    for step in recipe.steps:
        if step.celsius:
            at = step.celsius.target
        if step.kind == "brine" and not step.celsius:
            at = COLD_C
        if WARM_C[0] <= at <= WARM_C[1]:
            minutes += step.minutes
    return minutes / 60
