"""A text as it was written, with its marks; the make that it becomes, step under step."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.steps import PlannedStep, laid_out
from openpail.craft.stock.products import KIND_WORDS
from openpail.craft.units import so_long
from openpail.formats.recipe_text import UnderstoodText, WrittenLine
from openpail.formats.written.asked import MakersWord
from openpail.formats.written.marks import TextMark
from openpail.formats.written.readings import AFTER, BEFORE, LEFT_OUT, ChosenReading
from openpail.web.ui.show import degrees, small_length

_AS_READ = ""
_READINGS = {
    "min": "it is minutes",
    "h": "it is hours",
    "days": "it is days",
    "°C": "it is °C",
    "°F": "it is °F",
    "US": "it is US measure",
    "imperial": "it is imperial measure",
    "metric": "it is a metric cup",
    "weight": "it is ounces of weight",
    "fluid": "it is fluid ounces",
    BEFORE: "it belongs to the step before",
    AFTER: "it belongs to the step after",
    LEFT_OUT: "leave it out",
}
_OF_A_NUMBER = ("min", "h", "°C", "°F")
_OF_A_STEP = frozenset({"minutes", "days", "celsius", "ph", "percent", "mm", "kg"})
_RAMPS = frozenset({"warm", "heat", "cool", "add water", "stretch", "cook in whey"})


@dataclass(frozen=True, slots=True, kw_only=True)
class MarkedPart:
    """A stretch of a text: what it became, or that it was not used; where it stands in the whole,
    counted as a browser counts; number of its step; other readings, as value and words."""

    text: str
    became: str = ""
    unused: bool = False
    begins: int = 0
    ends: int = 0
    step: int = 0
    offers: str = ""


@dataclass(frozen=True, slots=True)
class MarkedLine:
    """A line in its stretches; why it was not understood, if it was not."""

    parts: tuple[MarkedPart, ...]
    why: str = ""


def marked_lines(text: str, written: UnderstoodText, said: MakersWord) -> list[MarkedLine]:
    """The text, every line of it, with what was read of it.

    Parameters: text as typed; written, what was understood; said, the readings chosen so far.
    """
    by_number = {line.number: line for line in written.lines}
    steps = {step.key: number for number, step in enumerate(written.recipe.steps, 1)}
    chosen = {(each.line, each.begins) for each in said.chosen}
    found, at = [], 0
    for number, raw in enumerate(text.splitlines(), 1):
        line = by_number.get(number)
        parts = tuple(_parts(raw, line, steps, chosen, at)) if line else (MarkedPart(text=raw),)
        found.append(MarkedLine(parts, line.why if line else ""))
        at += _wide(raw) + 1
    return found


def _parts(
    raw: str,
    line: WrittenLine,
    steps: dict[str, int],
    chosen: set[tuple[str, int]],
    since: int,
) -> Iterator[MarkedPart]:
    unused = [TextMark(begins=begins, ends=ends) for begins, ends in line.unused]
    at = 0
    for mark in sorted((*line.marks, *unused), key=lambda each: each.begins):
        if mark.begins < at:
            continue
        if raw[at : mark.begins]:
            yield MarkedPart(text=raw[at : mark.begins])
        text = raw[mark.begins : mark.ends]
        begins = since + _wide(raw[: mark.begins])
        offers = _offers(mark, (raw.rstrip(), mark.begins) in chosen, raw.rstrip())
        yield MarkedPart(
            text=text,
            became=mark.became,
            unused=not mark.became,
            begins=begins,
            ends=begins + _wide(text),
            step=steps.get(mark.step, 0),
            offers=offers,
        )
        at = mark.ends
    if raw[at:]:
        yield MarkedPart(text=raw[at:])


def _offers(mark: TextMark, is_chosen: bool, line: str) -> str:
    """The other readings of a mark, for the page: JSON of value and words of each."""
    readings = list(mark.other if mark.became else _OF_A_NUMBER)
    if mark.step and mark.sort in _OF_A_STEP:
        readings += [BEFORE, AFTER]
    if mark.became and mark.sort not in ("clock", "word"):
        readings.append(LEFT_OUT)
    rows = [
        {"value": _chosen(line, mark.begins, each), "words": _READINGS[each]} for each in readings
    ]
    if is_chosen:
        rows = [{"value": _chosen(line, mark.begins, _AS_READ), "words": "as it was read first"}]
    return json.dumps(rows)


def _chosen(line: str, begins: int, reading: str) -> str:
    return json.dumps([line, begins, reading])


def choices_of(values: Sequence[str], text: str) -> tuple[ChosenReading, ...]:
    """The readings that a page sends back, the last of each place; those whose line is gone, and
    those that were taken back, are dropped.

    Parameters: values, each a JSON list of line, place and reading; text as it stands now.
    Raises: ValueError for what no page of ours sends.
    """
    lines = {raw.rstrip() for raw in text.splitlines()}
    found: dict[tuple[str, int], str] = {}
    for value in values:
        line, begins, reading = json.loads(value)
        if not isinstance(begins, int) or (reading and reading not in _READINGS):
            raise ValueError(f"{value} is no reading")
        found[str(line), begins] = str(reading)
    return tuple(
        ChosenReading(line, begins, reading)
        for (line, begins), reading in found.items()
        if reading and line in lines
    )


def sent_back(chosen: Sequence[ChosenReading]) -> list[str]:
    """The readings as the page holds them. Parameters: chosen."""
    return [_chosen(each.line, each.begins, each.reading) for each in chosen]


def _wide(text: str) -> int:
    """How long a text is to a browser, which counts in UTF-16."""
    return len(text.encode("utf-16-le", "surrogatepass")) // 2


# ── the make ──


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnRow:
    """A step of the column: how long it takes (bar, of 100), what is told of it, and the line of
    its temperature (of 100, None where nothing is known of it)."""

    number: int
    title: str
    lasts: str
    bar: int
    told: tuple[str, ...]
    at_begin: float | None
    at_end: float | None
    is_told: bool


@dataclass(frozen=True, slots=True)
class MakeColumn:
    """A make as a column: its rows, and the warmth that its left and right edge are."""

    rows: tuple[ColumnRow, ...]
    low: str = ""
    high: str = ""


def column(recipe: Recipe) -> MakeColumn:
    """A make as a column that grows with its text. Parameters: recipe as far as it goes."""
    planned = laid_out(recipe)
    temps = [each.step.celsius.target for each in planned if each.step.celsius]
    if not temps:
        return MakeColumn(tuple(_rows(recipe, planned, 0.0, 1.0)))
    low, high = min(temps) - 3, max(temps) + 3
    return MakeColumn(tuple(_rows(recipe, planned, low, high)), degrees(low), degrees(high))


def _rows(
    recipe: Recipe, planned: Sequence[PlannedStep], low: float, high: float
) -> Iterator[ColumnRow]:
    names = {each.key: each.product.kind for each in recipe.ingredients}
    longest = max((each.minutes for each in planned), default=1.0) or 1.0
    at: float | None = None
    for number, each in enumerate(planned, 1):
        to = each.step.celsius.target if each.step.celsius else at
        begin = to
        if each.step.kind in _RAMPS and to is not None:
            begin = low if at is None else at
        yield ColumnRow(
            number=number,
            title=each.step.title,
            lasts=so_long(each.minutes),
            bar=max(3, round(100 * (each.minutes / longest) ** 0.5)),
            told=tuple(_told(each, names)),
            at_begin=_of_100(begin, low, high),
            at_end=_of_100(to, low, high),
            is_told=each.step.celsius is not None,
        )
        at = to


def _of_100(celsius: float | None, low: float, high: float) -> float | None:
    return None if celsius is None else round(100 * (celsius - low) / (high - low), 1)


def _told(each: PlannedStep, names: Mapping[str, str]) -> Iterator[str]:
    step = each.step
    if step.adds:
        kinds = dict.fromkeys(names[key] for key in step.adds if key in names)
        yield "in goes " + " and ".join(KIND_WORDS[kind].split(" ")[0] for kind in kinds)
    if step.celsius:
        yield degrees(step.celsius.target)
    if step.ph:
        yield f"pH {step.ph.target:g}"
    if step.cut_mm:
        yield small_length(step.cut_mm)
    if step.brine_pct:
        yield f"{step.brine_pct:g} % brine"
    if step.sign:
        yield f"until: {step.sign}"
