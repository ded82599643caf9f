"""Each dose of a sheet: from the recipe's amount, through its named factors, to this bottle."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft import acid, calcium, coagulation, culture, rennet, yields
from openpail.craft.blend import VatMilk
from openpail.craft.coagulation import Setting
from openpail.craft.errors import NotPossible
from openpail.craft.figure import Figure, Step, replay
from openpail.craft.job import Job
from openpail.craft.products import Product, calcium_solution_ml, rennet_strength
from openpail.craft.recipe import Ingredient


@dataclass(frozen=True, slots=True)
class Dose:
    """A dose before it is put into spoons and words; `active` is the stuff that works in it."""

    ingredient: Ingredient
    bottle: Product
    written: Figure
    figure: Figure
    active: Figure


def as_written(ingredient: Ingredient) -> Figure:
    """What the recipe gives for its own batch, in its own unit. Source: the recipe."""
    return Figure.start(
        f"as written: {ingredient.product.name}",
        ingredient.amount,
        ingredient.unit,
        source="the recipe",
    )


def _ml_per_g(product: Product) -> float:
    return calcium_solution_ml(1.0, product.counts, product.strength or 33.0, product.per)


_NONE_WRITTEN = Product("calcium", "calcium chloride solution, 33 %", 33.0)


def calcium_of(job: Job) -> Ingredient | None:
    """The calcium chloride of a make: the recipe's, or, when a recipe that sets with rennet gives
    none, an ingredient of nothing that this milk may still ask for. Source: derivation.
    """
    given = job.recipe.ingredient("calcium")
    if given or not job.recipe.renneting_c or job.recipe.family in calcium.NO_CALCIUM_FAMILIES:
        return given
    return Ingredient(
        "calcium", _NONE_WRITTEN, 0.0, "mL",
        words="The recipe gives none; this milk wants it. Diluted, five minutes before the rennet; "
        "never in the same water.",
    )  # fmt: skip


def calcium_as_written(job: Job, reference: VatMilk) -> Figure | None:
    """The recipe's own calcium chloride, g anhydrous per kg; None when it has none.

    Parameters: job; reference, the recipe's milk.
    Source: the recipe; molar masses and solution densities of the products.
    """
    ingredient = calcium_of(job)
    if not ingredient:
        return None
    figure = as_written(ingredient).times(
        "anhydrous salt in it", 1 / _ml_per_g(ingredient.product), into="g"
    )
    figure = figure.times(
        f"in each of the recipe’s {reference.mass_kg:.1f} kg", 1 / reference.mass_kg, into="g/kg"
    )
    return figure._replace(rests_on_assumed=job.milk.casein.rests_on_assumed)


def calcium_dose(
    job: Job, ingredient: Ingredient, milk: VatMilk, reference: VatMilk, own: Figure
) -> Dose:
    """Calcium chloride for this milk, from the bottle at hand.

    Parameters: job; ingredient; milk in the vat; reference, the recipe's milk; own, the
    recipe's own in g/kg.
    Source: house value, as `calcium.g_per_kg`.
    """
    bottle = job.bottles.get("calcium", ingredient.product)
    dose = calcium.g_per_kg(
        own, milk, reference, job.house, job.recipe.family, job.ways.raw_calcium
    )
    grams = dose.times(f"{milk.mass_kg:.1f} kg of milk", milk.mass_kg, into="g")
    unit = "g" if bottle.per == "dry" else "mL"
    figure = grams.times(f"{bottle.name}: {unit} for each g", _ml_per_g(bottle), into=unit)
    return Dose(ingredient, bottle, as_written(ingredient), figure, grams)


def culture_dose(
    job: Job,
    ingredient: Ingredient,
    milk: VatMilk,
    reference: VatMilk,
    mass: Step,
    written: Figure,
) -> Dose:
    """Culture for this milk. Parameters: as `rennet_dose`. Source: house value."""
    bottle = job.bottles.get("culture", ingredient.product)
    steps = culture.ratio_steps(milk, reference, bottle, job.house, job.ways.raw_culture_less)
    figure = written.scaled((mass, *steps), about=job.milk.casein.rests_on_assumed)
    return Dose(ingredient, bottle, written, figure, figure)


def rennet_dose(
    job: Job,
    ingredient: Ingredient,
    setting: Setting,
    reference: Setting,
    mass: Step,
    written: Figure,
) -> Dose:
    """Rennet for this milk, by the dairy's school, from the bottle at hand.

    Parameters: job; ingredient; this milk and the recipe's at renneting; the batch's mass step;
    the amount as written.
    Raises: OutOfRange, NotPossible as `coagulation.factors`. Source: house value.
    """
    bottle = job.bottles.get("rennet", ingredient.product)
    if job.recipe.family == "lactic":
        steps = rennet.lactic_ratio_steps(setting.milk, reference.milk, job.house)
    elif job.ways.rennet == "keep_dose":
        coagulation.factors(setting, job.house)
        steps = ()
    else:
        steps = rennet.ratio_steps(setting, reference, job.house)
    unmeasured = job.milk.ph is None and job.ways.rennet == "keep_clock"
    figure = written.scaled((mass, *steps), about=unmeasured)
    mine = rennet_strength(bottle, job.house)
    theirs = replay(rennet_strength(ingredient.product, job.house))
    strength = replay(mine)
    if strength != theirs:
        inverse = (
            Step("start", f"the recipe’s bottle, {theirs:g} IMCU/mL", theirs),
            Step("times", f"against this one, {strength:.0f}", 1 / strength),
        )
        figure = figure.times(
            f"{bottle.name}: {strength:.0f} IMCU/mL, the recipe’s {theirs:g}",
            replay(inverse),
            of=inverse,
        )
    if job.learnt.makes:
        taught = f"as the flocks of {job.learnt.makes} make{'s'[: job.learnt.makes - 1]} taught"
        figure = figure.times(taught, 1 / job.learnt.factor, source="learnt here")
        mine += (Step("times", taught, job.learnt.factor, "", "learnt here"),)
        strength = replay(mine)
    units = figure.times(f"{bottle.name}, today", strength, of=mine, into="IMCU")
    return Dose(ingredient, bottle, written, figure, units)


def acid_dose(
    job: Job,
    ingredient: Ingredient,
    milk: VatMilk,
    reference: VatMilk,
    mass: Step,
    written: Figure,
) -> Dose:
    """Acid to the recipe's target, from the bottle at hand.

    Parameters: as `rennet_dose`, the milks without their setting.
    Raises: NotPossible for a bottle without strength, OutOfRange. Source: house value.
    """
    bottle = job.bottles.get("acid", ingredient.product)
    target = job.recipe.acid_target_ph or 5.80
    steps = acid.ratio_steps(milk, reference, target, job.house)
    about = job.milk.casein.rests_on_assumed or job.milk.ph is None
    figure = written.scaled((mass, *steps), about=about)
    mine, theirs = bottle.strength or 0.0, ingredient.product.strength or 0.0
    if not mine or not theirs:
        raise NotPossible(f"{bottle.name}: write its strength in per cent.")
    figure = figure.times(f"{bottle.name}: {mine:g} %, the recipe’s {theirs:g}", theirs / mine)
    grams = figure.times("acid in each mL", mine / 100, into="g")
    return Dose(ingredient, bottle, written, figure, grams)


def curd_dose(job: Job, ingredient: Ingredient, cheese: Figure, written: Figure) -> Dose:
    """What goes in by the weight of the curd. Source: the recipe; house value."""
    figure = salt_on_curd(job, ingredient, cheese)
    return Dose(ingredient, ingredient.product, written, figure, figure)


def salt_on_curd(job: Job, ingredient: Ingredient, cheese: Figure) -> Figure:
    """Grams for the curd that a cheese comes from. Parameters: cheese, kg. Source: house value."""
    house, key = job.house, "yield.curd_before_press"
    figure = Figure.start("cheese expected", cheese.value, "kg", rests_on_assumed=True)
    if job.recipe.family not in yields.ACID_HEAT:
        figure = figure.times(
            "curd before the press", house.number(key), source=house.source(key), house_key=key
        )
    return figure.times(
        f"{ingredient.amount:g} % of the curd",
        ingredient.amount * 10,
        source="the recipe",
        into="g",
    )


def dose_by_mass(job: Job, ingredient: Ingredient, mass: Step, written: Figure) -> Dose:
    """What goes in by the weight of the milk alone. Source: derivation."""
    figure = written.scaled((mass,))
    bottle = job.bottles.get(ingredient.product.kind, ingredient.product)
    return Dose(ingredient, bottle, written, figure, figure)
