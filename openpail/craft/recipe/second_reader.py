"""Does a recipe make sense? Looked over like a second reader would, before any milk is warmed.

Nothing here blocks: a maker may know better. A remark says what it saw, and where.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

from openpail.craft.errors import CraftError
from openpail.craft.figure import replay
from openpail.craft.house import House, shipped
from openpail.craft.milk.kinds import RAW_CLASS, species_of, usual_ph
from openpail.craft.recipe.recipe import OF_CHEESE, Ingredient, Recipe, Stage, reference_milk
from openpail.craft.recipe.ripening import (
    HEATED_C,
    RAW_DAYS,
    is_heated,
    ready_days,
    salt_in_milk_pct,
    stage_days,
    warm_hours,
    without_acid,
)
from openpail.craft.recipe.yields import ACID_HEAT, NO_RENNET_FAMILIES, moisture
from openpail.craft.salt.brine import keeping_pct
from openpail.craft.salt.held import is_over
from openpail.craft.salt.hours import brine_salt_pct
from openpail.craft.stock.products import LIVE, rennet_strength, serves
from openpail.craft.units import so_many

_APART_C = 1.5  # the milk as it was warmed, and as the rennet is told for
_FALLS_C = 4.0  # a rest that cools so far wants a lid or a bath

FRESH = ACID_HEAT | {"whey", "lactic", "stretched_quick", "stretched", "grilling"}
_UNRIPENED = FRESH | {"white_brined"}
_OUT_OF_THE_VAT = frozenset({"brine", "cool", "dry", "hang", "drain", "hold", "turn", "press"})
_WORKED_WARM = frozenset({"warm", "wait", "stir", "heat", "hold", "heal", "cheddar"})
_CELLAR_C, _WARM_C, _GROWS_TO_C, _CELLAR_MOST_H = 8.0, 15.0, 46.0, 15.0
_IN_OIL = re.compile(r"\b(?:cover\w*|in|under|top\w*|fill\w*|with|into)\b[^.;]*\boil\b", re.I)
_ON_THE_RIND = re.compile(r"\b(?:rub|rubs|rubbed|brush\w*|wip\w*|grease\w*|smear\w*|rind)\b", re.I)
_AWAKE_C, _LAG_MIN, _LAG_DROP = 35.0, 40.0, 0.03
_MOST_C = {"mild": "sense.mild_most_c", "both": "sense.both_most_c", "hot": "sense.hot_most_c"}


@dataclass(frozen=True, slots=True)
class Remark:
    """What was seen, where: `place` is a path like steps/heat; grave: it will not work so."""

    place: str
    words: str
    grave: bool = False


def remarks(recipe: Recipe, house: House) -> tuple[Remark, ...]:
    """Everything a second reader would say of a recipe, the grave first.

    Parameters: recipe, whole or half-written; house. Source: house values; derivation.
    """
    found = [
        *_goes_in(recipe),
        *_in_order(recipe),
        *_doses(recipe, house),
        *_set(recipe, house),
        *_warmth(recipe, house),
        *_acid(recipe),
        *_hands(recipe),
        *_ratio(recipe),
        *_salt(recipe),
        *_salt_by_its_words(recipe, house),
        *_lag(recipe, house),
        *_guarded(recipe, house),
        *_uncultured(recipe, house),
        *_under_oil(recipe, house),
        *_raw_window(recipe, house),
        *_ripening(recipe, house),
        *_told(recipe),
    ]
    return tuple(sorted(found, key=lambda each: not each.grave))


def _name(each: Ingredient) -> str:
    return each.product.name or each.key


def _goes_in(recipe: Recipe) -> Iterator[Remark]:
    """Each thing that a family cannot be without is there, and goes in once."""
    kinds = {each.product.kind for each in recipe.ingredients}
    in_packet = any(each.product.form == "one-packet" for each in recipe.ingredients)
    if recipe.family in NO_RENNET_FAMILIES:
        if "acid" not in kinds and recipe.family in ACID_HEAT:
            yield Remark(
                "ingredients", "Acid and heat make this cheese, and no acid goes in.", True
            )
        if "rennet" in kinds:
            yield Remark("ingredients/rennet", "This family sets without rennet.")
    elif "rennet" not in kinds and not in_packet:
        grave = recipe.family != "lactic"
        yield Remark("ingredients", "No rennet goes in: it will not set.", grave)
    if (
        "culture" not in kinds
        and "acid" not in kinds
        and recipe.family
        not in (
            *NO_RENNET_FAMILIES,
            "grilling",
        )
    ):
        yield Remark("ingredients", "No culture goes in: nothing sours it.", True)
    added = Counter(key for step in recipe.steps for key in step.adds)
    for each in recipe.ingredients:
        if not added[each.key]:
            yield Remark(f"ingredients/{each.key}", f"{_name(each)} goes in at no step.", True)
        elif added[each.key] > 1:
            words = f"{_name(each)} goes in at {added[each.key]} steps: the whole dose each time."
            yield Remark(f"ingredients/{each.key}", words)


def _in_order(recipe: Recipe) -> Iterator[Remark]:
    first: dict[str, int] = {}
    for number, step in enumerate(recipe.steps):
        for each in recipe.ingredients:
            if each.key in step.adds:
                first.setdefault(each.product.kind, number)
    rennet = first.get("rennet")
    if rennet is None:
        return
    step = recipe.steps[rennet]
    for kind in ("culture", "calcium", "acid"):
        if first.get(kind, -1) > rennet:
            words = f"{kind.capitalize()} after the rennet: it belongs before it."
            yield Remark(f"steps/{recipe.steps[first[kind]].key}", words, True)
    warm = step.celsius.target if step.celsius else None
    told = recipe.renneting_c
    if warm is not None and told is not None and abs(warm - told) > _APART_C:
        words = f"Rennet goes in at {warm:g} °C here; the recipe says {told:g} °C."
        yield Remark(f"steps/{step.key}", words, True)


def _doses(recipe: Recipe, house: House) -> Iterator[Remark]:
    if not recipe.reference:
        yield Remark("reference", "Say what milk it is written for, and how much.", True)
        return
    kg = reference_milk(recipe, house).mass_kg
    for each in recipe.ingredients:
        place, words = f"ingredients/{each.key}", ""
        try:
            words = _dose_words(recipe, each, kg, house)
        except CraftError as why:
            words = why.words
        if words:
            yield Remark(place, words)


def _dose_words(recipe: Recipe, each: Ingredient, kg: float, house: House) -> str:
    kind, product = each.product.kind, each.product
    if each.amount <= 0 and kind != "calcium":
        return f"{_name(each)}: no amount is written."
    if kind == "rennet":
        imcu = each.amount * replay(rennet_strength(product, house)) / kg
        of = "lactic" if recipe.family == "lactic" else "rennet"
        low, high = house.number(f"sense.{of}_least"), house.number(f"sense.{of}_most")
        if not low <= imcu <= high:
            return f"{imcu:.0f} IMCU of rennet for a kg of milk: {low:g} to {high:g} is usual."
    if kind in LIVE:
        share = each.amount * replay((serves(product, house),)) / kg
        low, high = house.number("sense.culture_least"), house.number("sense.culture_most")
        if not low <= share <= high:
            return f"{_name(each)}: {share:.1f} times what its label is for."
    if kind == "salt" and each.basis != "batch":
        of = "curd" if each.basis == "percent_of_curd" else "milk"
        most = house.number(f"sense.{of}_salt_most")
        if each.amount > most:
            return f"{each.amount:g} % of salt: over {most:g} % of the {of} is hardly ever right."
    return ""


def _set(recipe: Recipe, house: House) -> Iterator[Remark]:
    if recipe.ingredient("rennet") is None or recipe.family in ("lactic", *NO_RENNET_FAMILIES):
        return
    times = recipe.cut_multiplier
    if times is None:
        yield Remark("cut_multiplier", "Say after how many times the flocks it is cut.", True)
        return
    key = f"cut.usual_{recipe.family}"
    if key in shipped():
        usual, spread = house.number(key), house.number("cut.usual_spread")
        if abs(times / usual - 1) > spread + 1e-9:
            words = f"Cut at {times:g} times the flocks: {usual:g} is usual of this family."
            yield Remark("cut_multiplier", words)
    clocks = {step.clock for step in recipe.steps}
    if not {"flocculation", "cut"} <= clocks:
        yield Remark(
            "steps",
            "No step waits for the flocks and for the cut, so the day’s clock "
            "cannot follow this milk.",
        )


def _warmth(recipe: Recipe, house: House) -> Iterator[Remark]:
    sorts = [each.product.sort for each in recipe.ingredients if each.product.kind == "culture"]
    keys = [_MOST_C[sort] for sort in sorts if sort in _MOST_C]
    most = max((house.number(key) for key in keys), default=None)
    souring = not keys or recipe.family in NO_RENNET_FAMILIES
    warm = [s for s in recipe.steps if s.celsius and s.kind in _WORKED_WARM]
    for step in warm:
        at = step.celsius.target if step.celsius else 0.0
        if most is not None and at > most and not souring:
            words = f"{at:g} °C kills its culture, which stands {most:g} °C."
            yield Remark(f"steps/{step.key}", words, True)
    vat = [s for s in recipe.steps if s.celsius and s.kind not in _OUT_OF_THE_VAT]
    for before, after in pairwise(vat):
        fall = (before.celsius.target if before.celsius else 0) - (
            after.celsius.target if after.celsius else 0
        )
        if fall > _FALLS_C:
            words = f"{fall:.0f} °C colder than the step before, and nothing cools it."
            yield Remark(f"steps/{after.key}", words)


def _acid(recipe: Recipe) -> Iterator[Remark]:
    sours = [step for step in recipe.steps if step.ph]
    for before, after in pairwise(sours):
        if before.ph and after.ph and after.ph.target > before.ph.target + 1e-9:
            words = f"pH {after.ph.target:g} after {before.ph.target:g}: pH falls in a make."
            yield Remark(f"steps/{after.key}", words, True)
    if recipe.family in ACID_HEAT and recipe.acid_target_ph is None:
        yield Remark("acid_target_ph", "Say to what pH the acid goes.", True)


def _hands(recipe: Recipe) -> Iterator[Remark]:
    for step in recipe.steps:
        place = f"steps/{step.key}"
        if step.hands_on_minutes > step.minutes:
            yield Remark(place, "More minutes for the hands than the step takes.", True)
        if step.kind == "cut" and step.cut_mm is None:
            yield Remark(place, "Say how small to cut.")
        if step.kind == "press" and step.load_kg is None:
            yield Remark(place, "Say what weight to press with.")
    weighed = [step for step in recipe.steps if "weight" in step.asks]
    if not weighed:
        yield Remark("steps", "No step asks for the cheese’s weight: the yield stays a guess.")
    elif weighed[0] is not recipe.steps[-1]:
        words = "With its weight the cheese goes to rest: only the last step may ask for it."
        yield Remark(f"steps/{weighed[0].key}", words, True)


def _ratio(recipe: Recipe) -> Iterator[Remark]:
    rule = recipe.ratio
    if rule is None:
        return
    least, most = sum(part[1] for part in rule.shares), sum(part[2] for part in rule.shares)
    if least > 1 + 1e-9 or most < 1 - 1e-9 or any(low > high for _, low, high in rule.shares):
        yield Remark(
            "ratio",
            f"The shares make {100 * least:.0f} to {100 * most:.0f} %, and 100 must lie between.",
            True,
        )
    animals = {species_of(part.breed) for part in recipe.reference}
    missing = [species for species, low, _ in rule.shares if low > 0 and species not in animals]
    if missing:
        words = f"The ratio asks for {' and '.join(missing)}, which its own milk has not."
        yield Remark("ratio", words, True)


def _salt(recipe: Recipe) -> Iterator[Remark]:
    kinds = {each.product.kind for each in recipe.ingredients}
    worked = {step.kind for step in recipe.steps}
    cared = any(
        "brine" in stage.place or "brine" in care.words.lower() or "salt" in care.words.lower()
        for stage in recipe.stages
        for care in stage.cares
    )
    if "salt" not in kinds and not worked & {"brine", "salt"} and not cared:
        yield Remark("ingredients", "Salt comes at no stage.")


def _salt_by_its_words(recipe: Recipe, house: House) -> Iterator[Remark]:
    """What its brine and its salt come to, against what the recipe itself says."""
    wheels = recipe.wheels
    for step in recipe.steps:
        if step.kind != "brine":
            continue
        if step.brine_pct is None or wheels is None:
            words = "Say how strong the brine is, and for what pieces: hours mean nothing else."
            yield Remark(f"steps/{step.key}", words)
            continue
        found = brine_salt_pct(step.minutes / 60, wheels.piece_kg, step.brine_pct, house)
        most = step.most_salt_pct
        low, high = house.number("sense.brined_least"), house.number("sense.brined_most")
        if most is not None and is_over(found, most):
            words = f"About {found:.1f} % salt by these hours; it is to take {most:g} at most."
            yield Remark(f"steps/{step.key}", words)
        elif not low <= found <= high:
            words = f"About {found:.1f} % salt by these hours: {low:g} to {high:g} is usual."
            yield Remark(f"steps/{step.key}", words)
    for stage in recipe.stages:
        if stage.brine_pct is not None and stage.brine_per_kg is not None:
            yield from _keeping_brine(recipe, stage, house)


def _keeping_brine(recipe: Recipe, stage: Stage, house: House) -> Iterator[Remark]:
    water = moisture(recipe.family, house)
    salt = next((e for e in recipe.ingredients if e.product.kind == "salt"), None)
    in_cheese = 0.0
    if salt and salt.basis in OF_CHEESE:
        in_cheese = salt.amount * house.number("salt.rind_stays")
    elif salt and salt.basis == "percent_of_milk":  # the water of the cheese is as salt as the milk
        in_cheese = salt.amount * water
    ends = keeping_pct(1.0, water, in_cheese, stage.brine_per_kg or 0.0, stage.brine_pct or 0.0)
    least = house.number("brine.keeps_at")
    if ends < least:
        words = f"Cheese and brine come to rest at {ends:.1f} % salt; it keeps from {least:g} % on."
        yield Remark(f"stages/{stage.key}", words)


def _lag(recipe: Recipe, house: House) -> Iterator[Remark]:
    """A heat-loving culture hardly starts in milk of mild warmth: no acid is to be expected yet."""
    sorts = {each.product.sort for each in recipe.ingredients if each.product.kind == "culture"}
    step, goal = recipe.ripening(), recipe.renneting_ph()
    if sorts != {"hot"} or step is None or (recipe.renneting_c or 0) >= _AWAKE_C:
        return
    drop = recipe.ripening_ph_drop
    if goal and recipe.reference:
        shares = reference_milk(recipe, house).casein_shares()
        drop = max(drop, usual_ph(shares, house) - goal.target)
    if step.minutes <= _LAG_MIN and drop > _LAG_DROP:
        words = (
            f"A heat-loving culture hardly starts under {_AWAKE_C:g} °C: no pH falls by {drop:.2f} "
            f"in its first {step.minutes:.0f} min."
        )
        yield Remark(f"steps/{step.key}", words)


def _guarded(recipe: Recipe, house: House) -> Iterator[Remark]:
    """Warm hours that no acid guards; acid and heat that is not hot."""
    most = house.number("fitness.warm_hold_h")
    if without_acid(recipe, house) and warm_hours(recipe) > most:
        words = (
            f"{warm_hours(recipe):.0f} h between 10 and 45 °C without acid to guard it: {most:g} h "
            "at most."
        )
        yield Remark("steps", words, True)
    if salt_in_milk_pct(recipe) >= house.number("culture.salt_stops"):
        for each in recipe.ingredients:
            if each.product.kind == "culture" and not each.product.stands_salt:
                words = f"{_name(each)} is not marked as standing salt, and the milk is salted."
                yield Remark(f"ingredients/{each.key}", words)
    if recipe.family in ACID_HEAT and not is_heated(recipe):
        words = f"Under {HEATED_C:g} °C before the acid: of raw milk it stays raw and soft."
        yield Remark("steps", words)


def _uncultured(recipe: Recipe, house: House) -> Iterator[Remark]:
    """Milk that stands warm before anything chosen sours it."""
    sours = {e.key for e in recipe.ingredients if e.product.kind in ("culture", "acid")}
    sours |= {e.key for e in recipe.ingredients if e.product.form == "one-packet"}
    warm_h = cellar_h = 0.0
    celsius: float | None = None
    for step in recipe.steps:
        if sours & set(step.adds):
            return
        celsius = step.celsius.target if step.celsius else celsius
        if celsius is None:
            continue
        warm_h += step.minutes / 60 if _WARM_C < celsius <= _GROWS_TO_C else 0.0
        cellar_h += step.minutes / 60 if _CELLAR_C <= celsius <= _WARM_C else 0.0
        if warm_h > house.number("fitness.warm_caution_h"):
            words = (
                f"{warm_h:.0f} h over {_WARM_C:g} °C and nothing chosen sours it: what grows by "
                "itself may leave a toxin that outlives cooking. Milk that stood so is discarded."
            )
            yield Remark(f"steps/{step.key}", words, True)
            return
        if cellar_h > _CELLAR_MOST_H:
            words = (
                f"{cellar_h:.0f} h at {_CELLAR_C:g} to {_WARM_C:g} °C before a culture: too long."
            )
            yield Remark(f"steps/{step.key}", words, True)
            return


def _under_oil(recipe: Recipe, house: House) -> Iterator[Remark]:
    """Cheese, herbs or garlic laid in oil, by the words of its steps and cares."""
    told = [(f"steps/{step.key}", f"{step.title}. {step.words}") for step in recipe.steps]
    for stage in recipe.stages:
        told += [(f"stages/{stage.key}", care.words) for care in stage.cares]
    for place, words in told:
        if _IN_OIL.search(words) and not _ON_THE_RIND.search(words):
            days, most = house.number("keep.oil_days"), house.number("keep.oil_c")
            yield Remark(
                place,
                f"In oil, and with garlic or herbs in it the more, grows what needs no air: at "
                f"{most:g} °C or under, {days:g} days at most, never at room temperature.",
                True,
            )
            return


def _raw_window(recipe: Recipe, house: House) -> Iterator[Remark]:
    """Raw milk in an aged cheese: not opened before day 60, not ready before it."""
    raw = any(part.treatment in RAW_CLASS for part in recipe.reference)
    if not raw or recipe.family in (*FRESH, "bloomy", "washed_rind"):
        return
    soonest = ready_days(recipe, house, raw=True)[0]
    if soonest < RAW_DAYS:
        yield Remark("stages", f"Raw milk, and ready by day {soonest}: not before day {RAW_DAYS}.")
    begins = 0
    for stage, days in stage_days(recipe, house, raw=True):
        for care in stage.cares:
            day = begins + care.from_day
            if "taste" in care.words.lower() and day < RAW_DAYS:
                words = f"Tasted raw on day {day}: before day {RAW_DAYS} it is no cheese to taste."
                yield Remark(f"stages/{stage.key}", words)
        begins += days


def _ripening(recipe: Recipe, house: House) -> Iterator[Remark]:
    if not recipe.stages:
        yield Remark("stages", "Say where the cheese goes, how warm and how long.")
        return
    days = sum(stage.days for stage in recipe.stages)
    if not recipe.eat_by_days:
        yield Remark("eat_by_days", "Say within how many days it is to be eaten.", True)
    elif days > recipe.eat_by_days:
        words = f"Ripe after {so_many(days, 'day')}, to be eaten within {recipe.eat_by_days}."
        yield Remark("eat_by_days", words, True)
    low, high = house.number("sense.ripens_from_c"), house.number("sense.ripens_to_c")
    for stage in recipe.stages:
        if stage.celsius.target > high:
            words = f"{stage.celsius.target:g} °C: nothing ripens well over {high:g} °C."
            yield Remark(f"stages/{stage.key}", words, True)
        elif stage.celsius.low < 0:
            yield Remark(f"stages/{stage.key}", "Under 0 °C the cheese freezes.", True)
    warmest = max(stage.celsius.target for stage in recipe.stages)
    if recipe.family not in _UNRIPENED and warmest < low:
        words = f"Never over {warmest:g} °C: under {low:g} °C it hardly ripens."
        yield Remark("stages", words, True)
    eyes = house.number("sense.eyes_from_c")
    if recipe.ingredient("propionic") and warmest < eyes:
        words = (
            f"The eye-making culture asks for a room of {eyes:g} °C; the warmest is {warmest:g}."
        )
        yield Remark("stages", words, True)
    cold, soon = house.number("sense.fresh_to_c"), house.number("sense.fresh_days")
    if recipe.family in FRESH:
        if recipe.eat_by_days > soon:
            words = (
                f"A fresh cheese, kept {so_many(recipe.eat_by_days, 'day')}: {soon:g} at most is "
                "safe to plan."
            )
            yield Remark("eat_by_days", words)
        if recipe.stages[-1].celsius.high > cold:
            words = f"A fresh cheese is kept at {cold:g} °C or under."
            yield Remark(f"stages/{recipe.stages[-1].key}", words)


def _told(recipe: Recipe) -> Iterator[Remark]:
    untold = [
        step.title
        for step in recipe.steps
        if not step.sign
        and step.kind in ("wait", "cut", "heat", "stir", "drain", "cheddar", "stretch")
    ]
    if untold:
        words = f"No sign to look for at: {', '.join(untold)}."
        yield Remark("steps", words)
