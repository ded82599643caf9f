"""A simulated dairy with a hidden truth: what its makes teach, held against it."""

from __future__ import annotations

from dataclasses import dataclass
from math import exp
from random import Random
from statistics import median, quantiles

from openpail.craft.house import House
from openpail.craft.stock.learning import FlocksSeen, learn

EXPECTED_MIN, MULTIPLE, NOISE = 16.0, 3.0, 0.04
BOTTLES, HERDS = (0.75, 1.3), (0.9, 1.12)
MAKES = (0, 1, 2, 3, 5, 8, 12)
_DAIRIES = 400


@dataclass(frozen=True, slots=True, kw_only=True)
class Foretold:
    """How far the first flocks and the cut were foretold wrong after so many makes, over many
    dairies: the middle one and one of ten, flocks in % and the cut in minutes."""

    makes: int
    flocks_median: float
    flocks_worst: float
    cut_median: float
    cut_worst: float


def foretold(after: int, house: House, dairies: int = _DAIRIES) -> Foretold:
    """Foretell the next make of many dairies after so many makes of each.

    Each has a bottle that is 0.75 to 1.3 of its label, and animals whose milk takes 0.9 to 1.12 of
    the usual time; a reading of the first flocks is off by 4 %. Parameters: after, makes; dairies.
    """
    flocks, cuts = [], []
    for seed in range(dairies):
        chance = Random(f"{after} {seed}")  # noqa: S311
        strength, herd = chance.uniform(*BOTTLES), chance.uniform(*HERDS)
        truth = EXPECTED_MIN * herd / strength
        seen = [
            FlocksSeen(
                herd="herd",
                bottle="bottle",
                observed_min=truth * exp(chance.gauss(0, NOISE)),
                expected_min=EXPECTED_MIN,
            )
            for _ in range(after)
        ]
        known = learn(seen, house)
        bottle = known.bottles["bottle"].factor if seen else 1.0
        milk = known.herds["herd"].factor if seen else 1.0
        said = EXPECTED_MIN * milk / bottle
        flocks.append(100 * abs(said / truth - 1))
        cuts.append(abs(said - truth) * MULTIPLE)
    return Foretold(
        makes=after,
        flocks_median=median(flocks),
        flocks_worst=quantiles(flocks, n=10)[-1],
        cut_median=median(cuts),
        cut_worst=quantiles(cuts, n=10)[-1],
    )


def table() -> str:
    """The table of docs/learning.md."""
    head = (
        "| makes | flocks off by, the middle one | nine of ten are within | the cut off by, the "
        "middle one | nine of ten are within |\n|---:|---:|---:|---:|---:|"
    )
    rows = [
        f"| {each.makes} | {each.flocks_median:.1f} % | {each.flocks_worst:.1f} % | "
        f"{each.cut_median:.1f} min | {each.cut_worst:.1f} min |"
        for each in (foretold(makes, House()) for makes in MAKES)
    ]
    return "\n".join([head, *rows])
