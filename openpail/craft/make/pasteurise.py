"""Pasteurising in a pot: what the record of readings shows, and never a word more.

Only one hold is offered: 63 °C (145 °F) for 30 minutes, 66 °C (150 °F) for rich milk, compared in
the unit in which it was read. Higher and shorter belongs to continuous equipment with its own log.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import log
from typing import Literal

from openpail.craft.errors import OutOfRange
from openpail.craft.make.checks import COLDEST_C, HOTTEST_C
from openpail.craft.units import from_celsius, to_celsius

_LOWEST_M, _HIGHEST_M = -50.0, 5000.0  # where people live and milk

Degrees = Literal["C", "F"]
HOLD_MIN, LONGEST_GAP_MIN = 30.0, 5.0
_PLAIN: Mapping[Degrees, float] = {"C": 63.0, "F": 145.0}
_RICH: Mapping[Degrees, float] = {"C": 66.0, "F": 150.0}
_UNCHECKED: Mapping[Degrees, float] = {"C": 0.5, "F": 0.9}
_AIR_OVER: Mapping[Degrees, float] = {"C": 3.0, "F": 5.0}
_RICH_FAT_PCT, _RICH_SOLIDS_PCT, _RICH_ABOUT_PCT = 10.0, 18.0, 17.5
CHECKED_WITHIN_DAYS = 30
_ICE_OFF_C = 0.3
_HIGH_HEAT_C = 75.0
_TOWARDS_IT_C = 70.0  # no hold asks for so much
_BOILS_LESS_PER_M = 1 / 300
COOLED_WITHIN_MIN = 60.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Milk:
    """What decides which hold is wanted: % of fat and total solids, measured or not, sweetened."""

    fat_pct: float
    total_solids_pct: float
    solids_measured: bool = True
    sweetened: bool = False

    @property
    def is_rich(self) -> bool:
        """Whether the hotter hold is wanted."""
        solids = _RICH_SOLIDS_PCT if self.solids_measured else _RICH_ABOUT_PCT
        rich = self.fat_pct >= _RICH_FAT_PCT or self.total_solids_pct >= solids
        return rich or self.sweetened


@dataclass(frozen=True, slots=True)
class HeatReading:
    """A reading of the milk at its coldest spot, or of the air under the lid: minutes since the
    record began, and the value in the unit in which it was read."""

    at_min: float
    value: float
    of_air: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Hold:
    """What a record shows: the warmth wanted of milk and air in its unit, minutes of the longest
    unbroken hold and of the one under way, whether it meets, what broke the last one, what the
    record does not show, how hot it ever was, and the warmth that the hold is named for."""

    unit: Degrees
    wanted: float
    air_wanted: float
    longest_min: float
    running_min: float
    meets: bool
    broken: str
    lacking: tuple[str, ...]
    hottest_c: float
    named_for: float

    @property
    def is_logged(self) -> bool:
        """Whether the lot may be called pasteurised, logged: the hold is met, nothing lacks."""
        return self.meets and not self.lacking

    @property
    def named(self) -> str:
        """The hold that is wanted, in words."""
        return f"{_said(self.named_for, self.unit)} for {HOLD_MIN:.0f} min"

    @property
    def words(self) -> str:
        """What may be said of the record, and no more."""
        if not self.meets:
            return f"Record does not meet {self.named}."
        if self.lacking:
            return f"Record meets {self.named}; it does not show {', nor '.join(self.lacking)}."
        return f"Record meets {self.named}."

    @property
    def is_high_heat(self) -> bool:
        """Whether it was heated so far that it sets as strongly heated milk does."""
        return self.hottest_c > _HIGH_HEAT_C

    @property
    def too_hot(self) -> str:
        """What is said of milk on its way to high heat, and past it; "" below that."""
        if self.is_high_heat:
            high = from_celsius(_HIGH_HEAT_C, self.unit)
            return (
                f"Over {_said(high, self.unit)} was read: it is high-heat milk now, whatever the "
                "record shows. With rennet it sets late and soft; an acid-and-heat cheese takes it."
            )
        if self.hottest_c >= _TOWARDS_IT_C:
            high = from_celsius(_HIGH_HEAT_C, self.unit)
            return (
                f"Take it off the heat: no hold asks for more than {_said(self.wanted, self.unit)}"
                f", and over {_said(high, self.unit)} it is high-heat milk, which sets badly."
            )
        return ""


def wanted(milk: Milk, unit: Degrees, is_checked: bool) -> float:
    """The least that every reading of the hold has to show, in its unit.

    Parameters: milk; unit, in which it is read; is_checked, the thermometer within 30 days.
    Source: Grade "A" PMO, item 16p; 0.5 °C more without a check is our own judgement.
    """
    table = _RICH if milk.is_rich else _PLAIN
    return table[unit] + (0.0 if is_checked else _UNCHECKED[unit])


def hold(
    readings: Sequence[HeatReading],
    milk: Milk,
    unit: Degrees,
    *,
    is_checked: bool,
    now_min: float | None = None,
    stirred: bool = True,
    coldest: bool = True,
    with_air: bool = False,
) -> Hold:
    """What a record of readings shows of the hold.

    A hold is a run of readings, each as warm as is wanted, no more than 5 min apart, that spans 30
    min; one reading under it, or a longer gap, and it begins again.
    Parameters: readings, in any order; milk; unit; is_checked, the thermometer; now_min, for the
    hold under way, None for a record that is closed; stirred and coldest, what the maker confirms:
    all the while stirred, and read at the coldest spot; with_air, whether the air under the lid
    must be shown too. Source: Grade "A" PMO, item 16p.
    """
    least = wanted(milk, unit, is_checked)
    named_for = (_RICH if milk.is_rich else _PLAIN)[unit]
    air_least = named_for + _AIR_OVER[unit]
    told = sorted(readings, key=lambda each: each.at_min)
    read = [each for each in told if not each.of_air]
    runs, broken = _runs(read, least, unit)
    longest = max((run[-1].at_min - run[0].at_min for run in runs), default=0.0)
    running = 0.0
    if runs and read and runs[-1][-1] is read[-1]:
        running = runs[-1][-1].at_min - runs[-1][0].at_min
        if now_min is not None and now_min - read[-1].at_min > LONGEST_GAP_MIN:
            running = 0.0
            broken = f"no reading for {now_min - read[-1].at_min:.0f} min"
    best = next((run for run in runs if run[-1].at_min - run[0].at_min >= HOLD_MIN), None)
    lacking = []
    if with_air and not _air_held(best or (runs[-1] if runs else []), told, air_least):
        lacking.append(f"the air under the lid at {_said(air_least, unit)} at both its ends")
    if not stirred:
        lacking.append("that it was stirred all the while")
    if not coldest:
        lacking.append("that it was read at the coldest spot")
    hottest = max((to_celsius(each.value, unit) for each in read), default=0.0)
    meets = longest >= HOLD_MIN - 1e-9
    return Hold(
        unit=unit,
        wanted=least,
        air_wanted=air_least,
        longest_min=longest,
        running_min=running,
        meets=meets,
        broken=broken,
        lacking=tuple(lacking),
        hottest_c=hottest,
        named_for=named_for,
    )


def _runs(
    read: Sequence[HeatReading], least: float, unit: Degrees
) -> tuple[list[list[HeatReading]], str]:
    """The unbroken holds of a record, and what broke the last one that was broken."""
    runs: list[list[HeatReading]] = []
    broken = ""
    for before, each in pairwise([None, *read]):
        assert each is not None
        if each.value < least:
            if before is not None and before.value >= least:
                broken = f"{_said(each.value, unit)} was read"
            continue
        gap = each.at_min - before.at_min if before else 0.0
        if before is None or before.value < least or gap > LONGEST_GAP_MIN:
            if before is not None and before.value >= least:
                broken = f"{gap:.0f} min without a reading"
            runs.append([each])
        else:
            runs[-1].append(each)
    return runs, broken


def _air_held(run: Sequence[HeatReading], told: Sequence[HeatReading], least: float) -> bool:
    """Whether the air was warm enough within 5 min of both ends of a hold, and never too cold."""
    if not run:
        return False
    begin, end = run[0].at_min, run[-1].at_min
    air = [
        each
        for each in told
        if each.of_air and begin - LONGEST_GAP_MIN <= each.at_min <= end + LONGEST_GAP_MIN
    ]
    ends = all(any(abs(each.at_min - at) <= LONGEST_GAP_MIN for each in air) for at in (begin, end))
    return ends and all(each.value >= least for each in air)


def _said(value: float, unit: Degrees) -> str:
    return f"{value:.1f} °{unit}"


def check_heat(value: float, unit: Degrees) -> None:
    """Refuse what no pot shows.

    Parameters: value, in its unit; unit. Raises: OutOfRange.
    """
    if not COLDEST_C <= to_celsius(value, unit) <= HOTTEST_C:
        raise OutOfRange("No pot is that cold or that hot. Look again.", "value")


def is_true(ice_c: float, boiling_c: float, altitude_m: float) -> bool:
    """Whether a thermometer reads true in ice and in boiling water.

    Parameters: ice_c and boiling_c, as it read; altitude_m, of the place. Raises: OutOfRange.
    Source: our own judgement, ± 0.3 °C in ice, ± 1 °C at the boiling point.
    """
    if not _LOWEST_M <= altitude_m <= _HIGHEST_M:
        raise OutOfRange("Write how high the place lies, 0 to 5 000 m.", "altitude_m")
    return abs(ice_c) <= _ICE_OFF_C and abs(boiling_c - boils_at(altitude_m)) <= 1.0


def boils_at(altitude_m: float) -> float:
    """Where water boils, °C.

    Parameters: altitude_m, of the place. Source: 1 °C for 300 m.
    """
    return 100.0 - altitude_m * _BOILS_LESS_PER_M


def still_to_cool(read: Sequence[tuple[float, float]], to_c: float, bath_c: float) -> float | None:
    """Minutes until it is cool, at the rate of the readings themselves.

    Parameters: read, minutes and °C since the cooling began; to_c; bath_c. Returns: None before
    two readings tell a rate. Source: Newton's law of cooling.
    """
    falling = [(at, celsius) for at, celsius in read if celsius > bath_c]
    if len(falling) <= 1 or falling[-1][1] >= falling[0][1] or to_c <= bath_c:
        return None
    (first_at, first), (last_at, last) = falling[0], falling[-1]
    if last <= to_c:
        return 0.0
    per_min = log((first - bath_c) / (last - bath_c)) / (last_at - first_at)
    return log((last - bath_c) / (to_c - bath_c)) / per_min
