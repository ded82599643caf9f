"""A recipe's steps laid end to end in time, with the lengths that this milk and vat give them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from openpail.craft.recipe.recipe import Recipe, RecipeStep

NO_OWN: Mapping[str, float] = {}


@dataclass(frozen=True, slots=True)
class PlannedStep:
    """A step with its own length (minutes) and its start after the make's start (minutes)."""

    step: RecipeStep
    start_min: float
    minutes: float

    @property
    def end_min(self) -> float:
        """When it ends, minutes after the make's start."""
        return self.start_min + self.minutes


def laid_out(
    recipe: Recipe,
    flocculation_min: float | None = None,
    cut_min: float | None = None,
    own: Mapping[str, float] = NO_OWN,
) -> tuple[PlannedStep, ...]:
    """Lay a recipe's steps end to end from the start.

    Parameters: recipe; flocculation_min and cut_min after the rennet, for the steps whose
    clock they are (None keeps the recipe's minutes); own, minutes of steps by their key, of a
    warming that this vat does at its own rate.
    Returns: the steps in order. Source: derivation.
    """
    planned = []
    at = 0.0
    for step in recipe.steps:
        minutes = own.get(step.key, _length(step, flocculation_min, cut_min))
        planned.append(PlannedStep(step, at, minutes))
        at += minutes
    return tuple(planned)


def _length(step: RecipeStep, floc: float | None, cut: float | None) -> float:
    if step.clock == "flocculation" and floc is not None:
        return floc
    if step.clock == "cut" and floc is not None and cut is not None:
        return max(0.0, cut - floc)
    return step.minutes
