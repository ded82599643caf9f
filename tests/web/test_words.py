"""Figures, amounts and times as text, in the dairy's own units; and drawings from figures."""

from datetime import UTC, date, datetime, timedelta

import pytest
from flask import g
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select

from openpail.craft.figure import Figure, Step
from openpail.craft.milk.herd import Month
from openpail.craft.sheet.adapt import adapt
from openpail.craft.units import so_long
from openpail.records.dairy.models import Dairy
from openpail.records.session import sessions
from openpail.web.ui import draw, show
from tests.conftest import NOW
from tests.support import job_for


@pytest.fixture
def at_the_dairy(app):
    """A request's own view of the dairy, metric until a test says otherwise."""
    with app.test_request_context(), sessions(app.extensions["config"].database_url)() as session:
        g.dairy = session.scalar(select(Dairy))
        yield g.dairy


@pytest.mark.parametrize(
    ("value", "decimals", "text"),
    [
        (3.2408, None, "3.2"),
        (0.0884, None, "0.088"),
        (415.6, None, "416"),
        (24.3, None, "24"),
        (-1.5, None, "−1.5"),
        (-0.0001, 1, "0.0"),
        (6.5, 2, "6.50"),
        (0.0, None, "0.0"),
    ],
)
def test_a_number_has_as_many_decimals_as_hands_can_use(value, decimals, text):
    assert show.number(value, decimals) == text


def test_amounts_follow_the_dairys_own_switches(at_the_dairy):
    assert show.volume(21.5) == "21.5 L"
    assert show.mass(2.431) == "2.43 kg"
    assert show.degrees(31.5, 1) == "31.5 °C"
    at_the_dairy.volume_system, at_the_dairy.mass_system = "us", "us"
    at_the_dairy.degrees = "F"
    assert show.volume(21.5) == "5.68 US gal"
    assert show.mass(2.431) == "5.36 lb"
    assert show.degrees(30.0) == "86 °F"
    assert show.parts(Figure.start("rennet at", 32.0, "°C")) == ("89.6", "°F")
    assert show.parts(Figure.start("milk", 22.1, "kg")) == ("48.7", "lb")
    at_the_dairy.volume_system = "imperial"
    assert show.volume(9.09218) == "2.00 imp gal"


def test_moments_are_told_both_ways_on_the_dairys_clock(at_the_dairy):
    assert show.clock(NOW) == "10:30"  # Dublin in May
    assert show.clock(NOW + timedelta(days=1)) == "Tue 10:30"
    assert show.until(NOW + timedelta(minutes=12)) == "in 12 min"
    assert show.until(NOW - timedelta(minutes=95)) == "1 h 35 over"
    assert so_long(120) == "2 h"
    assert (show.hours(53), show.hours(100)) == ("53 h", "4 days")
    day = date(2026, 5, 4)
    told = [show.day(day + timedelta(days=n)) for n in (-1, 0, 1, 3, 40, 400)]
    assert told == ["yesterday", "today", "tomorrow", "Thursday", "13 Jun", "8 Jun 2027"]
    winter = datetime(2026, 12, 1, 9, 30, tzinfo=UTC)
    assert show.local(winter).hour == 9


def test_the_figures_of_a_ledger_multiply_to_what_it_shows():
    figure = Figure.start("the whole", 29.2, "g").times("its part", 0.124).times("half", 0.5)
    assert [row["sign"] for row in show.ledger(figure)] == ["29", "× 0.124", "× 0.50"]


def test_a_ledger_shows_sign_step_and_running_value():
    figure = (
        Figure.start("as written", 4.5, "mL", source="the recipe")
        .times("less milk", 0.5)
        .times("never less", 1.08, of=(Step("start", "calcium", 1.08),))
        .plus("a drop", 0.05, "mL")
        .then("at_least", "not under", 1.0)
    )
    rows = show.ledger(figure)
    assert [row["sign"] for row in rows] == ["4.5", "× 0.50", "× 1.08", "+ 0.050", "≥ 1.0"]
    assert [row["value"] for row in rows] == ["4.5 mL", "2.2 mL", "2.4 mL", "2.5 mL", "2.5 mL"]
    assert rows[2]["of"][0]["label"] == "calcium"
    assert rows[0]["source"] == "the recipe"


def test_a_spread_worth_saying_is_said_and_a_change_too():
    figure = Figure.start("x", 10.0, "g")
    assert show.plus_minus(figure.give_or_take(0.5)) == "± 1.0 g"
    assert show.plus_minus(figure.give_or_take(0.05)) == ""
    assert [show.change(c) for c in (-0.28, 0.1, 0.001)] == ["−28 %", "+10 %", ""]


def test_a_pail_is_drawn_to_its_level_and_never_over_its_rim():
    levels = [draw.pail_fill(litres).y for litres in (0.1, 6, 12, 18, 24, 90)]
    assert levels == sorted(levels, reverse=True)
    assert levels[-1] > 34 and levels[0] < 116


def test_the_firmness_chart_stays_in_its_box():
    sheet = adapt(job_for("larder-block"))
    chart = draw.firmness_chart(sheet.firmness, sheet.set)
    for path in (chart.this, chart.recipe):
        points = [tuple(map(float, part.strip("ML ").split(","))) for part in path.split(" L")]
        assert all(0 <= x <= 300 and 0 <= y <= 150 for x, y in points)
    assert 0 < chart.flocks_x < chart.window_x < chart.window_x + chart.window_width <= 300


def test_neighbouring_blocks_join_and_words_never_overlap():
    blocks = [
        draw.Block(x=0, width=40, hands_on=True, words="cut", done=False),
        draw.Block(x=40, width=60, hands_on=True, words="stir", done=False),
        draw.Block(x=100, width=50, hands_on=False, words="press", done=False),
    ]
    joined = draw.merged(blocks)
    assert [(block.words, block.width) for block in joined] == [("cut, stir", 100), ("press", 50)]
    assert draw.fitting("cut, stir, drain", 80) == "cut, stir"
    assert draw.fitting("press", 10) == ""


def test_a_ramp_holds_its_readings_and_a_balance_says_what_it_means():
    ramp = draw.ramp(8, 32, 35, [(5, 10), (20, 25), (50, 34)])
    assert ramp.minutes == 50
    assert all(0 <= x <= 480 and 0 <= y <= 220 for x, y in ramp.dots)
    expected = Figure.start("cheese", 2.4, "kg").give_or_take(0.1)
    assert draw.balance(expected, 2.4).words == "As expected."
    assert "within its range" in draw.balance(expected, 2.5).words
    assert "milky whey" in draw.balance(expected, 1.8).words
    assert "wet still" in draw.balance(expected, 3.0).words


@given(
    st.lists(
        st.tuples(st.sampled_from(["cow", "goat"]), st.just("x"), st.floats(0.1, 60)),
        min_size=1,
        max_size=4,
    ),
    st.floats(5, 120),
)
def test_layers_stand_on_each_other_and_never_leave_the_vat(layers, brim):
    drawn = draw.bench_vat(layers, brim, 0.85 * brim)
    tops = [y for y, _, _, _ in drawn.layers]
    assert tops == sorted(tops, reverse=True)
    assert all(y >= -0.1 and y + height <= 300.2 for y, height, _, _ in drawn.layers)
    assert drawn.head_room_y == pytest.approx(45)
    full = sum(litres for _, _, litres in layers) >= brim
    assert (drawn.level_y == 0) == full or drawn.level_y < 0.1


@given(st.floats(0.1, 50), st.floats(0, 5), st.none() | st.floats(0.1, 80))
def test_a_part_its_spread_and_its_target_stay_on_the_rail(value, sd, target):
    bar = draw.part_bar(Figure.start("fat", value, "%", sd=sd), target)
    assert 0 <= bar.spread_x <= bar.width <= 300
    assert bar.spread_x + bar.spread_width <= 300.1
    assert (bar.target_x is None) == (target is None)
    if target and target > value:
        assert bar.target_x >= bar.width


def test_a_herds_year_is_drawn_to_scale_with_its_gaps():
    months = [
        Month(first=date(2026, 4, 1), tests=2, fat_pct=6.5, protein_pct=5.2, casein_to_fat=0.65),
        Month(first=date(2026, 5, 1), tests=1, fat_pct=None, protein_pct=5.3, casein_to_fat=None),
        Month(first=date(2026, 9, 1), tests=3, fat_pct=7.5, protein_pct=5.6, casein_to_fat=0.6),
    ]
    chart = draw.season(months)
    (fat, fat_path, fat_dots), (protein, _, protein_dots) = chart.lines
    assert (fat, protein) == ("fat", "true protein")
    assert [x for x, _ in protein_dots] == [0, 104, 520]  # April, May, and September far off
    assert len(fat_dots) == 2 and fat_path.count("M") == 2  # nothing is drawn over the gap
    assert fat_dots[1][1] < fat_dots[0][1]  # richer stands higher
    assert [words for _, words in chart.months] == ["Apr", "May", "Sep"]
    assert [words for _, words in chart.ratio] == ["0.65", "0.60"]


def test_ages_and_moments_in_words(at_the_dairy):
    assert [show.hours(value) for value in (0.4, 3, 71.6, 72, 100)] == [
        "0 h",
        "3 h",
        "72 h",
        "3 days",
        "4 days",
    ]
    assert show.hours_on(2) - show.hours_ago(1) == timedelta(hours=3)
    assert show.plus_minus(Figure.start("ratio", 0.7, "×", sd=0.02)) == "± 0.040"
    assert show.plus_minus(Figure.start("fat", 4.0, "%", sd=0.1)) == "± 0.20 %"
    assert show.plus_minus(Figure.start("fat", 4.0, "%", sd=0.001)) == ""
