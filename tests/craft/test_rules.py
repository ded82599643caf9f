"""Fitness, safety, the clock, care plans, spoons: the rules beside the doses."""

import itertools
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.bench.vat import check_room, level_cm
from openpail.craft.doses.spoons import SPOONS, by_spoon
from openpail.craft.errors import NotPossible, OutOfRange, Unknown
from openpail.craft.house import House, along, shipped
from openpail.craft.make.day import on_the_clock
from openpail.craft.make.deeds import Amended, FirstFlocks, ReadingTaken, StepDone, Told, Undone
from openpail.craft.make.fold import fold, standing_deeds
from openpail.craft.make.slow_acid import AcidReading, slow_acid
from openpail.craft.milk.blend import pour
from openpail.craft.milk.density import mass_of
from openpail.craft.milk.fitness import Keeping, judge
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.milk.slip import composition
from openpail.craft.recipe.steps import laid_out
from openpail.craft.recipe.yields import family_mffb
from openpail.craft.sheet.cautions import for_sheet
from openpail.craft.units import TEASPOON_ML
from tests.support import HOUSE, RECIPES, one_pour

DAY = date(2026, 5, 4)
T0 = datetime(2026, 5, 4, 7, 0, tzinfo=UTC)


@pytest.mark.parametrize(
    ("kept", "test", "verdict", "words"),
    [
        (Keeping(treatment="raw", hours=3, holding="cold"), MilkTest(), "fit", ""),
        (
            Keeping(treatment="raw", hours=50, holding="cold"),
            MilkTest(),
            "fit with a caution",
            "use it today",
        ),
        (
            Keeping(treatment="raw", hours=119, holding="cold"),
            MilkTest(),
            "boiled acid-and-heat only",
            "boiled today",
        ),
        (
            Keeping(treatment="raw", hours=121, holding="cold"),
            MilkTest(),
            "not for cheese",
            "5 days cold: too old",
        ),
        (
            Keeping(treatment="raw", hours=5, holding="warm"),
            MilkTest(),
            "fit with a caution",
            "warm, over 15",
        ),
        (
            Keeping(treatment="raw", hours=7, holding="warm"),
            MilkTest(),
            "not for cheese",
            "discard it",
        ),
        (
            Keeping(treatment="batch", hours=120, holding="cold"),
            MilkTest(),
            "fit with a caution",
            "5 days",
        ),
        (
            Keeping(treatment="batch", hours=200, holding="cold"),
            MilkTest(),
            "not for cheese",
            "too old",
        ),
        (
            Keeping(treatment="ultra_heated", hours=900, holding="cold"),
            MilkTest(),
            "not for rennet cheese",
            "no culture",
        ),
        (
            Keeping(treatment="raw", hours=2, holding="cold"),
            MilkTest(residue_found=True),
            "not for cheese",
            "residue",
        ),
        (
            Keeping(treatment="raw", hours=2, holding="cold", withdrawal=True),
            MilkTest(),
            "not for cheese",
            "withdrawal",
        ),
        (
            Keeping(treatment="raw", hours=2, holding="cold", off_smell=True),
            MilkTest(),
            "not for cheese",
            "smells off",
        ),
        (
            Keeping(treatment="raw", hours=2, holding="cold"),
            MilkTest(ph=6.39),
            "boiled acid-and-heat only",
            "Milk so young and so sour means the meter",
        ),
        (
            Keeping(treatment="raw", hours=2, holding="cold"),
            MilkTest(cells_per_ml=2e6),
            "fit with a caution",
            "2 000 000",
        ),
    ],
)
def test_fitness_of_goats_milk(kept, test, verdict, words):
    fitness = judge(kept, test, "goat", HOUSE)
    assert fitness.verdict == verdict
    assert words in " ".join(reason.words for reason in fitness.reasons)


def cautions(recipe, pours, test=None, hours=2.0, own=True):
    blend = pour(pours, HOUSE)
    lots = [
        (
            each.name,
            judge(
                Keeping(treatment=each.treatment, hours=hours, holding="cold"),
                test or MilkTest(),
                each.species,
                HOUSE,
            ),
            own,
        )
        for each in pours
    ]
    products = [each.product for each in RECIPES[recipe].ingredients]
    return {
        c.key: c
        for c in for_sheet(
            RECIPES[recipe], blend, lots, products=products, made_on=DAY, house=HOUSE
        )
    }


def test_raw_milk_is_cautioned_with_its_sixty_day_date_and_pasteurised_is_not():
    raw = cautions("larder-block", (one_pour(),))
    assert raw["raw"].level == "caution"
    assert "3 Jul" in raw["raw"].words
    flash = cautions("larder-block", (one_pour(treatment="flash"),))
    assert "raw" not in flash
    assert flash["declared"].level == "caution"
    shop = cautions("larder-block", (one_pour(treatment="flash"),), own=False)
    assert shop["declared-shop"].level == "note"


def test_any_share_of_raw_milk_makes_the_vat_raw():
    mixed = cautions("larder-block", (one_pour(treatment="flash"), one_pour(litres=0.5)))
    assert "raw" in mixed


def test_stops_are_stops_and_a_residue_is_a_hard_one():
    residue = cautions("larder-block", (one_pour(),), MilkTest(residue_found=True))["unfit"]
    assert (residue.level, residue.hard) == ("stop", True)
    old = cautions("larder-block", (one_pour(),), hours=121.0)["unfit"]
    assert (old.level, old.hard) == ("stop", False)  # an age: a written word lifts it
    ultra = (one_pour(treatment="ultra_heated"),)
    assert cautions("larder-block", ultra)["ultra"].hard
    assert "ultra" not in cautions("bench-curd", ultra)
    assert "hot" in cautions("bench-curd", ultra)


def test_a_raw_soft_cheese_is_never_cleared_and_wants_fresher_milk():
    bloomy = replace(RECIPES["larder-block"], family="bloomy")
    for hours, said in ((10.0, False), (30.0, True)):
        blend = pour((one_pour(hours_cold=hours),), HOUSE)
        found = {
            c.key: c for c in for_sheet(bloomy, blend, [], products=[], made_on=DAY, house=HOUSE)
        }
        assert found["raw-soft"].level == "strong caution"
        assert "No age clears this" in found["raw-soft"].words
        assert "fresh" in found and "raw" not in found
        assert ("raw-soft-age" in found) == said


def test_a_hard_block_is_not_soft():
    assert family_mffb("stirred_curd", 4.0, 2.7, HOUSE) < 67
    assert family_mffb("bloomy", 3.9, 2.6, HOUSE) > 67


@pytest.mark.parametrize(
    ("family", "ph", "hours", "says"),
    [
        ("stirred_curd", 6.1, 7.9, False),
        ("stirred_curd", 6.1, 8.0, True),
        ("stirred_curd", 5.7, 9.0, False),
        ("alpine", 5.95, 10.0, True),
        ("alpine", 5.85, 30.0, True),
        ("washed_curd", 5.7, 24.0, True),
        ("tomme", 5.8, 26.0, True),
        ("tomme", 5.4, 26.0, False),
        ("blue", 6.2, 14.0, True),
        ("blue", 5.7, 14.0, False),
        ("lactic", 5.2, 24.0, False),
        ("acid_heat_soft", 6.5, 30.0, False),
    ],
)
def test_slow_acid_by_family(family, ph, hours, says):
    caution = slow_acid(
        replace(RECIPES["larder-block"], family=family),
        [AcidReading(6.5, 1), AcidReading(ph, hours)],
        HOUSE,
    )
    assert (caution is not None) == says
    if caution:
        assert caution.level == "stop"
        assert "survives cooking" in caution.words


@given(st.floats(0.03, 40), st.booleans())
def test_spoons_are_few_and_never_worse_than_the_nearest_one(ml, drops):
    found = by_spoon(ml, one_drop_ml=0.05 if drops else 0.0)
    if found is None:
        assert ml > 9 * TEASPOON_ML
        return
    nearest = min(abs(size * TEASPOON_ML - ml) for _, size in SPOONS)
    assert abs(found.ml - ml) <= nearest + 1e-9
    assert found.words.count("+") <= 2
    assert found.error == pytest.approx(found.ml / ml - 1)


@given(st.floats(0, 60), st.floats(0.5, 200))
def test_weight_follows_density_and_refuses_heat(celsius, litres):
    milk = composition("cow_lowland", MilkTest(), HOUSE)
    mass = mass_of(litres, celsius, milk).value
    assert 1.0 < mass / litres < 1.06
    with pytest.raises(OutOfRange, match="between 0 and 60"):
        mass_of(litres, 70, milk)


def test_a_vat_too_small_is_refused_with_what_it_takes():
    check_room(30.6, 36, "kettle", HOUSE)
    with pytest.raises(NotPossible, match="with head room it takes 30.6 L"):
        check_room(30.7, 36, "kettle", HOUSE)
    assert level_cm(26.0, 36.0) == pytest.approx(25.54, abs=0.01)


def told(number, deed, minute, amends=None):
    return Told(id=str(number), deed=deed, happened=T0 + timedelta(minutes=minute), amends=amends)


def done(number, step, minute):
    return told(number, StepDone(step=step), minute)


def day(deeds, minute, **more):
    standing = fold(RECIPE, deeds)
    now = T0 + timedelta(minutes=minute)
    return on_the_clock(PLANNED, standing, started=T0, now=now, **more)


RECIPE = RECIPES["larder-block"]
PLANNED = laid_out(RECIPE, 10.0, 30.0)


def test_the_plan_lays_steps_end_to_end_with_the_sets_own_length():
    by_key = {each.step.key: each for each in PLANNED}
    assert by_key["flocks"].minutes == 10
    assert by_key["set"].minutes == 20
    for before, after in itertools.pairwise(PLANNED):
        assert after.start_min == pytest.approx(before.end_min)


def test_a_late_step_moves_all_that_follows_and_the_first_plan_stays_beside_it():
    state = day([done(1, "warm", 50)], 51)
    assert state.current.planned.step.key == "culture"
    assert state.current.begins == T0 + timedelta(minutes=50)
    assert state.current.was_to_begin == T0 + timedelta(minutes=35)
    overdue = day([], 90)
    assert overdue.steps[1].begins == T0 + timedelta(minutes=90)


def test_flocks_seen_move_the_cut_to_their_multiple():
    taps = [("warm", 30), ("culture", 38), ("ripen", 80), ("calcium", 85), ("rennet", 86)]
    said = [done(i, key, minute) for i, (key, minute) in enumerate(taps)]
    state = day([*said, told(8, FirstFlocks(), 100)], 101, cut_multiplier=3.0)
    assert state.standing.flocks_min == pytest.approx(14)
    assert state.current.planned.step.key == "set"
    assert state.current.ends == T0 + timedelta(minutes=86 + 42)


def test_an_undo_takes_back_an_amendment_mends_and_order_of_arrival_is_nothing():
    said = [
        told(1, ReadingTaken(celsius=31.0), 5),
        told(2, ReadingTaken(celsius=13.0), 9),
        told(3, Amended({"celsius": 33.0}), 12, "2"),
        told(4, ReadingTaken(ph=6.5), 10),
        told(5, Undone(), 11, "4"),
    ]
    for order in (said, said[::-1], said * 2):
        readings = fold(RECIPE, order).readings
        assert [(r.celsius, r.amended) for r in readings] == [(31.0, False), (33.0, True)]
    assert len(standing_deeds(said)) == 2


def test_every_house_value_lies_in_its_own_range_and_says_what_it_is():
    for key, each in shipped().items():
        values = [y for _, y in each.value] if isinstance(each.value, tuple) else [each.value]
        assert all(each.low <= value <= each.high for value in values), key
        assert each.words.endswith(".") and each.unit and each.source
    with pytest.raises(Unknown, match="no house value"):
        House().number("rennet.magic")
    assert along(((0, 1), (10, 3)), 5) == 2
