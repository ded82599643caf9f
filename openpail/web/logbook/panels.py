"""Charts drawn: a panel for each cheese, bottle, vat, herd, room or culture, all on one scale."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from math import ceil, floor

from openpail.craft.table.over_time import RunningMiddle, Spread, TimePoint
from openpail.web.edge import here
from openpail.work.logbook.charts import CHARTS, Series, TimeChart

WIDTH, HEIGHT = 800.0, 130.0
MOST_PANELS = 6
_MOST_DOTS = 240
_MOST_TICKS = 9
_DAY_S = 86_400


@dataclass(frozen=True, slots=True, kw_only=True)
class Dot:
    """A value: where it is drawn, whether it lies beyond the scale, and what it is of."""

    x: float
    y: float
    beyond: bool
    point: TimePoint


@dataclass(frozen=True, slots=True, kw_only=True)
class Panel:
    """One drawing: whose, its values as dots (or their lines), the running middle and its band as
    paths, "" where there are too few; how many values, and what they say as a whole; low and high,
    its scale; usual, where the usual lies on it, None for nowhere."""

    name: str
    low: float
    high: float
    usual: float | None
    dots: tuple[Dot, ...]
    lines: tuple[str, ...]
    middle: str
    band: str
    count: int
    whole: Spread
    quarters: tuple[tuple[int, Spread], ...]


@dataclass(frozen=True, slots=True)
class ChartDrawn:
    """All panels of a chart, where months or hours stand, and the names that were left out."""

    panels: tuple[Panel, ...]
    ticks: tuple[tuple[float, str], ...]
    left_out: tuple[str, ...]


def drawn(chart: TimeChart, only: str = "") -> ChartDrawn | None:
    """A chart drawn; None where nothing is in it. Parameters: only, the name of one panel."""
    series = [each for each in chart.series if not only or each.name == only]
    shown = series[:MOST_PANELS]
    points = [point for each in shown for point in each.points]
    if not points:
        return None
    first, last = _ends(points, chart)
    x, own = _on(first, last, WIDTH), CHARTS[chart.key].own_scale
    return ChartDrawn(
        tuple(
            _panel(each, chart, x, _scale(each.points if own else points, chart.usual))
            for each in shown
        ),
        tuple(
            (x(at), words)
            for at, words in (_hours(last) if chart.across == "hour" else _months(first, last))
        ),
        tuple(each.name for each in series[MOST_PANELS:]),
    )


def _ends(points: Sequence[TimePoint], chart: TimeChart) -> tuple[float, float]:
    first, last = min(each.x for each in points), max(each.x for each in points)
    if chart.across == "hour":
        return 0.0, max(1.0, last)
    room = max(1.0, 0.02 * (last - first))
    return first - room, last + room


def _scale(points: Sequence[TimePoint], usual: float | None) -> tuple[float, float]:
    """From nearly the least to nearly the most: one odd value does not flatten all others."""
    values = sorted(each.y for each in points)
    cut = len(values) // 50
    low, high = values[cut], values[-1 - cut]
    if usual is not None:
        low, high = min(low, usual), max(high, usual)
    room = max(0.08 * (high - low), 0.02 * abs(high), 1e-3)
    return low - room, high + room


def _on(first: float, last: float, size: float) -> Callable[[float], float]:
    def place(value: float) -> float:
        return round(min(size, max(0.0, size * (value - first) / (last - first))), 1)

    return place


Place = Callable[[float], float]


def _panel(series: Series, chart: TimeChart, x: Place, scale: tuple[float, float]) -> Panel:
    low, high = scale
    y, usual = _on(high, low, HEIGHT), chart.usual
    keys = {each.key for each in series.points}
    lines = [line for line in chart.lines if line[0].key in keys]
    shown = [] if lines else series.points
    dots = [
        Dot(x=x(each.x), y=y(each.y), beyond=not low <= each.y <= high, point=each)
        for each in shown[:: ceil(len(shown) / _MOST_DOTS) or 1]
    ]
    run = series.line[:: ceil(len(series.line) / _MOST_DOTS) or 1]
    return Panel(
        name=series.name,
        low=low,
        high=high,
        usual=y(usual) if usual is not None and low < usual < high else None,
        dots=tuple(dots),
        lines=tuple(_path([(x(each.x), y(each.y)) for each in line]) for line in lines),
        middle=_path([(x(each.x), y(each.middle)) for each in run]),
        band=_band(run, x, y),
        count=len(lines) or len(series.points),
        whole=series.whole,
        quarters=tuple(series.quarters.items()),
    )


def _path(points: Sequence[tuple[float, float]]) -> str:
    return "M" + "L".join(f"{x} {y}" for x, y in points) if points else ""


def _band(run: Sequence[RunningMiddle], x: Place, y: Place) -> str:
    there = [(x(each.x), y(each.high)) for each in run]
    back = [(x(each.x), y(each.low)) for each in reversed(run)]
    return _path([*there, *back]) + "Z" if run else ""


def _hours(last: float) -> Iterator[tuple[float, str]]:
    every = max(1, ceil(last / _MOST_TICKS))
    for hour in range(0, floor(last) + 1, every):
        yield float(hour), f"{hour} h"


def _months(first: float, last: float) -> Iterator[tuple[float, str]]:
    """The first of so many months that their names have room."""
    begins = (
        here()
        .local(datetime.fromtimestamp(first * _DAY_S, UTC))
        .replace(day=1, hour=0, minute=0, second=0, microsecond=0)
    )
    every = max(1, ceil((last - first) / 30.4 / _MOST_TICKS))
    month = begins
    number = 0
    while month.timestamp() / _DAY_S <= last:
        at = month.timestamp() / _DAY_S
        if at >= first and number % every == 0:
            yield at, f"{month:%b %Y}" if every > 1 or month.month == 1 else f"{month:%b}"
        month = (month + timedelta(days=32)).replace(day=1)
        number += 1
