"""Another reading of a quantity than the usual one: its unit, whose measure, which step's."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from openpail.craft.units import System, to_celsius
from openpail.formats.written.clauses import Clause
from openpail.formats.written.quantities import Quantity, first_number, quantities

BEFORE, AFTER, LEFT_OUT = "step before", "step after", "left out"
"""Of which step a quantity is, when its line does not say so; that it is of none."""
_MINUTES = {"min": 1.0, "h": 60.0, "days": 1440.0}
_MEASURES: dict[str, System] = {"US": "us", "imperial": "imperial", "metric": "metric"}
_ALSO = {"°C": "°F", "°F": "°C", "US": "imperial", "imperial": "US", "min": "h", "h": "min"}
_ALSO |= {"weight": "fluid", "fluid": "weight"}
_OUNCES = re.compile(r"\b(?:fl\.?\s*|fluid\s+)?(?:oz|ounces?)\b", re.I)


@dataclass(frozen=True, slots=True)
class ChosenReading:
    """A reading that was chosen: the line as it is written, where its quantity begins, and the
    name of the reading."""

    line: str
    begins: int
    reading: str


def reread(each: Quantity, reading: str, line: str) -> Quantity:
    """A quantity in another reading; as it is where that reading makes nothing of it.

    Parameters: each quantity of the line; reading, by its name: min, h, days, °C, °F, US, imperial,
    metric, weight, fluid; line as written. Raises nothing.
    """
    other = (_ALSO[reading],) if reading in _ALSO else ()
    if reading in _MINUTES:
        return _as_time(each, reading, line, other)
    if reading in ("°C", "°F"):
        return _as_warm(each, reading, other)
    words = line[each.begins : each.ends]
    if reading in ("weight", "fluid"):
        words = _OUNCES.sub("fl oz" if reading == "fluid" else "oz", words)
    found = quantities(words, _MEASURES.get(reading, "us"))
    if len(found) != 1:
        return each
    per = found[0].per or each.per
    return replace(found[0], begins=each.begins, ends=each.ends, per=per, other=other)


def _as_time(each: Quantity, reading: str, line: str, other: tuple[str, ...]) -> Quantity:
    told = first_number(line[each.begins : each.ends])
    if each.what not in ("bare", "time") or not told:
        return each
    times = _MINUTES[reading] * told / each.value
    high = None if each.high is None else each.high * times
    return replace(
        each, what="time", value=each.value * times, high=high, unit=reading, other=other
    )


def _as_warm(each: Quantity, reading: str, other: tuple[str, ...]) -> Quantity:
    if each.what not in ("bare", "warm"):
        return each
    was_f, scale = each.unit == "°F", reading[1]

    def anew(value: float) -> float:
        return to_celsius(value * 9 / 5 + 32 if was_f else value, scale)

    high = None if each.high is None else anew(each.high)
    return replace(each, what="warm", value=anew(each.value), high=high, unit=reading, other=other)


@dataclass(frozen=True, slots=True)
class HandedOn:
    """A quantity that was given to the step before or after the one it is written in."""

    each: Quantity
    to: str


def as_chosen(
    clause: Clause, line: str, chosen: Sequence[ChosenReading], measure: str
) -> tuple[Clause, tuple[HandedOn, ...]]:
    """A clause with the readings that were chosen, and what of it belongs to another step.

    Parameters: clause; line as written; chosen readings of the whole text; measure, whose
    gallons and spoons are meant wherever that is open: US, imperial, "" for as it was read.
    """
    mine = {each.begins: each.reading for each in chosen if each.line == line.rstrip()}
    those, given = [], []
    for number in _with_numbers(clause, mine, line):
        reading = mine.get(number.begins, "")
        each = reread(number, measure, line) if measure in number.other else number
        if reading in (BEFORE, AFTER):
            given.append(HandedOn(each, reading))
        elif reading and reading != LEFT_OUT:
            those.append(reread(each, reading, line))
        elif not reading:
            those.append(each)
    return replace(clause, those=tuple(those)), tuple(given)


def _with_numbers(clause: Clause, mine: dict[int, str], line: str) -> list[Quantity]:
    """The quantities of a clause, with the numbers that only a chosen reading makes one of."""
    found = list(clause.those)
    ends = clause.begins + len(clause.text)
    for begins in mine:
        number = re.compile(r"\d+(?:[.,]\d+)?").match(line, begins)
        held = any(each.begins <= begins < each.ends for each in found)
        if number and clause.begins <= begins < ends and not held:
            value = first_number(number[0])
            found.append(Quantity(what="bare", value=value, begins=begins, ends=number.end()))
    return sorted(found, key=lambda each: each.begins)
