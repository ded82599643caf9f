"""Lengths of time and amounts of a product, as people type them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.doses.spoons import in_its_unit
from openpail.craft.errors import Ambiguous, CraftError, OutOfRange, Unknown
from openpail.craft.stock.products import Product
from openpail.craft.units import parse_minutes
from tests.support import HOUSE

RENNET = Product(kind="rennet", name="rennet", strength=200)
TABLET = Product(kind="rennet", name="tablets", strength=100, form="tablet")
CULTURE = Product(kind="culture", name="culture", form="freeze-dried")
HERB = Product(kind="herb", name="thyme")
SALT = Product(kind="salt", name="coarse salt", sort="coarse")


@pytest.mark.parametrize(
    ("text", "minutes"),
    [
        ("45", 45),
        ("45 min", 45),
        ("1 h 20", 80),
        ("1h20min", 80),
        ("1 1/2 hours", 90),
        ("½ h", 30),
        ("1,5 h", 90),
        ("1 hour and 10 minutes", 70),
        ("2 d 4", 3120),
        ("10 days", 14_400),
        ("3 weeks", 30_240),
        ("2 months", 86_400),
        (" 0 ", 0),
    ],
)
def test_a_length_of_time_is_read_as_people_write_it(text, minutes):
    assert parse_minutes(text) == minutes


def test_a_bare_number_counts_what_the_field_asks_for():
    assert parse_minutes("7", "d") == 7 * 1440
    assert parse_minutes("2", "h") == 120
    assert parse_minutes("7 h", "d") == 420


@pytest.mark.parametrize(
    ("text", "kind", "words"),
    [
        ("", Unknown, "Nothing is written"),
        ("soon", Unknown, "like 45 min"),
        ("5 min 3", Unknown, "second number"),
        ("min", Unknown, "not a length"),
        ("-4 h", OutOfRange, "less than nothing"),
        ("1,500 min", Ambiguous, "1500 or 1.5"),
        ("9" * 40, OutOfRange, "more than anybody has"),
        ("5 min x", Unknown, "not a length"),
    ],
)
def test_what_is_no_length_of_time_says_so(text, kind, words):
    with pytest.raises(kind, match=words):
        parse_minutes(text)


@given(st.integers(0, 60), st.integers(0, 59))
def test_hours_and_minutes_add_up_in_every_spelling(hours, minutes):
    for text in (f"{hours} h {minutes}", f"{hours}h{minutes}min", f"{hours} hours, {minutes} min"):
        assert parse_minutes(text) == 60 * hours + minutes


@pytest.mark.parametrize(
    ("text", "bottle", "amount"),
    [
        ("5 mL", RENNET, 5),
        ("5", RENNET, 5),
        ("1 tsp", RENNET, 5),
        ("1/2 tbsp", RENNET, 7.5),
        ("40 drops", RENNET, 2),
        ("2 tablets", TABLET, 2),
        ("1/2", TABLET, 0.5),
        ("0.6 g", CULTURE, 0.6),
        ("0,6", CULTURE, 0.6),
        ("1 oz", SALT, 28.349523125),
        ("1/8 tsp", CULTURE, HOUSE.number("measure.culture") / 8 * 5 / 4.92892159375),
        ("1 tsp", SALT, HOUSE.number("measure.coarse_salt") * 5 / 4.92892159375),
    ],
)
def test_an_amount_comes_to_the_unit_its_doses_are_in(text, bottle, amount):
    assert in_its_unit(text, bottle, HOUSE) == pytest.approx(amount, rel=1e-6)


@pytest.mark.parametrize(
    ("text", "bottle", "words"),
    [
        ("5 g", RENNET, "by volume"),
        ("1 tsp", HERB, "nobody knows its spoon"),
        ("a pinch", CULTURE, "not an amount"),
        ("1 pt", RENNET, "whose pt"),
        ("x", TABLET, "number"),
        ("-2 mL", RENNET, "less than nothing"),
        ("", CULTURE, "Nothing is written"),
    ],
)
def test_an_amount_that_cannot_be_says_what_would(text, bottle, words):
    with pytest.raises(CraftError, match=words):
        in_its_unit(text, bottle, HOUSE)
