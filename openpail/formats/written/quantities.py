"""Quantities in a line as people write them: what each is, in one unit, and where it stands."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal, TypeVar

from openpail.craft.errors import CraftError, Unknown
from openpail.craft.house import House
from openpail.craft.salt.brine import strength
from openpail.craft.units import System, parse_amount, to_celsius
from openpail.formats.written.lexicon import (
    COUNTS,
    LENGTHS,
    MASSES,
    NUMBER_WORDS,
    SIZES,
    SMALL_ML,
    TIMES,
    VOLUMES,
)

_T = TypeVar("_T")
What = Literal[
    "time",
    "warm",
    "rise",
    "volume",
    "mass",
    "length",
    "percent",
    "ph",
    "imcu",
    "one_to",
    "count",
    "times",
    "own_weights",
    "clock",
    "bare",
]
"""What a quantity measures: min, °C, °C of a rise, L, kg, mm, %, pH, IMCU per mL, one part in so
many, pieces, times the first flocks, times its own weight, a time of day, or a number without a
unit."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Quantity:
    """A quantity of a line.

    what it measures and its value in the unit of that; high, the other end of a range; begins and
    ends, where it stands in its line; unit, as it was written; per, what it is for one of: another
    quantity, or a word (kg); other, the readings that it could have besides.
    """

    what: What
    value: float
    begins: int
    ends: int
    high: float | None = None
    unit: str = ""
    per: Quantity | None = None
    other: tuple[str, ...] = ()

    @property
    def values(self) -> tuple[float, ...]:
        """Its value, or both ends of its range."""
        return (self.value,) if self.high is None else (self.value, self.high)


_VULGAR = {
    "½": 0.5,
    "⅓": 1 / 3,
    "⅔": 2 / 3,
    "¼": 0.25,
    "¾": 0.75,
    "⅛": 0.125,
    "⅜": 0.375,
    "⅝": 0.625,
    "⅞": 0.875,
    "⅕": 0.2,
    "⅙": 1 / 6,
}
_DIGITS = (
    r"\d+\s+\d+\s*/\s*0*[1-9]\d*|\d+-\d+/0*[1-9]\d*|\d+\s*/\s*0*[1-9]\d*(?![\d°])|"
    r"\d+\s*[½⅓⅔¼¾⅛⅜⅝⅞⅕⅙]|[½⅓⅔¼¾⅛⅜⅝⅞⅕⅙]|"
    r"\d+[.,]\d+|[.,]\d+|\d+"
)
_TENS = "twenty|thirty|forty|fifty|sixty|seventy|eighty|ninety"
_ONES = "one|two|three|four|five|six|seven|eight|nine"
_WORDS = rf"(?:{_TENS})[- ](?:{_ONES})|" + "|".join(
    re.escape(word) for word in sorted(NUMBER_WORDS, key=len, reverse=True)
)
_DASH = r"\s*(?:->|→|-|–|—|\.\.\.?|…|to|or)\s*"


def _any(rows: tuple[tuple[str, object], ...]) -> str:
    return "|".join(pattern for pattern, _ in rows)


_UNIT_OF_TIME = _any(TIMES)
# A small c before a word is a cup: 1/4 c. cool water.
_CUP_OF = r"(?!\s*(?:of|cool|cold|warm|water|milk|cream)\b)(?!\.\s+(?-i:[a-z]))"
_WARM = (
    r"[°º]\s*[CF]\b|deg(?:rees?|s)?\.?\s*(?:C(?:elsius|entigrade)?|F(?:ahrenheit)?)\b|"
    rf"deg(?:rees?|s)?\b|[°º](?!\s*B[eé])|F\b|(?-i:C)\b|(?-i:c)\b{_CUP_OF}|celsius|fahrenheit"
)
_PH = r"p\s?H"
_NUMBER = rf"(?P<n>{_DIGITS}|(?<![a-z-])(?:{_WORDS})(?=[\s-]))"
_SECOND = rf"(?:{_DIGITS}|(?:{_WORDS})(?=[\s-]))"
_WHOLE = "tablets?|packets?|sachets?"
_UNITS = (
    rf"(?P<warm>{_WARM})|(?P<percent>%|per ?cent\b|pct\b)|(?P<imcu>IMCU(?:\s*(?:/|per)\s*m[lL])?)|"
    rf"(?P<volume>(?:{_any(VOLUMES)})(?![a-z]))|(?P<mass>(?:{_any(MASSES)})(?![a-z]))|"
    rf"(?P<time>(?:{_UNIT_OF_TIME})(?![a-z]))|(?P<length>(?:{_any(LENGTHS)})(?![a-z]))|"
    rf"(?P<ph>{_PH}\b)|(?P<baume>°\s*B[eé]\b)|(?P<count>(?:[a-z]+ )?(?:{_WHOLE})\b|(?:{COUNTS})\b)"
)
_RANGE = rf"(?:{_DASH}(?P<high>{_SECOND}))?"
_LOW_UNIT = rf"(?:\s*(?:{_WARM}|%)(?={_DASH}(?:{_DIGITS})\s*(?:{_WARM}|%)))?"
_HOW_FULL = r"(?:(?:level|heap(?:ed|ing)|rounded|scant|generous|good|full|flat|small|large)\s+)?"
_WITH_UNIT = re.compile(rf"{_NUMBER}\+?{_LOW_UNIT}{_RANGE}[\s-]*{_HOW_FULL}(?:{_UNITS})", re.I)
_PH_FIRST = re.compile(
    rf"\b{_PH}\s*(?:(?:of|is|=|:|at|about|around|to|reach\w*|has|under|below|over|above|<|>|"
    rf"~)\s*){{0,3}}(?P<n>{_DIGITS}){_RANGE}",
    re.I,
)
_ONE_TO = re.compile(r"\b1\s*:\s*(?P<n>\d{1,3}(?:[ .,]\d{3})+|\d+)(?:\s*(?P<k>k)\b)?", re.I)
_TIMES = re.compile(
    rf"\b(?:floc\w*|flocks?)(?: time)?\s*(?:x|×|times)\s*(?P<n>{_DIGITS})|"
    rf"(?P<m>{_DIGITS})\s*(?:x|×|times)\s*(?:the )?(?:floc\w*|flocks?)",
    re.I,
)
_BARE = re.compile(rf"(?<![\w.,/])(?P<n>{_DIGITS}){_RANGE}(?![\w])(?!\s*[:/]\s*\d)")
_BARE_WORDS = re.compile(rf"\bto (?P<n>(?:{_TENS})(?:[- ](?:{_ONES}))?)(?![\w-])", re.I)
_AND_A_HALF = re.compile(r"\s+and\s+(a half|half|a quarter|three quarters)\b", re.I)
_EVERY_OTHER = re.compile(r"\bevery\s+(other|second|2nd|third|3rd)\s+day\b", re.I)
_IN_BRACKETS = re.compile(r"\s*(?:\(|=|/)\s*(?:abt|about|ca\.?|~)?\s*", re.I)
_CLOCK = re.compile(
    r"(?<![\d:])([01]?\d|2[0-3]):([0-5]\d)(?=:?\s+[A-Za-z\d])(?!\s\d{3}\b(?!\s*[A-Za-z]))"
)
_DAY_OF = re.compile(
    r"\b(?:(?:from\s+|on\s+|after\s+|at\s+)?(?P<unit>day|week|month)|"
    r"(?:from|on|after)\s+(?P<short>d|wk|w)\.?)\s*(?P<n>\d+)(?!\s*(?:mo|months?|w|wks?|weeks?|"
    r"d|days?|h|hours?|min\w*)\b)",
    re.I,
)
_ORDINAL = re.compile(r"\b(?P<n>\d+)(?:st|nd|rd|th)\b(?:\s+(?P<unit>day|week|month))?", re.I)
_TIMES_A = re.compile(
    r"\b(?P<n>\d+|once|twice|three times|four times)\s*(?:x|×|times?)?\s*(?:/|per|a|each|"
    r"every)\s*(?P<unit>day|d|week|wk|w|month)\b|\b(?P<m>\d+)\s*x\s+(?P<unit2>week|day|month|"
    r"daily)",
    re.I,
)
_OVERNIGHT = re.compile(
    r"\b(?:(?:till|until|to) (?:the )?next day|overnight|over night|over the night|through the "
    r"night|all night|for the night|o/n|"
    r"till (?:the )?(?:next )?morning|until (?:the )?(?:next )?morning)(?![a-z])",
    re.I,
)
_OWN_WEIGHTS = re.compile(
    r"\b(?P<n>twice|double|thrice|(?:\d+(?:[.,]\d+)?|two|three|four|five|six|eight|ten|half)\s*"
    r"(?:times|x|×)?)\s*(?:(?:the|its|their|of)\s+)*(?:own\s+)?(?:cheese(?:['’]?s)?\s+|"
    r"curd(?:['’]?s)?\s+)?"
    r"(?:own\s+)?weight\b|\b(?:with|at|under)\s+(?P<m>\d+|two|three|four|five|six|eight|"
    r"ten)\s+times\b"
    r"(?! the (?:floc|set))",
    re.I,
)
_PER = re.compile(r"\s*(?:/|per|a|every|each|for each|for every|for|to (?:each|every)|to)\s*", re.I)
_PER_LATER = re.compile(
    r"\s*(?:of\s+)?[A-Za-z][A-Za-z ]{0,30}\s(?:per|to each|for every|for each)\s+", re.I
)
_SIZE = re.compile(rf"\b(?:{_any(SIZES)})\b", re.I)
_SMALL = re.compile(rf"\b(?:an?|one|two|\d+)?\s*(?:{'|'.join(SMALL_ML)})(?:es|s)?\b", re.I)
_TIME_LIST = re.compile(
    rf"(?P<list>(?:\d+\s*,\s*)*\d+\s*,?\s*(?:and|&)\s*\d+)\s*(?P<time>{_UNIT_OF_TIME})(?![a-z])",
    re.I,
)
_COMPOUND = frozenset(
    (large, small)
    for large, smaller in (
        ("gal", ("qt", "quart", "pt", "pint", "cup")),
        ("gallon", ("qt", "quart", "pt", "pint", "cup")),
        ("qt", ("cup", "pt", "pint")),
        ("quart", ("cup", "pt", "pint")),
        ("lb", ("oz", "ounce")),
        ("pound", ("oz", "ounce")),
        ("tbsp", ("tsp",)),
        ("kg", ("g",)),
        ("l", ("ml",)),
    )
    for small in smaller
)
_DAYS = {"day": 1, "week": 7, "month": 30}
OVERNIGHT_MIN = 720.0
_BARE_DEGREES_F, _MOST_C, _BRINE_C, _MOST_RISE, _MOST_CUPS = 60.0, 110.0, 20.0, 10.0, 4
_SAME_WITHIN = 0.12
_STROKES = frozenset("'’′m")  # what stands for minutes, and may be meant for hours


def number(text: str) -> float:
    """A number in digits, fractions or words. Parameters: text that the grammar has matched."""
    plain = text.strip().lower()
    if plain in NUMBER_WORDS:
        return NUMBER_WORDS[plain]
    if plain[:1].isalpha():
        return sum(NUMBER_WORDS[word] for word in re.split(r"[- ]", plain))
    total = 0.0
    for sign, value in _VULGAR.items():
        if sign in plain:
            total, plain = value, plain.replace(sign, "").strip()
    if not plain:
        return total
    plain = re.sub(r"(\d)-(\d+/)", r"\1 \2", plain)
    for part in re.sub(r"\s*/\s*", "/", plain).split():
        above, _, below = part.partition("/")
        value = float(above.replace(",", "."))
        if below:
            value /= float(below)
        total += value
    return total


def first_number(text: str) -> float:
    """The first number of a text, 0 for none. Parameters: text of a quantity."""
    match = re.search(rf"(?:{_SECOND})", f"{text} ", re.I)
    return number(match[0]) if match else 0.0


def quantities(text: str, system: System) -> list[Quantity]:
    """Every quantity of a line, in the order in which they stand.

    Parameters: text of a line; system, what a bare gallon, spoon or degree means.
    """
    taken: list[Quantity] = []
    left = text
    for find in _FINDERS:
        for each in find(left, system):
            if "\x00" not in left[each.begins : each.ends]:
                taken.append(each)
                gone = "\x00" * (each.ends - each.begins)
                left = left[: each.begins] + gone + left[each.ends :]
    taken.sort(key=lambda each: each.begins)
    return list(_ratios(text, _joined(text, taken), system))


def _joined(text: str, those: list[Quantity]) -> list[Quantity]:
    """3 gal 1 qt, 1 lb 13 oz, 1 h 10: one amount in two units."""
    found: list[Quantity] = []
    for each in those:
        last = found[-1] if found else None
        if last and not text[last.ends : each.begins].strip(" &+.") and _goes_on(last, each):
            found[-1] = replace(last, value=last.value + each.value, ends=each.ends)
        elif last and _says_again(last, each, text[last.ends : each.begins]):
            shut = text[each.ends : each.ends + 1] == ")"
            found[-1] = replace(last, ends=each.ends + shut)
        else:
            found.append(each)
    return found


def _says_again(last: Quantity, each: Quantity, between: str) -> bool:
    """Whether an amount behind it in brackets is the same in other units: 2 gallons (7.5 L)."""
    if last.what != each.what or not _IN_BRACKETS.fullmatch(between):
        return False
    return abs(each.value - last.value) <= _SAME_WITHIN * abs(last.value) and each.unit != last.unit


def _goes_on(last: Quantity, each: Quantity) -> bool:
    """Whether an amount goes on in a smaller unit: quarts behind gallons, minutes behind hours."""
    if last.high is not None or each.high is not None:
        return False
    if last.what == "time" and last.unit[:1].lower() == "h":
        return each.value < 60 and (each.what == "bare" or each.unit[:3].lower() == "min")
    pair = last.unit.lower().rstrip("s"), each.unit.lower().rstrip("s")
    return last.what == each.what and pair in _COMPOUND


def _lists(text: str, _: System) -> Iterator[Quantity]:
    """1, 3 and 8 hours: each of them."""
    for match in _TIME_LIST.finditer(text):
        each_min = _minutes_of(match["time"])
        for found in re.finditer(r"\d+", match["list"]):
            begins = match.start("list") + found.start()
            is_last = found.end() == len(match["list"])
            ends = match.end() if is_last else match.start("list") + found.end()
            yield Quantity(
                what="time",
                value=float(found[0]) * each_min,
                begins=begins,
                ends=ends,
                unit=match["time"],
            )


def _clock(text: str, _: System) -> Iterator[Quantity]:
    """7:30: when it was, not how long."""
    for match in _CLOCK.finditer(text):
        minutes = 60 * float(match[1]) + float(match[2])
        yield Quantity(what="clock", value=minutes, begins=match.start(), ends=match.end())


def _one_to(text: str, _: System) -> Iterator[Quantity]:
    for match in _ONE_TO.finditer(text):
        value = float(re.sub(r"\D", "", match["n"])) * (1000 if match["k"] else 1)
        if value >= 100:
            yield Quantity(what="one_to", value=value, begins=match.start(), ends=match.end())


def _flocks(text: str, _: System) -> Iterator[Quantity]:
    for match in _TIMES.finditer(text):
        yield Quantity(
            what="times",
            value=number(match["n"] or match["m"]),
            begins=match.start(),
            ends=match.end(),
        )
    for match in re.finditer(
        rf"\b(?P<n>{_DIGITS})\s*(?:x|×|times)\s*(?:that|this|it)\b", text, re.I
    ):
        if re.search(r"\bfloc", text[: match.start()], re.I):
            yield Quantity(
                what="times", value=number(match["n"]), begins=match.start(), ends=match.end()
            )
    for match in re.finditer(rf"\bmultipl\w+ (?:by |of |is )?(?P<n>{_DIGITS})", text, re.I):
        if re.search(r"\bfloc", text[: match.start()], re.I):
            yield Quantity(
                what="times", value=number(match["n"]), begins=match.start(), ends=match.end()
            )
    for match in re.finditer(rf"(?<!\w)[x×]\s*(?P<n>{_DIGITS})", text, re.I):
        if re.search(r"\bfloc", text[: match.start()], re.I):
            yield Quantity(
                what="times", value=number(match["n"]), begins=match.start(), ends=match.end()
            )


def _own_weights(text: str, _: System) -> Iterator[Quantity]:
    """Twice its own weight; with four times."""
    words = {"twice": 2.0, "double": 2.0, "thrice": 3.0}
    for match in _OWN_WEIGHTS.finditer(text):
        told = re.sub(r"\s*(?:times|x|×)$", "", (match["n"] or match["m"]).strip().lower())
        value = words.get(told) or number(told)
        yield Quantity(what="own_weights", value=value, begins=match.start(), ends=match.end())


def _ph(text: str, _: System) -> Iterator[Quantity]:
    for match in _PH_FIRST.finditer(text):
        high = number(match["high"]) if match["high"] else None
        yield Quantity(
            what="ph", value=number(match["n"]), begins=match.start(), ends=match.end(), high=high
        )


def _day_of(text: str, _: System) -> Iterator[Quantity]:
    for match in _DAY_OF.finditer(text):
        unit = (match["unit"] or {"d": "day"}.get(match["short"].lower(), "week")).lower()
        yield Quantity(
            what="time",
            value=1440 * _DAYS[unit] * float(match["n"]),
            begins=match.start(),
            ends=match.end(),
            unit=f"{unit} of",
        )
    for match in _ORDINAL.finditer(text):
        unit = (match["unit"] or "").lower()
        days = _DAYS.get(unit, 1)
        what: What = "time" if unit else "count"
        value = float(match["n"]) * (1440 * days if unit else 1)
        yield Quantity(
            what=what, value=value, begins=match.start(), ends=match.end(), unit=f"{unit} of"
        )


def _how_often(text: str, _: System) -> Iterator[Quantity]:
    for match in _EVERY_OTHER.finditer(text):
        days = 3 if match[1].lower() in ("third", "3rd") else 2
        yield Quantity(
            what="time", value=1440 * days, begins=match.start(), ends=match.end(), unit="every"
        )
    words = {"once": 1.0, "twice": 2.0, "three times": 3.0, "four times": 4.0}
    for match in _TIMES_A.finditer(text):
        told = (match["n"] or match["m"]).lower()
        count = words.get(told) or float(told)
        unit = (match["unit"] or match["unit2"]).lower()
        days = 7 if unit[0] == "w" else 30 if unit[0] == "m" else 1
        if count:
            yield Quantity(
                what="time",
                value=1440 * days / count,
                begins=match.start(),
                ends=match.end(),
                unit="every",
            )


def _with_unit(text: str, system: System) -> Iterator[Quantity]:
    at = 0
    while match := _WITH_UNIT.search(text, at):
        at = match.end()
        try:
            found = _of_match(match, system)
        except (CraftError, ValueError):
            found = None
        if found is None:
            at = match.end("n")
            continue
        more = _AND_A_HALF.match(text, match.end())
        if more and found.what in ("time", "volume", "mass"):
            share = number(more[1])
            at = more.end()
            found = replace(found, value=found.value * (1 + share / number(match["n"])), ends=at)
        yield found


def _of_match(match: re.Match[str], system: System) -> Quantity | None:
    value = number(match["n"])
    high = number(match["high"]) if match["high"] else None
    begins, ends = match.start(), match.end()
    spelt = match["n"].strip().lower() in NUMBER_WORDS
    if match["warm"] == "c" and value <= _MOST_CUPS:
        cups = parse_amount("1 cup", "volume", "metric" if system == "imperial" else system).base
        return Quantity(
            what="volume", value=value * cups, begins=begins, ends=ends, high=high, unit="cup"
        )
    if match["warm"]:
        return None if spelt and value <= 1 else _warm(match, value, high, system)
    if match["percent"]:
        return Quantity(what="percent", value=value, begins=begins, ends=ends, high=high, unit="%")
    if match["imcu"]:
        return Quantity(what="imcu", value=value, begins=begins, ends=ends, high=high, unit="IMCU")
    if match["baume"]:
        pct = strength(value, "baume", _BRINE_C, House()).value
        return Quantity(what="percent", value=pct, begins=begins, ends=ends, high=None, unit="°Bé")
    if match["ph"]:
        return Quantity(what="ph", value=value, begins=begins, ends=ends, high=high, unit="pH")
    if match["volume"] or match["mass"]:
        return _amount(match, value, high, system)
    if match["time"]:
        if match["time"].lower() in ("m", "s", "d", "w", "h") and spelt:
            return None
        times = _minutes_of(match["time"])
        more = None if high is None else high * times
        is_stroke = match["time"] in _STROKES
        other = ("h",) if is_stroke else ()
        return Quantity(
            what="time",
            value=value * times,
            begins=begins,
            ends=ends,
            high=more,
            unit=match["time"],
            other=other,
        )
    if match["length"]:
        times = _row(LENGTHS, match, "length")
        more = None if high is None else high * times
        return Quantity(
            what="length",
            value=value * times,
            begins=begins,
            ends=ends,
            high=more,
            unit=match["length"],
        )
    return Quantity(
        what="count", value=value, begins=begins, ends=ends, high=high, unit=match["count"]
    )


def _row(rows: tuple[tuple[str, _T], ...], match: re.Match[str], name: str) -> _T:
    """The row of the unit that a group has matched, what stands behind it looked at too."""
    begins, ends = match.span(name)
    for pattern, value in rows:
        found = re.compile(rf"(?:{pattern})(?![a-z])", re.I).match(match.string, begins)
        if found and found.end() == ends:
            return value
    raise Unknown(f"“{match[name]}” is not a unit we know.")


def _minutes_of(word: str) -> float:
    return next(minutes for pattern, minutes in TIMES if re.fullmatch(pattern, word, re.I))


def _warm(match: re.Match[str], value: float, high: float | None, system: System) -> Quantity:
    """A temperature; of bare degrees the dairy's scale, unless nobody makes cheese at that."""
    word = match["warm"].lower()
    scale = "F" if "f" in word else "C" if "c" in word.replace("deg", "") else ""
    other: tuple[str, ...] = ()
    if not scale:
        scale = "F" if system != "metric" and value >= _BARE_DEGREES_F else "C"
        if value > _MOST_C:
            scale = "F"
        other = ("°C",) if scale == "F" else ("°F",)
    more = None if high is None else to_celsius(high, scale)
    return Quantity(
        what="warm",
        value=to_celsius(value, scale),
        begins=match.start(),
        ends=match.end(),
        high=more,
        unit=f"°{scale}",
        other=other,
    )


def _amount(
    match: re.Match[str], value: float, high: float | None, system: System
) -> Quantity | None:
    word = match["volume"] or match["mass"]
    what: Literal["volume", "mass"] = "volume" if match["volume"] else "mass"
    rows = VOLUMES if match["volume"] else MASSES
    # T is a tablespoon and t a teaspoon: the only place where case is told apart
    key = {"T": "tbsp", "t": "tsp"}.get(word) or _row(rows, match, what)
    times = {"cL": 0.01, "dL": 0.1, "mg": 1e-6, "cwt": 50.80234544}.get(key)
    other: tuple[str, ...] = ()
    if times is None:
        use: System = system
        if key in ("gal", "qt", "pt", "fl oz"):
            use = "us" if system == "metric" else system
            other = ("imperial",) if use == "us" else ("US",)
        elif key == "oz":
            other = ("fluid",)
        elif key == "cup":
            use = "metric" if system == "imperial" else system
            other = ("US",) if use == "metric" else ("metric",)
        times = parse_amount(f"1 {key}", what, use).base
    more = None if high is None else high * times
    return Quantity(
        what=what,
        value=value * times,
        begins=match.start(),
        ends=match.end(),
        high=more,
        unit=word,
        other=other,
    )


def _named(text: str, _: System) -> Iterator[Quantity]:
    """A length that is one word, a cut by the name of a seed, a pinch."""
    for match in _OVERNIGHT.finditer(text):
        yield Quantity(
            what="time",
            value=OVERNIGHT_MIN,
            begins=match.start(),
            ends=match.end(),
            unit="overnight",
        )
    if re.search(r"\bcut|\bsiz|\bbreak|\bgrain", text, re.I):
        for match in _SIZE.finditer(text):
            size = next(mm for p, mm in SIZES if re.fullmatch(p, match[0], re.I))
            yield Quantity(
                what="length", value=size, begins=match.start(), ends=match.end(), unit="by name"
            )
    for match in _SMALL.finditer(text):
        ml = next(ml for word, ml in SMALL_ML.items() if word in match[0].lower())
        told = re.match(r"\s*(an?|one|two|\d+)\b", match[0], re.I)
        count = number(told[1]) if told else 1.0
        yield Quantity(
            what="volume",
            value=count * ml / 1000,
            begins=match.start(),
            ends=match.end(),
            unit="pinch",
        )


def _bare(text: str, _: System) -> Iterator[Quantity]:
    for match in _BARE_WORDS.finditer(text):
        yield Quantity(
            what="bare", value=number(match["n"]), begins=match.start("n"), ends=match.end("n")
        )
    for match in _BARE.finditer(text):
        try:
            value = number(match["n"])
            high = number(match["high"]) if match["high"] else None
        except ValueError:
            continue
        yield Quantity(what="bare", value=value, begins=match.start(), ends=match.end(), high=high)


def _ratios(text: str, those: list[Quantity], system: System) -> Iterator[Quantity]:
    """5 g/100 L, 2° per 5', 1/4 tsp per gallon, 10 h per kg: one quantity for each of another."""
    skip = False
    for number_of, each in enumerate(those):
        if skip:
            skip = False
            continue
        after = those[number_of + 1] if number_of + 1 < len(those) else None
        between = text[each.ends : after.begins] if after else ""
        if (
            after
            and each.what in ("mass", "volume")
            and after.what == "volume"
            and _PER_LATER.fullmatch(between)
        ):
            yield replace(each, per=after)
            yield replace(after, what="count", unit="per")
            skip = True
            continue
        if after and _is_per(each, after, between):
            what: What = "rise" if each.what == "warm" else each.what
            yield replace(each, what=what, value=_rise(each, system), ends=after.ends, per=after)
            skip = True
            continue
        match = re.compile(
            rf"\s*(?:/|per\b|for (?:each|every)\b)\s*(?:an?\s+)?({_any(MASSES)}|"
            rf"{_any(VOLUMES)})(?![a-z])",
            re.I,
        ).match(text, each.ends)
        if match and each.what in ("mass", "volume", "time", "count"):
            one = quantities(f"1 {match[1]}", "us" if "gal" in match[1] else "metric")
            yield replace(each, ends=match.end(), per=one[0]) if one else each
            continue
        behind = _THING_PER.match(text, each.ends)
        if behind and each.what in ("mass", "volume", "count"):
            one = quantities(f"1 {behind[1]}", system)
            yield replace(each, per=one[0]) if one else each
            continue
        yield each


# 5 drops of rennet/gal, a thing between the amount and what it is for.
_THING_PER = re.compile(
    r"\s+(?:of\s+)?[a-z][a-z ]{0,25}?(?:/|\s(?:per|to the|to each|to every)\s)(?:an?\s+)?"
    rf"({_any(VOLUMES)}|{_any(MASSES)})(?![a-z])",
    re.I,
)


def _is_per(each: Quantity, after: Quantity, between: str) -> bool:
    if not _PER.fullmatch(between) or after.what not in ("volume", "mass", "time"):
        return False
    if each.what == "warm":
        small = each.value <= _MOST_RISE or (each.unit == "°F" and each.value < 0)
        return (
            small
            and after.what == "time"
            and between.strip().lower() in ("/", "per", "every", "each")
        )
    if between.strip().lower().startswith("to"):
        return each.what == after.what == "mass" and after.value > each.value
    if between.strip().lower() in ("every", "each"):
        return False
    if "for" in between.lower():
        return each.what in ("mass", "volume") and after.what == "volume" and after.value >= 1
    return each.what in ("mass", "volume", "count") and between.strip().lower() != "a"


def _rise(each: Quantity, system: System) -> float:
    """°C of a rise: of a point in °F its own degrees are wanted back."""
    if each.what != "warm":
        return each.value
    if each.unit == "°F":
        return (each.value * 9 / 5 + 32) * 5 / 9
    return each.value * 5 / 9 if each.other and system != "metric" else each.value


# In this order: what is longer or surer first.
_FINDERS = (
    _clock,
    _lists,
    _one_to,
    _flocks,
    _own_weights,
    _ph,
    _day_of,
    _how_often,
    _with_unit,
    _named,
    _bare,
)
