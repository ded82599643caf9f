"""Which can I make? What fits, what nearly does and why, with the oldest milk first."""

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.bench.ratio import check
from openpail.craft.cave.rooms import Room, Stay, taken_places
from openpail.craft.clock.gear import Gear
from openpail.craft.clock.spans import HANDS, first_from
from openpail.craft.doses.asked import Ways
from openpail.craft.figure import Figure
from openpail.craft.stock.learning import Learnt
from openpail.craft.stock.products import Product
from openpail.craft.which import AtHand, OnHand, VatAt, choose, in_order
from tests.support import HOUSE, RECIPES, one_pour

POT, VAT = VatAt(name="pot", brim_l=14.0), VatAt(name="vat", brim_l=110.0)
THERE = AtHand(
    vats=(POT, VAT),
    left={},
    taken={},
    begin=0,
    day_ends=960,
    house=HOUSE,
    ways=Ways(),
    day=date(2026, 5, 4),
)
CHEDDAR, WHEEL, CURD = (RECIPES[k] for k in ("larder-block", "steading-wheel", "bench-curd"))


PRESS, BASKET = (
    Gear(kind="press", name="lever"),
    Gear(kind="mould", name="basket", count=4, holds_kg=2.0, follower=False),
)
FULL = Stay(place="cave, the damp end", begins=date(2026, 4, 1), ends=None, pieces=3)


def at_home(recipe):
    """A lot of the stock for all that a recipe asks."""
    return {each.key: replace(each.product, lot=each.key) for each in recipe.ingredients}


def on_hand(breed, litres, hours=4.0, treatment="raw", **more):
    verdict, kind = more.get("verdict", "fit"), more.get("kind", "milk")
    return OnHand(pour=one_pour(breed, treatment, litres), kind=kind, hours=hours, verdict=verdict)


def asked(recipe, *milks, bottles=None, **more):
    return choose(
        recipe, milks, at_home(recipe) if bottles is None else bottles, replace(THERE, **more)
    )


def test_what_fits_uses_its_own_animals_milk_the_oldest_first():
    milks = (on_hand("cow_lowland", 20, 3), on_hand("goat", 30, 50), on_hand("cow_lowland", 15, 40))
    found = asked(CHEDDAR, *milks)
    assert (found.answer, found.against) == ("fits", ())
    assert found.litres == (20, 0, 15) and found.oldest_h == 40
    assert found.vat == "vat" and first_from(found.starts, 0) == 0
    small = asked(CHEDDAR, *milks, vats=(VatAt(name="kettle", brim_l=36.0),))
    assert small.litres[2] == 15 and sum(small.litres) == pytest.approx(0.85 * 36)
    assert asked(CURD, on_hand("cow_lowland", 9)).vat == "pot"


@pytest.mark.parametrize(
    ("milks", "more", "answer", "words"),
    [
        ((), {}, "not", "no milk for it"),
        ((on_hand("cow_lowland", 30, verdict="not for cheese"),), {}, "not", "no milk for it"),
        ((on_hand("cow_lowland", 30, kind="cream"),), {}, "not", "no milk for it"),
        ((on_hand("goat", 30),), {}, "nearly", "written for cow; the shelf has goat’s"),
        ((on_hand("cow_lowland", 4),), {}, "nearly", "4.0 L is little: it is written for 25 L"),
        ((on_hand("cow_lowland", 30),), {"bottles": {}}, "nearly", "no rennet of its sort"),
        ((on_hand("cow_lowland", 30),), {"left": {"rennet": 0.5}}, "nearly", "0.5 left"),
        ((on_hand("cow_lowland", 30),), {"taken": {HANDS: [(0, 960)]}}, "nearly", "no start"),
        ((on_hand("cow_lowland", 30),), {"taken": {"vat": [(0, 2000)]}}, "nearly", "no start"),
        ((on_hand("cow_lowland", 30),), {"gear": (BASKET,)}, "nearly", "the dairy lists none"),
        ((on_hand("cow_lowland", 30),), {"gear": (PRESS, BASKET)}, "nearly", "with a follower"),
        (
            (on_hand("cow_lowland", 30),),
            {"rooms": taken_places((FULL,), (Room(name="cave", holds=3),))},
            "nearly",
            "no room in the cave on 8 May: 3 of 3 places",
        ),
        ((on_hand("cow_lowland", 30),), {"vats": ()}, "not", ""),
    ],
)
def test_what_does_not_fit_says_what_is_missing(milks, more, answer, words):
    found = asked(CHEDDAR, *milks, **more)
    assert found.answer == answer
    assert any(words in each for each in found.against)


def test_a_bottle_that_its_makes_taught_weaker_is_asked_for_more():
    milk = on_hand("cow_lowland", 30)
    plain = asked(CHEDDAR, milk).sheet.line("rennet")
    weaker = asked(CHEDDAR, milk, taught={"rennet": Learnt(0.8, 4)}).sheet.line("rennet")
    assert weaker.figure.value == pytest.approx(plain.figure.value / 0.8)
    left = {"rennet": 1.1 * plain.figure.value}  # enough by its label only
    assert asked(CHEDDAR, milk, left=left).answer == "fits"
    short = asked(CHEDDAR, milk, left=left, taught={"rennet": Learnt(0.8, 4)})
    assert short.answer == "nearly" and "too little rennet" in short.against[0]


def test_a_stronger_stove_ends_sooner_and_a_start_in_the_last_night_known_is_none():
    milk = on_hand("cow_lowland", 30)
    power = Figure.start("kW", 9.0, "kW", "measured")
    quick = asked(CHEDDAR, milk, vats=(replace(VAT, power=power),), until=1440)
    slow = asked(CHEDDAR, milk, vats=(VAT,), until=1440)
    assert quick.starts[0][1] > slow.starts[0][1]  # it may begin later and be done in time
    assert asked(CHEDDAR, milk, until=300).answer == "nearly"


def test_ultra_heated_milk_is_left_to_acid_and_heat():
    carton = on_hand("cow_lowland", 12, treatment="ultra_heated", verdict="not for rennet cheese")
    assert asked(CHEDDAR, carton).answer == "not"
    assert asked(CURD, carton).answer == "fits"


def test_milk_that_is_only_to_be_boiled_goes_into_an_acid_curd_and_raw_into_none_that_is_heated():
    old = on_hand("cow_lowland", 12, 100, verdict="boiled acid-and-heat only")
    for recipe in (CHEDDAR, RECIPES["wrenfold-log"], RECIPES["second-pot"]):
        assert asked(recipe, old).answer == "not"
    assert asked(CURD, old).answer == "fits"
    raw, heated = on_hand("cow_lowland", 20, 9), on_hand("cow_lowland", 20, 5, treatment="flash")
    assert asked(CHEDDAR, heated, raw).litres == (0, 20)
    assert asked(CHEDDAR, heated, replace(raw, hours=2)).litres == (20, 0)


def test_a_ratio_is_kept_and_an_animal_that_is_missing_is_named():
    milks = (on_hand("cow_lowland", 40, 3), on_hand("goat", 9, 30), on_hand("sheep", 10, 60))
    found = asked(WHEEL, *milks)
    assert found.answer == "fits" and found.litres[2] == 0
    parts = zip(milks, found.litres, strict=True)
    pours = [one_pour(milk.pour.breed, "raw", part) for milk, part in parts if part]
    assert check(WHEEL.ratio, pours, (), HOUSE).ok
    missing = asked(WHEEL, milks[0])
    assert missing.answer == "not" and "goat" in missing.against[0]


def test_a_free_vat_is_taken_before_one_that_is_busy():
    milk = on_hand("cow_lowland", 10)
    vats = (POT, VAT)
    assert asked(CURD, milk, vats=vats).vat == "pot"
    assert asked(CURD, milk, vats=vats, taken={"pot": [(0, 300)]}).vat == "vat"


def test_whey_is_for_whey_cheese_and_colour_is_not_missed():
    whey = on_hand("cow_lowland", 20, kind="whey")
    assert asked(CHEDDAR, whey).answer == "not"
    without = {k: v for k, v in at_home(RECIPES["threshing-cheddar"]).items() if k != "colour"}
    assert (
        asked(RECIPES["threshing-cheddar"], on_hand("cow_lowland", 30), bottles=without).answer
        == "fits"
    )
    none = Product(kind="rennet", name="none", strength=200, lot="rennet")
    assert asked(CHEDDAR, on_hand("cow_lowland", 30), bottles={"rennet": none}).answer == "nearly"


litres, ages = st.floats(0.5, 60), st.floats(0, 90)
shelves = st.lists(
    st.builds(on_hand, st.sampled_from(["cow_lowland", "goat", "sheep", "buffalo"]), litres, ages),
    max_size=4,
)


@given(shelves)
def test_no_more_is_poured_than_there_is_and_the_order_is_kept(milks):
    found = in_order([asked(recipe, *milks) for recipe in (CHEDDAR, WHEEL, CURD)])
    ranks = [("fits", "nearly", "not").index(each.answer) for each in found]
    assert ranks == sorted(ranks)
    fits = [each for each in found if each.answer == "fits"]
    assert [each.oldest_h for each in fits] == sorted((e.oldest_h for e in fits), reverse=True)
    for each in found:
        assert bool(each.sheet) == (each.answer != "not")
        for milk, part in zip(milks, each.litres, strict=False):
            assert 0 <= part <= milk.pour.volume_l + 1e-6
        assert sum(each.litres) <= 0.85 * 110 + 1e-6


def test_fit_milk_goes_in_first_and_what_wants_a_caution_only_fills_up():
    old = replace(on_hand("cow_lowland", 10), hours=70.0, verdict="fit with a caution")
    fresh = replace(on_hand("cow_lowland", 400), hours=10.0)
    full = asked(CHEDDAR, old, fresh).litres
    assert full[0] == 0 and full[1] > 20
    little = asked(CHEDDAR, old, replace(on_hand("cow_lowland", 15), hours=10.0)).litres
    assert little[1] == pytest.approx(15.0) and 0 < little[0] <= 10
