"""Whey: what a make leaves in it, what comes of it, and what it must not be taken for."""

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from openpail.craft.doses.how_to_add import manner
from openpail.craft.errors import NotPossible, OutOfRange, Unknown
from openpail.craft.figure import Figure, replay
from openpail.craft.make import frozen
from openpail.craft.make.salting import salt_held, salt_in_whey_g
from openpail.craft.make.standing import Done, Standing
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.milk.slip import HerdMean, composition
from openpail.craft.recipe.recipe import Band, as_pour, reference_pours
from openpail.craft.recipe.yields import ACID_HEAT, left_in_whey, per_100kg
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.cautions import for_sheet, is_soft
from openpail.craft.sheet.moves import moved
from openpail.craft.sheet.washed import planned_water_kg
from openpail.formats.recipe_file import write
from tests.conftest import NOW
from tests.support import HOUSE, RECIPES, job_for, one_pour

POT = RECIPES["second-pot"]
FAMILIES = ("cheddared", "bloomy", "alpine", "white_brined", "acid_heat_soft", "washed_curd")
fats, caseins, wheys = st.floats(1, 9), st.floats(1.8, 5.5), st.floats(0.3, 1.6)


@given(st.sampled_from(FAMILIES), fats, caseins, wheys, st.floats(5, 200), st.floats(0, 0.4))
def test_what_the_cheese_does_not_keep_runs_off_with_the_whey(
    family, fat, casein, whey, milk_kg, washed
):
    water = washed * milk_kg
    made_of = [Figure.start(name, value, "%") for name, value in (("fat", fat), ("casein", casein))]
    cheese = per_100kg(family, *made_of, house=HOUSE, whey_protein_pct=whey).value * milk_kg / 100
    if cheese >= milk_kg + water:
        with pytest.raises(OutOfRange, match="no whey"):
            left_in_whey(
                family,
                fat,
                casein,
                protein_pct=casein + whey,
                milk_kg=milk_kg,
                cheese_kg=cheese,
                house=HOUSE,
                water_kg=water,
            )
        return
    kg, fat_in, protein_in, casein_in = left_in_whey(
        family,
        fat,
        casein,
        protein_pct=casein + whey,
        milk_kg=milk_kg,
        cheese_kg=cheese,
        house=HOUSE,
        water_kg=water,
    )
    assert kg + cheese == pytest.approx(milk_kg + water)
    kept = HOUSE.number(f"yield.{family}.rf")
    assert fat_in * kg == pytest.approx((1 - kept) * fat * milk_kg)
    caught = HOUSE.number("yield.whey_protein") if family in ACID_HEAT else 0.0
    assert (protein_in - casein_in) * kg == pytest.approx((1 - caught) * whey * milk_kg)


def test_a_family_without_a_yield_leaves_nothing_known():
    with pytest.raises(Unknown, match="“rubber”"):
        left_in_whey("rubber", 4, 2.7, protein_pct=3.3, milk_kg=20, cheese_kg=2, house=HOUSE)


def test_a_whey_cheese_leaves_a_whey_of_less():
    kg, fat, protein, casein = left_in_whey(
        "whey", 0.3, 0.1, protein_pct=0.9, milk_kg=20, cheese_kg=1.2, house=HOUSE
    )
    assert kg == pytest.approx(18.8) and casein == 0
    assert 0 <= fat * kg <= 0.3 * 20 and 0 < protein * kg < 0.9 * 20


@given(st.floats(0, 3), st.floats(0, 2))
def test_whey_cheese_grows_with_protein_and_fat_and_tells_why(protein, fat):
    def of(protein, fat):
        of_fat, casein = Figure.start("fat", fat, "%"), Figure.start("casein", 0.05, "%")
        return per_100kg("whey", of_fat, casein, house=HOUSE, whey_protein_pct=protein)

    figure = of(protein, fat)
    assert replay(figure.because) == pytest.approx(figure.value)
    assert of(protein + 0.5, fat + 0.1).value > figure.value > 0


def kept_whey(breed, fat, protein):
    """A pail of whey whose make was known."""
    made_of = composition(
        breed,
        MilkTest(),
        HOUSE,
        herd={
            "fat": HerdMean(fat, 0.1, 0),
            "protein": HerdMean(protein, 0.1, 0),
            "casein": HerdMean(0.05, 0.02, 0),
        },
        kind="whey",
    )
    part = replace(POT.reference[0], breed=breed)
    return replace(as_pour(part, HOUSE), milk=made_of)


def test_the_whey_of_ewes_gives_twice_that_of_cows():
    cow, ewe = kept_whey("cow_lowland", 0.3, 0.75), kept_whey("sheep", 0.6, 1.6)
    assert cow.milk.fat.known == "worked out" and cow.milk.fat.rests_on_assumed
    assert "its make left in it" in cow.milk.protein.because[0].label
    ours, theirs = (adapt(job_for("second-pot", each)) for each in (ewe, cow))
    assert 1.6 < ours.cheese.value / theirs.cheese.value < 3
    assert 3 < 100 * theirs.cheese.value / cow.mass.value < 7
    for line in ours.lines:
        assert replay(line.figure.because) == pytest.approx(line.figure.value)


def test_milk_is_not_taken_for_whey_nor_whey_for_milk():
    with pytest.raises(NotPossible, match="this is milk"):
        adapt(job_for("second-pot", one_pour()))
    for key in ("larder-block", "bench-curd", "wrenfold-log"):
        with pytest.raises(NotPossible, match="holds no curd"):
            adapt(job_for(key, kept_whey("goat", 0.4, 0.9)))


def test_raw_whey_is_safe_by_its_heat_only_and_its_acid_goes_into_it_hot():
    milk = job_for("second-pot", *reference_pours(POT, HOUSE)).milk
    assert milk.numbers.is_raw and not is_soft(POT, milk, HOUSE)
    day = date(2026, 5, 4)
    told = [each.key for each in for_sheet(POT, milk, (), products=(), made_on=day, house=HOUSE)]
    assert {"fresh", "raw-heated"} <= set(told) and not {"raw", "raw-soft"} & set(told)
    lukewarm = replace(
        POT, steps=tuple(replace(s, celsius=s.celsius and Band(60, 58, 62)) for s in POT.steps)
    )
    told = [
        each.key for each in for_sheet(lukewarm, milk, (), products=(), made_on=day, house=HOUSE)
    ]
    assert "raw-soft" in told and is_soft(lukewarm, milk, HOUSE)
    acid = POT.ingredient("acid").product
    assert "hot" in manner(acid, "whey").when and "12 °C" in manner(acid, "stretched_quick").when


@pytest.mark.parametrize("key", sorted(RECIPES))
@given(times=st.floats(0.5, 3), curd=st.floats(0.7, 1.3))
@settings(max_examples=5)
def test_what_went_into_a_make_is_in_its_cheese_and_its_whey(key, times, curd):
    recipe = RECIPES[key]
    pours = (replace(e, litres=times * e.litres) for e in reference_pours(recipe, HOUSE))
    job = job_for(key, *pours)
    sheet, milk_kg = adapt(job), job.milk.mass.value
    water = planned_water_kg(moved(recipe, sheet.moved.moves), milk_kg, HOUSE)
    assert (water > 0) == any(e.kind == "add water" for e in recipe.steps)
    assert sheet.whey.value + sheet.cheese.value == pytest.approx(milk_kg + water)
    kept = frozen.freeze(job, sheet, (), document=write(recipe))
    standing = Standing(done={e.key: Done("x", NOW) for e in recipe.steps})
    cheese = curd * sheet.cheese.value
    held = salt_held(recipe, kept, standing, cheese, ()).value / 100 * cheese * 1000
    off = salt_in_whey_g(recipe, kept, standing, cheese)
    went_in = fell_off = 0.0
    for each in recipe.ingredients:
        step = next((e for e in recipe.steps if each.key in e.adds), None)
        if each.product.kind == "salt" and step:
            went_in += kept.line(each.key).figure.value
            if each.basis == "percent_of_cheese" and step.kind == "salt":  # onto the board
                lost = 1 - HOUSE.number("salt.rind_stays")
                fell_off += lost * kept.line(each.key).figure.value
    assert held + off + fell_off == pytest.approx(went_in, rel=1e-6, abs=1e-6)
