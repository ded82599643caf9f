"""What the animals' own state does to their milk: late in milk, many cells, a known gene."""

from __future__ import annotations

from collections.abc import Mapping
from math import log2
from typing import Literal

from openpail.craft.figure import Step
from openpail.craft.house import House
from openpail.craft.milk.kinds import Species

Kappa = Literal["", "AA", "AB", "BB"]
KAPPA_WORDS: Mapping[Kappa, str] = {
    "": "not known",
    "AA": "κ-casein AA: sets slower, softer",
    "AB": "κ-casein AB: as usual",
    "BB": "κ-casein BB: sets sooner, firmer",
}


def cells_doubled(cells_per_ml: float | None, species: Species, house: House) -> float:
    """How often the cell count has doubled over what leaves milk as it is, 0 or more.

    Parameters: cells_per_ml, None uncounted; species; house.
    Source: house value, shaped on Barbano et al. 1991.
    """
    if not cells_per_ml:
        return 0.0
    return max(0.0, log2(cells_per_ml / house.number(f"cells.from_{species}")))


def casein_lost(stage: str, doubled: float, house: House) -> tuple[Step, ...]:
    """By how much casein's share of true protein is less, of milk whose casein was not measured.

    Parameters: stage, "late" or another; doubled, as `cells_doubled`; house.
    Returns: steps to add to the share, none for milk as usual. Source: house value, Fox.
    """
    steps = []
    for words, by, key in (
        ("late milk", float(stage == "late"), "late.casein_share"),
        ("many cells", doubled, "cells.casein_share"),
    ):
        if by:
            less = house.number(key) * by
            steps.append(Step("minus", words, less, "", house.source(key), key))
    return tuple(steps)


def set_steps(
    late: float, doubled: float, kappa: Kappa, house: House, *, ph_read: bool
) -> tuple[Step, ...]:
    """How much longer the milk of these animals takes to flock, as factors.

    Parameters: late, 1 when it is; doubled, as `cells_doubled`; kappa, of cows; house; ph_read: a
    pH was measured, and speaks for both alone.
    Returns: a step for each factor that is not 1. Source: house value; Lucey 1996.
    """
    steps = []
    for words, factor, key in (
        ("late milk", 1 + (house.number("late.set") - 1) * late, "late.set"),
        ("many cells", house.number("cells.set") ** doubled, "cells.set"),
    ):
        if factor != 1 and not ph_read:
            steps.append(Step("times", words, factor, "", house.source(key), key))
    if kappa:
        key = f"kappa.{kappa}"
        if house.number(key) != 1:
            words = KAPPA_WORDS[kappa]
            steps.append(Step("times", words, house.number(key), "", house.source(key), key))
    return tuple(steps)
