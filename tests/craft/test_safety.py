"""Which cautions a sheet carries: every family, every heat, every mark, in one table."""

from dataclasses import replace
from datetime import date, timedelta

import pytest

from openpail.craft.milk.blend import pour
from openpail.craft.milk.fitness import Keeping, judge
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.sheet.cautions import DEFERRAL, LEVELS, for_sheet, is_soft
from openpail.craft.stock.products import Product
from tests.support import HOUSE, RECIPES, one_pour

DAY = date(2026, 5, 4)
LARDER, CURD = RECIPES["larder-block"], RECIPES["bench-curd"]
SOFT = ("bloomy", "washed_rind", "lactic")
HARD = ("cheddared", "stirred_curd", "washed_curd", "alpine", "hard_grating", "tomme", "small_eyed")


def cautions(recipe, *pours, lots=(), products=()):
    return for_sheet(recipe, pour(pours, HOUSE), lots, products=products, made_on=DAY, house=HOUSE)


def keys(*args, **more):
    return {caution.key: caution.level for caution in cautions(*args, **more)}


@pytest.mark.parametrize("family", HARD)
def test_raw_milk_in_an_aged_cheese_has_its_sixty_days_by_date_only(family):
    found = cautions(replace(LARDER, family=family), one_pour())
    raw = next(caution for caution in found if caution.key == "raw")
    assert raw.level == "caution" and "the date makes no cheese safe" in raw.words
    assert f"{DAY + timedelta(days=60):%-d %b}" in raw.words
    assert "raw-soft" not in {caution.key for caution in found}


@pytest.mark.parametrize("family", SOFT)
@pytest.mark.parametrize("treatment", ["raw", "thermised", "high_pressure"])
def test_anything_not_fully_pasteurised_in_a_soft_cheese_is_a_strong_caution(family, treatment):
    found = keys(replace(LARDER, family=family), one_pour(treatment=treatment))
    assert found["raw-soft"] == "strong caution"
    assert "raw" not in found  # no age clears it


@pytest.mark.parametrize("treatment", ["batch", "flash", "high_heat"])
def test_pasteurised_milk_is_neither_and_is_taken_on_trust(treatment):
    milk = one_pour(treatment=treatment)
    own = [
        (
            milk.name,
            judge(Keeping(treatment=treatment, hours=3, holding="cold"), MilkTest(), "goat", HOUSE),
            True,
        )
    ]
    bought = [(milk.name, own[0][1], False)]
    assert keys(LARDER, milk, lots=own)["declared"] == "caution"
    assert keys(LARDER, milk, lots=bought)["declared-shop"] == "note"
    assert not {"raw", "raw-soft"} & keys(LARDER, milk, lots=own).keys()


def test_a_spoon_of_raw_milk_makes_the_whole_vat_raw():
    shop, raw = one_pour(treatment="flash", litres=30), one_pour(treatment="raw", litres=0.1)
    assert "raw" in keys(LARDER, shop, raw)
    cream = one_pour(treatment="flash", litres=1)
    assert "raw" in keys(LARDER, one_pour(treatment="raw", litres=30), cream)


@pytest.mark.parametrize(
    ("kept", "test", "level", "hard"),
    [
        (
            Keeping(treatment="raw", hours=3, holding="cold", withdrawal=True),
            MilkTest(),
            "stop",
            True,
        ),
        (
            Keeping(treatment="raw", hours=3, holding="cold"),
            MilkTest(residue_found=True),
            "stop",
            True,
        ),
        (
            Keeping(treatment="raw", hours=3, holding="cold", off_smell=True),
            MilkTest(),
            "stop",
            False,
        ),
        (
            Keeping(treatment="raw", hours=3, holding="cold", colostrum_or_sick=True),
            MilkTest(),
            "stop",
            True,
        ),
        (Keeping(treatment="raw", hours=7, holding="warm"), MilkTest(), "stop", True),
        (Keeping(treatment="raw", hours=13, holding="cellar"), MilkTest(), "stop", False),
        (Keeping(treatment="raw", hours=97, holding="cold"), MilkTest(), "stop", False),
        (Keeping(treatment="raw", hours=121, holding="cold"), MilkTest(), "stop", False),
        (Keeping(treatment="raw", hours=60, holding="cold"), MilkTest(), "caution", False),
        (Keeping(treatment="raw", hours=3, holding="cold"), MilkTest(ph=6.3), "stop", False),
        (
            Keeping(treatment="raw", hours=3, holding="cold"),
            MilkTest(cells_per_ml=3e6),
            "caution",
            False,
        ),
    ],
)
def test_what_a_milk_is_unfit_for_reaches_the_sheet(kept, test, level, hard):
    fitness = judge(kept, test, "goat", HOUSE)
    found = cautions(LARDER, one_pour(), lots=[("Goats", fitness, True)])
    said = [caution for caution in found if caution.title.startswith("Goats")]
    assert [(caution.level, caution.hard) for caution in said] == [(level, hard)]
    assert said[0].words


def test_ultra_heated_milk_stops_rennet_and_not_acid():
    fitness = judge(
        Keeping(treatment="ultra_heated", hours=3, holding="cold"), MilkTest(), "cow", HOUSE
    )
    lots = [("Long life", fitness, False)]
    milk = one_pour("cow_lowland", "ultra_heated")
    found = next(c for c in cautions(LARDER, milk, lots=lots) if c.key == "ultra")
    assert found.level == "stop" and found.hard
    assert "ultra" not in keys(CURD, milk, lots=lots)


@pytest.mark.parametrize(
    "family",
    [
        *("bloomy", "blue", "washed_rind", "lactic", "whey", "acid_heat_soft", "acid_heat_pressed"),
        *("stretched", "stretched_quick", "grilling", "white_brined"),
    ],
)
def test_fresh_soft_and_blue_cheese_of_any_milk_names_listeria(family):
    found = cautions(replace(LARDER, family=family), one_pour(treatment="flash"))
    assert any(c.key == "fresh" and "Listeria" in c.title for c in found)
    assert not any(c.key == "fresh" for c in cautions(LARDER, one_pour(treatment="flash")))


def test_handling_and_allergens_are_notes_and_the_gravest_comes_first():
    flakes = Product(kind="calcium", name="flakes", strength=77, counts="dihydrate", per="dry")
    rennet = Product(kind="rennet", name="bottle", strength=200)
    milks = (one_pour("goat", litres=4), one_pour("sheep", litres=4))
    found = cautions(CURD, *milks, products=[flakes, rennet])
    assert {"hot", "flakes", "water", "allergens"} <= {c.key for c in found if c.level == "note"}
    allergens = next(c for c in found if c.key == "allergens")
    assert "(goat, sheep)" in allergens.words
    ranks = [LEVELS.index(c.level) for c in found]
    assert ranks == sorted(ranks)


def test_soft_is_told_by_moisture_and_family_and_nothing_is_ever_called_safe():
    rich = pour((one_pour("sheep"),), HOUSE)
    assert not is_soft(LARDER, rich, HOUSE)
    assert is_soft(replace(LARDER, family="lactic"), rich, HOUSE)
    assert not is_soft(CURD, rich, HOUSE)  # it was boiled
    every = [DEFERRAL]
    for recipe in RECIPES.values():
        for treatment in ("raw", "flash", "ultra_heated"):
            every += [
                f"{c.title} {c.words}" for c in cautions(recipe, one_pour(treatment=treatment))
            ]
    for words in every:
        assert not any(claim in words.lower() for claim in (" is safe", "proven", "passed"))
