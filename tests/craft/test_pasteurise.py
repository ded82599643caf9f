"""Pasteurising in a pot: a record meets only what all its readings show."""

from dataclasses import replace
from itertools import pairwise
from math import exp, log

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.errors import OutOfRange
from openpail.craft.make import (
    pasteurise,
)

COW = pasteurise.Milk(fat_pct=4.0, total_solids_pct=12.6)


def record(*pairs, unit="C", checked=True, milk=COW, **more):
    told = [pasteurise.HeatReading(at, value) for at, value in pairs]
    return pasteurise.hold(told, milk, unit, is_checked=checked, **more)


@given(
    st.lists(
        st.tuples(st.integers(0, 90), st.floats(60, 68)), max_size=40, unique_by=lambda p: p[0]
    )
)
def test_a_record_meets_only_what_every_reading_of_half_an_hour_shows(pairs):
    found = record(*pairs)
    told = sorted(pairs)
    meets = any(
        all(value >= 63 for _, value in told[i : j + 1])
        and all(b[0] - a[0] <= 5 for a, b in pairwise(told[i : j + 1]))
        and told[j][0] - told[i][0] >= 30
        for i in range(len(told))
        for j in range(i, len(told))
    )
    assert found.meets == meets
    assert ("does not meet" in found.words) == (not meets)
    assert not any(word in found.words for word in ("safe", "proven", "passed"))


def test_a_hold_runs_live_breaks_at_a_dip_and_wants_more_of_rich_milk_or_an_untried_thermometer():
    steady = [(4 * n, 63.4) for n in range(4)]
    assert record(*steady, now_min=13.0).running_min == 12
    assert record(*steady, now_min=18.0).running_min == 0
    assert "62.9 °C was read" in record(*steady, (16, 62.9), now_min=16.0).broken
    assert "6 min without a reading" in record(*steady, (18, 63.5), now_min=18.0).broken
    assert pasteurise.wanted(pasteurise.Milk(fat_pct=10.0, total_solids_pct=20.0), "F", True) == 150
    assert (
        pasteurise.wanted(
            pasteurise.Milk(fat_pct=7.0, total_solids_pct=17.6, solids_measured=False), "C", True
        )
        == 66
    )
    assert pasteurise.wanted(
        pasteurise.Milk(fat_pct=7.0, total_solids_pct=17.6), "C", False
    ) == pytest.approx(63.5)
    long = [(4 * n, 63.4) for n in range(9)]
    assert not record(*long, checked=False).meets and record(*long).is_logged
    lacking = record(*long, stirred=False, coldest=False, with_air=True)
    assert lacking.meets and not lacking.is_logged and len(lacking.lacking) == 3
    assert "does not show" in lacking.words


def test_the_air_under_the_lid_is_shown_at_both_ends():
    milk = [pasteurise.HeatReading(4 * n, 63.6) for n in range(9)]
    air = [pasteurise.HeatReading(t, 66.5, of_air=True) for t in (1, 31)]
    assert pasteurise.hold([*milk, *air], COW, "C", is_checked=True, with_air=True).is_logged
    assert not pasteurise.hold([*milk, air[0]], COW, "C", is_checked=True, with_air=True).is_logged
    cold = [air[0], replace(air[1], value=65.0)]
    assert not pasteurise.hold([*milk, *cold], COW, "C", is_checked=True, with_air=True).is_logged


def test_what_runs_too_hot_is_said_before_it_is_too_late_and_after():
    assert record((0, 63.5), (4, 69.9)).too_hot == ""
    rising = record((0, 66.0), (4, 71.0))
    assert "over 75.0 °C it is high-heat" in rising.too_hot and not rising.is_high_heat
    assert "over 167.0 °F" in record((0, 160.0), unit="F").too_hot
    past = record((0, 66.0), (4, 76.0), (9, 66.0))
    assert past.is_high_heat and "whatever the record shows" in past.too_hot


@given(st.floats(2, 100), st.floats(40, 70), st.floats(5, 30), st.floats(0.05, 2))
def test_cooling_told_by_its_own_readings_is_what_the_law_says(kg, start, to, ua):
    per_min = ua * 60 / (kg * 3.93)  # Newton's law, ua in kW/K
    whole = log((start - 3) / (to - 3)) / per_min
    half = 3 + (start - 3) * exp(-per_min * whole / 2)
    told = pasteurise.still_to_cool([(0.0, start), (whole / 2, half)], to, 3.0)
    assert told == pytest.approx(whole / 2, rel=0.01)


def test_a_thermometer_is_tried_in_ice_and_at_the_boiling_point_of_its_place():
    assert pasteurise.is_true(0.2, 99.1, 300) and not pasteurise.is_true(0.5, 99.1, 300)
    assert not pasteurise.is_true(0.0, 100.0, 900)
    with pytest.raises(OutOfRange):
        pasteurise.is_true(0, 100, 99_000)
