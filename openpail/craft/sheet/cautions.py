"""Cautions: what the record shows, what it usually means, and where the tool stops.

Nothing here says that a cheese is fine to eat. Each caution has a level: stop (blocked until the
maker writes why; `hard` is blocked whatever is written), strong caution (never clears by
itself), caution, note.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Literal

from openpail.craft.house import House
from openpail.craft.milk.blend import Blend
from openpail.craft.milk.fitness import Fitness
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.yields import ACID_HEAT, NO_RENNET_FAMILIES, family_mffb
from openpail.craft.stock.products import Product

Level = Literal["stop", "strong caution", "caution", "note"]
LEVELS: tuple[Level, ...] = ("stop", "strong caution", "caution", "note")

DEFERRAL = (
    "A notebook and a calculator, no food-safety plan: local law, your dairy’s own inspector and "
    "licensed practice come first."
)
SOFT_MFFB = 67.0
RAW_DAYS = 60
HEATED_C = 72.0
_FRESH_OR_SOFT = frozenset(
    {"bloomy", "blue", "washed_rind", "lactic", "whey", "acid_heat_soft", "acid_heat_pressed"}
)
_SOFT_WHEN_RAW = _FRESH_OR_SOFT - ACID_HEAT - {"blue"}


@dataclass(frozen=True, slots=True)
class Caution:
    """One thing to say: its key, level, a short title and what it means."""

    key: str
    level: Level
    title: str
    words: str
    hard: bool = False


def for_sheet(
    recipe: Recipe,
    milk: Blend,
    fitness: Iterable[tuple[str, Fitness, bool]],
    products: Iterable[Product],
    made_on: date,
    house: House,
) -> tuple[Caution, ...]:
    """Every caution that belongs to a sheet, the gravest first.

    Parameters: recipe; milk in the vat; fitness of each lot with its name and whether it is
    the farm's own; products used; made_on, the day of the make; house.
    Source: 21 CFR 131.110 and 133; Grade "A" PMO; Codex CXS 283; house values.
    """
    lots, used = list(fitness), list(products)
    found = [
        *(caution for name, each, _ in lots for caution in _unfit(name, each, recipe)),
        *_raw(recipe, milk, made_on, house, used),
        *_warm_hold(recipe, milk, house),
        *_any_milk(recipe),
        *_declared(milk, lots),
        *_handling(recipe, used),
        _allergens(recipe, milk),
    ]
    return tuple(sorted(found, key=lambda each: LEVELS.index(each.level)))


def _unfit(name: str, fitness: Fitness, recipe: Recipe) -> Iterable[Caution]:
    for reason in fitness.reasons:
        if reason.verdict == "not for cheese":
            title = f"{name}: not for cheese."
            yield Caution("unfit", "stop", title, reason.words, reason.hard)
        elif reason.verdict == "not for rennet cheese":
            if recipe.family not in NO_RENNET_FAMILIES:
                yield Caution("ultra", "stop", f"{name}: not for rennet.", reason.words, True)
        else:
            yield Caution("milk", "caution", f"{name}.", reason.words)


def is_soft(recipe: Recipe, milk: Blend, house: House) -> bool:
    """Soft for every safety rule: MFFB over 67, or a fresh, bloomy, smear or whey family.

    Parameters: recipe; milk; house. Source: Codex CXS 283; house value.
    """
    whey = milk.casein.value < house.number("whey.most_casein")
    if recipe.family in _SOFT_WHEN_RAW or whey:
        return True
    return (
        recipe.family not in NO_RENNET_FAMILIES
        and family_mffb(recipe.family, milk.fat.value, milk.casein.value, house) > SOFT_MFFB
    )


def _raw(
    recipe: Recipe, milk: Blend, made_on: date, house: House, products: Iterable[Product]
) -> Iterable[Caution]:
    jar = next((product for product in products if product.raw), None)
    if not (milk.numbers.is_raw or jar) or _boiled(recipe):
        return
    if jar and not milk.numbers.is_raw:
        yield Caution(
            "raw-jar",
            "caution",
            f"{jar.name} was grown in raw milk.",
            "The whole batch counts as raw, though the milk in the vat was heated.",
        )
    if is_soft(recipe, milk, house):
        limit = house.number("fitness.cold_caution_soft_h")
        if any(each.hours_cold > limit for each in milk.pours):
            yield Caution(
                "raw-soft-age",
                "caution",
                f"Over {limit:.0f} h cold.",
                "For a soft cheese raw milk wants to be fresher.",
            )
        yield Caution(
            "raw-soft",
            "strong caution",
            "Raw milk, soft cheese.",
            "No age clears this. Not for the pregnant, the very young, the old or the ill. Before "
            "it is sold, write which law allows it.",
        )
        return
    day = made_on + timedelta(days=RAW_DAYS)
    yield Caution(
        "raw",
        "caution",
        "Raw milk.",
        "It can carry harmful germs: not for the pregnant, very young, old or ill. Ask the herd’s "
        "status (brucellosis, tuberculosis, Q fever). "
        f"{RAW_DAYS} days at 1.7 °C or above: {day:%-d %b}, the date only.",
    )


def _boiled(recipe: Recipe) -> bool:
    """Acid and heat, and whey cheese, when the recipe heats it as milk is heated to be safe."""
    hot = any(step.celsius and step.celsius.low >= HEATED_C for step in recipe.steps)
    return recipe.family in ACID_HEAT or (recipe.family == "whey" and hot)


_HELD_WARM = ("stretched_quick", "grilling")


def _warm_hold(recipe: Recipe, milk: Blend, house: House) -> Iterable[Caution]:
    """Salt in the milk, or no culture at all: a warm hold that no acid guards."""
    stops = house.number("culture.salt_stops")
    salted = any(
        each.product.kind == "salt" and each.basis == "percent_of_milk" and each.amount >= stops
        for each in recipe.ingredients
    )
    if not salted and (recipe.family not in _HELD_WARM or recipe.ingredient("culture")):
        return
    why = "Salt in the milk all but stops the culture" if salted else "No culture makes acid here"
    raw = (
        f" Raw: {RAW_DAYS} days in a brine that ends at 6 % salt or more, at 7 °C or colder."
        if milk.numbers.is_raw
        else ""
    )
    yield Caution(
        "warm-hold",
        "strong caution",
        "A warm hold without acid.",
        f"{why}, and germs mind it less. Pasteurised milk is the default; at most "
        f"{house.number('fitness.warm_hold_h'):g} h in all between 10 and 45 °C until it is at "
        "7 °C. The heat of stretching or grilling is no pasteurisation unless a log shows it."
        + raw,
    )


def _any_milk(recipe: Recipe) -> Iterable[Caution]:
    if recipe.family in _FRESH_OR_SOFT:
        yield Caution(
            "fresh",
            "caution",
            "Fresh, soft or blue, of any milk.",
            "Listeria grows in such cheese: not for the pregnant, very young, old or ill. "
            f"At 4 °C or under, eat within {recipe.eat_by_days} days.",
        )


def _declared(milk: Blend, lots: list[tuple[str, Fitness, bool]]) -> Iterable[Caution]:
    own = {name for name, _, is_own in lots if is_own}
    for each in milk.pours:
        if each.treatment in ("raw", "thermised", "high_pressure", "ultra_heated"):
            continue
        if each.name in own:
            words = "No log of the heating is kept here: it counts as declared, not logged."
            yield Caution("declared", "caution", f"{each.name}: pasteurised on trust.", words)
        else:
            words = "Taken as its label says."
            yield Caution("declared-shop", "note", f"{each.name}: pasteurised.", words)


def _handling(recipe: Recipe, products: Iterable[Product]) -> Iterable[Caution]:
    if any(step.celsius and step.celsius.target >= 60 for step in recipe.steps):
        yield Caution(
            "hot",
            "note",
            "Hot whey, 60 °C and over.",
            "Gloves, two people to lift a full pot, children and animals out.",
        )
    for product in products:
        if product.kind == "calcium" and product.per == "dry":
            yield Caution(
                "flakes",
                "note",
                "Calcium chloride heats in water.",
                "Flakes into cold water, little by little; mind the eyes; food grade only.",
            )
        if product.kind == "rennet":
            yield Caution(
                "water",
                "note",
                "Water for the rennet.",
                "Chlorine spoils it: stand tap water 24 h or boil it 5 min, then cool it; for "
                "chloramine use a carbon filter or bottled water.",
            )


def _allergens(recipe: Recipe, milk: Blend) -> Caution:
    animals = " and ".join(sorted({each.species for each in milk.pours}))
    return Caution("allergens", "note", "Allergens.", f"Milk ({animals}).")
