"""How a recipe goes with a milk, told before its sheet is worked out."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Literal

from openpail.craft.bench.ratio import check
from openpail.craft.doses.setting import refuse_unsettable
from openpail.craft.errors import NotPossible
from openpail.craft.house import House
from openpail.craft.milk.blend import Pour, pour
from openpail.craft.milk.fitness import Verdict
from openpail.craft.recipe.recipe import RatioRule, Recipe
from openpail.craft.recipe.yields import NO_RENNET_FAMILIES, takes

Answer = Literal["fits", "would do", "not"]
ANSWERS: tuple[Answer, ...] = ("fits", "would do", "not")


@dataclass(frozen=True, slots=True)
class Fit:
    """The answer, and why."""

    answer: Answer
    words: str


def fit(recipe: Recipe, pours: Sequence[Pour], verdicts: Sequence[Verdict], house: House) -> Fit:
    """Whether a recipe is written for such milk, would do for it, or is not for it.

    Parameters: recipe; pours, one or more; verdicts, what each is fit for; house.
    Source: derivation; the smallest batch, house value.
    """
    milk = pour(pours, house)
    is_whey = milk.numbers.casein_pct < house.number("whey.most_casein")
    if (recipe.family == "whey") != is_whey:
        return Fit("not", "whey holds no curd for it" if is_whey else "made from whey")
    if "not for cheese" in verdicts:
        return Fit("not", "this milk is not for cheese")
    if not all(takes(recipe.family, verdict) for verdict in verdicts):
        boiled = "boiled acid-and-heat only" in verdicts
        why = "is for a boiled acid curd only" if boiled else "is not for a rennet cheese any more"
        return Fit("not", f"this milk {why}")
    if recipe.family not in NO_RENNET_FAMILIES:
        try:
            refuse_unsettable(milk.numbers, house)
        except NotPossible:
            return Fit("not", "milk heated so hot does not set with rennet")
    litres = sum(each.volume_l for each in pours)
    against = [_animals(recipe, pours, house), _little(recipe, litres, house)]
    words = [each for each in against if each]
    if words:
        return Fit("would do", "; ".join(words))
    return Fit("fits", f"written for {_whose(recipe.animals())} milk")


def _animals(recipe: Recipe, pours: Sequence[Pour], house: House) -> str:
    if recipe.family == "whey":
        return ""
    if recipe.ratio:
        found = check(recipe.ratio, pours, (), house)
        return "" if found.ok else f"it wants {_parts(recipe.ratio)}"
    own, here = recipe.animals(), list(dict.fromkeys(each.species for each in pours))
    others = [each for each in here if each not in own]
    if not others:
        return ""
    return f"written for {_whose(own)} milk; this is {_whose(here)}"


def to_mix(recipe: Recipe, animals: Collection[str]) -> Fit | None:
    """A recipe of several milks where all of them are there; None for any other.

    Parameters: recipe; animals whose milk is there. Source: derivation.
    """
    rule = recipe.ratio
    if rule is None or not {animal for animal, _, _ in rule.shares} <= set(animals):
        return None
    return Fit("fits", f"mixed at the Bench, {_parts(rule)}")


def _parts(rule: RatioRule) -> str:
    return " and ".join(f"{50 * (a + b):.0f} % {animal}" for animal, a, b in rule.shares)


def _whose(animals: Sequence[str]) -> str:
    return " and ".join(f"{each}’s" for each in animals)


def _little(recipe: Recipe, litres: float, house: House) -> str:
    written = sum(part.volume_l for part in recipe.reference)
    if litres >= house.number("plan.least_batch") * written:
        return ""
    return f"little milk: it is written for {written:.0f} L"
