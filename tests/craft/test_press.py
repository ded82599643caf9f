"""Moulds and presses in the core: a load by its area, the law of the lever, what is hung."""

from dataclasses import replace
from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.errors import CraftError, NotPossible, OutOfRange
from openpail.craft.figure import Figure, replay
from openpail.craft.make.pressing import InMoulds, begins_at, cold_says, is_at_press, pressing
from openpail.craft.make.yielded import expected_moisture, yielded
from openpail.craft.press.load import for_mould, pressure_kpa
from openpail.craft.press.moulds import Mould, choices, fewest, fill
from openpail.craft.press.presses import Lever, Press, mark_mm, on_cheese_kg, to_hang
from openpail.craft.press.weights import Thing, nearest
from tests.craft.test_make import sheet_of
from tests.support import HOUSE, RECIPES

LOADS = st.floats(0.5, 200)
AREAS = st.floats(20, 2_000)
TWO_LEVERS = Press(
    sort="lever",
    levers=(
        Lever(weight_cm=48.0, follower_cm=12.0, own_kg=0.25),
        Lever(weight_cm=60.0, follower_cm=15.0, own_kg=0.5),
    ),
    follower_kg=1.2,
)


def levers():
    one = st.tuples(st.floats(2, 40), st.floats(1.05, 8), st.floats(0, 3)).map(
        lambda told: Lever(weight_cm=told[0] * told[1], follower_cm=told[0], own_kg=told[2])
    )
    return st.lists(one, min_size=1, max_size=3).map(tuple)


@given(LOADS, AREAS, AREAS, st.integers(1, 6), st.integers(1, 6))
def test_a_load_presses_as_hard_on_another_mould_and_says_why(load, own, other, beside, now):
    written = Figure.start("as written", load, "kg")
    moved = for_mould(written, own, other, beside, now)
    before, after = pressure_kpa(load, own * beside), pressure_kpa(moved.value, other * now)
    assert after == pytest.approx(before)
    assert replay(moved.because) == pytest.approx(moved.value)


@given(levers(), st.floats(0, 5), LOADS, LOADS)
def test_what_is_hung_and_what_it_presses_are_each_other_turned_about(arms, follower, load, more):
    press = Press(sort="lever", levers=arms, follower_kg=follower)
    hung = to_hang(Figure.start("load", load, "kg"), press)
    assert replay(hung.because) == pytest.approx(hung.value)
    if hung.value > 0:
        assert on_cheese_kg(hung.value, press) == pytest.approx(load)
    else:
        assert on_cheese_kg(0.0, press) >= load - 1e-9
    assert to_hang(Figure.start("load", load + more, "kg"), press).value >= hung.value


def test_two_levers_by_hand():
    # upper: (1 kg × 48 + 0.25 × 24) / 12 = 4.5 on the end of the lower: (4.5 × 60 + 0.5 × 30) / 15
    assert on_cheese_kg(1.0, TWO_LEVERS) == pytest.approx(19.0 + 1.2)
    stack = Press(sort="stack", levers=(), follower_kg=0.8)
    assert on_cheese_kg(10.0, stack) == pytest.approx(10.8)
    with pytest.raises(NotPossible):
        on_cheese_kg(1.0, Press(sort="screw"))


def test_a_spring_is_read_between_its_marks_and_not_beyond():
    spring = Press(sort="spring", marks=((0.0, 0.0), (10.0, 8.0), (20.0, 20.0)))
    assert mark_mm(8.0, spring) == pytest.approx(10.0)
    assert 10.0 < mark_mm(14.0, spring) < 20.0
    with pytest.raises(OutOfRange, match="from 0 to 20 kg"):
        mark_mm(21.0, spring)


@pytest.mark.parametrize(
    ("make", "about"),
    [
        (lambda: Lever(weight_cm=10.0, follower_cm=12.0), "levers"),
        (lambda: Press(sort="lever"), "levers"),
        (lambda: Press(sort="spring", marks=((0, 1), (5, 1))), "marks"),
        (lambda: Mould(sort="pressing", across_cm=16.0, height_cm=0.2), "height"),
        (
            lambda: Mould(
                sort="pressing", across_cm=16.0, height_cm=10.0, side_cm=None, follower_cm=17.0
            ),
            "follower",
        ),
        (lambda: Thing(name="brick", kg=0.0), "kg"),
        (lambda: Thing(name="", kg=1.0), "name"),
    ],
)
def test_gear_that_cannot_be_is_refused_by_its_field(make, about):
    with pytest.raises(CraftError) as refused:
        make()
    assert refused.value.about == about


STONES = st.lists(
    st.tuples(st.floats(0.3, 8), st.integers(1, 3), st.sampled_from([0.0, 0.0, 2.0, 5.0])),
    min_size=1,
    max_size=3,
)


@given(STONES, st.floats(0.2, 30))
def test_no_other_way_to_pile_comes_nearer_with_as_few_things(stones, wanted):
    things = [
        Thing(name=f"thing {number}", kg=kg if not holds else 0.2, count=count, holds_l=holds)
        for number, (kg, count, holds) in enumerate(stones)
    ]
    found = nearest(wanted, things)
    for each in found.laid:
        assert each.count <= each.thing.count and 0 <= each.litres <= each.thing.holds_l + 1e-9
    for counts in product(*(range(thing.count + 1) for thing in things)):
        dry = sum(n * thing.kg for n, thing in zip(counts, things, strict=True))
        wet = sum(n * thing.holds_l for n, thing in zip(counts, things, strict=True))
        off = max(dry - wanted, 0.0) if dry > wanted else max(0.0, wanted - dry - wet)
        steps = 0.05 * sum(counts) + 1e-6  # a jug is filled to a tenth of a litre
        assert abs(found.off_kg) <= max(off, 0.02 * wanted, 0.05) + steps


MOULDS = st.builds(
    Mould,
    sort=st.sampled_from(["pressing", "hoop", "basket"]),
    across_cm=st.floats(6, 40),
    height_cm=st.floats(4, 25),
    side_cm=st.none() | st.floats(6, 40),
)


@given(MOULDS, st.floats(0.2, 40))
def test_moulds_are_whole_hold_the_cheese_and_share_the_curd_by_weight(mould, cheese):
    count = fewest(cheese, mould, HOUSE)
    filling = fill(1.12 * cheese, cheese, count, mould, HOUSE)
    assert isinstance(count, int) and filling.each_kg * count == pytest.approx(1.12 * cheese)
    assert filling.cheese_cm <= 1.02 * mould.height_cm + 1e-9
    assert filling.over_cm == pytest.approx(max(0.0, filling.fill_cm - mould.height_cm))
    assert mould.surface_cm2(cheese / count, HOUSE) > 2 * mould.floor_cm2
    again = fill(1.12 * cheese, cheese, count + 1, mould, HOUSE)
    assert again.fill_cm < filling.fill_cm


def test_which_moulds_names_a_collar_and_leaves_out_what_there_is_too_little_of():
    tall, small = (
        Mould(sort="pressing", across_cm=16.0, height_cm=11.0),
        Mould(sort="pressing", across_cm=11.0, height_cm=8.0),
    )
    found = choices(2.6, 2.3, [("tall", tall, 2), ("small", small, 2)], HOUSE)
    assert [name for name, _ in found] == ["tall"] and found[0][1].count == 1
    assert found[0][1].wants_collar and found[0][1].over_cm == pytest.approx(5.2, abs=0.2)


# ── a make at the press ──


def at_step(key, name):
    recipe = RECIPES[key]
    return recipe, recipe.step(name), sheet_of(key)


def test_a_pressing_tells_what_to_hang_on_the_two_lever_press():
    recipe, step, sheet = at_step("thatch", "press-hard")
    at = InMoulds(Mould(sort="pressing", across_cm=16.0, height_cm=11.0), 1, stacked=True)
    things = (
        Thing(name="big jug", kg=0.25, count=2, holds_l=5.0, height_cm=30.0),
        Thing(name="brick", kg=2.6, count=6, height_cm=6.5),
    )
    found = pressing(recipe, step, sheet, moulds=at, press=TWO_LEVERS, things=things)
    assert found.load.value == pytest.approx(20 * (16 / 18) ** 2)  # written for a mould of 18 cm
    assert found.kpa == pytest.approx(pressure_kpa(20, recipe.wheels.area_cm2))
    assert found.word == "medium" and found.psi == pytest.approx(found.kpa * 0.145, rel=0.01)
    assert on_cheese_kg(found.hang.value, TWO_LEVERS) == pytest.approx(found.load.value)
    assert found.pile.is_near and not found.says


def test_a_press_without_a_gauge_claims_no_number_to_hang():
    recipe, step, sheet = at_step("thatch", "press-hard")
    at = InMoulds(None, 1, stacked=True)
    found = pressing(recipe, step, sheet, moulds=at, press=Press(sort="screw"), things=())
    assert found.hang is None and found.pile is None
    assert any("slow steady drip" in words and "5, 15, 30 min" in words for words in found.says)


def test_a_stack_that_may_topple_says_so_and_a_low_one_does_not():
    recipe, step, sheet = at_step("drystone", "press-hard")
    stack, bricks = (
        Press(sort="stack", levers=(), follower_kg=0.8),
        (Thing(name="brick", kg=2.6, count=30, height_cm=6.5),),
    )
    narrow = InMoulds(Mould(sort="pressing", across_cm=12.0, height_cm=12.0), 1, stacked=True)
    wide = InMoulds(Mould(sort="pressing", across_cm=40.0, height_cm=12.0), 1, stacked=True)
    told = pressing(recipe, step, sheet, moulds=narrow, press=stack, things=bricks)
    assert any("topple" in words for words in told.says)
    low = (Thing(name="anvil", kg=9.0, count=30, height_cm=1.0),)
    assert not any(
        "topple" in w
        for w in pressing(recipe, step, sheet, moulds=wide, press=stack, things=low).says
    )


def test_a_recipe_that_does_not_say_for_which_mould_is_shown_as_written():
    recipe, step, sheet = at_step("thatch", "press-light")
    bare = replace(recipe, wheels=None)
    at = InMoulds(Mould(sort="pressing", across_cm=30.0, height_cm=11.0), 1, stacked=True)
    found = pressing(
        bare, step, replace(sheet, moved=type(sheet.moved)()), moulds=at, press=None, things=()
    )
    assert found.load.value == step.load_kg and found.as_written_kg == step.load_kg


def test_a_cold_curd_is_said_and_a_warm_one_is_not():
    assert "knits badly" in cold_says(24.0, None, HOUSE)[0]
    assert "under 20" in cold_says(None, 17.0, HOUSE)[0]
    assert cold_says(30.0, 22.0, HOUSE) == () == cold_says(None, None, HOUSE)


@pytest.mark.parametrize(
    ("key", "first"),
    [
        ("threshing-cheddar", "salt"),
        ("hatch", "mould"),  # its press under the whey is in the vat
        ("pond-white", "ladle"),  # its salt is in the milk
        ("gatepost", "mould"),
        ("skillet", None),
        ("slow-skein", None),
    ],
)
def test_a_make_comes_to_the_station_with_its_moulds_or_its_salt_or_walks_past(key, first):
    recipe = RECIPES[key]
    begins = begins_at(recipe)
    assert (recipe.steps[begins].key if begins is not None else None) == first
    assert is_at_press(recipe, recipe.steps[-1]) == (first is not None)


def test_a_cheese_that_goes_back_into_its_hot_whey_goes_back_to_the_vat():
    slab = RECIPES["millrace-slab"]
    there = {step.key: is_at_press(slab, step) for step in slab.steps}
    assert there["press"] and there["salt"] and not there["cook"]


@given(st.floats(0.85, 1.15))
def test_as_much_more_as_it_weighs_is_water(share):
    recipe, sheet = RECIPES["larder-block"], sheet_of()
    water = expected_moisture(recipe, sheet)
    found = yielded(recipe, sheet, share * sheet.cheese.value)
    solids = (1 - found.moisture_pct.value / 100) * found.kg
    assert solids == pytest.approx((1 - water) * sheet.cheese.value)
    assert not found.cannot_be
    assert replay(found.moisture_pct.because) == pytest.approx(found.moisture_pct.value)


@pytest.mark.parametrize("share", [0.4, 2.2])
def test_a_cheese_lighter_than_its_solids_or_all_water_cannot_be(share):
    recipe, sheet = RECIPES["larder-block"], sheet_of()
    assert yielded(recipe, sheet, share * sheet.cheese.value).cannot_be
