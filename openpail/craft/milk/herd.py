"""A herd's own milk: running means that replace the species table, and the course of a year."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from itertools import islice
from statistics import fmean, stdev

from openpail.craft.house import House
from openpail.craft.milk.kinds import Breed, MilkTest
from openpail.craft.milk.slip import Herd, HerdMean, composition


@dataclass(frozen=True, slots=True)
class DatedTest:
    """A slip and the day it was taken."""

    day: date
    test: MilkTest


@dataclass(frozen=True, slots=True)
class Month:
    """A herd's means of one month, % w/w; casein_to_fat is a ratio; None was not tested."""

    first: date
    tests: int
    fat_pct: float | None
    protein_pct: float | None
    casein_to_fat: float | None


def running_means(breed: Breed, tests: Sequence[DatedTest], house: House) -> Herd:
    """The herd's own mean of each part that has tests enough.

    Parameters: breed; tests in any order; house, for how many are enough and how many count.
    Returns: means by part (fat, protein, casein, freezing_point), of the newest tests.
    Source: derivation; the numbers of tests, house value.
    """
    least = int(house.number("milk.herd_least"))
    window = int(house.number("milk.herd_window"))
    newest = sorted(tests, key=lambda each: each.day, reverse=True)
    found: dict[str, HerdMean] = {}
    for part in ("fat", "protein", "casein", "freezing_point"):
        told = (_part(breed, each.test, part, house) for each in newest)
        values = list(islice((value for value in told if value is not None), window))
        if len(values) >= least:
            found[part] = HerdMean(fmean(values), stdev(values), len(values))
    return found


def _part(breed: Breed, test: MilkTest, part: str, house: House) -> float | None:
    if part == "freezing_point":
        return test.freezing_point_c
    if part == "fat":
        return test.fat_pct
    if not _has_protein(test):
        return None
    made_of = composition(breed, test, house)
    return made_of.protein.value if part == "protein" else made_of.casein.value


def _has_protein(test: MilkTest) -> bool:
    return test.protein_pct is not None or test.casein_pct is not None


def by_month(breed: Breed, tests: Sequence[DatedTest], house: House) -> list[Month]:
    """The herd's means month by month, the oldest first.

    Parameters: breed, tests and house as `running_means`. Source: derivation.
    """
    months: dict[date, list[MilkTest]] = {}
    for each in tests:
        months.setdefault(each.day.replace(day=1), []).append(each.test)
    rows = []
    for first, slips in sorted(months.items()):
        fat = [slip.fat_pct for slip in slips if slip.fat_pct is not None]
        made_of = [composition(breed, slip, house) for slip in slips if _has_protein(slip)]
        protein, casein = [
            [getattr(each, part).value for each in made_of] for part in ("protein", "casein")
        ]
        ratio = fmean(casein) / fmean(fat) if casein and fat else None
        rows.append(
            Month(
                first,
                len(slips),
                fmean(fat) if fat else None,
                fmean(protein) if protein else None,
                ratio,
            )
        )
    return rows
