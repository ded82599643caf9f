"""The way of the acid: a curve through the pH readings, and when it comes to the next milestone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from math import exp, log

import numpy as np
from scipy.optimize import least_squares

from openpail.craft.recipe.steps import PlannedStep

_LEAST_READINGS = 2
_SD_PH = 0.03  # of a reading
_AGES_H = 8.0  # hours in which a reading comes to say half as much
_LEAST_FALL = 0.02
_MOST_HOURS = 72.0
_BELOW_LAST = 0.15  # the curve goes on a little under the last milestone
_RATE_BY_HALF = 3.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Expected:
    """How a recipe's acid is to go: pH at the beginning and at the end, hours to half of the fall,
    and how sharp it falls there, 1/h."""

    start_ph: float
    end_ph: float
    half_hours: float
    rate: float = 1.0


@dataclass(frozen=True, slots=True)
class Forecast:
    """When a pH is reached: hours after the culture, the earliest and the latest to think of."""

    hours: float
    early: float
    late: float


def ph_at(hours: float, expected: Expected) -> float:
    """The pH of a souring milk.

    Parameters: hours after the culture, 0 or more; expected, its curve.
    Returns: its start_ph at 0 h. Source: logistic curve that passes through its beginning.
    """
    rate, half = expected.rate, expected.half_hours
    share = (1 + exp(-rate * half)) / (1 + exp(min(700.0, rate * (hours - half))))
    return expected.end_ph + (expected.start_ph - expected.end_ph) * share


def fitted(
    read: Sequence[tuple[float, float]], expected: Expected
) -> tuple[Expected, np.ndarray] | None:
    """The curve that goes best by the readings and what the recipe expects of them.

    Parameters: read, hours after the culture and pH, by time: an older one says less; expected, of
    the recipe. Returns: the curve and how sure its half, rate and end are; None with fewer than two
    readings, or while nothing falls. Source: least squares; spreads are our own judgement.
    """
    if len(read) < _LEAST_READINGS or max(ph for _, ph in read) - read[-1][1] < _LEAST_FALL:
        return None
    priors = (log(max(0.2, expected.half_hours)), log(expected.rate), expected.end_ph)
    spreads = (0.35, 0.4, 0.15)

    newest = read[-1][0]
    spread = [_SD_PH * 2 ** ((newest - hours) / _AGES_H / 2) for hours, _ in read]

    def off(values: np.ndarray) -> list[float]:
        curve = _curve(values, expected.start_ph)
        missed = [
            (ph_at(hours, curve) - ph) / sd for (hours, ph), sd in zip(read, spread, strict=True)
        ]
        return missed + [
            (value - prior) / sd for value, prior, sd in zip(values, priors, spreads, strict=True)
        ]

    found = least_squares(off, priors)
    sure = np.linalg.pinv(found.jac.T @ found.jac)
    return _curve(found.x, expected.start_ph), sure


def _curve(values: Sequence[float] | np.ndarray, start_ph: float) -> Expected:
    half, rate, end = (float(each) for each in values)
    return Expected(
        start_ph=start_ph, end_ph=min(end, start_ph - 0.05), half_hours=exp(half), rate=exp(rate)
    )


@lru_cache(maxsize=512)
def forecast(
    read: tuple[tuple[float, float], ...], expected: Expected, target_ph: float
) -> Forecast | None:
    """When a pH will be reached, always with its band.

    Parameters: read, hours after the culture and pH, by time; expected; target_ph.
    Returns: None where nothing can be said: too little was read, or it never comes there.
    Source: derivation; the band is twice the spread, by the fit's own covariance.
    """
    found = fitted(read, expected)
    if found is None:
        return None
    curve, sure = found
    middle = reached(curve, target_ph)
    if middle is None:
        return None
    values = np.array([log(curve.half_hours), log(curve.rate), curve.end_ph])
    variance = 0.0
    for one in range(3):
        step = 1e-3
        moved = values.copy()
        moved[one] += step
        there = reached(_curve(moved, curve.start_ph), target_ph)
        if there is None:
            continue
        slope = (there - middle) / step
        variance += slope**2 * float(sure[one, one])
    spread = 2 * max(0.1, variance**0.5)
    last = read[-1][0] if read[-1][1] > target_ph else 0.0
    middle = max(last, middle)
    return Forecast(middle, max(last, middle - spread), min(_MOST_HOURS, middle + spread))


def reached(curve: Expected, target_ph: float) -> float | None:
    """Hours at which a curve is at a pH.

    Parameters: curve; target_ph. Returns: None where it never is. Source: the curve, turned round.
    """
    fall = curve.start_ph - curve.end_ph
    share = (target_ph - curve.end_ph) / fall if fall > 0 else 0.0
    if not 0 < share <= 1:
        return None
    inner = (1 + exp(-curve.rate * curve.half_hours)) / share - 1
    if inner <= 0:
        return 0.0
    hours = curve.half_hours + log(inner) / curve.rate
    return max(0.0, hours) if hours <= _MOST_HOURS else None


def expected_of(
    planned: Sequence[PlannedStep], culture_min: float, start_ph: float
) -> Expected | None:
    """How a recipe's acid is to go, by its own milestones.

    Parameters: planned, its steps laid out; culture_min, when the culture goes in, after the start;
    start_ph, of the milk. Returns: None without a milestone under it. Source: the recipe; half of
    the fall straight between its milestones.
    """
    points = [(0.0, start_ph)]
    for each in planned:
        hours = (each.end_min - culture_min) / 60
        if each.step.ph and hours > points[-1][0] and each.step.ph.target < points[-1][1]:
            points.append((hours, each.step.ph.target))
    if len(points) <= 1:
        return None
    end = points[-1][1] - _BELOW_LAST
    middle = (start_ph + end) / 2
    half = points[-1][0]
    for (a, high), (b, low) in pairwise(points):
        if low <= middle <= high:
            half = a + (b - a) * (high - middle) / (high - low)
            break
    return Expected(
        start_ph=start_ph,
        end_ph=end,
        half_hours=max(0.5, half),
        rate=_RATE_BY_HALF / max(0.5, half),
    )
