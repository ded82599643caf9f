"""What a rind loses by drying: expected from the room and the surface, then from own weighings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import pi

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.press.moulds import Mould
from openpail.craft.recipe.recipe import Wheels

_WET_PCT = 100.0

_USUAL_M2_KG = 0.045
_DRY_AT, _BENDS_AT_D, _BENDS_BY = 12.0, 30.0, 0.6
_PRIOR_WEIGHINGS = 1.0
_LEAST_PCT = 0.3


@dataclass(frozen=True, slots=True)
class InAir:
    """A stretch of days in one air: how many, % of humidity, and whether the rind is bare of bag
    and wax."""

    days: float
    humidity_pct: float
    bare: bool = True


def surface_m2_per_kg(wheels: Wheels | None, kg: float, house: House) -> float:
    """The surface of a piece against its weight.

    Parameters: wheels of its recipe, None where it has none: as of a wheel as high as half its
    width; kg, over 0; house. Source: geometry.
    """
    if wheels is None:
        across = (8000 * kg / (house.number("press.cheese_kg_per_l") * pi)) ** (1 / 3)
        mould = Mould(sort="hoop", across_cm=max(2.0, across), height_cm=max(1.0, across / 2))
    else:
        mould = Mould(
            sort="hoop",
            across_cm=wheels.across_cm,
            height_cm=wheels.height_cm,
            side_cm=wheels.side_cm,
        )
    return mould.surface_cm2(kg, house) / 10_000 / kg


def loss_pct(days: float, humidity_pct: float, m2_per_kg: float, house: House) -> Figure:
    """What a natural rind has lost after so many days, % of its first weight.

    Parameters: days, 0 or more; humidity_pct of the room, 0 to 100; m2_per_kg, over 0; house.
    Raises: OutOfRange. Source: r0·t to day 30, then r0·30·(t/30)^0.6, house values.
    """
    if not 0 <= humidity_pct <= _WET_PCT:
        raise OutOfRange("A room has 0 to 100 % of humidity.", "humidity")
    if days < 0 or m2_per_kg <= 0:
        raise OutOfRange("A loss wants days and a surface.", "days")
    key = "loss.per_day"
    drier = max(house.number("loss.least_dry"), house.number("loss.still_at") - humidity_pct)
    figure = Figure.start(
        "a natural rind, a day", house.number(key), "%", source=house.source(key), house_key=key
    )
    figure = figure.then("times", f"a room of {humidity_pct:.0f} %", drier / _DRY_AT)
    figure = figure.then("times", "its surface for its weight", m2_per_kg / _USUAL_M2_KG)
    time = days if days <= _BENDS_AT_D else _BENDS_AT_D * (days / _BENDS_AT_D) ** _BENDS_BY
    return figure.then("times", f"{days:.0f} days, fewer as it dries", time)


def expected(
    kept: Sequence[InAir], m2_per_kg: float, house: House, family: str
) -> list[tuple[float, float]]:
    """What it should have lost, stretch after stretch: (days, %) at the end of each.

    Parameters: kept, from the day it was laid down; m2_per_kg; house; family, in snake case: a
    bloomy rind loses more while it grows. Source: as `loss_pct`; none in bag or wax.
    """
    found, day, bare_days, lost = [(0.0, 0.0)], 0.0, 0.0, 0.0
    times = house.number("loss.bloomy") if family == "bloomy" else 1.0
    for each in kept:
        if each.bare and each.days > 0:
            before = loss_pct(bare_days, each.humidity_pct, m2_per_kg, house).value
            bare_days += each.days
            after = loss_pct(bare_days, each.humidity_pct, m2_per_kg, house).value
            lost += times * (after - before)
        day += each.days
        found.append((day, min(lost, 60.0)))
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class LossCurve:
    """Expected loss by day, as own weighings moved it, with its band; what was weighed; what it
    means, "" when nothing is odd."""

    expected: tuple[tuple[float, float], ...]
    low: tuple[tuple[float, float], ...]
    high: tuple[tuple[float, float], ...]
    weighed: tuple[tuple[float, float], ...]
    factor: Figure
    words: str = ""

    def at(self, day: float) -> float:
        """The loss expected on a day, %."""
        return _along(self.expected, day)


def curve(
    should: Sequence[tuple[float, float]],
    weighed: Sequence[tuple[float, float]],
    house: House,
) -> LossCurve:
    """The curve of a piece with its band, drawn towards what it really weighed.

    Parameters: should, from `expected`; weighed, days with the % that was lost by then.
    Source: shrinkage: the house’s curve counts as one weighing.
    """
    seen = [
        (lost / _along(should, day))
        for day, lost in weighed
        if day > 0 and _along(should, day) >= _LEAST_PCT
    ]
    ratio = (_PRIOR_WEIGHINGS + sum(seen)) / (_PRIOR_WEIGHINGS + len(seen))
    ratio = min(4.0, max(0.2, ratio))
    told = f"{len(seen)} own weighings" if seen else "nobody weighed it yet"
    factor = Figure.start(
        f"{told}, against the usual curve", ratio, "×", "worked out" if seen else "assumed"
    )
    band = house.number("loss.band") / (1 + len(seen)) ** 0.5

    def times(by: float) -> tuple[tuple[float, float], ...]:
        return tuple((day, lost * ratio * by) for day, lost in should)

    words = ""
    if weighed and weighed[-1][0] > 0 and _along(should, weighed[-1][0]) >= _LEAST_PCT:
        words = _said(weighed[-1][1] / _along(should, weighed[-1][0]), house.number("loss.band"))
    return LossCurve(
        expected=times(1.0),
        low=times(1 - band),
        high=times(1 + band),
        weighed=tuple(weighed),
        factor=factor,
        words=words,
    )


def _said(share: float, band: float) -> str:
    if share > 1 + band:
        return (
            f"It loses {share:.1f} times what is usual: look for too dry a room, a fan, or cracks."
        )
    if share < 1 - band:
        return f"It loses only {share:.1f} of what is usual: too damp a room, or a rind that slips."
    return ""


def _along(points: Sequence[tuple[float, float]], day: float) -> float:
    """The loss of a day between the points, the last one beyond them."""
    for (x0, y0), (x1, y1) in pairwise(points):
        if day <= x1:
            return y1 if x1 == x0 else y0 + (y1 - y0) * (day - x0) / (x1 - x0)
    return points[-1][1] if points else 0.0
