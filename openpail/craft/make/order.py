"""In which order the steps of a recipe may be done: what each waits for, what ends by itself."""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal

from openpail.craft.recipe.recipe import Recipe, RecipeStep

EndsBy = Literal["step_done", "flocks", "set_looked", "weighed"]
_ANY_TIME_BEFORE_RENNET = frozenset({"calcium", "colour", "lipase", "mould", "protective"})

_SOURS = frozenset({"wait", "cheddar"})


def set_step(recipe: Recipe) -> str | None:
    """The step that waits for a clean break, None in a recipe that never looks for one.

    Parameters: recipe. Source: derivation.
    """
    return next((step.key for step in recipe.steps if step.clock == "cut"), None)


def ends_by(recipe: Recipe, step: RecipeStep) -> EndsBy:
    """What a step is ended by: the scale, the first flocks, a clean break, or a word that it is
    done.

    Parameters: recipe; step, one of its own. Source: usual practice.
    """
    if "weight" in step.asks:
        return "weighed"
    if "flocks" in step.asks:
        return "flocks"
    return "set_looked" if step.key == set_step(recipe) else "step_done"


def portions_of(recipe: Recipe, key: str) -> int:
    """In how many equal parts a step gives what it gives, 1 for all at once.

    Parameters: recipe; key, of one of its steps. Raises: Unknown.
    """
    adds = recipe.step(key).adds
    return max((each.portions for each in recipe.ingredients if each.key in adds), default=1)


def days_of(recipe: Recipe, key: str) -> int:
    """On how many days, the first with this step, its salt goes on the rind; 1 for at once.

    Parameters: recipe; key, of one of its steps. Raises: Unknown.
    """
    adds = recipe.step(key).adds
    return max((each.days for each in recipe.ingredients if each.key in adds), default=1)


def is_free(recipe: Recipe, step: RecipeStep) -> bool:
    """Whether a step may be done at any time before the rennet: it only stirs in what neither
    works nor curdles by itself.

    Parameters: recipe; step, one of its own. Source: usual practice.
    """
    kinds = {each.product.kind for each in recipe.ingredients if each.key in step.adds}
    return step.kind == "add" and bool(kinds) and kinds <= _ANY_TIME_BEFORE_RENNET


def back_to(recipe: Recipe, key: str, done: Collection[str]) -> RecipeStep | None:
    """The souring that a step may send back to, while nothing that waited for it is done.

    Parameters: recipe; key, of the step under way; done, keys of the steps that are. Returns: None
    where no souring came just before. Raises: Unknown. Source: usual practice.
    """
    before = recipe.steps[: recipe.steps.index(recipe.step(key))]
    sour = next((e for e in reversed(before) if e.kind in _SOURS), None)
    if sour is None or sour.key not in done:
        return None
    return None if any(sour in waits_for(recipe, other) for other in done) else sour


def waits_for(recipe: Recipe, key: str) -> tuple[RecipeStep, ...]:
    """The steps that have to be ended before one may be.

    A free step waits for nothing; a step before the rennet does not wait for the free ones; what
    gives the rennet, and all after it, waits for everything before.
    Parameters: recipe; key, of one of its steps. Raises: Unknown. Source: usual practice.
    """
    step = recipe.step(key)
    if is_free(recipe, step):
        return ()
    before = recipe.steps[: recipe.steps.index(step)]
    to_rennet = {each.key for each in recipe.steps_to_rennet()}
    if key in to_rennet:
        return tuple(each for each in before if not is_free(recipe, each))
    return before
