"""The air of a place against what a stage wants: bands, hours outside them, dew, drying."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise
from math import log

from openpail.craft.errors import OutOfRange
from openpail.craft.house import House
from openpail.craft.recipe.recipe import Band

_WET_PCT = 100.0

COLDEST_C, HOTTEST_C = -40.0, 60.0
_MAGNUS = (17.62, 243.12)
_HOUR = timedelta(hours=1)
_NEAR_DEW_C = 1.0


def check_reading(celsius: float | None, humidity: float | None) -> None:
    """Refuse what no place to ripen has.

    Parameters: celsius, −40 to 60; humidity, 0 to 100 %; None for what was not read.
    Raises: OutOfRange by field. Source: our own judgement.
    """
    if celsius is None and humidity is None:
        raise OutOfRange("Write the temperature, the humidity, or both.", "celsius")
    if celsius is not None and not COLDEST_C <= celsius <= HOTTEST_C:
        raise OutOfRange("No place to ripen is that cold or that hot. Look again.", "celsius")
    if humidity is not None and not 0 <= humidity <= _WET_PCT:
        raise OutOfRange("Humidity is 0 to 100 %.", "humidity")


def dew_point_c(celsius: float, humidity: float) -> float:
    """The warmth under which the air of a room wets what stands in it.

    Parameters: celsius; humidity, over 0 to 100 %. Source: Magnus formula, over water.
    """
    a, b = _MAGNUS
    gamma = log(max(humidity, 1) / 100) + a * celsius / (b + celsius)
    return b * gamma / (a - gamma)


@dataclass(frozen=True, slots=True, kw_only=True)
class AirOver:
    """The air over one stay of a cheese, against the bands of its stage.

    read, hours that were read; hours, of the stay; out_c and out_h, hours outside the band of
    warmth and of humidity; low_c to high_c, as it was read; grave: since when it was so far out,
    for so long, that it is a caution.
    """

    hours: int
    read: int
    out_c: int
    out_h: int
    low_c: float | None
    high_c: float | None
    grave: datetime | None = None

    @property
    def unread(self) -> int:
        """Hours that nobody read."""
        return max(0, self.hours - self.read)


def over_stay(
    read: Sequence[tuple[datetime, float | None, float | None]],
    begins: datetime,
    ends: datetime,
    *,
    celsius: Band,
    humidity: Band | None,
    house: House,
) -> AirOver:
    """What the air was over a stay.

    Parameters: read, the hours that were read, by time: when each began, its mean °C and %; begins
    and ends of the stay; celsius and humidity, the bands of its stage; house.
    Source: handbook of safety, house values.
    """
    warm = [(at, c) for at, c, _ in read if c is not None]
    damp = [h for _, _, h in read if h is not None]
    out_c = sum(1 for _, c in warm if not celsius.low <= c <= celsius.high)
    out_h = 0
    if humidity is not None:
        out_h = sum(1 for h in damp if not humidity.low <= h <= humidity.high)
    far, least = house.number("cave.out_c"), house.number("cave.out_h")
    temperatures = [c for _, c in warm]
    return AirOver(
        hours=max(0, round((ends - begins) / _HOUR)),
        read=len(warm),
        out_c=out_c,
        out_h=out_h,
        low_c=min(temperatures, default=None),
        high_c=max(temperatures, default=None),
        grave=_far_out_since(warm, celsius, far, least),
    )


def _far_out_since(
    warm: Sequence[tuple[datetime, float]], band: Band, far: float, hours: float
) -> datetime | None:
    """The beginning of the last unbroken run that was so far out for longer than so many hours."""
    found = since = before = None
    for at, c in warm:
        is_out = c > band.high + far or c < band.low - far
        gap = before is not None and at - before > 2 * _HOUR
        before = at
        if not is_out or gap:
            since = at if is_out else None
            continue
        since = since or at
        if (at - since + _HOUR) / _HOUR > hours:
            found = since
    return found


def hint(celsius: float | None, humidity: float | None, wanted: Band | None) -> str:
    """What the air of a place asks for, in words, "" when nothing.

    Parameters: celsius and humidity as last read, None for what was not; wanted, the band of
    humidity of those that lie there. Source: Magnus formula; makers’ practice.
    """
    if celsius is None or humidity is None:
        return ""
    told = []
    if celsius - dew_point_c(celsius, humidity) < _NEAR_DEW_C:
        told.append("The air is all but wet: a cold wall or wheel drips. Give it air.")
    if wanted is not None and humidity < wanted.low:
        told.append("Too dry: rinds crack. Wet the floor, or a box with a lid.")
    elif wanted is not None and humidity > wanted.high:
        told.append("Too damp: open it for an hour, or a fan; wipe the lids.")
    return " ".join(told)


def gaps(read: Sequence[datetime], longest: timedelta) -> list[tuple[datetime, datetime]]:
    """Stretches of a logger's file in which nothing was read.

    Parameters: read, moments by time; longest, over which it is a gap. Source: derivation.
    """
    return [(before, after) for before, after in pairwise(read) if after - before > longest]
