"""Figures inside sentences: found, so that each can be told in the reader's own units.

A recipe says "warm the milk to 32 °C", a caution "60 days at 1.7 °C or above". The words stay as
they were written; only whoever shows them turns the figures.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from openpail.craft.units import parse_number

_VULGAR = "½⅓⅔¼¾⅛⅜⅝⅞"
_NUMBER = rf"(?:\d+\.\d+|\d+,\d{{1,2}}(?!\d)|\d+ ?[{_VULGAR}]|\d+ \d/\d|\d/\d|\d+|[{_VULGAR}])"
_UNITS = {
    "°C": "C",
    "°F": "F",
    "kg": "kg",
    "g": "g",
    "lb": "lb",
    "lbs": "lb",
    "oz": "oz",
    "L": "L",
    "litres": "L",
    "mL": "mL",
    "cm": "cm",
    "mm": "mm",
    "inch": "in",
    "inches": "in",
}
_UNIT = "|".join(re.escape(each) for each in sorted(_UNITS, key=len, reverse=True))
_FIGURE = re.compile(
    r"(?P<by>± ?|\bby (?:about )?|\banother |\bwithin )?"
    rf"(?<![\w.,/:°])(?P<first>(?:(?<!\d)[−-])?{_NUMBER})"
    rf"(?: ?(?:–|-|\bto\b|\band\b|\bor\b) ?(?P<last>{_NUMBER}))?"
    rf"[\s\u202f-]?(?P<unit>{_UNIT})(?![\w/²³°])"
    rf"(?: ?\( ?{_NUMBER} ?(?:{_UNIT}) ?\))?"
    r"(?=(?P<after> (?:warmer|cooler|colder|higher|lower|more|less|a minute|an hour|each|per)\b)?)"
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Written:
    """A figure of a sentence: one value or two, its unit (a key of `units`), whether it is a
    difference (±, by, warmer), and how many decimals it was written with."""

    values: tuple[float, ...]
    unit: str
    is_difference: bool
    decimals: int


def turned(text: str, say: Callable[[Written], str | None]) -> str:
    """A sentence with its figures as `say` tells them.

    Parameters: text; say, gives a figure's words, or None to leave it as it is written. Of a
    figure that stands in two units, the one in brackets goes when the other is told anew.
    Source: derivation.
    """

    def one(match: re.Match[str]) -> str:
        written = [each for each in (match["first"], match["last"]) if each]
        words = say(
            Written(
                values=tuple(parse_number(each) for each in written),
                unit=_UNITS[match["unit"]],
                is_difference=bool(match["by"] or match["after"]),
                decimals=max(len(each.replace(",", ".").partition(".")[2]) for each in written),
            )
        )
        return match[0] if words is None else f"{match['by'] or ''}{words}"

    return _FIGURE.sub(one, text)
