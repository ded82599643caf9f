"""The warm clock of a make without a working culture: how long it stood where germs grow."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise

from openpail.craft.house import House
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.ripening import COLD_C, WARM_C, salt_in_milk_pct

_FROM_C, _TO_C = WARM_C
_SALT_STOPS_PCT = 3.0


def wants_it(recipe: Recipe) -> bool:
    """Whether no culture works in a make: none is given, or its milk is salted against it.

    Parameters: recipe. Source: our own judgement.
    """
    if recipe.family in ("acid_heat_soft", "acid_heat_pressed", "whey"):
        return False
    return recipe.ingredient("culture") is None or salt_in_milk_pct(recipe) >= _SALT_STOPS_PCT


@dataclass(frozen=True, slots=True)
class WarmClock:
    """Minutes between 10 and 45 °C so far, of how many; whether it is cold again."""

    minutes: float
    most_min: float
    is_cold: bool

    @property
    def is_over(self) -> bool:
        """Whether it stood warm longer than is usual."""
        return self.minutes > self.most_min


def warm_clock(
    read: Sequence[tuple[datetime, float]],
    started: datetime,
    until: datetime,
    before_min: float,
    house: House,
) -> WarmClock:
    """How long a make stood warm.

    Between two readings the warmth runs straight; after the last one it stays as it was read.
    Parameters: read, moments with °C by time; started; until, now or the end; before_min, that the
    lot stood warm before; house. Returns: the minutes so far. Source: house value, 6 h.
    """
    points = [(at, celsius) for at, celsius in read if started <= at <= until]
    warm = before_min
    for (a, low), (b, high) in pairwise(points):
        warm += (b - a).total_seconds() / 60 * _share_between(low, high)
    if points:
        last_at, last = points[-1]
        if _FROM_C < last < _TO_C:
            warm += (until - last_at) / timedelta(minutes=1)
    else:
        warm += (until - started) / timedelta(minutes=1)
    cold = bool(points) and points[-1][1] <= COLD_C
    return WarmClock(warm, 60 * house.number("warm.most_hours"), cold)


def _share_between(one_c: float, other_c: float) -> float:
    """What part of a straight way from one warmth to another lies where germs grow."""
    low, high = sorted((one_c, other_c))
    if high == low:
        return 1.0 if _FROM_C < low < _TO_C else 0.0
    return max(0.0, min(high, _TO_C) - max(low, _FROM_C)) / (high - low)
