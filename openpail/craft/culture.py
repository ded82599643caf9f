"""Culture: more where the milk buffers more, less where it brings its own, more when it is old."""

from __future__ import annotations

from openpail.craft.blend import VatMilk
from openpail.craft.figure import Step
from openpail.craft.house import House
from openpail.craft.milk import Treatment
from openpail.craft.products import Product, vigour


def buffer_index(casein_pct: float, house: House) -> float:
    """How strongly a milk holds its pH, 1 at 2.70 % casein.

    Parameters: casein_pct 0–10; house. Source: house value.
    """
    base, slope = house.number("culture.buffer_base"), house.number("culture.buffer_casein")
    return base + slope * casein_pct / house.number("firm.casein_reference")


def buffer_ratio(this: VatMilk, recipe: VatMilk, house: House) -> float:
    """Buffering against the recipe's milk, kept within the house bounds. Source: house value."""
    raw = buffer_index(this.casein_pct, house) / buffer_index(recipe.casein_pct, house)
    least, most = house.number("culture.buffer_least"), house.number("culture.buffer_most")
    return min(most, max(least, raw))


def treatment_factor(milk: VatMilk, house: House, raw_gets_less: bool = True) -> float:
    """Culture a milk asks for by its treatment: raw brings its own.

    Parameters: milk; house; raw_gets_less, the house way. Source: house value.
    """

    def one(treatment: Treatment) -> float:
        if treatment == "raw" and raw_gets_less:
            return house.number("culture.raw")
        return house.number("culture.thermised") if treatment == "thermised" else 1.0

    return milk.mass_share(lambda share: one(share.treatment))


def ratio_steps(
    this: VatMilk,
    recipe: VatMilk,
    bottle: Product,
    house: House,
    raw_gets_less: bool = True,
) -> tuple[Step, ...]:
    """Culture per kg of this milk against the recipe's, as steps.

    Parameters: the two milks; bottle, the culture in the freezer; house; the house way.
    Returns: a start of 1 and each factor that is not 1. Source: house value.
    """
    steps = [Step("start", "the recipe’s dose", 1.0)]
    heat = treatment_factor(this, house, raw_gets_less) / treatment_factor(
        recipe, house, raw_gets_less
    )
    old = vigour(bottle, house)
    for label, factor, key in (
        (
            f"casein {this.casein_pct:.2f} %, recipe {recipe.casein_pct:.2f}: buffering",
            buffer_ratio(this, recipe, house),
            "culture.buffer_casein",
        ),
        (_heat_words(this), heat, "culture.raw"),
        ("past its date: more for lost vigour", 1 / old, "culture.freezer_month"),
    ):
        if abs(factor - 1) > 1e-12:
            steps.append(Step("times", label, factor, "", house.source(key), key))
    return tuple(steps)


def _heat_words(this: VatMilk) -> str:
    if this.is_raw:
        return "raw milk brings its own"
    return "heated milk, where the recipe’s brings its own"


def warning(bottle: Product, house: House) -> str | None:
    """Words when a culture has lost too much to be relied on, else None.

    Parameters: bottle; house. Source: house value.
    """
    left = vigour(bottle, house)
    if left >= house.number("culture.least_vigour"):
        return None
    return f"{bottle.name} has kept about {left:.0%} of its vigour: do not rely on it."
