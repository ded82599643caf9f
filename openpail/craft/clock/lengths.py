"""How long each step lasts with this milk in this vat."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from openpail.craft.clock.heat import warming
from openpail.craft.figure import Figure
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.steps import PlannedStep, laid_out
from openpail.craft.sheet.moves import moved
from openpail.craft.sheet.sheet import Sheet


@dataclass(frozen=True, slots=True)
class InVat:
    """The milk as it stands in a vat: its mass (kg), how warm it goes in (°C), and what goes into
    it of heat (kW), None while nobody knows."""

    mass: Figure
    celsius: float
    power: Figure | None = None


def warmings(recipe: Recipe, milk: InVat) -> Mapping[str, Figure]:
    """Minutes of each step that warms milk as fast as the vat can, by step; {} without a rate.

    A slow cooking of curd keeps the recipe's pace. Source: heat balance.
    """
    found: dict[str, Figure] = {}
    at = milk.celsius
    for step in recipe.steps:
        if step.celsius is None:
            continue
        target = step.celsius.target
        if step.kind == "warm" and milk.power and target > at:
            found[step.key] = warming(milk.mass, at, target, milk.power)
        at = target
    return found


def steps_in(
    recipe: Recipe, sheet: Sheet | None, warm: Mapping[str, Figure]
) -> tuple[PlannedStep, ...]:
    """The recipe's steps on the clock: as this milk moves them, its set, its warmings by the vat.

    Parameters: sheet, None where there is none; warm, from `warmings`. Source: derivation.
    """
    times = sheet.set if sheet else None
    floc, cut = (times.flocculation.value, times.cut.value) if times else (None, None)
    own = {key: figure.value for key, figure in warm.items()}
    return laid_out(moved(recipe, sheet.moved.moves if sheet else ()), floc, cut, own)
