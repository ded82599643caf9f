"""Make it like this one: a make becomes a recipe, with what was really given, read and timed as its
targets, and what was felt beside them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from openpail.craft.make.additions import by_weight
from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.make.deeds import Felt
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.signs import words_of
from openpail.craft.make.standing import Reading, Standing
from openpail.craft.recipe.recipe import Band, Ingredient, Recipe, RecipeStep, ReferencePart
from openpail.craft.table.facts import MadeFact

_RENNETED_C = (10.0, 45.0)

_LEAST_MULTIPLE, _MOST_MULTIPLE = 1.0, 10.0
_HEATS = frozenset({"warm", "heat"})
_SAME_MIN = 2.0
_DRIEST, _WETTEST = 25.0, 85.0


def recipe_like(
    recipe: Recipe,
    sheet: Frozen,
    standing: Standing,
    *,
    day: MakeDay,
    milk: Sequence[ReferencePart],
    moisture_pct: float | None = None,
) -> Recipe:
    """The recipe of a make as it was made.

    Parameters: recipe that it was made by, and its sheet; standing and day; milk that really went
    in; moisture_pct that its weight says, None where nobody weighed it. Returns: the same recipe,
    written for this milk, with the amounts, minutes, warmth and pH that there really were; what
    nobody measured stays as it was written. Source: the record.
    """
    states = {each.planned.step.key: each for each in day.steps}
    steps = tuple(
        _step(recipe, standing, states.get(step.key), step)
        for step in recipe.steps
        if not _left_out(states.get(step.key), step)
    )
    known = moisture_pct is not None and _DRIEST <= moisture_pct <= _WETTEST
    return replace(
        recipe,
        reference=tuple(milk),
        ingredients=tuple(_given(recipe, sheet, standing, each) for each in recipe.ingredients),
        steps=steps,
        renneting_c=_at_rennet(standing) or recipe.renneting_c,
        cut_multiplier=_multiple(recipe, standing),
        moisture_pct=round(moisture_pct or 0.0, 1) if known else recipe.moisture_pct,
        source="",
    )


def _left_out(state: StepState | None, step: RecipeStep) -> bool:
    return bool(state and state.skipped) and not step.adds


def _given(recipe: Recipe, sheet: Frozen, standing: Standing, ingredient: Ingredient) -> Ingredient:
    """An ingredient with the amount and the bottle that it really was; a per cent stays one."""
    line = sheet.line(ingredient.key)
    if line is None or ingredient.basis != "batch":
        return ingredient
    step = next((each.key for each in recipe.steps if ingredient.key in each.adds), "")
    dose = by_weight(line, recipe, sheet, standing)
    amount = standing.gave(step).get(ingredient.key, dose.value)
    bottle = sheet.bottles.get(ingredient.key, ingredient.product)
    return replace(
        ingredient, product=replace(bottle, lot=""), amount=float(f"{amount:.4g}"), unit=dose.unit
    )


def _step(
    recipe: Recipe, standing: Standing, state: StepState | None, step: RecipeStep
) -> RecipeStep:
    """A step with what was read in it, as long as it really was."""
    if state is None or state.done_at is None or state.skipped:
        return step
    until = state.done_at
    read = [each for each in standing.readings if state.begins < each.at <= until]
    minutes = state.minutes
    timed = step.clock == "fixed" and abs(minutes - step.minutes) > _SAME_MIN
    return replace(
        step,
        minutes=float(round(minutes)) if timed and minutes >= 1 else step.minutes,
        hands_on_minutes=min(step.hands_on_minutes, round(minutes))
        if timed
        else step.hands_on_minutes,
        celsius=_moved(step.celsius, _warmth(step, read), 1),
        ph=_moved(step.ph, _last([each.ph for each in read]), 2),
        sign=_sign(standing, step),
    )


def _warmth(step: RecipeStep, read: Sequence[Reading]) -> float | None:
    warm = [each.celsius for each in read if each.celsius is not None]
    if step.kind in _HEATS or not warm:
        return _last(warm)
    return sum(warm) / len(warm)


def _last(values: Sequence[float | None]) -> float | None:
    there = [each for each in values if each is not None]
    return there[-1] if there else None


def _moved(band: Band | None, target: float | None, decimals: int) -> Band | None:
    """A band about what was really read, as wide as it was."""
    if band is None or target is None:
        return band
    by = target - band.target
    low, high = round(band.low + by, decimals), round(band.high + by, decimals)
    return Band(round(target, decimals), low, high)


def _sign(standing: Standing, step: RecipeStep) -> str:
    felt = [
        words_of(deed.of, deed.sign)
        for _, deed in standing.of(Felt)
        if deed.step == step.key and deed.of and deed.sign
    ]
    if not felt:
        return step.sign
    return f"{step.sign.rstrip('.')}. As it was felt: {', '.join(dict.fromkeys(felt))}.".lstrip(
        ". "
    )


def _at_rennet(standing: Standing) -> float | None:
    if standing.rennet_at is None:
        return None
    before = [e.celsius for e in standing.readings if e.at <= standing.rennet_at]
    found = _last(before)
    if found is None or not _RENNETED_C[0] <= found <= _RENNETED_C[1]:
        return None
    return round(found, 1)


def _multiple(recipe: Recipe, standing: Standing) -> float | None:
    """Flocculation times to the cut, as it really was cut."""
    cut = next((step.key for step in recipe.steps if step.clock == "cut"), None)
    seen, done = standing.flocks_min, standing.done.get(cut or "")
    if recipe.cut_multiplier is None or not seen or done is None or standing.rennet_at is None:
        return recipe.cut_multiplier
    times = (done.at - standing.rennet_at).total_seconds() / 60 / seen
    return round(min(_MOST_MULTIPLE, max(_LEAST_MULTIPLE, times)), 2)


def how_it_ate(facts: Sequence[MadeFact], outcome: str, number: int) -> str:
    """A line for a recipe that was made like a make: which, and how it ate.

    Parameters: facts of the make; outcome in words, "" where nobody said; number of the make.
    Source: derivation.
    """
    share = next((each.value for each in facts if each.key == "yield-share"), None)
    weighed = f"It weighed {share:.0f} % of what was expected. " if share else ""
    ate = f"It ate {outcome}." if outcome else "Nobody has said yet how it ate."
    return f"Like make {number}. {weighed}{ate}"
