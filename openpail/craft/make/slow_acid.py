"""Acid that does not come: stop and look. What grew meanwhile is not taken back by later acid."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise
from statistics import median_low

from openpail.craft.house import House, shipped
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.sheet.cautions import Caution

_WARM_SET_C = 28.0
_SMELT_BEFORE_H = 1.0
# Where what makes toxins grows: from the cool end on slowly, and not above the most.
_COOL_C, _MOST_C, _COOL_COUNTS = (10.0, 15.0), 46.0, 1 / 3


@dataclass(frozen=True, slots=True)
class AcidReading:
    """A pH reading of the vat or the curd, and after how many hours that count it was taken."""

    ph: float
    hours_after_culture: float


def hours_that_count(
    read: Sequence[tuple[datetime, float]], since: datetime, until: datetime
) -> float:
    """Hours in which germs could grow, of those since the first culture of a make.

    Between two readings the warmth runs straight; before the first one nobody knows, so all of it
    counts; after the last one it stays as it was read.
    Parameters: read, moments with °C by time; since, the first culture; until. Returns: time at
    10–46 °C, of which 10–15 °C counts a third. Source: handbook of slow acid, house value.
    """
    points = [(at, celsius) for at, celsius in read if since <= at <= until]
    if not points:
        return max(0.0, _hours(since, until))
    counted = _hours(since, points[0][0])
    for (one, low), (other, high) in pairwise([*points, (until, points[-1][1])]):
        counted += _hours(one, other) * _share_that_counts(low, high)
    return counted


def _hours(since: datetime, until: datetime) -> float:
    return (until - since) / timedelta(hours=1)


def _share_that_counts(one_c: float, other_c: float) -> float:
    warm = _share_within(one_c, other_c, _COOL_C[1], _MOST_C)
    return warm + _COOL_COUNTS * _share_within(one_c, other_c, *_COOL_C)


def _share_within(one_c: float, other_c: float, from_c: float, to_c: float) -> float:
    """What part of a straight way from one warmth to another lies within a band."""
    low, high = sorted((one_c, other_c))
    if high == low:
        return 1.0 if from_c <= low < to_c else 0.0
    return max(0.0, min(high, to_c) - max(low, from_c)) / (high - low)


@dataclass(frozen=True, slots=True)
class AcidLimit:
    """By so many hours after the culture the pH is to be under this."""

    ph: float
    hours: float


def limits(recipe: Recipe, house: House) -> tuple[AcidLimit, ...]:
    """When a recipe's acid must have come, the earliest first; none without a culture to wait for.

    Parameters: recipe, for its family and how warm it sets; house. Source: house value.
    """
    found = []
    for part in ("look", "", "last"):
        key = f"slow_acid.{recipe.family}{f'.{part}' if part else ''}"
        if f"{key}.ph" not in shipped():
            continue
        if part == "look" and (recipe.renneting_c or 0.0) < _WARM_SET_C:
            continue
        found.append(AcidLimit(house.number(f"{key}.ph"), house.number(f"{key}.hours")))
    return tuple(found)


def steadied(stream: Sequence[float | None]) -> list[float | None]:
    """A probe's pH without its spikes: each the middle of itself and its neighbours, of two the
    lower.

    Parameters: stream, pH by time; None where it showed none. Source: our own judgement.
    """
    shown = [
        [ph for ph in stream[max(0, at - 1) : at + 2] if ph is not None]
        for at in range(len(stream))
    ]
    return [median_low(each) if each else None for each in shown]


def slow_acid(
    recipe: Recipe,
    readings: Iterable[AcidReading],
    house: House,
    hours_now: float | None = None,
) -> Caution | None:
    """Stop and look when acid does not develop, or did not once, as the family should.

    Parameters: recipe; readings, pH 4–7 with hours since the first culture, by `hours_that_count`;
    house; hours_now, since the culture while the make is under way, to ask for what was not read.
    Returns: the stop, once any reading was too late to be so high; else a caution when the moment
    of a limit passed without a reading; None while all is in time, and without a culture.
    Source: house value; Regulation (EC) 2073/2005 for the test.
    """
    taken = sorted(readings, key=lambda each: each.hours_after_culture)
    wanted = limits(recipe, house)
    for each in taken:
        for limit in wanted:
            if each.hours_after_culture >= limit.hours and each.ph >= limit.ph:
                return _stop(each, limit, taken)
    if hours_now is None:
        return None
    return _unread(taken, wanted, hours_now)


def asleep(
    recipe: Recipe, start_ph: float | None, readings: Iterable[AcidReading], house: House
) -> Caution | None:
    """A culture that should be awake and makes no acid.

    Parameters: recipe; start_ph, of the milk, None unmeasured (then the first reading); readings
    as `slow_acid`; house.
    Returns: a caution while the pH has hardly fallen 90 min after the culture or later; None for a
    heat-loving culture in milk too cool for it, which sleeps by right. Source: house value; Fox.
    """
    taken = sorted(readings, key=lambda each: each.hours_after_culture)
    sorts = {each.product.sort for each in recipe.ingredients if each.product.kind == "culture"}
    cool = (recipe.renneting_c or 0.0) < house.number("asleep.hot_wakes")
    if not taken or (sorts == {"hot"} and cool):
        return None
    last, start = taken[-1], taken[0].ph if start_ph is None else start_ph
    early = last.hours_after_culture < house.number("asleep.after_hours")
    alone = start_ph is None and len(taken) == 1
    if early or alone or start - last.ph >= house.number("asleep.least_drop"):
        return None
    return Caution(
        key="acid-asleep",
        level="caution",
        title="The pH hardly moves.",
        words=f"From {start:.2f} to {last.ph:.2f} in {last.hours_after_culture:.1f} h: a "
        f"culture that is "
        "spent, residues in the milk, too hot a vat, or phage. Try a cup of the same milk with "
        "another, unrelated culture; keep whey and its splash away from milk; next time take "
        "another culture, and turn them about.",
    )


def stood_uncultured(hours: float, house: House) -> Caution | None:
    """Milk that stood in the vat before its culture as long as milk may not stand anywhere.

    Parameters: hours that count, as `hours_that_count`, in the vat until the first culture; house.
    Returns: the stop, which a culture that came later does not
    lift; None within the limit. Source: house value, as for a lot that stands warm.
    """
    most = house.number("fitness.warm_stop_h")
    if hours <= most:
        return None
    return Caution(
        key="stood",
        level="stop",
        title="Stop and look: it stood without a culture.",
        words=f"{hours:.0f} h warm, or not read, before its culture; {most:.0f} h is the most. "
        "Germs that leave a toxin may have grown, and the toxin survives cooking: do not eat, sell "
        "or feed it. If it was cold all along, tell the readings of then.",
    )


def _stop(found: AcidReading, limit: AcidLimit, taken: Sequence[AcidReading]) -> Caution:
    later = " Acid that came later takes nothing back." if taken[-1].ph < limit.ph else ""
    return Caution(
        key="slow-acid",
        level="stop",
        title="Stop and look: the acid is slow.",
        words=f"pH {found.ph:.2f} at {found.hours_after_culture:.0f} h; it should be under "
        f"{limit.ph:.1f} by {limit.hours:.0f} h.{later} Germs that leave a toxin may have grown, "
        "and the toxin survives cooking: do not eat, sell or feed this cheese. Keep it cold and "
        "marked, and have it tested.",
    )


def _unread(
    taken: Sequence[AcidReading], wanted: Sequence[AcidLimit], hours_now: float
) -> Caution | None:
    """The last limit that passed without a reading: asked by the nose."""
    passed = [limit for limit in wanted if hours_now >= limit.hours]
    last = taken[-1].hours_after_culture if taken else 0.0
    if not passed or last >= passed[-1].hours - _SMELT_BEFORE_H:
        return None
    if any(each.ph < passed[-1].ph for each in taken):  # it was sour enough before its hour
        return None
    return Caution(
        key="acid-unread",
        level="caution",
        title=f"No pH was read by {passed[-1].hours:.0f} h.",
        words="Read it, or smell the curd: no sour smell by now, or an uncut set without whey, "
        "counts as "
        "acid that does not come. Then stop: do not eat, sell or feed it.",
    )
