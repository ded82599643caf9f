"""How warm a cheese really lay, and how fast it ripened against its recipe."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import accumulate
from typing import NamedTuple

from openpail.craft.cave.course import Lain
from openpail.craft.house import House

AGES_FROM_C = 1.7  # 35 °F
_LATELY = timedelta(days=7)
_LEAST_DAYS = 3
_SLOWEST, _FASTEST = 0.1, 4.0


class RoomDay(NamedTuple):
    """A day in a room: the mean of what was read, °C."""

    day: date
    celsius: float


@dataclass(frozen=True, slots=True)
class _DaysRead:
    """The days of a place that were read, and the sums of their warmth before each; the days that
    were too cold to age in."""

    days: Sequence[date]
    sums: Sequence[float]
    cold: Sequence[date]


class RoomWarmth:
    """The warmth of every place that is read, summed so that any stretch of days is one step.

    Of each day what counts is q^(T / 10): ripening at one warmth against another is the quotient.
    """

    def __init__(self, rooms: Mapping[str, Iterable[RoomDay]], house: House) -> None:
        self.factor = house.number("ripen.q10")
        self._read: dict[str, _DaysRead] = {}
        for place, those in rooms.items():
            days = sorted(those, key=lambda each: each.day)
            warm = (self._pace(each.celsius) for each in days)
            cold = [each.day for each in days if each.celsius < AGES_FROM_C]
            self._read[place] = _DaysRead([e.day for e in days], [0.0, *accumulate(warm)], cold)

    def _pace(self, celsius: float) -> float:
        """How fast anything ripens at a warmth, against 0 °C."""
        return float(self.factor ** (celsius / 10))

    def _sum(self, place: str, begins: date, ends: date) -> tuple[int, float]:
        """Days read of a place between two days, the last left out, and their warmth."""
        read = self._read.get(place)
        if read is None:
            return 0, 0.0
        first, last = bisect_left(read.days, begins), bisect_left(read.days, ends)
        return last - first, read.sums[last] - read.sums[first]

    def ripened(self, place: str, begins: date, ends: date, recipe_c: float) -> float:
        """Days of its recipe that a cheese ripened in a place; a day that nobody read is one.

        Parameters: place; begins, ends, the last left out; recipe_c of its stage.
        Source: days × q^((T − T_recipe) / 10), house value.
        """
        days = max(0, (ends - begins).days)
        read, warm = self._sum(place, begins, ends)
        return days - read + warm / self._pace(recipe_c)

    def too_cold(self, place: str, begins: date, ends: date) -> int:
        """Days of a place under 1.7 °C, as it was read: none of them ages a raw cheese.

        Parameters: place; begins, ends, the last left out. Source: 21 CFR 133.
        """
        read = self._read.get(place)
        if read is None:
            return 0
        return bisect_left(read.cold, ends) - bisect_left(read.cold, begins)

    def lately(self, place: str, today: date, recipe_c: float) -> float:
        """How fast it ripens there, as the place was read in the last week; 1 where it was not.

        Parameters: place; today; recipe_c of its stage. Source: as `ripened`.
        """
        read, warm = self._sum(place, today - _LATELY, today + timedelta(days=1))
        if read < _LEAST_DAYS:
            return 1.0
        rate = warm / read / self._pace(recipe_c)
        return min(_FASTEST, max(_SLOWEST, rate))


def stage_ends(
    lain: Sequence[Lain], days: float, recipe_c: float, today: date, warmth: RoomWarmth
) -> date:
    """The day on which a stage is over, as warm as it lay so far and lies now.

    Parameters: lain, where it lay in this stage, the first first; days of its recipe, over 0;
    recipe_c; today; warmth. Source: as `RoomWarmth.ripened`.
    """
    ripened, until = 0.0, lain[0].begins
    ends = [each.begins for each in lain[1:]]
    for each, end in zip(lain, [*ends, max(today, lain[-1].begins)], strict=True):
        there = warmth.ripened(each.place, each.begins, end, recipe_c)
        if ripened + there >= days:
            return _reached(each, end, days - ripened, recipe_c, warmth)
        ripened, until = ripened + there, end
    rate = warmth.lately(lain[-1].place, today, recipe_c)
    return until + timedelta(days=max(1, round((days - ripened) / rate)))


def _reached(lain: Lain, end: date, days: float, recipe_c: float, warmth: RoomWarmth) -> date:
    """The day of a stretch on which so many days of the recipe were over."""
    low, high = 0, (end - lain.begins).days
    while low < high:
        middle = (low + high) // 2
        until = lain.begins + timedelta(days=middle)
        if warmth.ripened(lain.place, lain.begins, until, recipe_c) >= days:
            high = middle
        else:
            low = middle + 1
    return lain.begins + timedelta(days=low)
