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

from openpail.craft.cave.keep import briefly
from openpail.craft.cave.label import GivenTo, Matter, MilkSaid, allergens
from openpail.craft.house import House
from openpail.craft.milk.blend import Blend
from openpail.craft.milk.fitness import Fitness, Reason
from openpail.craft.milk.kinds import PASTEURISED
from openpail.craft.recipe.recipe import Recipe, reference_milk
from openpail.craft.recipe.ripening import (
    HEATED_C,
    LISTERIA,
    RAW_DAYS,
    SOFT_WHEN_RAW,
    is_heated,
    ready_days,
    salt_in_milk_pct,
    warm_hours,
    without_acid,
)
from openpail.craft.recipe.yields import (
    ACID_HEAT,
    NO_RENNET_FAMILIES,
    STRETCHED,
    family_mffb,
    usual_of,
)
from openpail.craft.stock.products import Product
from openpail.craft.units import so_many

_SCALDING_C = 60.0

Level = Literal["stop", "strong caution", "caution", "note"]
LEVELS: tuple[Level, ...] = ("stop", "strong caution", "caution", "note")

DEFERRAL = (
    "A notebook and a calculator, no food-safety plan: local law, your dairy’s own inspector and "
    "licensed practice come first."
)
SOFT_MFFB = 67.0
_SAID_ONCE = "Some germs (toxin-making E. coli, Brucella) outlive 60 days."


@dataclass(frozen=True, slots=True, kw_only=True)
class Caution:
    """One thing to say: its key, level, a short title and what it means."""

    key: str
    level: Level
    title: str
    words: str
    hard: bool = False


_BLOWS_LATE = frozenset({"small_eyed", "washed_curd", "alpine"})
_BLOWS_LATE_DAYS = 30


def for_sheet(
    recipe: Recipe,
    milk: Blend,
    fitness: Iterable[tuple[str, Fitness, bool]],
    *,
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
        *_unfit(recipe, milk, lots, house),
        *_raw(recipe, milk, made_on, house, used),
        *_warm_hold(recipe, milk, house),
        *_any_milk(recipe, house),
        *_lactose(milk, house),
        *_stretch(recipe, milk, house),
        *_late_blowing(recipe),
        *_declared(milk, lots),
        *_handling(recipe, used),
        _allergens(recipe, milk, used),
    ]
    return tuple(sorted(found, key=lambda each: LEVELS.index(each.level)))


def _unfit(
    recipe: Recipe, milk: Blend, lots: list[tuple[str, Fitness, bool]], house: House
) -> Iterable[Caution]:
    unsettable = {
        name
        for name, fitness, _ in lots
        if any(reason.verdict == "not for rennet cheese" for reason in fitness.reasons)
    }
    casein = [(each.name, each.mass.value * each.milk.casein.value) for each in milk.pours]
    share = sum(kg for name, kg in casein if name in unsettable) / sum(kg for _, kg in casein)
    there = unsettable <= {name for name, _ in casein}
    few = share if there and share < house.number("rennet.no_set_share") else None
    for name, fitness, _ in lots:
        for reason in fitness.reasons:
            yield from _of_reason(name, reason, recipe, few)


def _of_reason(name: str, reason: Reason, recipe: Recipe, few: float | None) -> Iterable[Caution]:
    """few: the share of the casein that rennet does not set, where it is small."""
    match reason.verdict:
        case "not for cheese":
            title = f"{name}: not for cheese."
            yield Caution(
                key="unfit", level="stop", title=title, words=reason.words, hard=reason.hard
            )
        case "boiled acid-and-heat only" if recipe.family in ACID_HEAT:
            yield Caution(
                key="boil",
                level="strong caution",
                title=f"{name}: boil it first.",
                words=reason.words,
            )
        case "boiled acid-and-heat only":
            yield Caution(
                key="boil",
                level="stop",
                title=f"{name}: not for this cheese.",
                words=reason.words,
            )
        case "not for rennet cheese" if recipe.family in NO_RENNET_FAMILIES:
            return
        case "not for rennet cheese" if few is not None:
            title = f"{name}: not for rennet, but little of it."
            words = f"{100 * few:.0f} % of the vat’s casein: so much does not spoil the set."
            yield Caution(
                key="ultra",
                level="caution",
                title=title,
                words=f"{reason.words} Here it is {words}",
            )
        case "not for rennet cheese":
            yield Caution(
                key="ultra",
                level="stop",
                title=f"{name}: not for rennet.",
                words=reason.words,
                hard=True,
            )
        case _:
            yield Caution(key="milk", level="caution", title=f"{name}.", words=reason.words)


def is_soft(recipe: Recipe, milk: Blend, house: House) -> bool:
    """Soft for every rule of raw milk.

    MFFB over 67; a fresh, bloomy, smear, whey or grilling family, a fresh stretched one, an acid
    curd that was not heated; or any that is ready before day 60.
    Parameters: recipe; milk; house. Source: Codex CXS 283; 21 CFR 133; house value.
    """
    if is_heated(recipe):
        return False
    whey = milk.casein.value < house.number("whey.most_casein")
    fresh = recipe.family in STRETCHED and recipe.eat_by_days <= house.number("yield.fresh_days")
    if recipe.family in SOFT_WHEN_RAW or whey or fresh:
        return True
    if ready_days(recipe, house, raw=True)[0] < RAW_DAYS:
        return True
    told = usual_of(recipe, reference_milk(recipe, house), house)
    found = family_mffb(recipe.family, milk.fat.value, milk.casein.value, house, told)
    return found > SOFT_MFFB


def _raw(
    recipe: Recipe, milk: Blend, made_on: date, house: House, products: Iterable[Product]
) -> Iterable[Caution]:
    jar = next((product for product in products if product.raw), None)
    if not (milk.numbers.is_raw or jar):
        return
    if is_heated(recipe):
        yield Caution(
            key="raw-heated",
            level="caution",
            title="Raw milk, heated in the make.",
            words=f"Its own steps bring it to {HEATED_C:g} °C, stirred, before the acid or with "
            f"it: it "
            "counts as heated, never as pasteurised by a log. Read the warmth and write it down.",
        )
        return
    if jar and not milk.numbers.is_raw:
        yield Caution(
            key="raw-jar",
            level="caution",
            title=f"{jar.name} was grown in raw milk.",
            words="The whole batch counts as raw, though the milk in the vat was heated.",
        )
    if is_soft(recipe, milk, house):
        yield from _raw_and_soft(recipe, milk, house)
        return
    day = made_on + timedelta(days=RAW_DAYS)
    yield Caution(
        key="raw",
        level="caution",
        title="Raw milk.",
        words="It can carry harmful germs: not for the pregnant, very young, old or ill. Ask "
        "the herd’s "
        "status (brucellosis, tuberculosis, Q fever). "
        f"Where the law asks for {RAW_DAYS} days at 1.7 °C or above, they end on {day:%-d %b}; the "
        f"date makes no cheese safe. {_SAID_ONCE}",
    )


def _raw_and_soft(recipe: Recipe, milk: Blend, house: House) -> Iterable[Caution]:
    limit = house.number("fitness.cold_caution_soft_h")
    if any(each.hours_cold > limit for each in milk.pours):
        yield Caution(
            key="raw-soft-age",
            level="caution",
            title=f"Over {limit:.0f} h cold.",
            words="For a soft cheese raw milk wants to be fresher.",
        )
    early = ready_days(recipe, house, raw=True)[0]
    aged = recipe.family not in SOFT_WHEN_RAW and early < RAW_DAYS
    yield Caution(
        key="raw-soft",
        level="strong caution",
        title=f"Raw milk, ready by day {early}." if aged else "Raw milk, soft cheese.",
        words="No age clears this. Not for the pregnant, the very young, the old or the ill. "
        "Ask the "
        "herd’s status (brucellosis, tuberculosis, Q fever). Before it is sold, write which law "
        "allows it.",
    )


def _lactose(milk: Blend, house: House) -> Iterable[Caution]:
    most = house.number("milk.lactose_most")
    if milk.lactose.value > most:
        yield Caution(
            key="lactose",
            level="caution",
            title=f"{milk.lactose.value:.1f} % lactose, over {most:g}.",
            words="Sour, browning, weeping cheese: wash the curd, or reach the figures by "
            "taking cream "
            "off or with retentate.",
        )


def _stretch(recipe: Recipe, milk: Blend, house: House) -> Iterable[Caution]:
    """Milk that was homogenised or strongly heated hardly stretches."""
    if recipe.family not in STRETCHED:
        return
    share = milk.numbers.by_casein(
        lambda each: each.homogenised or each.treatment in ("high_heat", "scalded")
    )
    if share > house.number("rennet.no_set_share"):
        yield Caution(
            key="no-stretch",
            level="strong caution",
            title="It will hardly stretch.",
            words=f"{100 * share:.0f} % of its casein is of milk that was homogenised or strongly "
            "heated: such curd tears. Try a cup of it in hot water before the vat.",
        )


def _warm_hold(recipe: Recipe, milk: Blend, house: House) -> Iterable[Caution]:
    """Salt in the milk, or no culture at all: a warm hold that no acid guards."""
    if not without_acid(recipe, house):
        return
    salted = salt_in_milk_pct(recipe) >= house.number("culture.salt_stops")
    why = "Salt in the milk all but stops the culture" if salted else "No culture makes acid here"
    most, own = house.number("fitness.warm_hold_h"), warm_hours(recipe)
    over = f" By its own steps it stands {own:.0f} h so: too long." if own > most else ""
    raw = (
        f" Raw: {RAW_DAYS} days in a brine that ends at 6 % salt or more, at 7 °C or colder."
        if milk.numbers.is_raw
        else ""
    )
    yield Caution(
        key="warm-hold",
        level="strong caution",
        title="A warm hold without acid.",
        words=f"{why}, and germs mind it less. Pasteurised milk is the default; at most "
        f"{most:g} h in "
        f"all between 10 and 45 °C until it is at 7 °C.{over} The heat of stretching or grilling "
        f"is no pasteurisation unless a log shows it.{raw}",
    )


def _any_milk(recipe: Recipe, house: House) -> Iterable[Caution]:
    if recipe.family not in LISTERIA:
        return
    days = briefly(recipe, house)
    most = house.number("keep.soft_c")
    soon = f" At {most:g} °C or under, eat within {so_many(days, 'day')}." if days else ""
    yield Caution(
        key="fresh",
        level="caution",
        title="Listeria grows in such cheese, of any milk.",
        words="Fresh, soft, blue, stretched, grilling and brined cheese: it grows in the cold. "
        f"Not for the pregnant, very young, old or ill.{soon}",
    )


def _late_blowing(recipe: Recipe) -> Iterable[Caution]:
    """Spores of silage and dirty teats live through every heat, and blow a sweet cheese late."""
    kept = sum(stage.days for stage in recipe.stages) >= _BLOWS_LATE_DAYS
    if recipe.family not in _BLOWS_LATE or not kept:
        return
    yield Caution(
        key="late-blowing",
        level="note",
        title="Late blowing: spores outlive pasteurising.",
        words="After weeks it cracks and smells of rancid butter. Milk of animals fed no silage, "
        "teats cleaned dry, curd well salted. Lysozyme holds it back and is egg, on the label; "
        "nitrate only where your law allows it, and it holds back the eyes too.",
    )


def _declared(milk: Blend, lots: list[tuple[str, Fitness, bool]]) -> Iterable[Caution]:
    own = {name for name, _, is_own in lots if is_own}
    for each in milk.pours:
        if each.treatment not in PASTEURISED | {"boiled"}:
            continue
        if each.heat_record:
            yield Caution(
                key="logged",
                level="note",
                title=f"{each.name}: pasteurised, logged.",
                words=each.heat_record,
            )
        elif each.name in own:
            words = "No log of the heating is kept here: it counts as declared, not logged."
            yield Caution(
                key="declared",
                level="caution",
                title=f"{each.name}: pasteurised on trust.",
                words=words,
            )
        else:
            words = "Taken as its label says."
            yield Caution(
                key="declared-shop", level="note", title=f"{each.name}: pasteurised.", words=words
            )


def _handling(recipe: Recipe, products: Iterable[Product]) -> Iterable[Caution]:
    if any(step.celsius and step.celsius.target >= _SCALDING_C for step in recipe.steps):
        yield Caution(
            key="hot",
            level="note",
            title="Hot whey, 60 °C and over.",
            words="Gloves, two people to lift a full pot, children and animals out.",
        )
    for product in products:
        if product.kind == "calcium" and product.per == "dry":
            yield Caution(
                key="flakes",
                level="note",
                title="Calcium chloride heats in water.",
                words="Flakes into cold water, little by little; mind the eyes; food grade only.",
            )
        if product.kind == "rennet":
            yield Caution(
                key="water",
                level="note",
                title="Water for the rennet.",
                words="Chlorine spoils it: stand tap water 24 h or boil it 5 min, then cool it; "
                "for "
                "chloramine use a carbon filter or bottled water.",
            )


def _allergens(recipe: Recipe, milk: Blend, products: Iterable[Product]) -> Caution:
    """What its label will have to name, as far as its sheet knows."""
    animals = {name: share for each in milk.pours for name, share in each.animals.items()}
    words = {each.product.name: each.words for each in recipe.ingredients}
    given = [GivenTo(e.kind, e.sort, e.name, words.get(e.name, "")) for e in products]
    found = allergens(Matter(milk=MilkSaid(animals=animals, raw=False), given=given))
    return Caution(
        key="allergens",
        level="note",
        title="Allergens.",
        words=f"{found[:1].upper()}{found[1:]}.",
    )
