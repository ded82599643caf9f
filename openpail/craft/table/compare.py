"""Makes laid beside each other: only what differs is bright; what the best ones had otherwise, and
how many makes it would take to tell."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import ceil
from statistics import fmean, stdev

from openpail.craft.table.facts import GROUPS, MadeFact

MOST_COMPARED = 4
LEAST_BEST = 3
_WORTH_SAYING = 1.0  # spreads of the makes' own scatter
_MOST_MAKES = 60
_SEEN_NEAR = 7.85  # (1.96 + 0.84)² : found 4 times in 5, wrong once in 20


@dataclass(frozen=True, slots=True, kw_only=True)
class ComparedRow:
    """One fact of several makes: a cell for each, None where it has none; differs: whether that is
    worth looking at."""

    key: str
    group: str
    label: str
    cells: tuple[MadeFact | None, ...]
    differs: bool


def compared(makes: Sequence[Sequence[MadeFact]]) -> tuple[ComparedRow, ...]:
    """Facts of several makes, row by row, in the order of the work.

    Parameters: makes, the facts of each. Source: derivation.
    """
    known: list[Mapping[str, MadeFact]] = [{each.key: each for each in facts} for facts in makes]
    keys: dict[str, MadeFact] = {}
    for facts in makes:
        for each in facts:
            keys.setdefault(each.key, each)
    order = {group: number for number, group in enumerate(GROUPS)}
    rows = []
    for key, first in sorted(keys.items(), key=lambda pair: order[pair[1].group]):
        cells = tuple(of.get(key) for of in known)
        rows.append(
            ComparedRow(
                key=key, group=first.group, label=first.label, cells=cells, differs=_differ(cells)
            )
        )
    return tuple(rows)


def _differ(cells: Sequence[MadeFact | None]) -> bool:
    there = [each for each in cells if each is not None]
    if len(there) < len(cells):
        return len(there) > 0
    values = [each.value for each in there if each.value is not None]
    if len(values) == len(there):
        return max(values) - min(values) > max(each.apart for each in there)
    return len({each.words for each in there}) > 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Different:
    """What the best makes had otherwise: their mean and the others', how many of each, and how many
    makes of each kind it would take to tell that it is no chance."""

    fact: MadeFact
    best: float
    others: float
    best_n: int
    others_n: int
    to_tell: int | None

    @property
    def is_told(self) -> bool:
        """Whether there are makes enough of each kind to tell it."""
        return self.to_tell is not None and min(self.best_n, self.others_n) >= self.to_tell


def different(
    best: Sequence[Sequence[MadeFact]], others: Sequence[Sequence[MadeFact]]
) -> tuple[Different, ...]:
    """What was different in the best makes, the plainest first; nothing from fewer than three.

    Parameters: best and others, the facts of each make. Returns: facts whose means lie apart by
    more than the makes scatter, and by more than counts as a difference at all.
    Source: difference of means over their pooled spread; sample size for two means.
    """
    if len(best) < LEAST_BEST or len(others) < LEAST_BEST:
        return ()
    found = []
    for key, fact in {each.key: each for facts in best for each in facts}.items():
        if fact.group == "cheese":
            continue
        mine, theirs = _values(best, key), _values(others, key)
        if len(mine) < LEAST_BEST or len(theirs) < LEAST_BEST:
            continue
        gap = fmean(mine) - fmean(theirs)
        spread = _pooled(mine, theirs)
        if abs(gap) > fact.apart and abs(gap) > _WORTH_SAYING * spread:
            needs = makes_to_tell(spread, gap)
            row = Different(
                fact=fact,
                best=fmean(mine),
                others=fmean(theirs),
                best_n=len(mine),
                others_n=len(theirs),
                to_tell=needs,
            )
            found.append((abs(gap) / spread if spread else float("inf"), row))
    return tuple(row for _, row in sorted(found, key=lambda pair: -pair[0]))


def makes_to_tell(spread: float, gap: float) -> int | None:
    """How many makes of each kind it takes to tell a difference from chance; None for more than
    anybody makes.

    Parameters: spread, of single makes, 0 or more; gap between the kinds, in the same unit.
    Source: sample size for two means, 80 % of differences found, 5 % of them wrong.
    """
    if gap == 0:
        return None
    needs = max(LEAST_BEST, ceil(2 * _SEEN_NEAR * (spread / gap) ** 2))
    return needs if needs <= _MOST_MAKES else None


def _values(makes: Sequence[Sequence[MadeFact]], key: str) -> list[float]:
    found = (each for facts in makes for each in facts if each.key == key)
    return [each.value for each in found if each.value is not None]


def _pooled(a: Sequence[float], b: Sequence[float]) -> float:
    scatter = (len(a) - 1) * stdev(a) ** 2 + (len(b) - 1) * stdev(b) ** 2
    return float((scatter / (len(a) + len(b) - 2)) ** 0.5)
