"""What each line of a text became, quantity by quantity, and what of it was not used."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from openpail.formats.written.clauses import Clause
from openpail.formats.written.quantities import Quantity

_NUMBER = re.compile(r"\d{1,2}:\d{2}(?!\d)|\d+(?:[.,]\d+)?(?:\s*/\s*\d+)?")
_WITH_DIGITS = re.compile(r"\b[A-Za-z]{2,}(\d+)\b")  # CaCl2, a culture's number
_DAY_MIN = 1440.0


@dataclass(frozen=True, slots=True, kw_only=True)
class TextMark:
    """A part of a line that was read: where it stands, what it is (litres, minutes …) and its
    values, what it became, the other readings that it could have, and the key of its step."""

    begins: int
    ends: int
    sort: str = ""
    values: tuple[float, ...] = ()
    became: str = ""
    other: tuple[str, ...] = ()
    step: str = ""


def marks_of(clause: Clause, milk_l: float) -> Iterator[TextMark]:
    """The marks of a clause's quantities.

    Parameters: clause; milk_l of the recipe, for what is told for each litre, 0 where none is told.
    """
    for word in _WITH_DIGITS.finditer(clause.text):
        yield TextMark(
            begins=clause.begins + word.start(),
            ends=clause.begins + word.end(),
            sort="word",
            values=(float(word[1]),),
        )
    for each in clause.those:
        mark = mark_of(each, milk_l)
        if mark:
            yield mark


def mark_of(each: Quantity, milk_l: float) -> TextMark | None:
    """The mark of one quantity, None for a bare number and a time of day.

    Parameters: each; milk_l as for `marks_of`.
    """
    told = _told(each, milk_l)
    if told is None:
        return None
    sort, values = told
    return TextMark(begins=each.begins, ends=each.ends, sort=sort, values=values, other=each.other)


def clock_marks(clause: Clause, became: str) -> Iterator[TextMark]:
    """The marks of its times of day. Parameters: clause; became, what they tell."""
    for each in clause.every("clock"):
        yield TextMark(
            begins=each.begins, ends=each.ends, sort="clock", values=each.values, became=became
        )


def _told(each: Quantity, milk_l: float) -> tuple[str, tuple[float, ...]] | None:
    values = each.values
    match each.what:
        case "time":
            is_days = each.value >= _DAY_MIN
            return ("days", tuple(v / _DAY_MIN for v in values)) if is_days else ("minutes", values)
        case "warm":
            return "celsius", values
        case "rise":
            return "celsius_rise", values
        case "volume":
            return _scaled("litres", "ml", 1.0, each, milk_l)
        case "mass":
            return _scaled("kg", "g", 1.0, each, milk_l)
        case "length":
            return "mm", values
        case "percent" | "ph" | "imcu" | "one_to" | "count":
            return each.what, values
        case "times" | "own_weights":
            return "count", values
        case "clock" | "bare":
            return None


def _scaled(
    large: str, small: str, least: float, each: Quantity, milk_l: float
) -> tuple[str, tuple[float, ...]]:
    """An amount; of so much for each litre of milk the amount for all of it."""
    times = 1.0
    if each.per is not None and each.per.what == "volume" and milk_l:
        times = milk_l / each.per.value
    values = tuple(value * times for value in each.values)
    if each.value * times >= least:
        return large, values
    return small, tuple(1000 * value for value in values)


def unused_numbers(text: str, begins: int, marks: list[TextMark]) -> Iterator[tuple[int, int]]:
    """The numbers of a line that no mark covers, each with the word behind it.

    Parameters: text; begins, behind its bullet; marks.
    """
    for match in _NUMBER.finditer(text, begins):
        if any(mark.begins < match.end() and match.start() < mark.ends for mark in marks):
            continue
        word = re.compile(r"\s*[A-Za-z°%]+").match(text, match.end())
        yield match.start(), word.end() if word else match.end()
