"""The charts over time: what each draws, of all that is kept."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from openpail.craft.clock.heat import MILK_KJ_PER_KG_K, Warming, tells_a_rate
from openpail.craft.table.facts import OF_EXPECTED
from openpail.craft.table.over_time import (
    RunningMiddle,
    Spread,
    TimePoint,
    by_quarter,
    middle_of_lines,
    running,
    spread_of,
)
from openpail.records.makes import over_time
from openpail.records.makes.over_time import ValueOf
from openpail.work.here import Here
from openpail.work.logbook.book import look_anew
from openpail.work.make.made import standing_of
from openpail.work.table import money

_DAY_S = 86_400.0
_MOST_LINES = 80  # makes whose acid is laid over each other
Across = Literal["day", "hour"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Series:
    """One cheese, bottle, vat, herd or room of a chart: its points, the running middle and band,
    and its middle as a whole."""

    name: str
    points: tuple[TimePoint, ...]
    line: tuple[RunningMiddle, ...]
    whole: Spread
    quarters: Mapping[int, Spread]


@dataclass(frozen=True, slots=True, kw_only=True)
class TimeChart:
    """A chart. across: its points lie by day (days since 1970) or by hours; usual: where all would
    lie if nothing were special, None for none; lines, of the acid: the curve of each make."""

    key: str
    unit: str
    across: Across
    series: tuple[Series, ...]
    usual: float | None = None
    lines: tuple[tuple[TimePoint, ...], ...] = ()

    @property
    def count(self) -> int:
        """How many values are in it."""
        return sum(len(each.points) for each in self.series)


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartSort:
    """A chart that can be asked for: its title, what stands above it, what works it out; needs,
    what is to be told before anything is in it; own_scale, whether each panel has its own."""

    title: str
    words: str
    of: Callable[[Here, datetime | None], TimeChart]
    needs: str
    own_scale: bool = False


def chart(here: Here, key: str, since: datetime | None) -> TimeChart:
    """One chart of what happened since a moment (None: ever). Raises KeyError for no key of
    CHARTS."""
    look_anew(here)
    return CHARTS[key].of(here, since)


def _days(moment: datetime) -> float:
    return moment.timestamp() / _DAY_S


def _series(here: Here, points: Iterable[tuple[str, TimePoint]]) -> tuple[Series, ...]:
    """By name, the one with the most points first."""
    sides: dict[str, list[TimePoint]] = {}
    for name, point in points:
        sides.setdefault(name, []).append(point)
    found = []
    for name, those in sides.items():
        months = [_month(here, each.x) for each in those]
        whole = spread_of([each.y for each in those])
        found.append(
            Series(
                name=name,
                points=tuple(those),
                line=running(those),
                whole=whole,
                quarters=by_quarter(those, months),
            )
        )
    return tuple(sorted(found, key=lambda each: (-len(each.points), each.name)))


def _month(here: Here, days: float) -> int:
    return datetime.fromtimestamp(days * _DAY_S, here.zone).month


def _told(rows: Sequence[ValueOf]) -> Iterable[tuple[str, TimePoint]]:
    for row in rows:
        key = str(row.make_id) if row.make_id else ""
        yield row.of, TimePoint(x=_days(row.at), y=row.value, key=key, name=row.name or row.of)


def _yields(here: Here, since: datetime | None) -> TimeChart:
    rows = over_time.facts(here.session, here.dairy, OF_EXPECTED, since)
    return TimeChart(
        key="yield",
        unit="% of expected",
        across="day",
        series=_series(here, _told(rows)),
        usual=100.0,
    )


def _flocks(here: Here, since: datetime | None) -> TimeChart:
    rows = over_time.flocks(here.session, here.dairy, since)
    return TimeChart(
        key="flocks",
        unit="% of the label’s time",
        across="day",
        series=_series(here, _told(rows)),
        usual=100.0,
    )


def _vats(here: Here, since: datetime | None) -> TimeChart:
    def points() -> Iterable[tuple[str, TimePoint]]:
        for row in over_time.warmings(here.session, here.dairy, since):
            seen = Warming(
                mass_kg=row.mass_kg, from_c=row.from_c, to_c=row.to_c, minutes=row.minutes
            )
            if tells_a_rate(seen, here.house):
                kj = row.mass_kg * MILK_KJ_PER_KG_K * (row.to_c - row.from_c)
                kw = kj / (60 * row.minutes)
                yield row.vat, TimePoint(x=_days(row.at), y=kw, key=str(row.make_id), name=row.name)

    return TimeChart(
        key="vats", unit="kW into the milk", across="day", series=_series(here, points())
    )


def _milk(column: str, words: str) -> Callable[[Here, datetime | None], TimeChart]:
    def of(here: Here, since: datetime | None) -> TimeChart:
        rows = over_time.tests(here.session, here.dairy, column, since)
        return TimeChart(
            key=f"milk-{words}", unit=f"% {words}", across="day", series=_series(here, _told(rows))
        )

    return of


def _acid(here: Here, since: datetime | None) -> TimeChart:
    """The curve of each make by its culture, hours from when that went in."""
    lines: dict[str, list[tuple[TimePoint, ...]]] = {}
    for make, culture in over_time.cultured(here.session, here.dairy, since, _MOST_LINES):
        standing = standing_of(here, make)
        begun = standing.culture_at
        if begun is None:
            continue
        name = f"{make.name}, make {make.number}"
        line = tuple(
            TimePoint(
                x=(each.at - begun).total_seconds() / 3600, y=each.ph, key=str(make.id), name=name
            )
            for each in standing.readings
            if each.ph is not None and each.at >= begun
        )
        if len(line) > 1:
            lines.setdefault(culture, []).append(line)
    found = []
    for name, those in lines.items():
        last = [line[-1].y for line in those]
        points = tuple(point for line in those for point in line)
        found.append(
            Series(
                name=name,
                points=points,
                line=middle_of_lines(those),
                whole=spread_of(last),
                quarters={},
            )
        )
    series = tuple(sorted(found, key=lambda each: (-len(lines[each.name]), each.name)))
    every = tuple(line for each in series for line in lines[each.name])
    return TimeChart(key="acid", unit="pH", across="hour", series=series, lines=every)


def _drying(here: Here, since: datetime | None) -> TimeChart:
    rows = over_time.dried(here.session, here.dairy, since)
    return TimeChart(
        key="drying",
        unit="% of expected",
        across="day",
        series=_series(here, _told(rows)),
        usual=100.0,
    )


def _cost(here: Here, since: datetime | None) -> TimeChart:
    def points() -> Iterable[tuple[str, TimePoint]]:
        for row, cost in money.of_all(here, since):
            if cost.per_kg is not None:
                yield (
                    row.cheese,
                    TimePoint(x=_days(row.at), y=cost.per_kg.value, key=str(row.id), name=row.name),
                )

    return TimeChart(key="cost", unit="a kg", across="day", series=_series(here, points()))


_TEST = "Milk that was tested, of a herd, stands here."
CHARTS: Mapping[str, ChartSort] = {
    "yield": ChartSort(
        title="Yield",
        words="Cheese that was weighed, against what its sheet expected.",
        of=_yields,
        needs="A make whose pieces were weighed stands here.",
    ),
    "flocks": ChartSort(
        title="First flocks",
        words="Time to the first flocks against what the label says.",
        of=_flocks,
        needs="A make with a warmth read before its first flocks were told stands here.",
    ),
    "acid": ChartSort(
        title="Acid",
        words="pH from when the culture went in, by the culture.",
        of=_acid,
        needs="A make with its pH read twice after its culture stands here.",
    ),
    "vats": ChartSort(
        title="Vats",
        words="How fast each vat warms its milk.",
        of=_vats,
        needs="A warming with its warmth read twice stands here.",
        own_scale=True,
    ),
    "drying": ChartSort(
        title="Drying",
        words="Weight that a cheese lost, against what was expected, by the place it lay in.",
        of=_drying,
        needs="A cheese that is weighed again, after most of its days in one place, stands here.",
    ),
    "milk-fat": ChartSort(
        title="Fat",
        words="Fat of the milk through the year.",
        of=_milk("fat_pct", "fat"),
        needs=_TEST,
        own_scale=True,
    ),
    "milk-protein": ChartSort(
        title="Protein",
        words="Protein of the milk through the year.",
        of=_milk("protein_pct", "protein"),
        needs=_TEST,
        own_scale=True,
    ),
    "cost": ChartSort(
        title="Cost",
        words="Milk, stock and time for a kg laid down, where prices are known.",
        of=_cost,
        needs="Write what milk cost at its lot and a bottle at the stock; what a litre of your "
        "own milk "
        "and an hour are worth stands among the house values.",
    ),
}
LAST_MONTHS = timedelta(days=426)
