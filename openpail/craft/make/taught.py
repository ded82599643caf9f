"""What a make teaches: of its bottle of rennet by the flocks, of its vat by the warmings.

It is worked out anew from the standing whenever that changes, so that a correction reaches it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from openpail.craft.make.fold import Standing
from openpail.craft.make.frozen import Frozen
from openpail.craft.milk.kinds import BREEDS, Breed
from openpail.craft.recipe.recipe import Recipe


@dataclass(frozen=True, slots=True)
class FlocksTaught:
    """Flocks with the bottle they speak of: minutes seen, and those of its label alone."""

    bottle: str
    animals: Breed
    observed_min: float
    expected_min: float
    at: datetime


@dataclass(frozen=True, slots=True)
class WarmingTaught:
    """One warming as it was read: kg, °C at its first and last reading, minutes between them."""

    mass_kg: float
    from_c: float
    to_c: float
    minutes: float
    at: datetime


def by_flocks(sheet: Frozen, standing: Standing) -> FlocksTaught | None:
    """What the first flocks teach of the bottle; None where nothing can be learnt.

    A temperature must have been read, the model must hold there, the bottle be one of the stock,
    and the flocks near what was expected, or the maker's word that they count.
    Parameters: sheet and standing of the make. Source: house value.
    """
    times = sheet.set
    seen = standing.believed_min(times.flocculation.value if times else None)
    read = any(each.celsius is not None for each in standing.readings)
    if not seen or standing.flocks is None or not read or times is None or not times.holds:
        return None
    breed: Breed | None = next((each for each in BREEDS if each == sheet.milk.most.breed), None)
    expected = times.flocculation.value * sheet.learnt
    if not sheet.rennet or breed is None or expected <= 0:
        return None
    return FlocksTaught(sheet.rennet, breed, seen, expected, standing.flocks.at)


def by_warmings(
    recipe: Recipe, sheet: Frozen, standing: Standing, started: datetime
) -> Mapping[str, WarmingTaught]:
    """What each warming of milk shows of the vat, by step.

    A warming runs from the deed before it to its own end; it teaches with two readings of the
    temperature or more in it. Parameters: recipe, sheet and standing; started, the make's start.
    Source: heat balance.
    """
    ends = sorted({each.at for each in standing.done.values()})
    found: dict[str, WarmingTaught] = {}
    for step in recipe.steps:
        done = standing.done.get(step.key)
        if step.kind != "warm" or done is None:
            continue
        since = max((at for at in ends if at < done.at), default=started)
        read = [
            (each.at, each.celsius)
            for each in standing.readings
            if each.celsius is not None and since <= each.at <= done.at
        ]
        if len(read) < 2:
            continue
        (first_at, first), (last_at, last) = read[0], read[-1]
        minutes = (last_at - first_at).total_seconds() / 60
        mass = sum(pour.mass_kg for pour in sheet.milk.pours)
        found[step.key] = WarmingTaught(mass, first, last, minutes, done.at)
    return found
