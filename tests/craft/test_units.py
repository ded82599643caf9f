"""The one way in for amounts."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.errors import Ambiguous, OutOfRange, Unknown
from openpail.craft.units import (
    UNITS,
    convert,
    from_celsius,
    parse_amount,
    parse_number,
    to_celsius,
)


@pytest.mark.parametrize(
    ("text", "dimension", "system", "expected"),
    [
        ("3 gal 1 qt", "volume", "us", 12.302588298),
        ("3 gal 1 qt", "volume", "imperial", 14.7747925),
        ("21.5", "volume", "metric", 21.5),
        ("2,5 kg", "mass", "metric", 2.5),
        ("1 lb 13 oz", "mass", "metric", 0.82213617),
        ("⅛ tsp", "volume", "us", 0.000616115199),
        ("1 1/2 L", "volume", "metric", 1.5),
        ("1½ L", "volume", "metric", 1.5),
        ("86 F", "temperature", "us", 30.0),
        ("−2 °C", "temperature", "metric", -2.0),
        ("4 L + 200 mL", "volume", "metric", 4.2),
    ],
)
def test_amounts_are_read_as_people_write_them(text, dimension, system, expected):
    default = {"volume": "L", "mass": "kg", "temperature": "C"}[dimension]
    assert parse_amount(text, dimension, system, default).base == pytest.approx(expected)


@pytest.mark.parametrize(
    ("text", "error", "words"),
    [
        ("lots", Unknown, "is not an amount"),
        ("-3", OutOfRange, "less than nothing"),
        ("1,500 mL", Ambiguous, "could be 1500 or 1.500"),
        ("5 gal", Ambiguous, "US gal or imp gal"),
        ("2 lb", Unknown, "is a mass"),
        ("5 furlongs", Unknown, "is not a unit we know"),
        ("1 qt 3 gal", Ambiguous, "whose qt"),
        ("200 mL 1 L", Unknown, "the larger unit first"),
        ("200 mL 200 mL", Unknown, "is more than one amount: write one of them here"),
        ("1/0 L", Unknown, "divides by nothing"),
        ("", Unknown, "Nothing is written"),
    ],
)
def test_what_cannot_be_read_is_refused_in_words(text, error, words):
    with pytest.raises(error, match=words):
        parse_amount(text, "volume", "metric", "L")


@given(st.text(max_size=24))
def test_no_text_ever_breaks_the_parser(text):
    try:
        amount = parse_amount(text, "volume", "us", "L")
    except (Unknown, Ambiguous, OutOfRange):
        return
    assert amount.base >= 0


_SIZED = [key for key, unit in UNITS.items() if unit.dimension != "temperature"]


@given(st.floats(1e-6, 1e6), st.sampled_from(_SIZED), st.sampled_from(_SIZED))
def test_a_conversion_there_and_back_is_the_identity(value, a, b):
    if UNITS[a].dimension != UNITS[b].dimension:
        with pytest.raises(Unknown, match="cannot be turned"):
            convert(value, a, b)
    else:
        assert convert(convert(value, a, b), b, a) == pytest.approx(value, rel=1e-12)


@given(st.floats(-40, 120))
def test_fahrenheit_there_and_back(celsius):
    assert to_celsius(from_celsius(celsius, "F"), "F") == pytest.approx(celsius, abs=1e-9)


@given(st.decimals(0, 999, places=2))
def test_a_decimal_comma_is_a_decimal_point(number):
    assert parse_number(str(number).replace(".", ",")) == float(number)
