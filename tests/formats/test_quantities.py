"""Quantities as people write them: what each is, in one unit, and where in its line it stands."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.formats.written.clauses import clauses
from openpail.formats.written.quantities import number, quantities


def read(text, system="metric"):
    return [(each.what, *each.values) for each in quantities(text, system)]


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("2.5", 2.5),
        ("2,5", 2.5),
        (".5", 0.5),
        ("1/8", 0.125),
        ("1 1/2", 1.5),
        ("1-1/2", 1.5),
        ("1½", 1.5),
        ("⅔", 2 / 3),
        ("half a", 0.5),
        ("a couple of", 2),
        ("three quarters of an", 0.75),
        ("thirty-two", 32),
        ("forty five", 45),
        ("twelve", 12),
        ("one and a half", 1.5),
    ],
)
def test_a_number_is_read_in_digits_fractions_and_words(text, value):
    assert number(text) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "found"),
    [
        # times
        ("15'", [("time", 15)]),
        ("15 mins", [("time", 15)]),
        ("1 hr", [("time", 60)]),
        ("1 h 10", [("time", 70)]),
        ("1 h 10 min", [("time", 70)]),
        ("an hour and a half", [("time", 90)]),
        ("half an hour", [("time", 30)]),
        ("three quarters of an hour", [("time", 45)]),
        ("eighteen to twenty hours", [("time", 1080, 1200)]),
        ("30 seconds", [("time", 0.5)]),
        ("overnight", [("time", 720)]),
        ("2-3 days", [("time", 2880, 4320)]),
        ("60+ days", [("time", 86400)]),
        ("3 wk", [("time", 30240)]),
        ("5 mo", [("time", 216000)]),
        ("1, 3 and 8 hours", [("time", 60), ("time", 180), ("time", 480)]),
        ("on day 20", [("time", 28800)]),
        ("at week 10", [("time", 100800)]),
        ("1st week", [("time", 10080)]),
        ("2x week", [("time", 5040)]),
        ("twice a week", [("time", 5040)]),
        ("2x/wk", [("time", 5040)]),
        # warmth
        ("32°", [("warm", 32)]),
        ("31,5 °C", [("warm", 31.5)]),
        ("86F", [("warm", 30)]),
        ("88 degrees F", [("warm", 280 / 9)]),
        ("50-55F", [("warm", 10, 115 / 9)]),
        ("12 to 14 degrees", [("warm", 12, 14)]),
        ("from 31 to 38 C", [("warm", 31, 38)]),
        ("30C", [("warm", 30)]),
        # amounts
        ("20 L", [("volume", 20)]),
        ("250 ml", [("volume", 0.25)]),
        ("2 dl", [("volume", 0.2)]),
        ("10 drops", [("volume", 0.0005)]),
        ("1 lb 13 oz", [("mass", 29 * 0.028349523125)]),
        ("1 kg 200 g", [("mass", 1.2)]),
        ("0.8 gr", [("mass", 0.0008)]),
        ("1 cwt", [("mass", 50.80234544)]),
        ("2 packets", [("count", 2)]),
        ("1/2 rennet tablet", [("count", 0.5)]),
        # the rest
        ('1/2"', [("length", 12.7)]),
        ("2,5cm", [("length", 25)]),
        ("cut to walnuts", [("length", 25)]),
        ("19 %", [("percent", 19)]),
        ("8 percent", [("percent", 8)]),
        ("80-85%", [("percent", 80, 85)]),
        ("pH 5,3", [("ph", 5.3)]),
        ("6.50 pH", [("ph", 6.5)]),
        ("the pH is about 4.6", [("ph", 4.6)]),
        ("200 IMCU/mL", [("imcu", 200)]),
        ("1:15 000", [("one_to", 15000)]),
        ("1:15k", [("one_to", 15000)]),
        ("floc x 3", [("times", 3)]),
        ("3 times the flocks", [("times", 3)]),
        ("7:30 cut", [("clock", 450)]),
        ("2 gallons (7.5 L)", [("volume", 2 * 3.785411784)]),
        ("20 lb (9 kg)", [("mass", 20 * 0.45359237)]),
        ("11°/85 %", [("warm", 11), ("percent", 85)]),
    ],
)
def test_a_quantity_is_read_in_its_unit(text, found):
    assert read(text) == [(what, *map(pytest.approx, values)) for what, *values in found]


@pytest.mark.parametrize(
    ("text", "us", "imperial", "metric"),
    [
        ("1 gal", 3.7854, 4.5461, 3.7854),
        ("1 qt", 0.94635, 1.13652, 0.94635),
        ("1 pt", 0.47318, 0.56826, 0.47318),
        ("1 cup", 0.23659, 0.25, 0.25),
        ("1/4 c. water", 0.05915, 0.0625, 0.0625),
        ("1 Tbsp", 0.014787, 0.015, 0.015),
        ("1 T", 0.014787, 0.015, 0.015),
        ("1 t", 0.0049289, 0.005, 0.005),
        ("1 US gal", 3.7854, 3.7854, 3.7854),
        ("1 imperial pint", 0.56826, 0.56826, 0.56826),
    ],
)
def test_a_gallon_a_cup_and_a_spoon_are_the_writers_own(text, us, imperial, metric):
    for system, litres in (("us", us), ("imperial", imperial), ("metric", metric)):
        ((what, value),) = read(text, system)
        assert what == "volume" and value == pytest.approx(litres, rel=1e-3), system
    told = quantities(text, "metric")[0].other
    assert ("imperial" in told) == (text in ("1 gal", "1 qt", "1 pt"))  # it is asked whose


@pytest.mark.parametrize(
    ("text", "us", "metric"),
    [("86 degrees", 30, 86), ("32°", 32, 32), ("195°", 90.56, 90.56), ("72º", 22.22, 72)],
)
def test_bare_degrees_are_the_writers_unless_nobody_makes_cheese_at_that(text, us, metric):
    assert read(text, "us") == [("warm", pytest.approx(us, abs=0.01))]
    assert read(text, "metric") == [("warm", pytest.approx(metric, abs=0.01))]
    for system in ("us", "metric"):
        each = quantities(text, system)[0]
        assert {each.unit, *each.other} == {"°C", "°F"}


@pytest.mark.parametrize(
    ("text", "what", "value", "per", "of"),
    [
        ("5 g/100 L", "mass", 0.005, "volume", 100),
        ("20 ml per 100 litres", "volume", 0.02, "volume", 100),
        ("2 g culture per 100 L", "mass", 0.002, "volume", 100),
        ("2° per 5'", "rise", 2, "time", 5),
        ("1 degree every 2 minutes", "rise", 1, "time", 2),
        ("1 oz to 3 lb", "mass", 0.0283495, "mass", 1.3607771),
        ("10 h per kg", "time", 600, "mass", 1),
    ],
)
def test_so_much_of_one_for_so_much_of_another_is_one_quantity(text, what, value, per, of):
    first = quantities(text, "metric")[0]
    assert (first.what, first.value) == (what, pytest.approx(value))
    assert (first.per.what, first.per.value) == (per, pytest.approx(of))


@pytest.mark.parametrize(
    ("text", "whats"),
    [
        ("rennet in 2 c. water", ["volume"]),  # no degrees
        ("1 can", ["bare"]),
        ("step 3", ["bare"]),
        ("32 °C in a water bath", ["warm"]),  # no inches
        ("32 to 52 in 45 min", ["bare", "time"]),
        ("2 drachms", ["bare"]),
        ("18 °Bé", ["percent"]),  # no degrees of warmth
        ("pH 1/0", ["ph"]),
        ("1/0", []),
        ("1:10", ["bare"]),  # no rennet is as weak as that
    ],
)
def test_what_looks_like_another_quantity_is_not_taken_for_it(text, whats):
    assert [each.what for each in quantities(text, "metric")] == whats


@pytest.mark.parametrize(
    ("line", "what", "value"),
    [
        ("wait 5", "time", 5),
        ("Hold there 30", "time", 30),
        ("give it 10 more", "time", 10),
        ("Scald to 96", "warm", 96),
        ("Temp: 32", "warm", 32),
        ("press 20", "time", 20),
        ("salt in 2 goes", "count", 2),
        ("set 2 drachms", "bare", 2),
        ("cut 7", "bare", 7),
    ],
)
def test_a_bare_number_is_what_its_verb_makes_of_it_or_nothing(line, what, value):
    (clause,) = clauses(line, "metric")
    assert [(each.what, each.value) for each in clause.those] == [(what, value)]


@pytest.mark.parametrize(
    ("line", "kinds"),
    [
        ("10 lb 15 min / turn / 20 lb 30 min", [None, "turn", None]),
        ('Cut 1/2", heal 5 min.', ["cut", "heal"]),
        ("Stir 1 min. 45 min to a clean break", ["stir", "wait"]),
        ("Stir now & then. Drain", ["stir", "drain"]),
        ("CUT 1 INCH HEAT TO 115F", ["cut", "heat"]),
        ("1. Warm to 30 C, then add culture and leave it for an hour", ["warm", "add", "wait"]),
        ("Milk: warm it (gently, stir) to 30 C", [None, "warm"]),
        ("Take off the heat", ["hold"]),
        ("Take off 4 L of whey", ["take whey off"]),
        ("under whey 20', mould, turn 5'", ["settle", "mould", "turn"]),
        ("add blue mould and culture", ["add"]),
        ("dry salt 2 %", ["salt"]),
    ],
)
def test_a_line_falls_into_what_is_done(line, kinds):
    assert [each.kind for each in clauses(line, "us")] == kinds


@given(st.text(alphabet="0123456789/.,-–: °'\"%½CFgLhmin to x(+)", max_size=40))
def test_no_two_quantities_of_a_line_stand_on_each_other(text):
    found = quantities(text, "metric")
    assert all(0 <= each.begins < each.ends <= len(text) for each in found)
    for before, after in pairwise(found):
        assert before.ends <= after.begins
