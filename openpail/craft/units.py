"""Units of the dairy, and the one way in for amounts typed as text.

Every conversion stands on the exact definitions in `UNITS`. The maker's own system (metric, US,
imperial) settles what a bare "gal" or "pint" means; it is never guessed.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from math import floor
from typing import Literal, NamedTuple

from openpail.craft.errors import Ambiguous, OutOfRange, Unknown, WhoseUnit

HAIR = 1e-9  # figures less apart than this are the same figure: the rest is rounding

System = Literal["metric", "us", "imperial"]
Dimension = Literal["volume", "mass", "temperature", "length"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Unit:
    """A unit: its key, what it measures, how many of the base (L, kg, °C, cm) it is, its sign."""

    key: str
    dimension: Dimension
    in_base: float
    sign: str


NO_JARS: Mapping[str, float] = {}
_US_GALLON = 3.785411784
_IMPERIAL_GALLON = 4.54609
_POUND = 0.45359237
_HOURS_FROM_MIN, _DAYS_FROM_MIN, _DAY_MIN = 90, 4320, 1440
_WHOLE_FROM, _TENTHS_FROM = 100, 10
_INCH_CM = 2.54

UNITS: dict[str, Unit] = {
    unit.key: unit
    for unit in (
        Unit(key="L", dimension="volume", in_base=1.0, sign="L"),
        Unit(key="mL", dimension="volume", in_base=0.001, sign="mL"),
        Unit(key="us_gal", dimension="volume", in_base=_US_GALLON, sign="US gal"),
        Unit(key="us_qt", dimension="volume", in_base=_US_GALLON / 4, sign="US qt"),
        Unit(key="us_pt", dimension="volume", in_base=_US_GALLON / 8, sign="US pt"),
        Unit(key="us_cup", dimension="volume", in_base=_US_GALLON / 16, sign="US cup"),
        Unit(key="us_floz", dimension="volume", in_base=_US_GALLON / 128, sign="US fl oz"),
        Unit(key="us_tbsp", dimension="volume", in_base=3 * 0.00492892159375, sign="tbsp"),
        Unit(key="us_tsp", dimension="volume", in_base=0.00492892159375, sign="tsp"),
        Unit(key="imp_gal", dimension="volume", in_base=_IMPERIAL_GALLON, sign="imp gal"),
        Unit(key="imp_qt", dimension="volume", in_base=_IMPERIAL_GALLON / 4, sign="imp qt"),
        Unit(key="imp_pt", dimension="volume", in_base=_IMPERIAL_GALLON / 8, sign="imp pt"),
        Unit(key="imp_floz", dimension="volume", in_base=_IMPERIAL_GALLON / 160, sign="imp fl oz"),
        Unit(key="metric_cup", dimension="volume", in_base=0.25, sign="metric cup"),
        Unit(key="metric_tbsp", dimension="volume", in_base=0.015, sign="metric tbsp"),
        Unit(key="metric_tsp", dimension="volume", in_base=0.005, sign="metric tsp"),
        Unit(key="drop", dimension="volume", in_base=0.00005, sign="drop"),
        Unit(key="kg", dimension="mass", in_base=1.0, sign="kg"),
        Unit(key="g", dimension="mass", in_base=0.001, sign="g"),
        Unit(key="lb", dimension="mass", in_base=_POUND, sign="lb"),
        Unit(key="oz", dimension="mass", in_base=_POUND / 16, sign="oz"),
        Unit(key="C", dimension="temperature", in_base=1.0, sign="°C"),
        Unit(key="F", dimension="temperature", in_base=5 / 9, sign="°F"),
        Unit(key="cm", dimension="length", in_base=1.0, sign="cm"),
        Unit(key="mm", dimension="length", in_base=0.1, sign="mm"),
        Unit(key="in", dimension="length", in_base=_INCH_CM, sign="in"),
    )
}

TEASPOON_ML = UNITS["us_tsp"].in_base * 1000

_WORDS: dict[str, str] = {
    "l": "L",
    "lt": "L",
    "ltr": "L",
    "liter": "L",
    "liters": "L",
    "litre": "L",
    "litres": "L",
    "ml": "mL",
    "millilitre": "mL",
    "millilitres": "mL",
    "milliliter": "mL",
    "milliliters": "mL",
    "kg": "kg",
    "kgs": "kg",
    "kilo": "kg",
    "kilos": "kg",
    "kilogram": "kg",
    "kilograms": "kg",
    "g": "g",
    "gr": "g",
    "gram": "g",
    "grams": "g",
    "gramme": "g",
    "grammes": "g",
    "lb": "lb",
    "lbs": "lb",
    "pound": "lb",
    "pounds": "lb",
    "oz": "oz",
    "ounce": "oz",
    "ounces": "oz",
    "us gal": "us_gal",
    "us gallon": "us_gal",
    "us gallons": "us_gal",
    "us qt": "us_qt",
    "us quart": "us_qt",
    "us quarts": "us_qt",
    "us pt": "us_pt",
    "us pint": "us_pt",
    "us pints": "us_pt",
    "us cup": "us_cup",
    "us cups": "us_cup",
    "us fl oz": "us_floz",
    "us tbsp": "us_tbsp",
    "us tsp": "us_tsp",
    "imp gal": "imp_gal",
    "imperial gallon": "imp_gal",
    "imperial gallons": "imp_gal",
    "imp qt": "imp_qt",
    "imp pt": "imp_pt",
    "imperial pint": "imp_pt",
    "imperial pints": "imp_pt",
    "imp fl oz": "imp_floz",
    "metric cup": "metric_cup",
    "metric cups": "metric_cup",
    "metric tbsp": "metric_tbsp",
    "metric tsp": "metric_tsp",
    "drop": "drop",
    "drops": "drop",
    "c": "C",
    "°c": "C",
    "celsius": "C",
    "f": "F",
    "°f": "F",
    "fahrenheit": "F",
    "cm": "cm",
    "centimetre": "cm",
    "centimetres": "cm",
    "centimeters": "cm",
    "mm": "mm",
    "millimetre": "mm",
    "millimetres": "mm",
    "in": "in",
    "inch": "in",
    "inches": "in",
    '"': "in",
    "″": "in",
}

_BY_SYSTEM: dict[str, dict[System, str]] = {
    word: {"us": f"us_{key}", "imperial": f"imp_{key}"}
    for key, words in {
        "gal": ("gal", "gallon", "gallons"),
        "qt": ("qt", "quart", "quarts"),
        "pt": ("pt", "pint", "pints"),
        "floz": ("fl oz", "floz", "fluid ounce", "fluid ounces"),
    }.items()
    for word in words
}
_SPOONS: dict[str, dict[System, str]] = {
    "cup": {"metric": "metric_cup", "us": "us_cup"},
    "tbsp": {"metric": "metric_tbsp", "us": "us_tbsp", "imperial": "metric_tbsp"},
    "tsp": {"metric": "metric_tsp", "us": "us_tsp", "imperial": "metric_tsp"},
}
for _key, _names in {
    "cup": ("cup", "cups"),
    "tbsp": ("tbsp", "tablespoon", "tablespoons"),
    "tsp": ("tsp", "teaspoon", "teaspoons"),
}.items():
    for _name in _names:
        _BY_SYSTEM[_name] = _SPOONS[_key]

_VULGAR = {
    "½": "1/2",
    "⅓": "1/3",
    "⅔": "2/3",
    "¼": "1/4",
    "¾": "3/4",
    "⅕": "1/5",
    "⅖": "2/5",
    "⅗": "3/5",
    "⅘": "4/5",
    "⅙": "1/6",
    "⅚": "5/6",
    "⅛": "1/8",
    "⅜": "3/8",
    "⅝": "5/8",
    "⅞": "7/8",
    "⅒": "1/10",
}

_NUMBER = r"[+-]?(?:\d+\s+\d+\s*/\s*\d+|\d+\s*/\s*\d+|\d*[.,]\d+|\d+)"
_LONGEST_NUMBER = 24
_LONGEST_AMOUNT = 120
_PIECES = re.compile(r"(\d{1,4})\s*[x×*]\s*(.+)", re.IGNORECASE)  # 22 × 150 g
_PART = re.compile(rf"\s*({_NUMBER})\s*([^\d+,.;/-]*?)\s*(?=$|[\d+,;]|-\d)\s*[,;+]?")


@dataclass(frozen=True, slots=True)
class Amount:
    """What was typed and what it is: `value` in `unit`, and the same in the base unit."""

    text: str
    value: float
    unit: Unit

    @property
    def base(self) -> float:
        """The amount in L, kg, °C or cm."""
        if self.unit.dimension == "temperature":
            return to_celsius(self.value, self.unit.key)
        return self.value * self.unit.in_base


def convert(value: float, unit_from: str, unit_to: str) -> float:
    """Turn a volume, a mass or a length from one unit to another of the same kind.

    Parameters: value, any; unit_from and unit_to, keys of `UNITS` other than C and F.
    Returns: the value in unit_to.
    Raises: Unknown for a unit not listed, or two that do not measure the same.
    Source: exact definitions (NIST Handbook 44; UK Weights and Measures Act 1985).
    """
    a, b = unit(unit_from), unit(unit_to)
    if a.dimension != b.dimension or a.dimension == "temperature":
        raise Unknown(f"{a.sign} cannot be turned into {b.sign}.")
    return value * a.in_base / b.in_base


def unit(key: str) -> Unit:
    """The unit of that key. Raises Unknown."""
    try:
        return UNITS[key]
    except KeyError:
        raise Unknown(f"“{key}” is not a unit we know.") from None


def to_celsius(value: float, key: str) -> float:
    """A temperature in another scale, in °C (a point, not a rise).

    Parameters: value; key of its scale, C or F. Source: exact definition.
    """
    return (value - 32) * 5 / 9 if key == "F" else value


def from_celsius(celsius: float, key: str) -> float:
    """A temperature in °C, in another scale (a point, not a rise).

    Parameters: celsius; key, C or F. Source: exact definition.
    """
    return celsius * 9 / 5 + 32 if key == "F" else celsius


def parse_number(text: str) -> float:
    """A number as people write it: 2.5, 2,5, 1 1/2, ⅜, 1½.

    Parameters: text, without a unit.
    Returns: the number.
    Raises: Ambiguous for a comma before exactly three digits ("1,500" is 1500 or 1.5);
    Unknown for anything that is not one number.
    Source: derivation.
    """
    plain = _spell_fractions(text)
    if not re.fullmatch(_NUMBER, plain):
        raise Unknown(f"“{text.strip()}” is not a number. Write it like 21.5 or 1 1/2.")
    return _number(plain, text.strip())


def parse_amount(
    text: str,
    dimension: Dimension,
    system: System = "metric",
    default: str = "",
    own: Mapping[str, float] = NO_JARS,
) -> Amount:
    """Read an amount as typed: "3 gal 1 qt", "86 F", "1/8 tsp", "2,5 kg", "22 × 150 g".

    Parameters: text; the dimension wanted; the dairy's system, for bare gallons and spoons;
    default, the unit key meant by a bare number ("" refuses a bare number); own, the dairy's
    own jars and buckets, L by name ("4 big jars").
    Returns: the amount; parts of a compound are summed in the first part's unit.
    Raises: Unknown for nonsense, a missing or foreign unit; Ambiguous as `parse_number`, and for
    a bare gallon, quart or pint in a metric dairy; OutOfRange for a negative volume or mass.
    Source: derivation.
    """
    shown = text.strip()
    if not shown:
        raise Unknown("Nothing is written here yet.")
    count, one = counted_pieces(shown)
    if one != shown:
        each = parse_amount(one, dimension, system, default, own)
        if dimension == "temperature":
            raise Unknown(f"“{shown}” is not an amount. {_example(dimension)}")
        return Amount(shown, count * each.value, each.unit)
    parts = _parts(_spell_fractions(shown), shown, _Read(dimension, system, own), default)
    first = parts[0][1]
    if dimension == "temperature":
        if len(parts) > 1:
            raise Unknown(f"“{shown}” has more than one temperature in it.")
        return Amount(shown, parts[0][0], first)
    if len(parts) > 1 and any(
        later.in_base >= earlier.in_base for (_, earlier), (_, later) in itertools.pairwise(parts)
    ):
        if len({part for _, part in parts}) < len(parts):
            raise Unknown(f"“{shown}” is more than one amount: write one of them here.")
        raise Unknown(f"“{shown}”: write the larger unit first, like 3 gal 1 qt.")
    total = sum(value * part.in_base for value, part in parts)
    if any(value < 0 for value, _ in parts):
        raise OutOfRange(f"“{shown}” is less than nothing. Write how much there is.")
    return Amount(shown, total / first.in_base, first)


def counted_pieces(text: str) -> tuple[int, str]:
    """How many of what: 22 and “150 g” of “22 × 150 g”, 1 and the text where nothing is counted.

    Parameters: text, as typed. Source: derivation.
    """
    pieces = _PIECES.fullmatch(text.strip()) if len(text) <= _LONGEST_AMOUNT else None
    return (int(pieces[1]), pieces[2]) if pieces else (1, text)


def check_scale(amount: Amount, likely_c: tuple[float, float]) -> None:
    """Ask of which scale a temperature is that was typed bare, when it is likely on the other only.

    Parameters: amount, a temperature as it was read; likely_c, the lowest and the highest °C that
    may be looked for here. Returns: nothing where a scale was written, or it is likely, or neither.
    Raises: Ambiguous with both readings. Source: derivation.
    """
    low, high = likely_c
    other = "C" if amount.unit.key == "F" else "F"
    if not re.fullmatch(_NUMBER, _spell_fractions(amount.text)) or low <= amount.base <= high:
        return
    if low <= to_celsius(amount.value, other) <= high:
        mine, theirs = (f"{amount.text.strip()} {key}" for key in (amount.unit.key, other))
        raise Ambiguous(
            f"“{amount.text.strip()}” in °{amount.unit.key} is far from what is looked for here; "
            f"in °{other} it is not. Write {theirs}, or {mine} if it is so.",
            (theirs, mine),
        )


_LENGTHS = {"min": 1.0, "h": 60.0, "d": 1440.0, "w": 10080.0}
_LENGTH = re.compile(
    rf"({_NUMBER})\s*(minutes?|mins?|hours?|hrs?|h|days?|d|weeks?|wks?|w|months?|m)?(?![a-z])\s*(?:and\b|,)?\s*"
)


def parse_minutes(text: str, default: str = "min") -> float:
    """Read a length of time as typed: "45", "1 h 20", "1 1/2 hours", "10 days", "2 months".

    Parameters: text; default, what a bare first number means (min, h, d or w). After hours a
    bare number is minutes, after days hours; a month is 30 days.
    Returns: minutes. Raises: Unknown, Ambiguous as `parse_number`, OutOfRange under 0.
    Source: derivation.
    """
    shown = text.strip()
    plain, at, total, before = _spell_fractions(shown).lower(), 0, 0.0, ""
    while at < len(plain):
        match = _LENGTH.match(plain, at)
        if not match:
            raise Unknown(f"“{shown}” is not a length of time. Write it like 45 min or 1 h 20.")
        word = match[2] or {"": default, "h": "min", "d": "h"}.get(before, "?")
        if word == "?":
            raise Unknown(f"“{shown}”: say what the second number counts.")
        in_months = word.startswith("month")
        unit = "min" if word in ("min", "m") or word[:3] == "min" else word[0]
        total += _number(match[1], shown) * (43_200.0 if in_months else _LENGTHS[unit])
        before, at = unit, match.end()
    if not plain:
        raise Unknown("Nothing is written here yet.")
    if total < 0:
        raise OutOfRange(f"“{shown}” is less than nothing.")
    return total


def _spell_fractions(text: str) -> str:
    """The text with single blanks and plain fractions: only then is it looked at for parts, which
    takes long over many blanks."""
    if len(text) > _LONGEST_AMOUNT:
        raise OutOfRange(f"“{text[:20].strip()}…” is too long for an amount.")
    plain = " ".join(text.split()).replace("−", "-").replace("\u00a0", " ").replace("⁄", "/")
    for sign, spelt in _VULGAR.items():
        plain = plain.replace(sign, f" {spelt}")
    return plain.strip()


def _number(plain: str, shown: str) -> float:
    thousand = re.fullmatch(r"([+-]?\d{1,3}),(\d{3})", plain)
    if thousand and thousand[1].lstrip("+-") != "0":
        a, b = thousand[1] + thousand[2], f"{thousand[1]}.{thousand[2]}"
        raise Ambiguous(f"“{shown}” could be {a} or {b}. Write {a} or {b}.", (a, b))
    if len(plain) > _LONGEST_NUMBER:
        raise OutOfRange(f"“{shown[:20]}…” is more than anybody has.")
    if "/" not in plain:
        return float(plain.replace(",", "."))
    try:
        return float(sum(Fraction(part.replace(" ", "")) for part in _fraction_parts(plain)))
    except ZeroDivisionError:
        raise Unknown(f"“{shown}” divides by nothing.") from None


def _fraction_parts(plain: str) -> list[str]:
    whole = re.fullmatch(r"([+-]?)(\d+)\s+(\d+\s*/\s*\d+)", plain)
    return [whole[1] + whole[2], whole[1] + whole[3]] if whole else [plain]


class _Read(NamedTuple):
    """How a text is read: what it measures, the dairy's system, and its own jars."""

    dimension: Dimension
    system: System
    own: Mapping[str, float]


def _parts(plain: str, shown: str, read: _Read, default: str) -> list[tuple[float, Unit]]:
    dimension = read.dimension
    parts: list[tuple[float, Unit]] = []
    at = 0
    while at < len(plain):
        match = _PART.match(plain, at)
        if not match or match.end() == at:
            raise Unknown(f"“{shown}” is not an amount. {_example(dimension)}")
        word = match[2].strip().rstrip(".").lower()
        if word:
            found = _unit_of(word, read, shown)
        elif default and not parts:
            found = UNITS[default]
        else:
            raise Unknown(f"“{shown}” needs a unit. {_example(dimension)}")
        parts.append((_number(match[1].strip(), shown), found))
        at = match.end()
    return parts


def so_long(minutes: float) -> str:
    """A length of time as people say it: 12 min, 1 h 10, from three days on 10 days.

    Parameters: minutes. Source: derivation.
    """
    whole = floor(minutes + 0.5)
    if whole >= _DAYS_FROM_MIN:
        return so_many(floor(minutes / _DAY_MIN + 0.5), "day")
    if whole < _HOURS_FROM_MIN:
        return f"{whole} min"
    return f"{whole // 60} h {whole % 60:02d}" if whole % 60 else f"{whole // 60} h"


def so_much(value: float, unit: str) -> str:
    """An amount that is given, no finer than it is measured: 54.8 g, 0.40 mL, 134 mL.

    Parameters: value, 0 or more; unit. Source: derivation.
    """
    decimals = 0 if value >= _WHOLE_FROM else 1 if value >= _TENTHS_FROM else 2
    return f"{value:.{decimals}f} {unit}"


def so_large(count: float) -> str:
    """A large count, by its thousands: 1 700 000. Parameters: count. Source: derivation."""
    return f"{count:,.0f}".replace(",", " ")


def so_many(number: float, what: str) -> str:
    """So many of a thing: 1 day, 2 days.

    Parameters: number; what, one of it. Source: derivation.
    """
    return f"{number:g} {what}{'' if number == 1 else 's'}"


def is_unit_word(word: str) -> bool:
    """Whether a word is a unit that everybody has, in any system. Source: derivation."""
    return word.lower() in _WORDS or word.lower() in _BY_SYSTEM


def _unit_of(word: str, read: _Read, shown: str) -> Unit:
    word, dimension = re.sub(r"\s+", " ", word), read.dimension
    jar = next((name for name in (word, word.removesuffix("s")) if name in read.own), None)
    if jar:
        found = Unit(key=f"own:{jar}", dimension="volume", in_base=read.own[jar], sign=jar)
    elif word in _BY_SYSTEM:
        choices = _BY_SYSTEM[word]
        if read.system not in choices:
            readings = tuple(dict.fromkeys(UNITS[key].sign for key in choices.values()))
            raise WhoseUnit(f"“{shown}”: whose {word}? Write {' or '.join(readings)}.", readings)
        found = UNITS[choices[read.system]]
    elif word in _WORDS:
        found = UNITS[_WORDS[word]]
    else:
        raise Unknown(f"“{shown}”: “{word}” is not a unit we know. {_example(dimension)}")
    if found.dimension != dimension:
        raise Unknown(f"“{shown}” is a {found.dimension}. {_example(dimension)}")
    return found


def _example(dimension: Dimension) -> str:
    return {
        "volume": "Write it like 21.5 L or 3 gal 1 qt.",
        "mass": "Write it like 2.4 kg or 1 lb 13 oz.",
        "temperature": "Write it like 20 °C or 68 F.",
        "length": "Write it like 33 cm or 13 in.",
    }[dimension]
