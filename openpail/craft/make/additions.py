"""What goes in now: the dose by what is really at hand, in parts, and from another bottle."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from math import prod
from typing import Literal

from openpail.craft.doses.acid import acid_for_acid, acid_in, target_ph
from openpail.craft.doses.culture import kind_for_kind
from openpail.craft.doses.dose import ml_per_g
from openpail.craft.doses.setting import slower_by_ph
from openpail.craft.errors import NotPossible
from openpail.craft.figure import Figure, Step, replay
from openpail.craft.house import House, along
from openpail.craft.make.deeds import AcidGiven
from openpail.craft.make.frozen import Frozen, FrozenLine
from openpail.craft.make.order import days_of, portions_of
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.yields import NO_RENNET_FAMILIES
from openpail.craft.sheet.moves import moved
from openpail.craft.stock.products import Product, rennet_strength

_SAME = 0.02


def by_weight(line: FrozenLine, recipe: Recipe, sheet: Frozen, standing: Standing) -> Figure:
    """A dose as the curd's real weight has it, or the cheese's out of its mould, where it is given
    by that and it was weighed.

    Parameters: line of the sheet; recipe and sheet; standing. Source: derivation.
    """
    ingredient = next((each for each in recipe.ingredients if each.key == line.key), None)
    if ingredient is None or sheet.cheese.value <= 0:
        return line.figure
    if ingredient.basis == "percent_of_curd" and standing.curd_kg is not None:
        what, weighed, expected = "curd", standing.curd_kg, sheet.cheese.value
        if recipe.family not in NO_RENNET_FAMILIES:
            expected *= sheet.house.number("yield.curd_before_press")
    elif ingredient.basis == "percent_of_cheese" and standing.out_of_mould is not None:
        what, weighed = "cheese", sum(standing.out_of_mould.pieces_kg)
        expected = sheet.cheese.value
    else:
        return line.figure
    words = f"{weighed:.2f} kg of {what} weighed, {expected:.2f} expected"
    return line.figure.times(words, weighed / expected)


def cheese_now(recipe: Recipe, sheet: Frozen, standing: Standing) -> Figure:
    """The cheese that a make is thought to give, by the last scale that it lay on: out of its
    moulds, as curd, else what its milk gives.

    Parameters: recipe and sheet; standing. Source: the record; share of curd, house value.
    """
    out, curd = standing.out_of_mould, standing.curd_kg
    if out is not None:
        kg = sum(out.pieces_kg)
        return Figure.start("weighed out of the moulds", kg, "kg", known="measured")
    if curd is None:
        return sheet.cheese
    weighed = Figure.start("curd, as it was weighed", curd, "kg", known="measured")
    if recipe.family in NO_RENNET_FAMILIES:
        return weighed
    key = "yield.curd_before_press"
    return weighed.times(
        "still to run off",
        1 / sheet.house.number(key),
        source=sheet.house.source(key),
        house_key=key,
    )


def from_another(
    figure: Figure, ours: Product, other: Product, recipe: Recipe, house: House
) -> Figure:
    """A dose from another bottle than the sheet's: as much of what works in it.

    Parameters: figure, the dose of the sheet's bottle; ours, that bottle; other, of the same kind;
    recipe; house. Raises: NotPossible where one cannot be turned into the other.
    Source: the labels; strength in store as the stock has it.
    """
    if ours.kind != other.kind:
        raise NotPossible(f"{other.name} is no {ours.kind}.", "bottle")
    label = f"{other.name} in place of {ours.name}"
    ratio = _ratio(ours, other, recipe, house)
    return figure.then("times", label, ratio, into=other.unit, source="the labels")


def _ratio(ours: Product, other: Product, recipe: Recipe, house: House) -> float:
    """Units of the other bottle that do what one unit of ours does."""
    match ours.kind:
        case "rennet":
            own, its = (
                prod(step.value for step in rennet_strength(each, house)) for each in (ours, other)
            )
            return own / its
        case "calcium":
            return ml_per_g(other) / ml_per_g(ours)
        case "acid":
            theirs, mine = (
                target_ph(recipe.family, acid_in(each), recipe.acid_target_ph, house)
                for each in (ours, other)
            )
            return replay(
                acid_for_acid(ours, acid_in(ours), theirs, bottle=other, target=mine, house=house)
            )
        case "culture" | "mould" | "propionic" | "protective" | "lipase" | "colour":
            return replay((Step("start", "", 1.0), *kind_for_kind(ours, other, house)))
        case _:
            if ours.unit != other.unit:
                raise NotPossible(f"{other.name} is measured otherwise than {ours.name}.", "bottle")
            return 1.0


@dataclass(frozen=True, slots=True)
class AcidNow:
    """The acid of hot milk, given bit by bit: given so far, the next part, of the whole dose, and
    the whole as it was expected."""

    given: float
    next: Figure
    whole: Figure

    @property
    def begun(self) -> bool:
        """Whether any is in."""
        return self.given > 0


def acid_now(line: FrozenLine, standing: Standing, house: House) -> AcidNow:
    """How much acid goes in next: up to three quarters at first, then tenths.

    Parameters: line, the acid's of the sheet; standing; house. Source: house values.
    """
    given = sum(deed.amount for _, deed in standing.of(AcidGiven))
    first, then = "acid.first_share", "acid.then_share"
    at_first = line.figure.times(
        "at first", house.number(first), source=house.source(first), house_key=first
    )
    tenth = line.figure.times(
        "a tenth at a time, until the whey is clear",
        house.number(then),
        source=house.source(then),
        house_key=then,
    )
    if given >= at_first.value - tenth.value / 2:
        return AcidNow(given, tenth, line.figure)
    part = at_first.minus("in it already", given, line.figure.unit) if given else at_first
    return AcidNow(given, part, line.figure)


def one_part(figure: Figure, recipe: Recipe, step: str) -> tuple[Figure, int]:
    """One of the parts in which a step gives a dose, and how many there are; of salt that a rind
    gets on several days, what is for the first of them.

    Parameters: figure, the whole; recipe; step, its key. Raises: Unknown.
    """
    parts, days = portions_of(recipe, step), days_of(recipe, step)
    if days > 1:
        figure = figure.times(f"the first of {days} days", 1 / days)
    return (figure.times(f"one of {parts} parts", 1 / parts) if parts > 1 else figure), parts


def rennet_share(recipe: Recipe, sheet: Frozen, standing: Standing) -> float:
    """The rennet that was really given against the sheet's, × 1 while nothing else was said.

    Parameters: recipe and sheet; standing. Returns: by what works in it, whatever the bottle; the
    set comes sooner by as much. Source: rennet flocculation.
    """
    rennet = recipe.ingredient("rennet")
    line = sheet.line(rennet.key) if rennet else None
    if rennet is None or line is None or line.figure.value <= 0:
        return 1.0
    for step in recipe.steps:
        gave = standing.gave(step.key).get(rennet.key)
        if gave and not standing.bottles(step.key).get(rennet.key):
            share = gave / line.figure.value
            return share if abs(share - 1) > _SAME else 1.0
    return 1.0


def is_another_rennet(recipe: Recipe, standing: Standing) -> bool:
    """Whether the rennet came from another lot than the sheet's: what is known of that one does not
    hold for it.

    Parameters: recipe; standing. Source: derivation.
    """
    rennet = recipe.ingredient("rennet")
    return rennet is not None and is_another(recipe, standing, rennet.key)


def is_another(recipe: Recipe, standing: Standing, key: str) -> bool:
    """Whether an ingredient came from another lot than the sheet's.

    Parameters: recipe; standing; key, of the ingredient. Source: derivation.
    """
    return any(key in standing.bottles(step.key) for step in recipe.steps)


def expected_flocks(recipe: Recipe, sheet: Frozen, standing: Standing) -> float:
    """Minutes to the first flocks with the rennet that really went in, in milk as warm and as sour
    as it was really read last before; 0 without a set.

    Parameters: recipe and sheet; standing. Source: rennet flocculation.
    """
    if sheet.set is None:
        return 0.0
    slower = _by_warmth(recipe, sheet, standing) * _by_acid(recipe, sheet, standing)
    return sheet.set.flocculation.value * slower / rennet_share(recipe, sheet, standing)


def read_at_rennet(
    standing: Standing, what: Literal["celsius", "ph"], within_min: float
) -> float | None:
    """What was read last before the rennet went in, None where nobody read it.

    Parameters: standing; what; within_min, how long before, min. Source: the record.
    """
    rennet_at = standing.rennet_at
    if rennet_at is None:
        return None
    since = rennet_at - timedelta(minutes=within_min)
    read = [getattr(e, what) for e in standing.readings if since <= e.at <= rennet_at]
    return next((each for each in reversed(read) if each is not None), None)


def _by_warmth(recipe: Recipe, sheet: Frozen, standing: Standing) -> float:
    """How much longer the flocks take at the warmth that was read than at the sheet's."""
    wanted = recipe.renneting_c if sheet.renneting_c is None else sheet.renneting_c
    read = read_at_rennet(standing, "celsius", sheet.house.number("ask.into_min"))
    if wanted is None or read is None:
        return 1.0
    curve = sheet.house.curve("rennet.temperature")
    return along(curve, read) / along(curve, wanted)


def _by_acid(recipe: Recipe, sheet: Frozen, standing: Standing) -> float:
    """The same of the pH that was read."""
    house, milk, goal = sheet.house, sheet.milk.ph, moved(recipe, sheet.moved.moves).renneting_ph()
    wanted = sheet.renneting_ph
    if wanted is None and milk is not None and goal is not None and sheet.ways.ripen != "by_clock":
        wanted = min(milk.value, goal.target)
    read = read_at_rennet(standing, "ph", house.number("ask.into_min"))
    if wanted is None or read is None:
        return 1.0
    rennet = recipe.ingredient("rennet")
    bottle = sheet.bottles.get(rennet.key) if rennet else None
    sort = bottle.sort if bottle else rennet.product.sort if rennet else ""
    return slower_by_ph(read, wanted, sort, house)
