"""What many makes say over time: a running middle with the band that most lie in, and what each
quarter of the year says; no line through three points."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median, quantiles

LEAST_DRAWN = 4
_WINDOW = 9
_GRID_H = 0.5
QUARTERS: Mapping[int, str] = {
    0: "Dec to Feb",
    1: "Mar to May",
    2: "Jun to Aug",
    3: "Sep to Nov",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class TimePoint:
    """A value: where it lies along the chart (days or hours), how high, and of which make or piece
    (its id and what it is called)."""

    x: float
    y: float
    key: str = ""
    name: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Spread:
    """Some values: how many, their middle one, and the band that four of five lie in; no band for
    fewer than four."""

    count: int
    middle: float
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class RunningMiddle:
    """The middle and the band of the values about a place along the chart."""

    x: float
    middle: float
    low: float
    high: float


def spread_of(values: Sequence[float]) -> Spread:
    """The middle of values and their band.

    Parameters: values, one or more. Source: median; 10th and 90th percentile.
    """
    if len(values) < LEAST_DRAWN:
        return Spread(count=len(values), middle=median(values), low=None, high=None)
    tenths = quantiles(values, n=10, method="inclusive")
    # between two equal values a tenth may come out a hair beyond them
    low, high = max(tenths[0], min(values)), min(tenths[-1], max(values))
    return Spread(count=len(values), middle=median(values), low=low, high=high)


def running(points: Sequence[TimePoint]) -> tuple[RunningMiddle, ...]:
    """The running middle of points with its band, at the place of each; nothing of fewer than four.

    Parameters: points, in any order. Source: median and percentiles of the nine that are nearest
    in order, of fewer while there are fewer than eighteen.
    """
    ordered = sorted(points, key=lambda each: each.x)
    if len(ordered) < LEAST_DRAWN:
        return ()
    size = min(_WINDOW, max(LEAST_DRAWN, (len(ordered) + 1) // 2))
    found = []
    for number, each in enumerate(ordered):
        first = min(max(0, number - size // 2), len(ordered) - size)
        found.append(_at(each.x, [near.y for near in ordered[first : first + size]]))
    return tuple(found)


def _at(x: float, values: Sequence[float]) -> RunningMiddle:
    about = spread_of(values)
    low = about.middle if about.low is None else about.low
    high = about.middle if about.high is None else about.high
    return RunningMiddle(
        x=x, middle=about.middle, low=min(low, about.middle), high=max(high, about.middle)
    )


def middle_of_lines(lines: Sequence[Sequence[TimePoint]]) -> tuple[RunningMiddle, ...]:
    """The middle of many lines with its band, every half an hour, where four of them or more run,
    and half of all: what is left when most have ended is another cheese.

    Parameters: lines, each by x in hours. Source: straight between readings; as `running`.
    """
    most = max((line[-1].x for line in lines if line), default=0.0)
    found = []
    for number in range(int(most / _GRID_H) + 1):
        x = number * _GRID_H
        there = [y for line in lines if (y := _along(line, x)) is not None]
        if len(there) >= max(LEAST_DRAWN, len(lines) / 2):
            found.append(_at(x, there))
    return tuple(found)


def _along(line: Sequence[TimePoint], x: float) -> float | None:
    for one, two in pairwise(line):
        if one.x <= x <= two.x:
            return (
                one.y if two.x == one.x else one.y + (two.y - one.y) * (x - one.x) / (two.x - one.x)
            )
    return None


def by_quarter(points: Sequence[TimePoint], months: Sequence[int]) -> dict[int, Spread]:
    """What each quarter of the year says: by a key of QUARTERS, those in which anything lies.

    Parameters: points; months, 1 to 12, of each of them. Source: derivation.
    """
    sides: dict[int, list[float]] = {}
    for each, month in zip(points, months, strict=True):
        sides.setdefault(month % 12 // 3, []).append(each.y)
    return {key: spread_of(values) for key, values in sorted(sides.items())}
