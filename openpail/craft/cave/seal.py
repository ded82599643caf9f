"""Sealing a cheese: what is asked before, and what a seal means for how long it keeps."""

from __future__ import annotations

from openpail.craft.cave.deeds import SEALS, Seal
from openpail.craft.cave.keep import Facts
from openpail.craft.errors import NotPossible
from openpail.craft.recipe.cares import kind_of
from openpail.craft.recipe.recipe import Recipe

TOUCH_DRY, _TACKY = 3, 2
_AIRTIGHT = frozenset({"bag", "wax", "oil"})
_WANTS_DRY = frozenset({"bag", "wax", "cloth"})
_STAYS_WARM_C = 16.0

BAG = (
    "bag only to eat it within 7 days, at 3 °C (37 °F) or colder: what grows without air grows in "
    "the cold"
)
OIL = (
    "Cheese in oil: kept cold, at most 4 days, then it is discarded; never at room temperature, "
    "and no fresh garlic or herbs with it."
)
WAX = (
    "Melt wax in a water bath, never on the flame or plate; lid and fire blanket by; no water on "
    "burning wax."
)
OIL_MOST_C, WAX_MOST_C = 4.0, 120.0


def gate(
    how: Seal, rind: int | None, recipe: Recipe, *, stage: int, facts: Facts, has_bloom: bool
) -> tuple[str, ...]:
    """What is asked before a cheese is sealed, and wants a word if it is so.

    Parameters: how; rind, the step of the sign `dry`, None where nobody looked; recipe; stage, its
    number; facts; has_bloom, whether a bloom or smear is on it, that wants paper or foil.
    Raises: NotPossible for oil on a cheese that may grow what needs no air.
    Source: usual practice; handbook of safety.
    """
    asks = []
    if how == "oil" and facts.may_grow:
        raise NotPossible(
            "No oil on this cheese: it is not known to be under pH 4.6 or 50 % moisture, and what "
            "grows without air grows in oil.",
            "how",
        )
    if how == "bag" and facts.may_grow:
        asks.append(f"Moist, and not known to be sour enough: {BAG}.")
    if how in _WANTS_DRY and rind is None:
        asks.append("Feel the rind first: only a touch-dry one is sealed.")
    elif how in _WANTS_DRY and rind is not None and rind < TOUCH_DRY:
        felt = "tacky" if rind == _TACKY else "damp"
        asks.append(f"The rind is {felt}: damp under {SEALS[how][3:]} spoils the seal and rots it.")
    if how in _AIRTIGHT and rind is not None and rind > TOUCH_DRY:
        asks.append("The rind is cracked: mould grows in under what is airtight. Close it first.")
    if how in _AIRTIGHT and has_bloom:
        asks.append("Its rind lives: without air it goes slimy. Paper or foil lets it breathe.")
    if how in _AIRTIGHT and recipe.family == "small_eyed" and _warm_to_come(recipe, stage):
        asks.append("Its warm room is not over: gas for its eyes would blow the bag.")
    return tuple(asks)


def _warm_to_come(recipe: Recipe, stage: int) -> bool:
    """Whether a stage as warm as eyes want is now, or comes still."""
    return any(each.celsius.target >= _STAYS_WARM_C for each in recipe.stages[stage:])


def planned_seals(recipe: Recipe, stage: int) -> frozenset[str]:
    """What its recipe seals it in during a stage. Parameters: recipe; stage. Source: the recipe."""
    if stage >= len(recipe.stages):
        return frozenset()
    kinds = {str(kind_of(care)) for care in recipe.stages[stage].cares}
    return frozenset(kinds & set(SEALS))
