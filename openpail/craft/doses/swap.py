"""One bottle in place of another: whether it can be, and what it changes besides the dose."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.house import House
from openpail.craft.recipe.recipe import Ingredient, Recipe
from openpail.craft.recipe.ripening import salt_in_milk_pct
from openpail.craft.stock.products import LIVE, SORTS, Product

_LONG_DAYS = 90
_MICROBIAL = frozenset({"microbial", "miehei", "parasitica"})
_CURD_STEPS_TO = 62.0  # °C: over this it is a bath for stretching or whey, no culture's affair


@dataclass(frozen=True, slots=True)
class Swap:
    """Whether a bottle can stand in, and in words what to expect of it, or why it cannot."""

    can: bool
    words: tuple[str, ...] = ()


def _no(words: str) -> Swap:
    return Swap(False, (words,))


def may_be_asked(ingredient: Ingredient, bottle: Product) -> bool:
    """Whether a bottle is of the kind that an ingredient is at all. Source: derivation."""
    return bottle.kind == ingredient.product.kind


def stand_in(ingredient: Ingredient, bottle: Product, recipe: Recipe, house: House) -> Swap:
    """Whether a bottle can be given for an ingredient of a recipe.

    Parameters: ingredient; bottle at hand; recipe; house, for the warmths cultures stand.
    Returns: the answer with what changes beside dose and clock, which the sheet works out.
    Source: house value; usual practice.
    """
    written = ingredient.product
    if not may_be_asked(ingredient, bottle):
        return _no("it is another kind of thing.")
    if bottle.kind == "rennet":
        return Swap(True, _rennet(written, bottle, recipe))
    if bottle.kind == "culture":
        return _culture(written, bottle, recipe, house)
    if bottle.kind == "mould" and written.sort and bottle.sort and written.sort != bottle.sort:
        return _no(
            f"{SORTS['mould'][bottle.sort]} makes another cheese than "
            f"{SORTS['mould'][written.sort]}."
        )
    if bottle.kind in LIVE and not (bottle.unit == written.unit or bottle.serves_l):
        return _no(
            f"how many litres one {bottle.unit} is for must be known: write it in the stock."
        )
    if bottle.kind == "acid":
        return Swap(True, _acid(bottle, recipe))
    if bottle.kind == "lipase" and bottle.sort and written.sort and bottle.sort != written.sort:
        return Swap(True, (f"Another taste: {SORTS['lipase'][bottle.sort]}.",))
    if bottle.kind == "salt" and bottle.sort and bottle.sort != (written.sort or "fine"):
        return Swap(True, ("The same weight; another number of spoons.",))
    return Swap(True)


def _rennet(written: Product, bottle: Product, recipe: Recipe) -> tuple[str, ...]:
    words = []
    long = sum(stage.days for stage in recipe.stages) > _LONG_DAYS
    if bottle.sort == "plant" and written.sort != "plant":
        words.append(
            "Plant rennet goes on cutting protein: bitter and soft in a cheese kept over three "
            "months; at home in sheep’s and goat’s milk."
            if long
            else "Plant rennet makes a softer paste and a faint bitterness, at home in sheep’s and "
            "goat’s milk."
        )
    elif bottle.sort in _MICROBIAL and long:
        words.append("Microbial rennet may turn a long-kept cheese bitter.")
    elif bottle.sort in ("kid", "animal") and bottle.form == "paste":
        words.append("A paste of kid or lamb brings lipase with it: a piquant cheese.")
    if bottle.scale == "unknown":
        words.append("Its label says no strength, and this dose is a guess: test it at home first.")
    elif bottle.scale != "imcu":
        words.append("Its label tells the strength to about a fifth: test it at home.")
    if bottle.form == "tablet":
        words.append("Crush it, and dissolve it fully in its water.")
    return tuple(words)


def _culture(written: Product, bottle: Product, recipe: Recipe, house: House) -> Swap:
    salt, most_salt = salt_in_milk_pct(recipe), house.number("culture.salt_stops")
    if salt >= most_salt and not bottle.stands_salt:
        return _no(
            f"{salt:g} % salt goes into the milk: only a culture marked in the stock as standing "
            "salt works there."
        )
    mine, theirs = bottle.form == "one-packet", written.form == "one-packet"
    if theirs and not mine:
        return _no("the recipe’s packet has the rennet in it, and this has none.")
    if mine and not theirs and recipe.family != "lactic":
        return _no("it has rennet in it, in a dose for bag cheese; this recipe wants its own.")
    hot = _hottest(recipe)
    most, least = house.number("culture.mild_hottest"), house.number("culture.hot_coldest")
    if bottle.sort == "mild" and written.sort != "mild" and hot > most:
        return _no(f"it is spent over {most:g} °C, and the curd goes to {hot:g} °C.")
    sours = _sours_at(recipe)
    if bottle.sort == "hot" and written.sort != "hot" and sours < least:
        return _no(
            f"it sours hardly at all under {least:g} °C, and this milk ripens at {sours:g} °C."
        )
    words = []
    if mine and not theirs:
        words.append("It brings its own rennet: leave the recipe’s out. Whole packets only.")
    if not bottle.sort and written.sort:
        words.append("It does not say for what warmth it is: watch the pH.")
    elif bottle.sort != written.sort and written.sort:
        words.append("Another mixture: another taste, and acid at another pace. Go by the pH.")
    if bottle.form in ("jar", "mother", "cubes") and written.form not in ("jar", "mother", "cubes"):
        words.append("Its strength is not known as a packet’s is: go by the pH, not by the clock.")
    if bottle.raw:
        words.append("Grown in raw milk: the whole batch counts as raw.")
    return Swap(True, tuple(words))


def _sours_at(recipe: Recipe) -> float:
    """How warm it is while the make needs its first acid, °C."""
    step = recipe.ripening()
    if step is not None and step.celsius is not None:
        return step.celsius.target
    return recipe.renneting_c or _hottest(recipe)


def _hottest(recipe: Recipe) -> float:
    """The warmest that the curd gets in the vat, °C."""
    warmths = [
        step.celsius.target
        for step in recipe.steps
        if step.celsius
        and step.kind not in ("stretch", "cook in whey")
        and step.celsius.target <= _CURD_STEPS_TO
    ]
    return max(warmths, default=recipe.renneting_c or 0.0)


def _acid(bottle: Product, recipe: Recipe) -> tuple[str, ...]:
    lemon = bottle.sort.startswith("lemon")
    if recipe.family == "stretched_quick":
        if lemon:
            return (
                "Lemon varies too much for a sure stretch: test a bit of curd in hot water "
                "before the rest.",
            )
        if not bottle.sort.startswith("citric"):
            return ("It binds no calcium, so the curd must come to a lower pH to stretch.",)
        return ()
    if lemon:
        return ("Fruit varies by a fifth either way: by the eye, until the whey runs clear.",)
    return ()
