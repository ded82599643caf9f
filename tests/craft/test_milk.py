"""What a slip is worth: measured, worked out, the herd's, the table's; herds and their year."""

from dataclasses import replace
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.errors import Contradictory, OutOfRange, Unknown
from openpail.craft.figure import replay
from openpail.craft.milk.acidity import SCALES, convert
from openpail.craft.milk.density import (
    brought_to_20,
    density,
    density_at_20,
    lactometer,
    mass_of,
    solids_not_fat,
)
from openpail.craft.milk.fitness import Keeping, judge
from openpail.craft.milk.herd import DatedTest, by_month, running_means
from openpail.craft.milk.kinds import BREEDS, MilkTest
from openpail.craft.milk.meaning import meanings
from openpail.craft.milk.slip import (
    HerdMean,
    Skimmed,
    added_water_pct,
    check_test,
    composition,
    cream_by_hand,
    from_hortvet,
    of_label,
    skimmed_fat,
)
from tests.support import HOUSE

DAY = date(2026, 5, 4)
percent = st.none() | st.floats(2.0, 8.0)
slips = st.builds(
    MilkTest,
    fat_pct=percent,
    protein_pct=st.none() | st.floats(2.5, 5.0),
    protein_kind=st.sampled_from(["true", "crude", "unknown"]),
    snf_pct=st.none() | st.floats(7.5, 11.5),
    lactose_pct=st.none() | st.floats(3.5, 5.2),
    lactometer=st.none() | st.floats(26, 38),
    lactometer_c=st.floats(10, 27),
    density_g_ml=st.none() | st.floats(1.026, 1.036),
    density_c=st.none() | st.floats(4, 40),
    freezing_point_c=st.none() | st.floats(-0.6, -0.4),
    ph=st.none() | st.floats(6.2, 6.9),
    ph_sample_c=st.none() | st.floats(4, 40),
)


def parts(made_of):
    named = (
        "fat",
        "protein",
        "casein",
        "solids_not_fat",
        "lactose",
        "total_solids",
        "ph",
        "density",
        "added_water",
    )
    return [figure for name in named if (figure := getattr(made_of, name)) is not None]


@given(slips, st.sampled_from(sorted(BREEDS)))
def test_every_part_of_every_slip_explains_itself(slip, breed):
    try:
        made_of = composition(breed, slip, HOUSE)
    except OutOfRange as error:
        assert error.about == "density_g_ml"  # a density that does not go with the fat
        return
    for figure in parts(made_of):
        assert replay(figure.because) == pytest.approx(figure.value, abs=1e-9)
        assert figure.value >= 0
    assert made_of.casein.value < made_of.protein.value < made_of.solids_not_fat.value


def test_the_best_word_speaks_for_each_part():
    herd = {"fat": HerdMean(4.4, 0.2, 7), "casein": HerdMean(2.6, 0.1, 6)}

    def fat(test=None, means=herd):
        figure = composition("goat", test or MilkTest(), HOUSE, herd=means).fat
        return figure.value, figure.known, figure.because[0].label

    assert fat(MilkTest(fat_pct=3.9)) == (3.9, "measured", "fat, tested")
    by_difference = fat(MilkTest(total_solids_pct=13.0, snf_pct=8.9))
    assert by_difference[0] == pytest.approx(4.1) and by_difference[1] == "worked out"
    by_float = fat(MilkTest(total_solids_pct=12.415, lactometer=29, lactometer_c=20))
    assert by_float[0] == pytest.approx(4.0) and by_float[1] == "worked out"
    assert fat() == (4.4, "assumed", "fat, the herd’s mean of 7 tests")
    assert fat(means={})[:2] == (3.8, "assumed")
    assert composition("goat", MilkTest(), HOUSE, herd=herd).casein.value == 2.6
    backwards = composition("goat", MilkTest(casein_pct=2.6), HOUSE)
    assert backwards.protein.value == pytest.approx(2.6 / 0.80)
    # cream is not the herd's milk
    assert composition("goat", MilkTest(), HOUSE, herd=herd, kind="cream").fat.value == 36


def test_solids_come_from_the_best_of_four_ways():
    def snf(**slip):
        return composition("cow_lowland", MilkTest(fat_pct=4.0, **slip), HOUSE).solids_not_fat

    assert snf(snf_pct=8.7).known == "measured"
    assert snf(total_solids_pct=12.9).value == pytest.approx(8.9)
    assert snf(lactometer=29, lactometer_c=20).value == pytest.approx(8.415)
    at_20 = density_at_20(4.0, 8.8)
    assert snf(density_g_ml=at_20).value == pytest.approx(8.8)
    warm = density(4.0, 8.8, 35)
    assert snf(density_g_ml=warm, density_c=35).value == pytest.approx(8.8)
    assert snf(protein_pct=3.4, protein_kind="true").value == pytest.approx(3.4 + 4.7 + 0.72 + 0.2)
    goat = composition("goat", MilkTest(fat_pct=4.0, lactometer=29, lactometer_c=20), HOUSE)
    assert goat.solids_not_fat.rests_on_assumed  # Richmond's rule is of cows
    assert "estimate" in goat.solids_not_fat.because[0].label


@given(st.floats(0.1, 9), st.floats(6, 12))
def test_density_and_solids_are_each_others_inverse(fat, snf):
    assert solids_not_fat(fat, density_at_20(fat, snf)) == pytest.approx(snf)
    with pytest.raises(OutOfRange, match="does not go with"):
        solids_not_fat(fat, 1.2)


@given(st.floats(1.02, 1.04), st.floats(0, 60))
def test_a_density_goes_to_20_degrees_and_weighs_the_same(read, celsius):
    milk = composition("sheep", MilkTest(density_g_ml=read, density_c=celsius), HOUSE)
    assert milk.density.value == pytest.approx(brought_to_20(read, celsius))
    assert mass_of(10, celsius, milk).value == pytest.approx(10 * read)


@given(st.floats(0, 40), st.sampled_from(sorted(SCALES)), st.sampled_from(sorted(SCALES)))
def test_acidity_goes_there_and_back(value, here, there):
    assert convert(convert(value, here, there), there, here) == pytest.approx(value, abs=1e-9)


def test_acidity_refuses_what_is_no_scale_or_no_acid():
    with pytest.raises(Unknown, match="scale of acidity"):
        convert(3, "degD", "degX")
    with pytest.raises(OutOfRange, match="less than nothing"):
        convert(-1, "degD", "degSH")
    assert convert(7, "degSH", "degD") == pytest.approx(15.75)


@given(st.floats(0, 30))
def test_water_added_shows_in_the_freezing_point(water):
    base = 0.522
    point = -base * (1 - water / 100)
    assert added_water_pct(point, base) == pytest.approx(water, abs=1e-9)
    found = composition("cow_lowland", MilkTest(freezing_point_c=point), HOUSE).added_water
    assert found.value == pytest.approx(water, abs=1e-9)


def test_the_herds_own_freezing_point_is_the_base_and_hortvet_is_told_apart():
    herd = {"freezing_point": HerdMean(-0.530, 0.004, 8)}
    slip = MilkTest(freezing_point_c=-0.515)
    assert composition("cow_lowland", slip, HOUSE, herd=herd).added_water.value == pytest.approx(
        100 * 0.015 / 0.530
    )
    assert composition("cow_lowland", slip, HOUSE).added_water.value == pytest.approx(1.341, 1e-3)
    assert from_hortvet(-0.540) == pytest.approx(-0.5220, abs=1e-3)


@pytest.mark.parametrize(
    ("slip", "error", "about"),
    [
        (MilkTest(fat_pct=61), OutOfRange, "fat_pct"),
        (MilkTest(lactose_pct=9), OutOfRange, "lactose_pct"),
        (MilkTest(freezing_point_c=0.5), OutOfRange, "freezing_point_c"),
        (MilkTest(acidity_pct=16), OutOfRange, "acidity_pct"),
        (MilkTest(density_g_ml=1.5), OutOfRange, "density_g_ml"),
        (MilkTest(cells_per_ml=-1), OutOfRange, "cells_per_ml"),
        (MilkTest(lactometer=30), OutOfRange, "lactometer_c"),
        (MilkTest(protein_pct=3.2, casein_pct=3.4), Contradictory, "casein_pct"),
        (MilkTest(fat_pct=4, snf_pct=9, total_solids_pct=15), Contradictory, "total_solids_pct"),
        (MilkTest(fat_pct=14, total_solids_pct=13), Contradictory, "fat_pct"),
        (MilkTest(protein_pct=9, snf_pct=8.5), Contradictory, "snf_pct"),
    ],
)
def test_a_slip_that_cannot_be_right_names_the_part(slip, error, about):
    with pytest.raises(error) as found:
        check_test(slip)
    assert found.value.about == about
    assert found.value.words.endswith((".", "slip."))


def test_a_lactometer_is_read_in_its_own_range_only():
    for reading, celsius in ((30, 4), (30, 37), (5, 15.5), (70, 15.5)):
        with pytest.raises(OutOfRange):
            lactometer(reading, celsius, 4.0)


def test_powder_and_cream_have_their_own_table_and_limits():
    powder = composition("cow_lowland", MilkTest(), HOUSE, kind="powder")
    assert powder.total_solids.value > 90
    assert powder.casein.value == pytest.approx(27.4)
    check_test(MilkTest(protein_pct=34), "powder")
    with pytest.raises(OutOfRange):
        check_test(MilkTest(protein_pct=34))


def dated(count, fat=4.0, every=10, **slip):
    return [
        DatedTest(DAY - timedelta(days=every * i), MilkTest(fat_pct=fat + 0.1 * i, **slip))
        for i in range(count)
    ]


def test_a_herd_speaks_for_itself_from_five_tests_and_by_its_newest_ten():
    assert running_means("goat", dated(4), HOUSE) == {}
    five = running_means("goat", dated(5), HOUSE)["fat"]
    assert (five.tests, five.value) == (5, pytest.approx(4.2))
    assert five.sd == pytest.approx(0.1 * (10 / 4) ** 0.5)
    many = running_means("goat", dated(30)[::-1], HOUSE)["fat"]
    assert (many.tests, many.value) == (10, pytest.approx(4.45))


def test_a_herds_protein_is_true_protein_whatever_its_slips_said():
    crude = running_means("goat", dated(6, protein_pct=3.4, protein_kind="crude"), HOUSE)
    true = running_means("goat", dated(6, protein_pct=3.13, protein_kind="true"), HOUSE)
    assert crude["protein"].value == pytest.approx(true["protein"].value)
    assert crude["casein"].value == pytest.approx(3.13 * 0.80)


def test_a_herds_year_goes_month_by_month():
    months = by_month("goat", dated(8, every=15, protein_pct=3.2, protein_kind="true"), HOUSE)
    assert [month.first for month in months] == sorted(month.first for month in months)
    assert sum(month.tests for month in months) == 8
    assert months[-1].casein_to_fat == pytest.approx(3.2 * 0.8 / months[-1].fat_pct)
    assert by_month("goat", [DatedTest(DAY, MilkTest(ph=6.6))], HOUSE)[0].casein_to_fat is None


RAW = Keeping(treatment="raw", hours=3, holding="cold")


@pytest.mark.parametrize(
    ("kept", "turn"),
    [
        (RAW, (45, "fit with a caution")),
        (replace(RAW, hours=50), (46, "boiled acid-and-heat only")),
        (replace(RAW, hours=100), (20, "not for cheese")),
        (replace(RAW, hours=121), None),
        (replace(RAW, holding="warm", hours=1), (3, "fit with a caution")),
        (replace(RAW, holding="cellar"), (9, "not for cheese")),
        (replace(RAW, holding="cool"), (21, "not for cheese")),
        (replace(RAW, holding="cool", hours=25), None),
        (replace(RAW, treatment="ultra_heated"), None),
        (replace(RAW, in_freezer=True, hours=9000), None),
        (replace(RAW, treatment="flash", best_before_h=60), (36, "fit with a caution")),
        (replace(RAW, treatment="flash", best_before_h=10), (10, "boiled acid-and-heat only")),
        (replace(RAW, treatment="flash", best_before_h=-1), (47, "not for cheese")),
        (replace(RAW, treatment="flash", best_before_h=-49), None),
        (replace(RAW, treatment="batch", hours=24 * 5), (48, "not for cheese")),
    ],
)
def test_the_age_clock_says_when_it_turns_next(kept, turn):
    found = judge(kept, MilkTest(), "cow", HOUSE)
    assert (found.turn and (found.turn.in_hours, found.turn.verdict)) == turn
    if turn:  # an hour before its turn the verdict stands, an hour after it has changed
        passed = turn[0] + 1
        left = None if kept.best_before_h is None else kept.best_before_h - passed
        later = replace(kept, hours=kept.hours + passed, best_before_h=left)
        assert judge(later, MilkTest(), "cow", HOUSE).verdict == turn[1]


@pytest.mark.parametrize(
    ("test", "species", "words"),
    [
        (MilkTest(acidity_pct=0.20), "cow", "20 °D is over the 18 °D"),
        (MilkTest(acidity_pct=0.20), "sheep", ""),
        (MilkTest(plates_per_ml=200_000), "cow", "A plate count of 200 000"),
        (MilkTest(plates_per_ml=200_000), "goat", ""),
        (MilkTest(cells_per_ml=1_600_000), "goat", "Late-season goats run high"),
        (MilkTest(freezing_point_c=-0.49), "cow", "About 6 % water was added"),
    ],
)
def test_what_a_slip_says_against_a_milk(test, species, words):
    breed = "cow_lowland" if species == "cow" else species
    watered = composition(breed, test, HOUSE).added_water
    found = judge(RAW, test, species, HOUSE, watered)
    assert (found.verdict == "fit with a caution") == bool(words)
    assert words in " ".join(reason.words for reason in found.reasons)
    assert not any(reason.hard for reason in found.reasons)
    assert judge(RAW, MilkTest(residue_found=True), species, HOUSE).reasons[0].hard


def test_milk_skimmed_by_hand_has_what_its_cream_left():
    def fat(skimmed, **slip):
        test = MilkTest(**slip)
        return composition("cow_lowland", test, HOUSE, skimmed=skimmed).fat

    whole = fat(None)
    tenth = fat(Skimmed(0.1))
    assert tenth.value == pytest.approx((whole.value - 0.1 * 25) / 0.9)
    assert tenth.value == pytest.approx(replay(tenth.because)) and tenth.rests_on_assumed
    untold = fat(Skimmed(0.0))
    assert untold.value == pytest.approx(whole.value / 2)
    assert 2 * untold.sd == pytest.approx(untold.value / 3, rel=0.01)
    assert fat(Skimmed(0.28)).value == pytest.approx(0.3)  # no hand skims further
    assert fat(Skimmed(0.1), fat_pct=1.8).value == 1.8  # tested after it
    before = fat(Skimmed(0.1, tested_before=True), fat_pct=4.3)
    assert before.value == pytest.approx((4.3 - 2.5) / 0.9)


@given(st.floats(3, 8), st.floats(0.02, 0.11))
def test_cream_and_skimmed_milk_have_the_fat_of_the_milk_between_them(fat_pct, share):
    made_of = composition("sheep", MilkTest(fat_pct=fat_pct), HOUSE)
    left = skimmed_fat(made_of.fat, share, HOUSE).value
    cream = cream_by_hand(made_of, HOUSE)
    assert (1 - share) * left + share * cream["fat"] == pytest.approx(fat_pct) or left == 0.3
    assert cream["casein"] < made_of.casein.value


def test_a_label_is_by_the_tenth_of_a_litre_and_its_protein_is_crude():
    test = of_label(MilkTest(fat_pct=3.6, protein_pct=3.4, lactose_pct=4.8, ph=6.65))
    assert test.fat_pct == pytest.approx(3.6 / 1.03) and test.lactose_pct < 4.8
    assert (test.protein_kind, test.ph) == ("crude", 6.65)
    assert of_label(MilkTest(fat_pct=3.6)).protein_kind == "unknown"


@pytest.mark.parametrize(
    ("species", "slip", "over", "words"),
    [
        ("cow", {"cells_per_ml": 180_000}, False, "healthy udders"),
        ("cow", {"cells_per_ml": 320_000}, False, "the doses know"),
        ("cow", {"cells_per_ml": 520_000}, True, "look for the sick quarter"),
        ("goat", {"cells_per_ml": 1_200_000}, False, "goats run high in good health"),
        ("sheep", {"plates_per_ml": 90_000}, False, "quick cooling"),
        ("sheep", {"plates_per_ml": 700_000}, True, "teats, clusters"),
        ("cow", {"plates_per_ml": 2_000_000}, True, "before the next milking"),
        ("buffalo", {"ph": 6.72}, False, "as fresh milk is"),
        ("cow", {"ph": 6.42}, True, "second sample"),
        ("cow", {"ph": 6.95}, True, "or the meter"),
        ("cow", {"freezing_point_c": -0.525}, False, "no water"),
        ("cow", {"freezing_point_c": -0.515}, False, "herd’s own point"),
        ("cow", {"freezing_point_c": -0.470}, True, "about 10 % water"),
    ],
)
def test_a_number_of_a_slip_says_what_it_means_and_whose_line_it_crosses(
    species, slip, over, words
):
    test = MilkTest(**slip)
    breed = {"cow": "cow_lowland"}.get(species, species)
    water = composition(breed, test, HOUSE).added_water
    (found,) = meanings(test, species, water, HOUSE)
    assert found.is_over is over and words in found.means and " here" in found.whose
