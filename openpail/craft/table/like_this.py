"""Make it like this one: a make becomes a recipe, with what was really given, read and timed as its
targets, and what was felt beside them."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

from openpail.craft.make.additions import by_weight
from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.make.deeds import Felt, WheyOff
from openpail.craft.make.ends import Odd, Rule
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.signs import words_of
from openpail.craft.make.standing import Reading, Standing
from openpail.craft.recipe.recipe import Band, Ingredient, Recipe, RecipeStep, ReferencePart
from openpail.craft.table.facts import MadeFact

_RENNETED_C = (10.0, 45.0)

_LEAST_MULTIPLE, _MOST_MULTIPLE = 1.0, 10.0
_HEATS = frozenset({"warm", "heat", "add water", "cool"})
_SAME_MIN = 2.0
_DRIEST, _WETTEST = 25.0, 85.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Otherwise:
    """One thing of a make that was otherwise than its recipe says: its key; of which step or
    ingredient; which part, as written and as it was; accident, why nobody may have meant it, ""
    where nothing speaks against it."""

    key: str
    of: str
    part: Part
    written: float
    was: float
    unit: str = ""
    accident: str = ""


def otherwise(
    recipe: Recipe,
    sheet: Frozen,
    standing: Standing,
    *,
    day: MakeDay,
    milk_l: float,
    odd: Mapping[str, Sequence[Odd]],
) -> tuple[Otherwise, ...]:
    """All that a make did otherwise than its recipe, in the order of the steps: each may be meant,
    or an accident.

    Parameters: recipe that it was made by, and its sheet; standing and day; milk_l, that went in;
    odd, what was odd at the end of each step. Source: the record; the rules of a step's end.
    """
    found: list[Otherwise] = []
    for step in recipe.steps:
        state = next((e for e in day.steps if e.planned.step.key == step.key), None)
        if state is None:
            continue
        here = odd.get(step.key, ())
        if _left_out(state, step):
            found.append(_other(step, "left out", 1.0, 0.0, state.skipped))
            continue
        made = _step(standing, state, step, milk_l, None)
        for part in STEP_PARTS:
            written, was = _value(step, part), _value(made, part)
            if written is not None and was is not None and abs(written - was) > _SAME[part]:
                wrong = [e for e in here if _PART_OF.get(e.rule) == part]
                found.append(_other(step, part, written, was, _accident(wrong)))
        found += _doses(recipe, sheet, standing, step, here)
    return tuple(found)


Part = Literal["minutes", "celsius", "ph", "cut_mm", "load_kg", "share", "left out", "amount"]
STEP_PARTS: tuple[Part, ...] = ("minutes", "celsius", "ph", "cut_mm", "load_kg", "share")
_SAME: Mapping[Part, float] = {
    **{"minutes": 2.0, "celsius": 0.2, "ph": 0.03, "cut_mm": 0.5, "load_kg": 0.2, "share": 0.02},
}
# What each rule of a step's end speaks of.
_PART_OF: Mapping[Rule, Part] = {
    **{"cold": "celsius", "hot": "celsius", "sweet": "ph", "sour": "ph"},
    **{"short": "minutes", "long": "minutes", "less whey": "share", "more whey": "share"},
}


def _other(step: RecipeStep, part: Part, written: float, was: float, why: str) -> Otherwise:
    key = f"{step.key}:{part}"
    return Otherwise(key=key, of=step.title, part=part, written=written, was=was, accident=why)


def _accident(wrong: Sequence[Odd]) -> str:
    return "; ".join(f"{each.happened}, where it was to be {each.planned}" for each in wrong)


def _value(step: RecipeStep, part: Part) -> float | None:
    value = getattr(step, part)
    return value.target if isinstance(value, Band) else value


def _doses(
    recipe: Recipe, sheet: Frozen, standing: Standing, step: RecipeStep, odd: Sequence[Odd]
) -> Iterator[Otherwise]:
    """What was given otherwise than the sheet says; far from it, it may be a slip."""
    for key, amount in standing.gave(step.key).items():
        line = sheet.line(key)
        if line is None or amount == line.figure.value:
            continue
        wrong = [e for e in odd if e.asks and e.rule in ("little", "much")]
        yield Otherwise(
            key=f"{step.key}:amount:{key}",
            of=line.name,
            part="amount",
            written=line.figure.value,
            was=amount,
            unit=line.figure.unit,
            accident=_accident(wrong),
        )


def recipe_like(
    recipe: Recipe,
    sheet: Frozen,
    standing: Standing,
    *,
    day: MakeDay,
    milk: Sequence[ReferencePart],
    moisture_pct: float | None = None,
    meant: Collection[str] | None = None,
) -> Recipe:
    """The recipe of a make as it was made.

    Parameters: recipe that it was made by, and its sheet; standing and day; milk that really went
    in; moisture_pct of its cheese, None where nobody weighed it; meant, the keys of what was done
    otherwise on purpose, None for all of it. Returns: the same recipe, written for this milk, with
    the amounts, minutes, warmth and pH that there really were; what was no more than an accident
    stays as it is written. Source: the record.
    """
    states = {each.planned.step.key: each for each in day.steps}
    milk_l = sum(each.volume_l for each in milk)
    steps = tuple(
        _step(standing, states.get(step.key), step, milk_l, meant)
        for step in recipe.steps
        if not (_left_out(states.get(step.key), step) and _is_meant(step, "left out", meant))
    )
    known = moisture_pct is not None and _DRIEST <= moisture_pct <= _WETTEST
    rennet = recipe.ingredient("rennet")
    sets = [step for step in recipe.steps if rennet is not None and rennet.key in step.adds]
    as_read = all(_is_meant(step, "celsius", meant) for step in sets)
    return replace(
        recipe,
        reference=tuple(milk),
        ingredients=tuple(
            _given(recipe, sheet, standing, each, meant) for each in recipe.ingredients
        ),
        steps=steps,
        renneting_c=(_at_rennet(standing) if as_read else None) or recipe.renneting_c,
        cut_multiplier=_multiple(recipe, standing),
        moisture_pct=round(moisture_pct or 0.0, 1) if known else recipe.moisture_pct,
        source="",
    )


def _is_meant(step: RecipeStep, part: str, meant: Collection[str] | None) -> bool:
    return meant is None or f"{step.key}:{part}" in meant


def _left_out(state: StepState | None, step: RecipeStep) -> bool:
    return bool(state and state.skipped) and not step.adds


def _given(
    recipe: Recipe,
    sheet: Frozen,
    standing: Standing,
    ingredient: Ingredient,
    meant: Collection[str] | None,
) -> Ingredient:
    """An ingredient with the amount and the bottle that it really was; a per cent stays one."""
    line = sheet.line(ingredient.key)
    if line is None or ingredient.basis != "batch":
        return ingredient
    step = next((each.key for each in recipe.steps if ingredient.key in each.adds), "")
    dose = by_weight(line, recipe, sheet, standing)
    is_meant = meant is None or f"{step}:amount:{ingredient.key}" in meant
    gave = standing.gave(step) if is_meant else {}
    amount = gave.get(ingredient.key, dose.value)
    bottle = sheet.bottles.get(ingredient.key, ingredient.product)
    return replace(
        ingredient, product=replace(bottle, lot=""), amount=float(f"{amount:.4g}"), unit=dose.unit
    )


def _step(
    standing: Standing,
    state: StepState | None,
    step: RecipeStep,
    milk_l: float,
    meant: Collection[str] | None,
) -> RecipeStep:
    """A step with what was read in it, as long as it really was; what was not meant as written."""
    if state is None or state.done_at is None or state.skipped:
        return step
    until = state.done_at
    read = [each for each in standing.readings if state.begins < each.at <= until]
    minutes, moved = state.minutes, state.planned.step
    timed = step.clock == "fixed" and abs(minutes - step.minutes) > _SAME_MIN
    timed = timed and _is_meant(step, "minutes", meant)
    off = standing.litres_told(WheyOff, state.begins, until)
    was: dict[Part, Any] = {
        "celsius": _moved(step.celsius, _warmth(step, read), 1),
        "ph": _moved(step.ph, _last([each.ph for each in read]), 2),
        "cut_mm": moved.cut_mm,
        "load_kg": moved.load_kg,
        "share": round(sum(off) / milk_l, 2) if off and step.share and milk_l > 0 else step.share,
    }
    if timed and minutes >= 1:
        was["minutes"] = float(round(minutes))
    return replace(
        step,
        hands_on_minutes=min(step.hands_on_minutes, round(minutes))
        if timed
        else step.hands_on_minutes,
        sign=_sign(standing, step),
        **{part: value for part, value in was.items() if _is_meant(step, part, meant)},
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
