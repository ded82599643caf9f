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
    """A slip and the day it was taken; or the mean of so many alike slips of a month."""

    day: date
    test: MilkTest
    slips: int = 1


@dataclass(frozen=True, slots=True, kw_only=True)
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
    months: dict[date, list[DatedTest]] = {}
    for each in tests:
        months.setdefault(each.day.replace(day=1), []).append(each)
    rows = []
    for first, slips in sorted(months.items()):
        fat = [(each.test.fat_pct, each.slips) for each in slips if each.test.fat_pct is not None]
        made_of = [
            (composition(breed, each.test, house), each.slips)
            for each in slips
            if _has_protein(each.test)
        ]
        fat_pct = _mean(fat)
        protein_pct = _mean([(parts.protein.value, of) for parts, of in made_of])
        casein_pct = _mean([(parts.casein.value, of) for parts, of in made_of])
        ratio = casein_pct / fat_pct if casein_pct and fat_pct else None
        rows.append(
            Month(
                first=first,
                tests=sum(each.slips for each in slips),
                fat_pct=fat_pct,
                protein_pct=protein_pct,
                casein_to_fat=ratio,
            )
        )
    return rows


def _mean(values: Sequence[tuple[float, int]]) -> float | None:
    """The mean of values that each stand for so many slips."""
    return fmean(*zip(*values, strict=True)) if values else None
