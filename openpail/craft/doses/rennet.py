"""Rennet: the recipe's dose, turned so that this milk keeps the recipe's clock."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from openpail.craft.doses.setting import SetFactors, Setting, by_species, enzyme_key, factors
from openpail.craft.figure import Figure, Step, replay
from openpail.craft.house import House
from openpail.craft.milk.blend import VatMilk
from openpail.craft.milk.kinds import PASTEURISED
from openpail.craft.stock.products import SORTS
from openpail.craft.units import HAIR

_SAME_PH = 0.005  # pH is told with two decimals

School = Literal["keep_clock", "keep_dose"]


def ratio_steps(
    this: Setting, recipe: Setting, house: House, raw_less: float = 0.0
) -> tuple[Step, ...]:
    """This milk's rennet per kg against the recipe's, to keep the recipe's clock, as steps.

    Parameters: this and recipe, the two milks at renneting; house; raw_less, the house way of
    cutting back in raw milk against a heated recipe, a share 0–0.25.
    Returns: a start of 1 and each factor that is not 1.
    Raises: OutOfRange, NotPossible as `setting.factors`.
    Source: house value; calcium and homogenising never earn a smaller dose, heat and calcium of
    the recipe's milk never earn raw milk a larger one.
    """
    if this.ph is None:  # nobody measured it: as the recipe’s, whatever that names
        named = recipe.ph if recipe.ph is not None else recipe.named_ph
        this, recipe = replace(this, named_ph=named), replace(recipe, ph=None, named_ph=named)
    mine, theirs = factors(this, house), factors(recipe, house)
    steps = [Step("start", "the recipe’s dose", 1.0)]
    steps += _kept(this, recipe, mine, theirs, house)
    raw = raw_against_heated(this.milk, recipe.milk)
    if raw:  # the cold days count all the same, and the animals
        kept, calcium = mine.cold / theirs.cold, 1.0
        words = "days held cold"
    else:
        kept, calcium = mine.treatment / theirs.treatment, mine.calcium / theirs.calcium
        words = "heating and keeping against the recipe’s"
    rows = (
        ("calcium added here against the recipe’s", calcium, "rennet.per_calcium"),
        (words, kept, ""),
        ("the animals: late in milk, cells, genes", mine.animals / theirs.animals, ""),
    )
    inner = tuple(
        Step("times" if n else "start", label, value, "", house.source(key) if key else "", key)
        for n, (label, value, key) in enumerate(rows)
    )
    if abs(replay(inner) - 1) > HAIR:
        floor = (*inner, Step("at_least", "never less than 1", 1.0, source="house value"))
        steps.append(Step("times", _floor_words(replay(inner)), replay(floor), of=floor))
    weaker = _weak_share(this.milk) - _weak_share(recipe.milk)
    if weaker > 0:
        key = "rennet.weaker"
        factor = 1 + (house.number(key) - 1) * weaker
        words = "homogenised, high-heat or scalded: a weaker set"
        steps.append(Step("times", words, factor, "", house.source(key), key))
    if raw and raw_less:
        words = f"house way: {100 * raw_less:.0f} % less in raw milk"
        steps.append(Step("times", words, 1 - raw_less, "", "house way"))
    return tuple(steps)


def raw_against_heated(this: VatMilk, recipe: VatMilk) -> bool:
    """Whether all of this milk is raw and never frozen, and all of the recipe's is heated.

    Parameters: this milk and the recipe's. Source: our own judgement.
    """
    return all(share.treatment == "raw" and not share.frozen for share in this.shares) and all(
        share.treatment in PASTEURISED for share in recipe.shares
    )


def _kept(
    this: Setting, recipe: Setting, mine: SetFactors, theirs: SetFactors, house: House
) -> list[Step]:
    rows = (
        (
            f"{this.celsius:g} °C at renneting, recipe {recipe.celsius:g}",
            mine.temperature / theirs.temperature,
            "rennet.temperature",
        ),
        (_ph_words(this, recipe), mine.ph / theirs.ph, "rennet.per_ph"),
        (
            f"this rennet at this pH, against {SORTS['rennet'].get(recipe.rennet, 'calf')}",
            mine.enzyme / theirs.enzyme,
            enzyme_key(this.rennet) or enzyme_key(recipe.rennet),
        ),
        ("salt in the milk", mine.salt / theirs.salt, "rennet.per_salt"),
        (
            _species_words(this.milk, recipe.milk),
            mine.species / theirs.species,
            _species_key(this.milk),
        ),
    )
    return [
        Step("times", label, factor, "", house.source(key) if key else "house value", key)
        for label, factor, key in rows
        if abs(factor - 1) > HAIR
    ]


def _ph_words(this: Setting, recipe: Setting) -> str:
    if this.ph is None:
        return "pH of this milk as usual"
    if recipe.ph is not None and abs(this.ph - recipe.ph) < _SAME_PH:
        return f"pH {this.ph:.2f} at renneting, as the recipe’s, from another milk’s own"
    return f"pH {this.ph:.2f} at renneting" + ("" if recipe.ph is None else f", {recipe.ph:.2f}")


def _species_words(milk: VatMilk, recipe: VatMilk) -> str:
    """Whose milk it is, against whose; never an animal that is not in it."""
    mine, theirs = (" and ".join(sorted(each.casein_shares())) for each in (milk, recipe))
    how = ", by casein," if " and " in mine + theirs else ""
    return f"{mine} milk{how} sets at its own pace, against the recipe’s {theirs}"


def _species_key(milk: VatMilk) -> str:
    names = list(milk.casein_shares())
    return f"rennet.species_{names[0]}" if len(names) == 1 else ""


def _floor_words(inner: float) -> str:
    if inner < 1:
        return "calcium and heating: never a smaller dose"
    return "heating, keeping and calcium against the recipe’s"


def _weak_share(milk: VatMilk) -> float:
    return milk.by_heat(lambda s: s.homogenised or s.treatment in ("high_heat", "scalded"))


def lactic_ratio_steps(this: VatMilk, recipe: VatMilk, house: House) -> tuple[Step, ...]:
    """Rennet of a lactic make per kg against the recipe's: species only.

    Parameters: this milk and the recipe's; house. Source: house value.
    """
    mine, theirs = (
        by_species(milk.casein_shares(), "rennet.species", house) for milk in (this, recipe)
    )
    start = Step("start", "the recipe’s dose", 1.0)
    if mine == theirs:
        return (start,)
    return (start, Step("times", _species_words(this, recipe), mine / theirs, "", "house value"))


def ratio(this: Setting, recipe: Setting, house: House) -> float:
    """The number that `ratio_steps` replays to, cut back by nothing.

    Parameters: this, recipe and house as there, and its errors. Source: house value.
    """
    return replay(ratio_steps(this, recipe, house))


def unusual(imcu_per_kg: Figure, family: str, house: House) -> str | None:
    """Words when a dose lies outside what is usual, else None.

    Parameters: imcu_per_kg; family of the recipe; house. Source: house value.
    """
    lactic = family == "lactic"
    low = house.number("rennet.lactic_low" if lactic else "rennet.warn_low")
    high = house.number("rennet.lactic_high" if lactic else "rennet.warn_high")
    if low <= imcu_per_kg.value <= high:
        return None
    return (
        f"{imcu_per_kg.value:.0f} IMCU per kg of milk is outside the usual {low:.0f} to "
        f"{high:.0f}. Look at the bottle’s label before you pour."
    )
