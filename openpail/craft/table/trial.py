"""A planned trial: one thing is made another way, and what else differs is said."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from statistics import fmean, stdev

from openpail.craft.table.compare import makes_to_tell
from openpail.craft.table.facts import MadeFact

_LEAST_BAND = 0.5


@dataclass(frozen=True, slots=True, kw_only=True)
class BothWays:
    """A fact of the makes of both sides: their means and how many had it; differs, whether the
    means lie apart by more than counts, and by more than half of what single makes scatter;
    to_tell, makes of each kind it takes to tell that from chance, None for too many."""

    fact: MadeFact
    new: float
    usual: float
    new_n: int
    usual_n: int
    differs: bool
    to_tell: int | None

    @property
    def is_told(self) -> bool:
        """Whether there are makes enough of each kind to tell it."""
        return self.to_tell is not None and min(self.new_n, self.usual_n) >= self.to_tell


@dataclass(frozen=True, slots=True)
class TrialSaid:
    """What a trial says: the fact that is tried, how the cheese came out, and what else differs, by
    which the outcome may have come about as well."""

    tried: BothWays | None
    outcomes: tuple[BothWays, ...]
    else_differs: tuple[BothWays, ...]


def said(
    new: Sequence[Sequence[MadeFact]], usual: Sequence[Sequence[MadeFact]], fact: str = ""
) -> TrialSaid:
    """What the makes of a trial say.

    Parameters: new and usual, the facts of each make; fact, the key of what is tried, "" for none
    that a make tells. Source: difference of means; sample size for two means.
    """
    tried, outcomes, others = None, [], []
    for key, each in {e.key: e for facts in (*new, *usual) for e in facts}.items():
        row = _beside(each, _values(new, key), _values(usual, key))
        if row is None:
            continue
        if key == fact:
            tried = row
        elif each.group == "cheese":
            outcomes.append(row)
        elif row.differs:
            others.append(row)
    return TrialSaid(tried, tuple(outcomes), tuple(others))


def _values(makes: Sequence[Sequence[MadeFact]], key: str) -> list[float]:
    found = (each.value for facts in makes for each in facts if each.key == key)
    return [value for value in found if value is not None]


def _beside(fact: MadeFact, new: Sequence[float], usual: Sequence[float]) -> BothWays | None:
    if not new or not usual:
        return None
    gap = fmean(new) - fmean(usual)
    spreads = [stdev(side) for side in (new, usual) if len(side) > 1]
    spread = max(spreads, default=0.0)
    differs = abs(gap) > fact.apart and abs(gap) > _LEAST_BAND * spread
    return BothWays(
        fact=fact,
        new=fmean(new),
        usual=fmean(usual),
        new_n=len(new),
        usual_n=len(usual),
        differs=differs,
        to_tell=makes_to_tell(spread, gap) if spread else None,
    )


def next_is_new(trial: str, sides: Mapping[str, bool]) -> bool:
    """Whether the next make of a trial is to be made the new way: in pairs, each in an order drawn
    by lot, so that season and herd fall on both.

    Parameters: trial, its id, from which the lot is drawn; sides, its makes so far.
    Source: randomised pairs.
    """
    new = sum(sides.values())
    usual = len(sides) - new
    if new != usual:
        return new < usual
    lot = sha256(f"{trial}/{new}".encode()).digest()[0]
    return lot % 2 == 0
