"""Rennet beside the sheet: the strength test at home, and what flocculation times teach."""

import random
from dataclasses import replace
from math import exp, log

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import replay
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.sheet.adapt import adapt
from openpail.craft.stock import soxhlet
from openpail.craft.stock.learning import FlocksSeen, Learnt, differs, learn
from openpail.craft.stock.products import Product
from tests.support import HOUSE, RECIPES, job_for, one_pour

LARDER = RECIPES["larder-block"]


@given(st.floats(1000, 50_000), st.floats(100, 2000), st.floats(0.05, 5))
def test_a_strength_found_at_home_gives_its_own_time_back(strength, milk_ml, rennet_ml):
    seconds = milk_ml * 2400 / (rennet_ml * strength)
    if not 20 <= seconds <= 3600:
        with pytest.raises(OutOfRange, match="first flocks"):
            soxhlet.strength(milk_ml, rennet_ml, seconds)
        return
    found = soxhlet.strength(milk_ml, rennet_ml, seconds)
    assert found == pytest.approx(strength)

    def dose(milk, celsius):
        told = soxhlet.dose_ml(found, milk, seconds, celsius, HOUSE)
        assert replay(told.because) == pytest.approx(told.value)
        return told.value

    assert dose(milk_ml, 35) == pytest.approx(rennet_ml)
    assert dose(milk_ml, 30) > rennet_ml  # cooler asks for more
    assert dose(2 * milk_ml, 35) == pytest.approx(2 * rennet_ml)


@pytest.mark.parametrize(
    ("call", "words"),
    [
        (lambda: soxhlet.strength(10, 0.5, 140), "cup of milk, 10 mL"),
        (lambda: soxhlet.strength(500, 0, 140), "rennet in it, 0 mL"),
        (lambda: soxhlet.strength(500, 0.5, 5), "first flocks, 5 s"),
        (lambda: soxhlet.dose_ml(0, 500, 600, 35, HOUSE), "each over 0"),
        (lambda: soxhlet.dose_ml(10_000, 500, 600, 50, HOUSE), "between 20 and 45"),
        (lambda: soxhlet.imcu_per_ml(10, HOUSE), "not one we know"),
    ],
)
def test_a_test_at_home_that_cannot_be_is_refused(call, words):
    with pytest.raises(OutOfRange, match=words):
        call()


def test_a_label_of_one_to_ten_thousand_is_about_135_imcu():
    assert soxhlet.imcu_per_ml(10_000, HOUSE) == 135
    assert soxhlet.imcu_per_ml(15_000, HOUSE) == pytest.approx(202.5)


def makes(chance, strengths, herds, count, noise=0.08):
    """Makes of bottles of these true strengths with milk of herds that set so."""
    for _ in range(count):
        bottle, herd = chance.choice(sorted(strengths)), chance.choice(sorted(herds))
        k = herds[herd] / strengths[bottle] * exp(chance.gauss(0, noise))
        yield FlocksSeen(herd=herd, bottle=bottle, observed_min=15.0 * k, expected_min=15.0)


@settings(max_examples=15)
@given(st.integers(0, 10**9), st.floats(0.7, 1.4))
def test_a_bottles_true_strength_is_learnt_under_noise(seed, strength):
    strengths = {"old": strength, "new": 1.0, "third": 1.0}
    chance = random.Random(seed)
    seen = list(makes(chance, strengths, {"goats": 1.0, "cows": 1.0}, 240))
    bottles = learn(seen, HOUSE).bottles
    against = bottles["old"].factor / bottles["new"].factor
    assert against == pytest.approx(strength, rel=0.08)
    assert sum(each.makes for each in bottles.values()) == 240


def test_a_herd_that_sets_slowly_does_not_condemn_every_bottle():
    chance = random.Random(5)
    strengths = {f"bottle {i}": 1.0 for i in range(6)}
    lessons = learn(makes(chance, strengths, {"ewes": 1.3}, 120, 0.03), HOUSE)
    assert lessons.herds["ewes"].factor > 1.2
    for bottle in lessons.bottles.values():
        assert bottle.factor == pytest.approx(1.0, abs=0.08)
        assert not differs(bottle, HOUSE)


@given(st.floats(0.05, 20))
def test_one_make_never_swings_a_bottle_over_its_bound(k):
    lessons = learn(
        [FlocksSeen(herd="goats", bottle="bottle", observed_min=15 * k, expected_min=15)], HOUSE
    )
    assert abs(log(lessons.bottles["bottle"].factor)) <= log(2) / 3 + 1e-9
    assert lessons.bottles["bottle"].makes == 1
    assert not differs(lessons.bottles["bottle"], HOUSE)


@given(
    st.lists(
        st.tuples(st.sampled_from("ab"), st.sampled_from("xyz"), st.floats(0.6, 1.7)), max_size=20
    ),
    st.randoms(use_true_random=False),
)
def test_the_order_of_makes_teaches_nothing(rows, chance: random.Random):
    seen = [
        FlocksSeen(herd=herd, bottle=bottle, observed_min=15 * k, expected_min=15)
        for herd, bottle, k in rows
    ]
    here, there = learn(seen, HOUSE), learn(chance.sample(seen, len(seen)), HOUSE)
    for name, learnt in here.bottles.items():
        assert there.bottles[name].factor == pytest.approx(learnt.factor, rel=1e-6)
    assert learn([], HOUSE).bottles == {}
    assert (
        learn([FlocksSeen(herd="a", bottle="x", observed_min=0, expected_min=15)], HOUSE).herds
        == {}
    )


def test_a_bottle_is_told_from_three_makes_and_fifteen_per_cent_on():
    assert not differs(Learnt(0.7, 2), HOUSE)
    assert differs(Learnt(0.8, 3), HOUSE)
    assert differs(Learnt(1.2, 9), HOUSE)
    assert not differs(Learnt(0.9, 30), HOUSE)


WITHOUT = replace(
    LARDER,
    ingredients=tuple(i for i in LARDER.ingredients if i.product.kind != "calcium"),
    reference=(replace(LARDER.reference[0], treatment="raw"),),
)


def sheet_of(recipe, pour, **more):
    return adapt(replace(job_for("larder-block", pour, **more), recipe=recipe))


def test_a_recipe_without_calcium_still_gives_it_to_a_milk_that_lacks_it():
    flash = sheet_of(WITHOUT, one_pour("cow_lowland", "flash"))
    line = flash.line("calcium")
    assert line.active.value == pytest.approx(0.10 * one_pour("cow_lowland").mass.value, rel=0.01)
    assert replay(line.figure.because) == pytest.approx(line.figure.value)
    assert line.in_words == "The recipe’s own milk needs none; this milk does."
    assert "never" in line.at_vat
    assert sheet_of(WITHOUT, one_pour("cow_lowland")).line("calcium") is None
    lactic = replace(WITHOUT, family="lactic")
    assert sheet_of(lactic, one_pour("cow_lowland", "flash")).line("calcium") is None


def test_rennet_far_from_the_recipes_asks_for_a_word():
    usual = sheet_of(LARDER, one_pour())
    assert usual.asks == ()
    sour = sheet_of(LARDER, one_pour("sheep", test=MilkTest(ph=6.1)))
    assert "0.3 times the recipe’s" in sour.asks[0] or "0.4 times" in sour.asks[0]
    cold = sheet_of(LARDER, one_pour("cow_lowland"), renneting_c=24.0)
    assert "times the recipe’s in each kg" in cold.asks[0]
    weak = Product(kind="rennet", name="weak bottle", strength=50)
    assert sheet_of(LARDER, one_pour(), bottles={"rennet": weak}).asks == ()  # more mL, not IMCU
