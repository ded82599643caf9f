"""From the day a cheese is made: its cares, when it may be ready, and until when to eat it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

from openpail.craft.house import House
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.ripening import ready_days, stage_days
from openpail.craft.recipe.rubbed import rind_rubs

RIND_SALT = "rind-salt-"


@dataclass(frozen=True, slots=True)
class DueCare:
    """One care on one local date, and where the cheese lies then."""

    stage: str
    key: str
    words: str
    place: str
    due: date
    matters: str


@dataclass(frozen=True, slots=True)
class CarePlan:
    """All cares of a piece, the ready window (sooner and later), and its eat-by date."""

    cares: tuple[DueCare, ...]
    ready_from: date
    ready_until: date
    eat_by: date


def rind_cares(recipe: Recipe, made_on: date, piece_kg: float) -> Iterator[DueCare]:
    """The saltings of a rind that come after the day it was made, each with its grams.

    Each is a care of its own: one that is forgotten is not over with the next.
    Parameters: recipe; made_on; piece_kg, as it comes out of its mould. Source: the recipe.
    """
    place = recipe.stages[0].place if recipe.stages else "shelf"
    stage = recipe.stages[0].key if recipe.stages else "salting"
    for rub in rind_rubs(recipe, piece_kg)[1:]:
        words = f"Salt it, {rub.grams.value:.0f} g: {rub.faces}"
        due = made_on + timedelta(days=rub.day)
        yield DueCare(stage, f"{RIND_SALT}{rub.day}", words, place, due, "daily")


def care_plan(recipe: Recipe, made_on: date, house: House, raw: bool = False) -> CarePlan:
    """The care plan of a piece made on a day.

    Parameters: recipe; made_on, local date; house; raw, of the raw class (a raw soft or
    bloomy cheese ripens in less than the book's days).
    Returns: cares by date; the ready window is the recipe's days × 0.9 to 1.15.
    Source: the recipe's stages; house value.
    """
    cares: list[DueCare] = []
    begins = made_on
    for stage, days in stage_days(recipe, house, raw):
        for care in stage.cares:
            first = min(care.from_day, days)
            for day in range(first, days + 1, max(1, care.every_days)):
                if day == days and care.matters != "once" and day > first:
                    continue
                cares.append(
                    DueCare(
                        stage.key,
                        care.key,
                        care.words,
                        stage.place,
                        begins + timedelta(days=day),
                        care.matters,
                    )
                )
                if care.matters == "once":
                    break
        begins += timedelta(days=days)
    sooner, total, later = ready_days(recipe, house, raw)
    return CarePlan(
        tuple(sorted(cares, key=lambda care: (care.due, care.stage, care.key))),
        made_on + timedelta(days=sooner),
        made_on + timedelta(days=later),
        made_on + timedelta(days=max(recipe.eat_by_days, total)),
    )
