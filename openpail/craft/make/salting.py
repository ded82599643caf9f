"""The salt of a make: how long it lies in brine, what it holds in the end, the rind's days."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime

from openpail.craft.errors import NotPossible
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.make.additions import by_weight
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.standing import Standing
from openpail.craft.make.yielded import expected_moisture
from openpail.craft.press.moulds import Mould
from openpail.craft.recipe.recipe import Recipe, RecipeStep
from openpail.craft.salt.brine import (
    SATURATED_PCT,
    keeping_brine,
    keeping_pct,
    weight_after,
)
from openpail.craft.salt.held import (
    Salting,
    held,
    in_moisture,
    is_over,
    most_brined_pct,
    said,
    stays_of,
)
from openpail.craft.salt.hours import (
    BrineWritten,
    Lying,
    TwoSchools,
    brine_salt_pct,
    two_schools,
    wanted_pct,
)


@dataclass(frozen=True, slots=True, kw_only=True)
class BrinePlan:
    """How one piece lies in a tub.

    schools, both ways to tell it; by_faces: whether the faces decide here, and why; hours; salt_pct
    it takes up by them, in_moisture_pct with all the salt it holds; weighs_kg after it; says, what
    is to be said.
    """

    lying: Lying
    schools: TwoSchools
    by_faces: bool
    hours: Figure
    salt_pct: float
    in_moisture_pct: float
    weighs_kg: float
    says: tuple[str, ...]

    @property
    def minutes(self) -> float:
        """How long it lies, min."""
        return round(60 * self.hours.value, 2)


def brine_written(recipe: Recipe, step: RecipeStep) -> BrineWritten | None:
    """What a recipe's brining was written for, None unless it says both piece and brine.

    Parameters: recipe; step, of its own. Source: the recipe.
    """
    if recipe.wheels is None or step.brine_pct is None or step.minutes <= 0:
        return None
    return BrineWritten(step.minutes / 60, recipe.wheels.piece_kg, step.brine_pct)


def lying(
    recipe: Recipe,
    sheet: Frozen,
    piece_kg: float,
    *,
    mould: Mould | None,
    brine_pct: float,
    celsius: float,
) -> tuple[Lying, bool]:
    """A piece as the brine meets it, and whether its faces are known.

    Parameters: recipe and sheet; piece_kg; mould that it came out of, None where nobody measured
    it; brine_pct and celsius of the brine. Source: derivation.
    """
    wheels = recipe.wheels
    shape = mould
    if shape is None and wheels is not None:
        shape = Mould(
            sort="pressing",
            across_cm=wheels.across_cm,
            height_cm=wheels.height_cm,
            side_cm=wheels.side_cm,
        )
    house = sheet.house
    faces = shape.surface_cm2(piece_kg, house) if shape else 500.0 * piece_kg ** (2 / 3)
    water = expected_moisture(recipe, sheet)
    return Lying(
        cheese_kg=piece_kg, surface_cm2=faces, moisture=water, brine_pct=brine_pct, celsius=celsius
    ), shape is not None


def brine_plan(
    recipe: Recipe, step: RecipeStep, sheet: Frozen, piece: tuple[Lying, bool], by_faces: bool
) -> BrinePlan:
    """How long a piece lies in a brine, by both schools, and what it takes up.

    Parameters: recipe; step, of its own, as written; sheet; piece, from `lying`; by_faces, whether
    they end it, where they are known: `by_its_faces`. Raises: OutOfRange. Source: house rule or the
    recipe; Guinee & Fox.
    """
    at, known = piece
    house, written = sheet.house, brine_written(recipe, step)
    wanted = wanted_pct(written, recipe.family, house)
    schools = two_schools(at, wanted, house, written, known)
    faces = schools.by_faces if by_faces else None
    hours = faces.hours if faces else schools.by_weight.hours
    pct = salt_after(at, hours.value, faces is not None, house)
    says = list(_said_of(recipe, step, schools, pct=pct, lying=at, house=house))
    return BrinePlan(
        lying=at,
        schools=schools,
        by_faces=faces is not None,
        hours=hours,
        salt_pct=pct,
        in_moisture_pct=in_moisture(pct, at.moisture),
        weighs_kg=weight_after(at.cheese_kg, at.cheese_kg * pct / 100),
        says=tuple(says),
    )


def by_its_faces(recipe: Recipe, step: RecipeStep, sheet: Frozen, known_faces: bool) -> bool:
    """Whether its faces end a bath, and not its weight: the recipe's own hours come first, then its
    faces where they are known, then the rule; all faces, by the house way.

    Parameters: recipe; step, of its own; sheet; known_faces, whether they were measured.
    Source: our own judgement.
    """
    if not known_faces:
        return False
    return sheet.ways.brining == "faces" or brine_written(recipe, step) is None


def salt_after(lying: Lying, hours: float, by_faces: bool, house: House) -> float:
    """Salt that a piece has taken up after so many hours, % of it.

    Parameters: lying; hours, 0 or more; by_faces, which school tells it; house. Source: house rule;
    Guinee & Fox.
    """
    if by_faces:
        return lying.salt_g(hours, house) / lying.cheese_kg / 10
    return brine_salt_pct(hours, lying.cheese_kg, lying.brine_pct, house)


def _said_of(
    recipe: Recipe,
    step: RecipeStep,
    schools: TwoSchools,
    *,
    pct: float,
    lying: Lying,
    house: House,
) -> Sequence[str]:
    says = []
    heavy = house.number("brine.heavy_kg")
    if lying.cheese_kg > heavy:
        says.append(
            f"Over {heavy:g} kg, practice ranges from half of such hours to four times them."
        )
    if schools.differ and schools.by_faces:
        says.append(
            f"The two ways differ × {schools.ratio:.1f}: by weight "
            f"{schools.by_weight.hours.value:.0f} h, by its faces "
            f"{schools.by_faces.hours.value:.0f} h. Weigh it before and after, and taste."
        )
    if step.brine_pct is not None and recipe.wheels is None:
        says.append(
            f"The recipe lays it in for {step.minutes / 60:.0f} h in {step.brine_pct:g} %, and "
            "does not say for how heavy a wheel: these hours are by the rule."
        )
    most = step.most_salt_pct or most_brined_pct(recipe.family, house)
    if most is not None and is_over(pct, most):
        wants = {"small_eyed": "for its eyes it wants", "alpine": "an alpine cheese wants"}
        who = wants.get(recipe.family, "the recipe wants")
        early = " early" if recipe.family == "small_eyed" else ""
        says.append(f"About {pct:.1f} % salt: {who} at most {most:g} %{early}. Less long.")
    told = said(recipe.family, in_moisture(pct, lying.moisture))
    if told:
        says.append(told[0].upper() + told[1:])
    cold, warm = house.number("brine.cold"), house.number("brine.warm")
    if not cold <= lying.celsius <= warm:
        says.append(
            f"A brine of {lying.celsius:.0f} °C: {cold:.0f} to {warm:.0f} °C is usual. "
            + (
                "Warm, salt goes in faster and the rind softens."
                if lying.celsius > warm
                else "Cold, salt goes in more slowly."
            )
        )
    return says


# ── kept in brine ──


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptIn:
    """The brine that a cheese is kept in: kg of it, the recipe's %, and where cheese and brine come
    to rest, %; keeps: whether that is strong enough; wants_pct, how strong it must be made for
    that, None where no brine is."""

    brine_kg: float
    pct: float
    ends: Figure
    keeps: bool
    least_pct: float
    wants_pct: float | None


def keeping(
    recipe: Recipe, sheet: Frozen, cheese_kg: float, salt_pct: float, pct: float | None = None
) -> KeptIn | None:
    """The brine that a recipe keeps its cheese in, by equilibrium; None where it keeps it in none.

    Parameters: recipe and sheet; cheese_kg of all pieces; salt_pct that they hold; pct of the brine
    that is at hand, None for the recipe's own. Source: mass balance; house value.
    """
    stage = next((each for each in recipe.stages if each.brine_pct and each.brine_per_kg), None)
    if stage is None or stage.brine_pct is None or stage.brine_per_kg is None:
        return None
    house, water = sheet.house, expected_moisture(recipe, sheet)
    kg, strong = cheese_kg * stage.brine_per_kg, stage.brine_pct if pct is None else pct
    at_rest = keeping_pct(cheese_kg, water, salt_pct, kg, strong)
    words = (
        f"{cheese_kg:.2f} kg of cheese of {100 * water:.0f} % water and {salt_pct:.1f} % salt in "
        f"{kg:.1f} kg of brine of {strong:g} %"
    )
    ends = Figure.start(words, at_rest, "%", rests_on_assumed=True, source="mass balance")
    least = house.number("brine.keeps_at")
    needs = keeping_brine(cheese_kg, water, salt_pct, kg, least)
    wants = needs if needs <= SATURATED_PCT else None
    return KeptIn(
        brine_kg=kg, pct=strong, ends=ends, keeps=at_rest >= least, least_pct=least, wants_pct=wants
    )


# ── what it holds ──


@dataclass(frozen=True, slots=True)
class Brined:
    """A stay in brine: kg of salt that is thought to have gone into all its pieces, and when it
    came out, None while it lies there."""

    salt_kg: float
    out_at: datetime | None = None


def salt_held(
    recipe: Recipe, sheet: Frozen, standing: Standing, cheese_kg: float, brined: Sequence[Brined]
) -> Figure:
    """The salt that the pieces of a make are thought to hold, % of them.

    Parameters: recipe, sheet, standing; cheese_kg, of all of them, over 0; brined, each stay in
    brine. Raises: NotPossible without a cheese. Source: what stays of each, house values.
    """
    if cheese_kg <= 0:
        raise NotPossible("There is no cheese.")
    salts = [salting for _, salting in _given(recipe, sheet, standing, cheese_kg)]
    salts += [
        Salting("brine", each.salt_kg, f"{1000 * each.salt_kg:.0f} g from the brine")
        for each in brined
    ]
    return held(salts, cheese_kg, sheet.house)


def salt_in_whey_g(recipe: Recipe, sheet: Frozen, standing: Standing, cheese_kg: float) -> float:
    """Salt that ran off with the whey, g: of what went into the milk or onto the curd, what the
    cheese did not keep; of a rind or a brine, none.

    Parameters: recipe, sheet, standing; cheese_kg, of all of it, over 0. Source: mass balance, as
    `salt_held`.
    """
    lost = 0.0
    for grams, salting in _given(recipe, sheet, standing, cheese_kg):
        if salting.way != "rind":
            kept = stays_of(salting.way, sheet.house) * salting.kg
            lost += max(0.0, grams - 1000 * kept)
    return lost


def _given(
    recipe: Recipe, sheet: Frozen, standing: Standing, cheese_kg: float
) -> Iterator[tuple[float, Salting]]:
    """Each salting by hand that is done: grams that went in, and what it comes to."""
    for each in recipe.ingredients:
        line = sheet.line(each.key)
        steps = [step for step in recipe.steps if each.key in step.adds]
        given = [step for step in steps if step.key in standing.done]
        skipped = given and given[0].key in standing.skipped
        if each.product.kind != "salt" or line is None or not given or skipped:
            continue
        dose = standing.gave(given[0].key).get(each.key)
        grams = by_weight(line, recipe, sheet, standing).value if dose is None else dose
        if each.basis == "percent_of_milk":
            yield grams, _from_milk(grams, recipe, sheet, cheese_kg)
            continue
        on_rind = each.basis == "percent_of_cheese" and given[0].kind == "salt"
        days = f" over {each.days} days" if each.days > 1 else ""
        words = f"{grams:.0f} g on the {'rind' if on_rind else 'curd'}{days}"
        yield grams, Salting("rind" if on_rind else "curd", grams / 1000, words)


def _from_milk(grams: float, recipe: Recipe, sheet: Frozen, cheese_kg: float) -> Salting:
    """Salt of the milk: the water of the cheese is as salt as the milk's was."""
    in_water = grams / 1000 / (sheet.milk.mass.value * sheet.house.number("milk.water") / 100)
    water = expected_moisture(recipe, sheet) * cheese_kg
    return Salting("milk", in_water * water, f"{grams:.0f} g in the milk, its share of the water")
