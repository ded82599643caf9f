"""Small amounts by the maker's own spoons: the fewest measures that are near enough."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from itertools import combinations_with_replacement

from openpail.craft.errors import OutOfRange
from openpail.craft.house import House
from openpail.craft.units import TEASPOON_ML

SPOONS: tuple[tuple[str, float], ...] = (
    ("1 tbsp", 3.0),
    ("1 tsp", 1.0),
    ("½ tsp", 1 / 2),
    ("¼ tsp", 1 / 4),
    ("⅛ tsp", 1 / 8),
    ("1/16 tsp", 1 / 16),
    ("1/32 tsp", 1 / 32),
    ("1/64 tsp", 1 / 64),
)
MOST_MEASURES = 3
_NEAR = 0.05
_MOST_DROPS = 5


@dataclass(frozen=True, slots=True)
class Spoons:
    """Spoons to fill level, in words, and how far they are off (a fraction, signed)."""

    words: str
    ml: float
    error: float


@cache
def _heaps(spoons: tuple[tuple[str, float], ...]) -> tuple[tuple[int, float, tuple[int, ...]], ...]:
    found = []
    for count in range(1, MOST_MEASURES + 1):
        for chosen in combinations_with_replacement(range(len(spoons)), count):
            found.append((count, sum(spoons[i][1] for i in chosen), chosen))
    return tuple(found)


def by_spoon(
    ml: float,
    house: House,
    spoons: Sequence[tuple[str, float]] = SPOONS,
    drops: bool = False,
) -> Spoons | None:
    """The fewest level spoons for a small volume.

    Parameters: ml over 0; house, for the drop; spoons, names and teaspoons each, largest
    first; drops, whether the stuff can be dropped (liquids).
    Returns: at most three measures, never worse than the nearest single spoon; None when the
    amount is over three of the largest (a jug's work).
    Raises: OutOfRange for nothing. Source: derivation.
    """
    if ml <= 0:
        raise OutOfRange("There is nothing to measure.")
    tsp = ml / TEASPOON_ML
    if tsp > MOST_MEASURES * spoons[0][1]:
        return None
    drop = house.number("measure.drop") / TEASPOON_ML
    heaps = list(_candidates(tuple(spoons), tsp, drop if drops else 0.0))
    near = [heap for heap in heaps if abs(heap[1] - tsp) <= _NEAR * tsp]
    if near:
        _, total, chosen, dropped = min(near, key=lambda h: (h[0], abs(h[1] - tsp)))
    else:
        _, total, chosen, dropped = min(heaps, key=lambda h: (abs(h[1] - tsp), h[0]))
    return Spoons(_words(spoons, chosen, dropped), total * TEASPOON_ML, total / tsp - 1)


def _candidates(
    spoons: tuple[tuple[str, float], ...], tsp: float, drop: float
) -> list[tuple[int, float, tuple[int, ...], int]]:
    heaps: list[tuple[int, float, tuple[int, ...], int]] = [
        (count, total, chosen, 0) for count, total, chosen in _heaps(spoons)
    ]
    if not drop:
        return heaps
    bases = [(0, 0.0, ()), *(heap for heap in _heaps(spoons) if heap[0] < MOST_MEASURES)]
    for count, total, chosen in bases:
        wanted = round((tsp - total) / drop)
        if 1 <= wanted <= _MOST_DROPS:
            heaps.append((count + 1, total + wanted * drop, chosen, wanted))
    return heaps


def _words(spoons: Sequence[tuple[str, float]], chosen: tuple[int, ...], dropped: int) -> str:
    parts = []
    for i in sorted(set(chosen)):
        times = chosen.count(i)
        parts.append(spoons[i][0] if times == 1 else f"{times} × {spoons[i][0]}")
    if dropped:
        parts.append(f"{dropped} drop{'s' if dropped > 1 else ''}")
    return " + ".join(parts)
