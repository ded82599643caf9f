"""Tables in a text: what the numbers of a column are, and which rows are what goes in."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

Unit = Literal["°C", "°F", "min", "h", "days", "pH", "mL", "L", "g", "kg", "%", "mm", "cm", ""]

_UNITS: tuple[tuple[str, Unit], ...] = (
    (r"[°º]\s*f|temp\w* \(?[°º]?f\)?|f", "°F"),
    (r"[°º]\s*c?|temp\w*(?: \(?[°º]?c\)?)?|c|warmth|how warm|degrees", "°C"),
    (r"min\w*|time(?: \(?min\w*\)?)?|mins|how long(?: \(?min\w*\)?)?", "min"),
    (r"h|hours?|hrs?|time \(?h(?:ours?|rs?)?\)?", "h"),
    (r"days?|d", "days"),
    (r"ph", "pH"),
    (r"ml", "mL"),
    (r"l|lit\w+", "L"),
    (r"g|grams?", "g"),
    (r"kg|load(?: \(?kg\)?)?|weight(?: \(?kg\)?)?", "kg"),
    (r"%|per ?cent|humidity|rh", "%"),
    (r"mm|size(?: \(?mm\)?)?", "mm"),
    (r"cm", "cm"),
)
_GOES_IN = re.compile(r"\b(?:how much|amounts?|quantit\w+|qty|ingredients?|dose)\b", re.I)
_MAKE = re.compile(r"\b(?:steps?|what is done|operation|stage|action|process)\b", re.I)
_RULE = re.compile(r"[\s|:=+-]+")
_HEAD_WORD = re.compile(
    r"\b(?:steps?|what|how much|how long|how warm|when|amounts?|quantit\w+|qty|ingredients?|notes?|"
    r"remarks?|temp\w*|time|min\w*|hours?|ph|operation|stage|action|process)\b|°",
    re.I,
)
_GAP = re.compile(r"\s*\|\s*|\t+| {2,}")
_LEAST_COLUMNS = 3


@dataclass(frozen=True, slots=True)
class WrittenColumn:
    """A column of a table: where its heading begins, its place among the bars, its unit."""

    begins: int
    place: int
    unit: Unit


@dataclass(frozen=True, slots=True)
class WrittenTable:
    """A table of a text: its columns, what its rows are, and whether bars part them."""

    columns: tuple[WrittenColumn, ...]
    section: str
    barred: bool

    def unit_at(self, line: str, begins: int) -> Unit:
        """What a bare number is that stands at a place of a row. Parameters: line; begins."""
        if self.barred:
            place = line[:begins].count("|")
            return next((each.unit for each in self.columns if each.place == place), "")
        nearest = min(self.columns, key=lambda each: abs(each.begins - begins))
        return nearest.unit


def tables(lines: Sequence[str]) -> dict[int, WrittenTable]:
    """The tables of a text, by the number of each of their rows, headings and rules too.

    Parameters: lines of the text, counted from 0. Source: derivation.
    """
    found: dict[int, WrittenTable] = {}
    table: WrittenTable | None = None
    for number, line in enumerate(lines):
        heads = _heads(line)
        if heads:
            table = heads
        elif not line.strip() or (table and table.barred and "|" not in line):
            table = None
        if table:
            found[number] = table
    return found


def is_rule(line: str) -> bool:
    """Whether a line only draws. Parameters: line."""
    return bool(line.strip()) and bool(_RULE.fullmatch(line))


def is_head(line: str) -> bool:
    """Whether a line heads a table. Parameters: line."""
    return _heads(line) is not None


def _heads(line: str) -> WrittenTable | None:
    """The table that a line heads; None where it is no heading."""
    if re.search(r"\d", line) or not _HEAD_WORD.search(line):
        return None
    barred = line.count("|") > 1
    at, cells = 0, []
    for match in [*_GAP.finditer(line.rstrip()), None]:
        ends = match.start() if match else len(line.rstrip())
        if line[at:ends].strip():
            cells.append((at, line[:at].count("|"), line[at:ends].strip()))
        at = match.end() if match else ends
    known = sum(1 for _, _, words in cells if _HEAD_WORD.search(words) or _unit(words))
    if len(cells) < _LEAST_COLUMNS or known < 2:
        return None
    told = " ".join(words for _, _, words in cells)
    section = "in" if _GOES_IN.search(told) and not _MAKE.search(told) else ""
    return WrittenTable(tuple(WrittenColumn(a, n, _unit(w)) for a, n, w in cells), section, barred)


def _unit(words: str) -> Unit:
    plain = words.lower().strip(" .:()")
    return next((unit for pattern, unit in _UNITS if re.fullmatch(pattern, plain)), "")
