"""The air of places, what rinds lose in it, where the needle goes, what a label says."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from math import hypot

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.cave.allergens import found_in, says
from openpail.craft.cave.climate import check_reading, dew_point_c, gaps, hint, over_stay
from openpail.craft.cave.label import (
    Dates,
    GivenTo,
    Matter,
    MilkSaid,
    Wording,
    allergens,
    has_spirit,
    ingredients,
    label_of,
    milk_words,
    rennet_words,
    to_ask,
)
from openpail.craft.cave.loss import InAir, curve, expected, loss_pct, surface_m2_per_kg
from openpail.craft.cave.pierce import FROM_EDGE_CM, SPACED_CM, holes
from openpail.craft.cave.rooms import Room, floor_cm2, room_left
from openpail.craft.errors import OutOfRange
from openpail.craft.figure import replay
from openpail.craft.marks import Mark
from openpail.craft.recipe.recipe import Band
from tests.support import HOUSE, RECIPES

T0 = datetime(2026, 4, 1, tzinfo=UTC)
DAY = date(2026, 4, 1)
CAVE = Band(12.0, 10.0, 14.0)
DAMP = Band(86.0, 82.0, 90.0)


def hours(*values):
    """Hours that were read, one after another; None for one that nobody read."""
    rows = [(T0 + timedelta(hours=n), c, 86.0) for n, c in enumerate(values) if c is not None]
    return rows, T0, T0 + timedelta(hours=len(values))


def test_hours_out_of_band_are_counted_and_those_that_nobody_read_are_said():
    rows, begins, ends = hours(12, 12, 15, 15, 9, None, None, 12)
    found = over_stay(rows, begins, ends, celsius=CAVE, humidity=DAMP, house=HOUSE)
    assert (found.hours, found.read, found.unread, found.out_c, found.out_h) == (8, 6, 2, 3, 0)
    assert (found.low_c, found.high_c, found.grave) == (9, 15, None)


@pytest.mark.parametrize(
    ("values", "grave"),
    [
        ([12] * 5 + [18] * 25, True),  # over 3 °C outside for over 24 h
        ([12] * 5 + [18] * 24, False),
        ([16.9] * 60, False),
        ([18] * 20 + [12] + [18] * 20, False),  # never so long on end
        ([18] * 20 + [None] * 4 + [18] * 20, False),  # nobody knows what lay between
        ([6.5] * 30, True),
    ],
)
def test_a_place_far_outside_its_band_for_a_day_is_a_caution_and_no_less(values, grave):
    found = over_stay(*hours(*values), celsius=CAVE, humidity=DAMP, house=HOUSE)
    assert (found.grave is not None) == grave


@given(st.floats(-5, 30), st.floats(20, 100), st.floats(0.5, 10))
def test_damper_air_wets_sooner_and_never_above_its_own_warmth(celsius, humidity, more):
    dew = dew_point_c(celsius, humidity)
    assert dew <= celsius + 1e-6
    assert dew_point_c(celsius, min(100, humidity + more)) >= dew
    assert dew_point_c(celsius, 100) == pytest.approx(celsius)


def test_the_air_says_what_it_asks_for_and_nothing_when_it_is_right():
    assert hint(12, 86, DAMP) == "" == hint(None, 86, DAMP) == hint(12, None, DAMP)
    assert "Too dry" in hint(12, 70, DAMP) and "Too damp" in hint(12, 92, DAMP)
    assert "drips" in hint(12, 97, DAMP) and hint(12, 70, None) == ""
    for celsius, humidity, field in (
        (70, None, "celsius"),
        (None, 101, "humidity"),
        (None, None, "celsius"),
    ):
        with pytest.raises(OutOfRange) as refused:
            check_reading(celsius, humidity)
        assert refused.value.about == field


def test_a_gap_is_a_stretch_longer_than_the_longest():
    read = [T0, T0 + timedelta(hours=1), T0 + timedelta(hours=9)]
    assert gaps(read, timedelta(hours=2)) == [(read[1], read[2])]
    assert gaps(read, timedelta(hours=8)) == [] == gaps([], timedelta(hours=1))


# ── what a rind loses ──


@given(st.floats(1, 400), st.floats(60, 96), st.floats(0.02, 0.12), st.floats(0.5, 20))
def test_a_rind_loses_more_the_longer_the_drier_and_the_smaller(days, rh, surface, more):
    found = loss_pct(days, rh, surface, HOUSE)
    assert replay(found.because) == pytest.approx(found.value)
    assert loss_pct(days + more, rh, surface, HOUSE).value > found.value
    assert loss_pct(days, max(0, rh - more), surface, HOUSE).value > found.value
    assert loss_pct(days, rh, surface * 1.1, HOUSE).value > found.value


def test_a_bag_stops_the_loss_and_bloom_makes_it_larger():
    bare = expected([InAir(30, 85), InAir(30, 85)], 0.045, HOUSE, "tomme")
    bagged = expected([InAir(30, 85), InAir(30, 85, bare=False)], 0.045, HOUSE, "tomme")
    assert bagged[1] == bare[1] and bagged[2][1] == bagged[1][1] < bare[2][1]
    bloomy = expected([InAir(10, 85)], 0.045, HOUSE, "bloomy")
    assert bloomy[-1][1] == pytest.approx(
        3 * expected([InAir(10, 85)], 0.045, HOUSE, "blue")[-1][1]
    )
    for days, rh in ((-1, 85), (10, 101)):
        with pytest.raises(OutOfRange):
            loss_pct(days, rh, 0.045, HOUSE)


def test_own_weighings_draw_the_curve_to_themselves_and_narrow_its_band():
    should = expected([InAir(30, 85), InAir(60, 85)], 0.045, HOUSE, "tomme")
    usual = curve(should, [], HOUSE)
    assert usual.factor.value == 1 and usual.words == ""
    dry = curve(should, [(15.0, 2 * usual.at(15)), (30.0, 2 * usual.at(30))], HOUSE)
    assert 1 < dry.factor.value < 2 and "too dry a room" in dry.words
    spread = [c.high[-1][1] / c.expected[-1][1] - 1 for c in (usual, dry)]
    assert spread[1] < spread[0]
    damp = curve(should, [(30.0, 0.2 * usual.at(30))], HOUSE)
    assert "only" in damp.words and curve(should, [(30.0, usual.at(30))], HOUSE).words == ""


def test_a_small_cheese_has_more_surface_for_its_weight():
    wheels = RECIPES["thatch"].wheels
    assert surface_m2_per_kg(wheels, 1.0, HOUSE) > surface_m2_per_kg(wheels, 3.0, HOUSE)
    assert surface_m2_per_kg(None, 0.25, HOUSE) > surface_m2_per_kg(None, 3.0, HOUSE)


# ── room, and the needle ──


def test_room_goes_by_the_area_of_shelves_where_they_were_measured():
    cave = Room(name="cave", holds=5, sort="cave", shelves=2, width_cm=100.0, depth_cm=40.0)
    one = floor_cm2(18, None, HOUSE)
    assert one == 400 and room_left(cave, [], one) == 20
    assert room_left(cave, [one] * 19, one) == 1 and room_left(cave, [one] * 40, one) == 0
    counted = replace(cave, width_cm=0.0)
    assert room_left(counted, [one] * 3, one) == 2 and room_left(counted, [one] * 9, one) == 0


@given(st.floats(6, 50), st.none() | st.floats(6, 50))
def test_holes_stand_two_centimetres_apart_and_clear_of_the_edge(across, side):
    spots = holes(across, side)
    assert spots
    for number, (x, y) in enumerate(spots):
        if side is None:
            assert hypot(x, y) <= across / 2 - FROM_EDGE_CM + 0.01
        else:
            assert abs(x) <= across / 2 - FROM_EDGE_CM + 0.01
            assert abs(y) <= side / 2 - FROM_EDGE_CM + 0.01
        near = [hypot(x - a, y - b) for a, b in spots[:number]]
        assert not near or min(near) >= SPACED_CM * 0.95
    with pytest.raises(OutOfRange):
        holes(2.0)


# ── what a label says ──

COW = MilkSaid(animals={"cow": 1.0}, raw=False)
DATES = Dates(made=DAY, ready=DAY + timedelta(70), until=DAY + timedelta(180), aged_days=70)


GIVEN = (
    GivenTo("culture", "mild", "Direct set"),
    GivenTo("rennet", "calf", "Calf rennet"),
    GivenTo("salt", "coarse", "Salt"),
)


def label(recipe="larder-block", milk=COW, dates=DATES, marks=(), wording=None, done=()):
    marks = tuple(Mark(key=key, words="x") for key in marks)
    return label_of(
        "37-2",
        RECIPES[recipe],
        Matter(milk=milk, given=GIVEN, done=done),
        dates=dates,
        marks=marks,
        wording=wording or Wording(),
        weight="1.90 kg",
        code="x",
    )


def test_a_label_says_all_that_it_must():
    found = label(dates=replace(DATES, sealed="bag", sealed_on=DAY + timedelta(20)))
    said = "\n".join((found.number, found.name, *found.lines))
    for words in (
        "37-2",
        "Larder Block",
        "Pasteurised cow’s milk, cultures, animal rennet, salt",
        "Contains: milk (cow)",
        "Made 1 Apr 2026",
        "Sealed in a bag 21 Apr 2026",
        "Ready from 10 Jun 2026",
        "Best before 28 Sep 2026",
        "Keep at 8 °C (46 °F) or colder",
        "1.90 kg",
    ):
        assert words in said, words
    assert found.cautions == ()
    own = label(wording=Wording("Wrenfold Steading", "Rubbed with hay", "Keep under 8 °C"))
    assert {"Wrenfold Steading", "Rubbed with hay", "Keep under 8 °C"} <= set(own.lines)
    soft = label("wrenfold-log", dates=replace(DATES, is_last=True, most_c=4.0))
    assert {"Use by 28 Sep 2026", "Keep at 4 °C (39 °F) or colder"} <= set(soft.lines)
    assert "LISTERIA" in " ".join(soft.cautions)
    trusted = label(milk=replace(COW, declared=True))
    assert "declared" in trusted.own[0] and "declared" not in " ".join(trusted.lines)
    with pytest.raises(OutOfRange) as refused:
        Wording(maker="x" * 91)
    assert refused.value.about == "maker"


@pytest.mark.parametrize(
    ("milk", "marks", "aged", "there", "missing"),
    [
        (COW, (), 10, (), ("RAW MILK", "SLOW ACID", "aged")),
        (replace(COW, raw=True), (), 10, ("RAW MILK", "aged 10 of 60"), ("law allows",)),
        (replace(COW, raw=True), (), 60, ("RAW MILK",), ("of 60 days",)),
        (replace(COW, raw=True), ("raw-soft",), 90, ("RAW MILK", "law allows it"), ()),
        (COW, ("slow-acid",), 90, ("SLOW ACID",), ("RAW MILK",)),
    ],
)
def test_no_label_lacks_a_caution_that_its_cheese_must_carry(milk, marks, aged, there, missing):
    said = " ".join(label(milk=milk, marks=marks, dates=replace(DATES, aged_days=aged)).cautions)
    assert all(words in said for words in there)
    assert not any(words in said for words in missing)


def test_the_milk_the_rennet_and_what_is_in_it_are_named():
    both = MilkSaid(animals={"cow": 10.0, "goat": 20.0}, raw=True)
    assert milk_words(both) == "raw goat’s and cow’s milk"
    assert milk_words(replace(both, thermised=True)) == "thermised goat’s and cow’s milk"
    assert "heated in the making" in milk_words(replace(both, raw=False, heated=True))
    plain = Matter(milk=both, given=GIVEN)
    assert allergens(plain) == "milk (cow, goat)"
    assert rennet_words(GIVEN) == "animal rennet" and rennet_words(()) == ""
    plant = (GivenTo("rennet", "plant", "Thistle"), GivenTo("rennet", "fermented", "x"))
    assert rennet_words(plant) == "plant rennet and rennet made by fermentation"
    assert "lipase (kid)" in ingredients(
        replace(plain, given=(GivenTo("lipase", "kid", "Lipase"),))
    )
    washed = replace(plain, done=("Wash it with stout",))
    assert has_spirit(washed) and "barley" in allergens(washed)
    assert not has_spirit(plain)
    mix = replace(plain, given=(GivenTo("herb", "", "Grandma’s secret"),))
    assert to_ask(mix) == ("Grandma’s secret",)
    told = replace(mix, answers={"grandma’s secret": ["sesame"]})
    assert to_ask(told) == () and allergens(told).endswith("sesame")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("pecans", "nuts (pecans)"),
        ("Soya sauce", "soya"),
        ("sesame seeds, roasted", "sesame"),
        ("hard cider", "sulphites"),
        ("Peanut butter", "peanuts"),
        ("With lysozyme, against late blowing", "egg (lysozyme)"),
        ("blue mould grown on bread", "cereals with gluten (wheat)"),
        ("anchovies", "fish"),
        ("celeriac", "celery"),
        ("mustard-seed", "mustard"),
        ("lupin flour", "lupin"),
        ("oyster leaf and oysters", "molluscs"),
    ],
)
def test_an_allergen_is_found_by_its_words_and_its_like_is_not(text, said):
    assert said in [says()[key] for key in found_in(text).keys]
    for harmless in ("coconut", "nutmeg", "chestnut leaf", "buckwheat", "Aleppo pepper", "alewife"):
        assert found_in(harmless).keys == ()
