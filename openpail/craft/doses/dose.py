"""Each dose of a sheet: from the recipe's amount, through its named factors, to this bottle."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from openpail.craft.doses import acid, calcium, culture, rennet, swap
from openpail.craft.doses.asked import Job
from openpail.craft.doses.setting import Setting, factors, refuse_unsettable
from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.figure import Figure, Step, replay
from openpail.craft.milk.blend import VatMilk
from openpail.craft.recipe.recipe import OF_CHEESE, Ingredient
from openpail.craft.recipe.yields import NO_RENNET_FAMILIES
from openpail.craft.stock.products import Product, calcium_solution_ml, counted, rennet_strength
from openpail.craft.units import HAIR, so_many


@dataclass(frozen=True, slots=True, kw_only=True)
class Dose:
    """A dose before it is put into spoons and words.

    `per_unit`, of `stuff`, is what works in one unit of the bottle (IMCU, g of acid or salt);
    1 and "" for what is simply weighed.
    """

    ingredient: Ingredient
    bottle: Product
    written: Figure
    figure: Figure
    per_unit: tuple[Step, ...] = ()
    stuff: str = ""

    @property
    def active(self) -> Figure:
        """What works in the dose."""
        if not self.per_unit:
            return self.figure
        label = self.per_unit[0].label
        return self.figure.times(label, replay(self.per_unit), of=self.per_unit, into=self.stuff)

    @property
    def active_value(self) -> float:
        """The number of `active`, without its because."""
        return self.figure.value * (replay(self.per_unit) if self.per_unit else 1.0)

    def as_the_maker_wants(self, job: Job) -> Dose:
        """The dose with the factors left out and the amount that the maker gave instead.

        Raises: OutOfRange for an amount under nothing.
        """
        key, figure = self.ingredient.key, self.figure
        if not job.own and not job.left_out:
            return self
        left = {house_key for line, house_key in job.left_out if line == key}
        if left:
            figure = figure.without(left)
        own = job.own.get(key)
        if own is not None:
            if own < 0:
                raise OutOfRange("An amount cannot be under nothing.", key)
            figure = figure.overruled(own, "the maker’s own amount")
        return self if figure is self.figure else replace(self, figure=figure)


def as_written(ingredient: Ingredient, milk_kg: float = 0.0) -> Figure:
    """What the recipe gives for its own batch, in its own unit.

    Parameters: ingredient; milk_kg of the recipe's batch, for what it gives in % of the milk.
    Source: the recipe.
    """
    figure = Figure.start(
        f"as written: {ingredient.product.name}",
        ingredient.amount,
        ingredient.unit,
        source="the recipe",
    )
    if ingredient.basis != "percent_of_milk":
        return figure
    words = f"of the recipe’s {milk_kg:.1f} kg of milk"
    return figure.times(words, 10 * milk_kg, into="g")


def ml_per_g(product: Product) -> float:
    """What of a calcium chloride holds a gram of the anhydrous salt, in its unit.

    Parameters: product. Raises: OutOfRange. Source: the label; molar masses.
    """
    percent = product.strength or (100.0 if product.per == "dry" else 33.0)
    return calcium_solution_ml(1.0, counted(product), percent, product.per)


_NONE_WRITTEN = Product(kind="calcium", name="calcium chloride solution, 33 %", strength=33.0)


def calcium_of(job: Job) -> Ingredient | None:
    """The calcium chloride of a make: the recipe's, or one of nothing that the milk may ask for.

    Parameters: job. Returns: None when the recipe gives none and does not set with rennet.
    Source: derivation.
    """
    given = job.recipe.ingredient("calcium")
    if given or not job.recipe.renneting_c or job.recipe.family in calcium.NO_CALCIUM_FAMILIES:
        return given
    return Ingredient(
        key="calcium",
        product=_NONE_WRITTEN,
        amount=0.0,
        unit="mL",
        words="The recipe gives none; this milk wants it. Diluted, five minutes before the rennet; "
        "never in the same water.",
    )


def calcium_as_written(job: Job, reference: VatMilk) -> Figure | None:
    """The recipe's own calcium chloride, g anhydrous per kg; None when it has none.

    Parameters: job; reference, the recipe's milk.
    Source: the recipe; molar masses and solution densities of the products.
    """
    ingredient = calcium_of(job)
    if not ingredient:
        return None
    figure = as_written(ingredient).times(
        "anhydrous salt in it", 1 / ml_per_g(ingredient.product), into="g"
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
    Raises: OutOfRange for a maker's own amount over the ceiling.
    Source: house value, as `calcium.g_per_kg`.
    """
    bottle = job.bottle(ingredient)
    dose = calcium.g_per_kg(
        own,
        milk,
        reference,
        house=job.house,
        family=job.recipe.family,
        raw_way=job.ways.raw_calcium,
    )
    worth = "calcium.worth_giving"
    if 0 < dose.value < job.house.number(worth):
        words = f"less than {job.house.number(worth):g} g/kg: none needed"
        source = job.house.source(worth)
        dose = dose.then("choose", words, 0.0, "g/kg", source=source, house_key=worth)
    grams = dose.times(f"{milk.mass_kg:.1f} kg of milk", milk.mass_kg, into="g")
    figure = grams.times(
        f"{bottle.name}: {bottle.unit} for each g", ml_per_g(bottle), into=bottle.unit
    )
    inside = Step("start", "anhydrous calcium chloride in it", 1 / ml_per_g(bottle), "g")
    found = Dose(
        ingredient=ingredient,
        bottle=bottle,
        written=as_written(ingredient),
        figure=figure,
        per_unit=(inside,),
        stuff="g",
    )
    found = found.as_the_maker_wants(job)
    most = job.house.number("calcium.ceiling")
    if found.active_value / milk.mass_kg > most * 1.0001:
        raise OutOfRange(
            f"That is {found.active_value / milk.mass_kg:.2f} g of calcium chloride in each kg of "
            f"milk; the usual legal ceiling is {most:g}, "
            f"{most * milk.mass_kg * ml_per_g(bottle):.4g} {bottle.unit} here.",
            ingredient.key,
        )
    return found


def culture_dose(
    job: Job,
    ingredient: Ingredient,
    milk: VatMilk,
    *,
    reference: VatMilk,
    mass: Step,
    written: Figure,
) -> Dose:
    """Culture, mould or the like for this milk, from the bottle at hand.

    Parameters: job, ingredient, milk, reference, mass and written as `acid_dose`.
    Raises: NotPossible for a bottle that cannot stand in. Source: house value.
    """
    bottle = job.bottle(ingredient)
    house = job.house
    if "one-packet" in (bottle.form, ingredient.product.form):
        return _packets(job, ingredient, bottle, mass, written)
    if bottle.kind == "culture":
        lively = job.lively.get(bottle.lot)
        less = job.ways.raw_culture_less
        steps = culture.ratio_steps(
            milk, reference, bottle, house=house, raw_gets_less=less, lively=lively
        )
    else:
        steps = culture.age_steps(bottle, house)
    swapped = culture.kind_for_kind(ingredient.product, bottle, house)
    figure = written.scaled((mass, *steps, *swapped), about=job.milk.casein.rests_on_assumed)
    return Dose(
        ingredient=ingredient, bottle=bottle, written=written, figure=figure
    ).as_the_maker_wants(job)


def _packets(
    job: Job, ingredient: Ingredient, bottle: Product, mass: Step, written: Figure
) -> Dose:
    """A packet with the rennet in it goes by whole packets, and the clock moves instead."""
    swapped = culture.kind_for_kind(ingredient.product, bottle, job.house)
    figure = written.scaled((mass, *swapped))
    whole = max(1.0, float(round(figure.value)))
    if whole != figure.value:
        figure = figure.then(
            "choose",
            "whole packets only: the rennet is in them",
            whole,
            "packet",
            source="the packet",
        )
    return Dose(
        ingredient=ingredient, bottle=bottle, written=written, figure=figure
    ).as_the_maker_wants(job)


def rennet_dose(
    job: Job,
    ingredient: Ingredient,
    setting: Setting,
    *,
    reference: Setting,
    mass: Step,
    written: Figure,
) -> Dose:
    """Rennet for this milk, by the dairy's school, from the bottle at hand.

    Parameters: job; ingredient; setting and reference, this milk and the recipe's at renneting;
    mass, the batch's step; written, the amount the recipe gives.
    Raises: OutOfRange, NotPossible as `setting.factors`. Source: house value.
    """
    bottle = job.bottle(ingredient)
    if job.recipe.family == "lactic":
        refuse_unsettable(setting.milk, job.house)
        steps = rennet.lactic_ratio_steps(setting.milk, reference.milk, job.house)
    elif job.ways.rennet == "keep_dose":
        factors(setting, job.house)
        steps = ()
    else:
        by_makes = job.learnt.makes >= job.house.number("rennet.learn_least")
        less = 0.0 if by_makes else job.ways.raw_rennet_less
        steps = rennet.ratio_steps(setting, reference, job.house, less)
    unmeasured = job.milk.ph is None and job.ways.rennet == "keep_clock"
    figure = written.scaled((mass, *steps), about=unmeasured)
    mine = rennet_strength(bottle, job.house)
    theirs = replay(rennet_strength(ingredient.product, job.house))
    strength = replay(mine)
    if strength != theirs or bottle.unit != ingredient.product.unit:
        per = ingredient.product.unit
        inverse = (
            Step("start", f"the recipe’s bottle, {theirs:g} IMCU/{per}", theirs),
            Step("times", f"against this one, {strength:.0f} IMCU/{bottle.unit}", 1 / strength),
        )
        figure = figure.times(
            f"{bottle.name}: {strength:.0f} IMCU/{bottle.unit}, the recipe’s {theirs:g}",
            replay(inverse),
            of=inverse,
            source="the bottle",
            into=bottle.unit,
            about=bottle.scale != "imcu",
        )
    if job.learnt.makes:
        taught = f"as the flocks of {job.learnt.makes} make{'s'[: job.learnt.makes - 1]} taught"
        figure = figure.times(taught, 1 / job.learnt.factor, source="learnt here")
        mine += (Step("times", taught, job.learnt.factor, "", "learnt here"),)
    if job.has_own_rennet():
        figure = figure.then("choose", "the culture’s packet has its own", 0.0, bottle.unit)
    return Dose(
        ingredient=ingredient,
        bottle=bottle,
        written=written,
        figure=figure,
        per_unit=mine,
        stuff="IMCU",
    ).as_the_maker_wants(job)


def acid_dose(
    job: Job,
    ingredient: Ingredient,
    milk: VatMilk,
    *,
    reference: VatMilk,
    mass: Step,
    written: Figure,
) -> Dose:
    """Acid from the bottle at hand, to the target that belongs to that acid.

    Parameters: job, ingredient, mass and written as `rennet_dose`; milk and reference, the two
    milks without their setting.
    Raises: NotPossible for a bottle without strength, OutOfRange. Source: house value.
    """
    bottle, house, recipe = job.bottle(ingredient), job.house, job.recipe
    given, mine = acid.acids_of(ingredient, bottle)
    target, theirs = (
        acid.target_ph(recipe.family, each, recipe.acid_target_ph, house) for each in (mine, given)
    )
    if recipe.family == "whey" and milk.ph is not None and milk.ph <= target:
        steps = acid.sour_enough(milk.ph, target)
    else:
        steps = acid.ratio_steps(milk, reference, target, theirs, house)
    unsure = job.milk.casein.rests_on_assumed or job.milk.ph is None
    figure = written.scaled((mass, *steps), about=unsure or acid.is_estimate(bottle))
    swapped = acid.acid_for_acid(
        ingredient.product, given, theirs, bottle=bottle, target=target, house=house
    )
    if abs(replay(swapped) - 1) > HAIR or bottle.unit != figure.unit:
        words = f"{bottle.name} for {ingredient.product.name}"
        figure = figure.times(
            words, replay(swapped), of=swapped, source="the bottle", into=bottle.unit
        )
    taught = job.acid_learnt
    if taught.makes and recipe.family in NO_RENNET_FAMILIES:
        many = so_many(taught.makes, "make")
        words = f"as {many} taught of {acid.plain_name(mine)} in this milk"
        figure = figure.times(words, taught.factor, source="learnt here")
    inside = (acid.in_each(bottle, house),)
    return Dose(
        ingredient=ingredient,
        bottle=bottle,
        written=written,
        figure=figure,
        per_unit=inside,
        stuff="g",
    ).as_the_maker_wants(job)


def lipase_dose(
    job: Job,
    ingredient: Ingredient,
    milk: VatMilk,
    *,
    reference: VatMilk,
    mass: Step,
    written: Figure,
) -> Dose:
    """Lipase by the milk's amount and its fat.

    Parameters: job, ingredient, milk, reference, mass and written as `acid_dose`.
    Source: house value.
    """
    house, bottle = job.house, job.bottle(ingredient)
    least, most = house.number("lipase.least"), house.number("lipase.most")
    ratio = min(most, max(least, milk.fat_pct / reference.fat_pct))
    words = f"fat {milk.fat_pct:.2f} %, recipe {reference.fat_pct:.2f}: more to work on"
    by_fat = Step("times", words, ratio, "", house.source("lipase.most"), "lipase.most")
    swapped = culture.kind_for_kind(ingredient.product, bottle, house)
    about = job.milk.fat.rests_on_assumed
    figure = written.scaled((mass, *((by_fat,) if ratio != 1 else ()), *swapped), about=about)
    return Dose(
        ingredient=ingredient, bottle=bottle, written=written, figure=figure
    ).as_the_maker_wants(job)


def curd_dose(job: Job, ingredient: Ingredient, cheese: Figure, written: Figure) -> Dose:
    """What goes in by the weight of the curd, or on the rind by the weight of the cheese.

    Parameters: job; ingredient; cheese to expect, kg; written, the amount the recipe gives.
    Source: the recipe; house value.
    """
    figure = salt_on_curd(job, ingredient, cheese)
    return Dose(
        ingredient=ingredient, bottle=job.bottle(ingredient), written=written, figure=figure
    ).as_the_maker_wants(job)


def salt_on_curd(job: Job, ingredient: Ingredient, cheese: Figure) -> Figure:
    """Grams for the curd that a cheese comes from, or for its rind.

    Parameters: job; ingredient; cheese to expect, kg. Source: house value.
    """
    house, key = job.house, "yield.curd_before_press"
    on_rind = ingredient.basis == "percent_of_cheese"
    figure = Figure.start("cheese expected", cheese.value, "kg", rests_on_assumed=True)
    if not on_rind and job.recipe.family not in NO_RENNET_FAMILIES:
        figure = figure.times(
            "curd before the press", house.number(key), source=house.source(key), house_key=key
        )
    return figure.times(
        f"{ingredient.amount:g} % of the {'cheese, on its rind' if on_rind else 'curd'}",
        ingredient.amount * 10,
        source="the recipe",
        into="g",
    )


def salt_in_milk(job: Job, reference_kg: float) -> tuple[float, float]:
    """Salt stirred into the milk before the rennet, % of it: here and in the recipe; 0 for none.

    Parameters: job; reference_kg, the recipe's batch. Source: the recipe; the maker's own amount.
    """
    added = [key for step in job.recipe.steps_to_rennet() for key in step.adds]
    for each in job.recipe.ingredients:
        if each.product.kind == "salt" and each.key in added and each.basis not in OF_CHEESE:
            written = as_written(each, reference_kg).value / (10 * reference_kg)
            own = job.own.get(each.key)
            here = written if own is None else own / (10 * job.milk.numbers.mass_kg)
            return here, written
    return 0.0, 0.0


def dose_by_mass(job: Job, ingredient: Ingredient, mass: Step, written: Figure) -> Dose:
    """What goes in by the weight of the milk alone.

    Parameters: job, ingredient, mass and written as `rennet_dose`. Source: derivation; the labels.
    """
    bottle = job.bottle(ingredient)
    swapped: Sequence[Step] = ()
    if ingredient.product.kind == "colour":
        swapped = culture.kind_for_kind(ingredient.product, bottle, job.house)
    figure = written.scaled((mass, *swapped))
    return Dose(
        ingredient=ingredient, bottle=bottle, written=written, figure=figure
    ).as_the_maker_wants(job)


def check_bottles(job: Job) -> None:
    """Refuse a bottle that cannot stand in for what the recipe asks.

    Parameters: job, with its bottles by ingredient. Raises: NotPossible.
    """
    for ingredient in job.recipe.ingredients:
        bottle = job.bottle(ingredient)
        if bottle is not ingredient.product:
            swapped = swap.stand_in(ingredient, bottle, job.recipe, job.house)
            if not swapped.can:
                raise NotPossible(f"{bottle.name}: {swapped.words[0]}", ingredient.key)
