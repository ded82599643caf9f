"""Acid put straight into the milk: how much brings it from one pH to another."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass

from openpail.craft.doses.culture import buffer_index
from openpail.craft.errors import NotPossible, OutOfRange, Unknown
from openpail.craft.figure import Step
from openpail.craft.house import House, along
from openpail.craft.milk.blend import VatMilk
from openpail.craft.milk.kinds import usual_ph
from openpail.craft.recipe.recipe import Ingredient
from openpail.craft.stock.products import Product
from openpail.craft.units import HAIR

_LEAST_PH = 4.3  # the acids’ figures were taken down to here


@dataclass(frozen=True, slots=True)
class Constants:
    """An acid's molar mass (g/mol) and pKa values at 25 °C."""

    g_per_mol: float
    pka: tuple[float, ...]


ACIDS: Mapping[str, Constants] = {
    "citric_anhydrous": Constants(192.12, (3.13, 4.76, 6.40)),
    "citric_monohydrate": Constants(210.14, (3.13, 4.76, 6.40)),
    "acetic": Constants(60.05, (4.76,)),
    "lactic": Constants(90.08, (3.86,)),
}


def buffering(start_ph: float, target_ph: float, house: House) -> float:
    """∫ β dpH of cow's milk from the target up to the start, meq per kg.

    Parameters: start_ph over target_ph, both 4.3–6.8.
    Raises: OutOfRange.
    Source: house value, shaped on published titration curves; straight between its points.
    """
    if not _LEAST_PH <= target_ph < start_ph:
        raise OutOfRange(
            f"From pH {start_ph:.2f} to {target_ph:.2f}: acid only takes pH down, to 4.3 at least."
        )
    curve = house.curve("acid.buffer")
    knots = [target_ph, *(x for x, _ in curve if target_ph < x < start_ph), start_ph]
    return sum(
        (along(curve, a) + along(curve, b)) / 2 * (b - a) for a, b in itertools.pairwise(knots)
    )


def need_meq(
    start_ph: float, target_ph: float, casein_pct: float, milk_kg: float, house: House
) -> float:
    """Acid that brings a milk to a pH, meq.

    Parameters: start_ph and target_ph as `buffering`; casein_pct 0–10; milk_kg 0 or more; house.
    Raises: OutOfRange. Source: house value.
    """
    per_kg = buffering(start_ph, target_ph, house) * buffer_index(casein_pct, house)
    return per_kg * milk_kg


def equivalents_per_mol(acid: str, ph: float) -> float:
    """Equivalents that one mole of an acid gives at a pH.

    Parameters: acid, a key of ACIDS; ph 3–7. Raises: Unknown.
    Source: pKa values, CRC Handbook; Henderson–Hasselbalch.
    """
    if acid not in ACIDS:
        raise Unknown(f"“{acid}” is not an acid we know.")
    return sum(1 / (1 + 10 ** (pka - ph)) for pka in ACIDS[acid].pka)


def grams(acid: str, meq: float, ph: float) -> float:
    """Grams of the pure acid that give so many meq at a pH.

    Parameters: acid and ph as `equivalents_per_mol`; meq 0 or more. Source: derivation.
    """
    return meq / 1000 / equivalents_per_mol(acid, ph) * ACIDS[acid].g_per_mol


# What a product's acid is: the acid in it, and the house value of its strength, if labels vary.
_JUICES = {"lemon_fresh": "acid.lemon_fresh", "lemon_bottled": "acid.lemon_bottled"}


def acid_in(bottle: Product, fallback: str = "acetic") -> str:
    """Which acid of ACIDS a bottle holds; `fallback` when it does not say. Source: the label."""
    sort = bottle.sort or fallback
    return "citric_anhydrous" if sort in _JUICES else sort


def acids_of(ingredient: Ingredient, bottle: Product) -> tuple[str, str]:
    """Which acid a recipe was written for, and which one a bottle given for it holds.

    Parameters: ingredient of kind acid; bottle. Returns: two keys of ACIDS. Source: the labels.
    """
    theirs = acid_in(ingredient.product, ingredient.acid or "acetic")
    return theirs, acid_in(bottle, theirs)


def in_each(bottle: Product, house: House) -> Step:
    """Grams of acid in each mL (liquids) or g (crystals) of a bottle.

    Parameters: bottle of kind acid; house, for juices whose label does not say.
    Raises: NotPossible without a strength. Source: the label; house value.
    """
    if bottle.unit == "g":
        return Step("start", f"{bottle.name}: pure", (bottle.strength or 100) / 100, "g")
    if bottle.strength and bottle.sort == "lactic":  # sold by weight
        per_ml = along(house.curve("acid.lactic_density"), bottle.strength)
        return Step(
            "start",
            f"{bottle.name}: {bottle.strength:g} % by weight, {per_ml:.3g} g/mL",
            bottle.strength / 100 * per_ml,
            "g",
            house.source("acid.lactic_density"),
            "acid.lactic_density",
        )
    if bottle.strength:
        return Step(
            "start",
            f"{bottle.name}: {bottle.strength:g} g in 100 mL",
            bottle.strength / 100,
            "g",
            "the label",
        )
    key = _JUICES.get(bottle.sort)
    if key is None:
        raise NotPossible(f"{bottle.name}: write its strength in per cent.")
    words = f"{bottle.name}: about {house.number(key):g} g in 100 mL"
    return Step("start", words, house.number(key) / 100, "g", house.source(key), key)


def is_estimate(bottle: Product) -> bool:
    """Whether a bottle's strength is our guess: a juice without a label. Source: derivation."""
    return bottle.sort in _JUICES and not bottle.strength


def target_ph(family: str, acid: str, written: float | None, house: House) -> float:
    """The pH wanted of an acid: in a quick stretched curd each acid has its own.

    Parameters: family; acid, of ACIDS; written, the recipe's own, for every other family.
    Source: house value: citrate binds calcium, the others do not.
    """
    if family == "stretched_quick":
        citric = acid.startswith("citric")
        return house.number("acid.target_citric" if citric else "acid.target_other")
    return 5.80 if written is None else written


def ratio_steps(
    this: VatMilk, recipe: VatMilk, target: float, theirs: float, house: House
) -> tuple[Step, ...]:
    """Acid per kg of this milk against the recipe's, in equivalents, as steps.

    Parameters: the two milks; target, the pH for the acid at hand, and theirs, for the recipe's;
    house.
    Raises: OutOfRange when the milk is already at the target. Source: house value.
    """
    steps = [Step("start", "the recipe’s amount", 1.0)]
    buffer = buffer_index(this.casein_pct, house) / buffer_index(recipe.casein_pct, house)
    begins = _start_ph(this, house)
    drop = buffering(begins, target, house) / buffering(_start_ph(recipe, house), theirs, house)
    to = f"from pH {begins:.2f} to {target:.2f}"
    if target != theirs:
        to += f", this acid’s own; the recipe’s {theirs:.2f}"
    for label, factor, key in (
        (
            f"casein {this.casein_pct:.2f} %, recipe {recipe.casein_pct:.2f}: buffering",
            buffer,
            "culture.buffer_casein",
        ),
        (to, drop, "acid.buffer"),
    ):
        if abs(factor - 1) > HAIR:
            steps.append(Step("times", label, factor, "", house.source(key), key))
    return tuple(steps)


def sour_enough(ph: float, target: float) -> tuple[Step, ...]:
    """Whey that is at its target as it ran off wants no acid, as steps.

    Parameters: ph of it; target, the pH wanted. Source: derivation.
    """
    words = f"at pH {ph:.2f} it is sour enough, {target:.2f} is wanted: none"
    return Step("start", "the recipe’s amount", 1.0), Step("times", words, 0.0)


def acid_for_acid(
    written: Product,
    written_acid: str,
    theirs: float,
    *,
    bottle: Product,
    target: float,
    house: House,
) -> tuple[Step, ...]:
    """One acid in place of another, each at the pH that belongs to it: equivalents for equivalents.

    Parameters: written and written_acid, the recipe's, at pH theirs; bottle at hand, at target;
    house.
    Returns: steps that replay to units of the bottle for each unit written.
    Raises: NotPossible, Unknown. Source: pKa values, CRC Handbook; the labels.
    """
    mine = acid_in(bottle, written_acid)
    start, other = in_each(written, house), in_each(bottle, house)
    return (
        start,
        Step(
            "times",
            f"{plain_name(written_acid)} gives at pH {theirs:.2f}, eq/g",
            equivalents_per_mol(written_acid, theirs) / ACIDS[written_acid].g_per_mol,
            source="pKa values, CRC Handbook",
        ),
        Step("times", other.label, 1 / other.value, "", other.source, other.house_key),
        Step(
            "times",
            f"{plain_name(mine)} gives at pH {target:.2f}, g/eq",
            ACIDS[mine].g_per_mol / equivalents_per_mol(mine, target),
            source="pKa values, CRC Handbook",
        ),
    )


def plain_name(acid: str) -> str:
    """An acid as it is called: citric acid. Parameters: acid, a key of ACIDS. Source: its name."""
    return f"{acid.split('_', maxsplit=1)[0]} acid"


def _start_ph(milk: VatMilk, house: House) -> float:
    return milk.ph if milk.ph is not None else usual_ph(milk.casein_shares(), house)
