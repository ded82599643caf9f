"""What flocculation times teach: which herd sets slowly, and which bottle is not what it says.

Each make gives k = observed/expected time. Its logarithm is a herd's effect and a bottle's, told
apart by taking the one off before the other is averaged: a herd that always sets slowly must not
condemn every bottle.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from math import exp, log

from openpail.craft.house import House

_REST = 1e-7
_MOST_ROUNDS = 500


@dataclass(frozen=True, slots=True, kw_only=True)
class FlocksSeen:
    """One make's flocks: whose milk, which bottle, minutes seen and minutes expected."""

    herd: str
    bottle: str
    observed_min: float
    expected_min: float


@dataclass(frozen=True, slots=True)
class Learnt:
    """A factor and of how many makes: a bottle's strength, or a herd's time, against expected."""

    factor: float
    makes: int


NOTHING_LEARNT = Learnt(1.0, 0)


@dataclass(frozen=True, slots=True)
class Lessons:
    """What the makes so far teach of bottles (strength) and herds (time to the flocks)."""

    bottles: Mapping[str, Learnt]
    herds: Mapping[str, Learnt]


def learn(makes: Iterable[FlocksSeen], house: House) -> Lessons:
    """What these makes teach.

    Parameters: makes with a flocculation time, a measured temperature and no stop; house, for
    how strongly a few makes are held back and how far one may count.
    Returns: a bottle's strength factor (1.1 is stronger than its label) and a herd's time factor.
    Source: house value: shrunken means Σ/(n + 2), the other effect taken off, iterated to rest.
    """
    return _learn(
        tuple(each for each in makes if each.observed_min > 0 and each.expected_min > 0), house
    )


@lru_cache(maxsize=64)
def _learn(seen: tuple[FlocksSeen, ...], house: House) -> Lessons:
    most = log(house.number("rennet.learn_most"))
    logs = [max(-most, min(most, log(each.observed_min / each.expected_min))) for each in seen]
    bottles = dict.fromkeys((each.bottle for each in seen), 0.0)
    herds = dict.fromkeys((each.herd for each in seen), 0.0)
    hold = house.number("rennet.learn_hold")
    for _ in range(_MOST_ROUNDS):
        before = (*bottles.values(), *herds.values())
        herds = _means(seen, "herd", _less(logs, seen, "bottle", bottles), hold)
        bottles = _means(seen, "bottle", _less(logs, seen, "herd", herds), hold)
        after = (*bottles.values(), *herds.values())
        if all(abs(a - b) < _REST for a, b in zip(after, before, strict=True)):
            break
    count = {
        name: sum(name in (each.bottle, each.herd) for each in seen) for name in (*bottles, *herds)
    }
    return Lessons(
        {name: Learnt(exp(-effect), count[name]) for name, effect in bottles.items()},
        {name: Learnt(exp(effect), count[name]) for name, effect in herds.items()},
    )


def _less(
    logs: Sequence[float], seen: Sequence[FlocksSeen], by: str, effects: Mapping[str, float]
) -> list[float]:
    return [value - effects[getattr(each, by)] for value, each in zip(logs, seen, strict=True)]


def _means(
    seen: Sequence[FlocksSeen], by: str, values: Sequence[float], hold: float
) -> dict[str, float]:
    sums: dict[str, tuple[float, int]] = {}
    for value, each in zip(values, seen, strict=True):
        total, count = sums.get(getattr(each, by), (0.0, 0))
        sums[getattr(each, by)] = (total + value, count + 1)
    return {name: total / (count + hold) for name, (total, count) in sums.items()}


def differs(learnt: Learnt, house: House) -> bool:
    """Whether a bottle is far enough from its label, over makes enough, to be told.

    Parameters: learnt, of a bottle. Source: house value, 15 % from three makes on.
    """
    far = abs(learnt.factor - 1) > house.number("rennet.learn_tell")
    return far and learnt.makes >= house.number("rennet.learn_least")


def share_learnt(shares: Sequence[float], house: House) -> Learnt:
    """What the makes so far teach of an acid in hot milk, of a cheese's yield, of a culture's speed
    or of a room that dries.

    Parameters: shares, of each make what was seen against what was expected, over 0; house.
    Returns: a factor for the next time, held back while they are few. Source: house value, as for
    flocks.
    """
    seen = [share for share in shares if share > 0]
    if not seen:
        return NOTHING_LEARNT
    most = log(house.number("rennet.learn_most"))
    effect = sum(max(-most, min(most, log(share))) for share in seen)
    return Learnt(exp(effect / (len(seen) + house.number("rennet.learn_hold"))), len(seen))


def speed_learnt(shares: Sequence[float], house: House) -> Learnt | None:
    """How lively a culture is, 1 as expected; None before it is told of makes enough.

    Parameters: shares, how lively each make found it, over 0; house. Returns: no more than the
    house lets a lively culture count, for too little of it sours too late. Source: house value.
    """
    found = share_learnt(shares, house)
    if found.makes < house.number("rennet.learn_least"):
        return None
    return Learnt(min(found.factor, house.number("culture.liveliest")), found.makes)
