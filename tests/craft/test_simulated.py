"""The reckoned vat keeps its books of heat, and a stream is told where it crosses its band."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.errors import OutOfRange
from openpail.craft.make.simulated import (
    FLOOR_PH,
    JACKET_SHARE,
    START_PH,
    SimulatedVat,
    filled,
    goes_on,
    sown,
)
from openpail.craft.make.stream import Streamed, crossings, side
from openpail.craft.recipe.recipe import Band

NOW = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)
vats = st.builds(
    SimulatedVat,
    litres=st.floats(2, 400),
    power_kw=st.floats(0, 12),
    room_c=st.floats(2, 30),
    culture=st.sampled_from(["", "mild", "hot"]),
    vigour=st.floats(0.2, 2),
)
warmths = st.floats(2, 60)
shares = st.floats(-1, 1)


@given(vats, warmths, st.lists(st.tuples(st.floats(0, 60), shares), max_size=6))
def test_no_heat_comes_from_nowhere_and_none_is_lost(vat, celsius, spans):
    begun = state = filled(celsius)
    for minutes, heat in spans:
        state = goes_on(vat, state, minutes, heat)
    milk, jacket = state.celsius - begun.celsius, state.jacket_c - begun.jacket_c
    held_kj = vat.milk_kj_per_k * (milk + JACKET_SHARE * jacket)
    assert state.in_kj - state.lost_kj == pytest.approx(held_kj, abs=1e-6 + 1e-9 * abs(state.in_kj))
    assert state.minutes == pytest.approx(sum(minutes for minutes, _ in spans), abs=1e-6)


@given(vats, warmths, st.floats(1, 300))
def test_what_nobody_warms_comes_to_its_room_and_never_past_it(vat, celsius, minutes):
    later = goes_on(vat, filled(celsius), minutes, 0)
    low, high = sorted((celsius, vat.room_c))
    assert low - 1e-6 <= later.celsius <= high + 1e-6
    further = goes_on(vat, later, 60, 0)
    assert abs(further.celsius - vat.room_c) <= abs(later.celsius - vat.room_c) + 1e-9


@given(vats, warmths, st.floats(1, 90), st.floats(0.1, 1))
def test_more_power_is_never_colder_and_a_larger_vat_is_slower(vat, celsius, minutes, more):
    colder = goes_on(vat, filled(celsius), minutes, 0.5)
    stronger = replace(vat, power_kw=vat.power_kw + more)
    hotter = goes_on(stronger, filled(celsius), minutes, 0.5)
    boils = hotter.celsius == pytest.approx(100.5)
    assert hotter.celsius > colder.celsius or (boils and hotter.lost_kj > colder.lost_kj)
    larger = replace(vat, litres=vat.litres * (1 + more))
    off = goes_on(vat, filled(vat.room_c), 30, 1).celsius - vat.room_c
    assert goes_on(larger, filled(vat.room_c), 30, 1).celsius - vat.room_c <= off + 1e-9


def test_it_goes_on_by_itself_once_the_heat_is_off():
    vat = SimulatedVat(litres=20, power_kw=3.0)
    hot = goes_on(vat, filled(8), 12, 1)
    after = goes_on(vat, hot, 3, 0)
    assert 1 < after.celsius - hot.celsius < 5
    assert goes_on(vat, after, 30, 0).celsius < after.celsius


@given(vats, st.floats(20, 45), st.lists(st.floats(1, 120), min_size=1, max_size=5))
def test_milk_only_sours_once_it_is_sown_and_then_never_turns_back(vat, celsius, spans):
    plain, state = filled(celsius), sown(filled(celsius))
    for minutes in spans:
        plain = goes_on(vat, plain, minutes, 0.2)
        later = goes_on(vat, state, minutes, 0.2)
        assert FLOOR_PH <= later.ph <= state.ph and state.grown <= later.grown <= 1
        state = later
    assert plain.ph == START_PH
    assert (state.ph < START_PH) == bool(vat.culture and sum(spans))


def test_a_hot_culture_likes_it_hot_and_a_lively_one_is_quicker():
    def soured(culture, celsius, vigour=1.0):
        vat = SimulatedVat(litres=20, power_kw=2.0, room_c=celsius, culture=culture, vigour=vigour)
        return goes_on(vat, sown(filled(celsius)), 300, 0).ph

    assert soured("mild", 30) < soured("mild", 40) and soured("hot", 42) < soured("hot", 30)
    assert soured("mild", 30, 1.4) < soured("mild", 30) < 6.2
    for wrong in ((-5, 1.0), (5, 2.0)):
        with pytest.raises(OutOfRange):
            goes_on(SimulatedVat(litres=20), filled(30), *wrong)
    with pytest.raises(OutOfRange):
        filled(140)


# ── what of a stream is told ──

BAND = Band(32, 31, 33)


def stream(*values, every_s=10):
    return [Streamed(NOW + timedelta(seconds=every_s * n), value) for n, value in enumerate(values)]


def test_a_band_that_is_left_and_come_back_to_is_told_twice_and_noise_not_at_all():
    told = crossings(stream(32, 32, 33.4, 33.5, 33.6, 33.4, 32.9, 32.8, 32.7), BAND)
    assert [(each.before, each.after, each.value) for each in told] == [
        ("in", "over", 33.4),
        ("over", "in", 32.9),
    ]
    assert told[0].at == NOW + timedelta(seconds=20)
    assert crossings(stream(32, 33.4, 32, 30.9, 32, 33.2, 32), BAND) == ()
    assert crossings(stream(30, 30, 30), BAND) == ()
    assert [each.after for each in crossings(stream(30, 30, 30), BAND, "in")] == ["under"]


@given(st.lists(st.floats(20, 45), max_size=60), st.integers(0, 60))
def test_a_stream_in_two_parts_is_told_as_in_one_or_a_little_later(values, cut):
    whole = crossings(stream(*values), BAND)
    for one, other in pairwise(whole):
        assert one.after == other.before and one.at < other.at
    assert all(side(each.value, BAND) == each.after != each.before for each in whole)
    first = crossings(stream(*values)[:cut], BAND)
    assert first == whole[: len(first)]
