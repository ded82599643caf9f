"""Culture: more where the milk buffers more, and when it is old; in raw milk by the house way."""

from __future__ import annotations

from math import log2

from openpail.craft.figure import Step, replay
from openpail.craft.house import House
from openpail.craft.milk.blend import Share, VatMilk
from openpail.craft.stock.learning import Learnt
from openpail.craft.stock.products import Product, serves, vigour, vigour_key
from openpail.craft.units import HAIR, so_many

_FRESH_H = 24.0


def buffer_index(casein_pct: float, house: House) -> float:
    """How strongly a milk holds its pH, 1 at 2.70 % casein.

    Parameters: casein_pct 0–10; house. Source: house value.
    """
    base, slope = house.number("culture.buffer_base"), house.number("culture.buffer_casein")
    return base + slope * casein_pct / house.number("firm.casein_reference")


def buffer_ratio(this: VatMilk, recipe: VatMilk, house: House) -> float:
    """Buffering against the recipe's milk, kept within the house bounds.

    Parameters: this milk and the recipe's; house. Source: house value.
    """
    raw = buffer_index(this.casein_pct, house) / buffer_index(recipe.casein_pct, house)
    least, most = house.number("culture.buffer_least"), house.number("culture.buffer_most")
    return min(most, max(least, raw))


def treatment_factor(milk: VatMilk, house: House, raw_gets_less: bool = False) -> float:
    """Culture a milk asks for by its treatment: full, or less in raw milk by the house way.

    Parameters: milk; house; raw_gets_less, the house way: a quarter less in raw milk under 24 h
    old. In milk with 3 % salt or more always full. Source: house value.
    """
    if not raw_gets_less or milk.salt_pct >= house.number("culture.salt_stops"):
        return 1.0

    def one(share: Share) -> float:
        if share.treatment == "raw" and share.hours_cold <= _FRESH_H:
            return house.number("culture.raw")
        return house.number("culture.thermised") if share.treatment == "thermised" else 1.0

    return milk.mass_share(one)


def ratio_steps(
    this: VatMilk,
    recipe: VatMilk,
    bottle: Product,
    *,
    house: House,
    raw_gets_less: bool = False,
    lively: Learnt | None = None,
) -> tuple[Step, ...]:
    """Culture per kg of this milk against the recipe's, as steps.

    Parameters: this milk and the recipe's; bottle, the culture in the freezer; house;
    raw_gets_less, the house way; lively, what makes taught of its speed: it stands in for its age.
    Returns: a start of 1 and each factor that is not 1. Source: house value.
    """
    steps = [Step("start", "the recipe’s dose", 1.0)]
    theirs = treatment_factor(recipe, house, raw_gets_less)
    heat = min(1.0, treatment_factor(this, house, raw_gets_less) / theirs)  # never more for heat
    for label, factor, key in (
        (
            f"casein {this.casein_pct:.2f} %, recipe {recipe.casein_pct:.2f}: buffering",
            buffer_ratio(this, recipe, house),
            "culture.buffer_casein",
        ),
        ("house way: fresh raw milk brings its own", heat, "culture.raw"),
    ):
        if abs(factor - 1) > HAIR:
            steps.append(Step("times", label, factor, "", house.source(key), key))
    if lively is not None:
        words = f"as {so_many(lively.makes, 'make')} taught of how fast it sours"
        return (*steps, Step("times", words, 1 / lively.factor, "", "learnt here"))
    return (*steps, *age_steps(bottle, house))


def age_steps(bottle: Product, house: House) -> tuple[Step, ...]:
    """More of a culture, mould or the like that is past its date, as no step or one.

    Parameters: bottle; house. Source: house value.
    """
    old, key = vigour(bottle, house), vigour_key(bottle)
    if old == 1:
        return ()
    words = "past its date: more for lost vigour"
    return (Step("times", words, 1 / old, "", house.source(key), key),)


def kind_for_kind(written: Product, bottle: Product, house: House) -> tuple[Step, ...]:
    """One culture, mould, lipase or colour in place of another: how much of it does the same.

    Parameters: written, the recipe's; bottle, at hand; house.
    Returns: no step when they are measured alike, else one, litres served against litres served.
    Raises: NotPossible when only a label can tell and it does not. Source: the labels.
    """
    alike = written.unit == bottle.unit and not (written.serves_l and bottle.serves_l)
    if alike and (written.form or "freeze-dried") == (bottle.form or "freeze-dried"):
        return ()
    theirs, mine = serves(written, house), serves(bottle, house)
    made = (theirs, Step("times", mine.label, 1 / mine.value, "", mine.source, mine.house_key))
    ratio = replay(made)
    if abs(ratio - 1) < HAIR:
        return ()
    return (
        Step(
            "times",
            f"{bottle.name}, by what a {bottle.unit} is for",
            ratio,
            bottle.unit,
            "the bottle",
            of=made,
        ),
    )


def minutes_longer(share: float, bottle: Product, house: House) -> float:
    """How much longer to ripen to the same pH with a share of the dose, minutes.

    Parameters: share over 0, given against asked for; bottle, for its sort; house.
    Returns: minutes, under 0 when more was given. Source: house value, a doubling time; derivation.
    """
    key = "culture.double_hot" if bottle.sort == "hot" else "culture.double_mild"
    return house.number(key) * log2(1 / share)


def lost(bottle: Product, house: House) -> str | None:
    """What a culture has lost, when it is too much to be relied on, to go after its name.

    Parameters: bottle of a live kind; house. Source: house value.
    """
    left = vigour(bottle, house)
    if left >= house.number("culture.least_vigour"):
        return None
    fails = {
        "propionic": "eyes may fail; the taste may come without the holes",
        "mould": "the mould may come late or not at all",
        "protective": "do not count on its protection",
    }.get(bottle.kind, "acid may fail")
    return f"has kept about {100 * left:.0f} % of its vigour: do not rely on it, {fails}."
