"""Mixed milk by plain arithmetic: shares, cream taken off, each dose by its own share."""

from dataclasses import replace
from math import exp

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.doses.calcium import table_steps
from openpail.craft.doses.culture import treatment_factor
from openpail.craft.doses.setting import Setting, cut_multiplier, factors
from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure, replay
from openpail.craft.milk.blend import Pour, VatMilk, mean, pour
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.sheet.adapt import adapt
from tests.support import HOUSE, job_for, one_pour

COW = one_pour(
    "cow_lowland",
    litres=19.5,
    test=MilkTest(fat_pct=4.1, protein_pct=3.3, protein_kind="true", ph=6.65),
)
GOAT = one_pour(
    "goat", litres=10.5, test=MilkTest(fat_pct=3.8, protein_pct=3.1, protein_kind="true", ph=6.60)
)


def cream_off(milk, kg, fat=25.0):
    """Cream skimmed off a pour, as a pour of negative mass with the milk's own serum."""
    serum = (100 - fat) / (100 - milk.milk.fat.value)
    parts = replace(
        milk.milk,
        fat=Figure.start("cream", fat, "%"),
        protein=Figure.start("cream", milk.milk.protein.value * serum, "%"),
        casein=Figure.start("cream", milk.milk.casein.value * serum, "%"),
    )
    return Pour(
        name="cream off",
        breed=milk.breed,
        treatment=milk.treatment,
        mass=Figure.start("off", -kg, "kg"),
        milk=parts,
        litres=-kg,
    )


def casein_shares(*milks):
    kg = [each.mass.value * each.milk.casein.value for each in milks]
    return [each / sum(kg) for each in kg]


def test_a_two_to_one_blend_by_hand():
    blend = pour((COW, GOAT), HOUSE)
    cow, goat = COW.mass.value, GOAT.mass.value
    assert blend.fat.value == pytest.approx((cow * 4.1 + goat * 3.8) / (cow + goat))
    assert blend.casein.value == pytest.approx(
        (cow * 3.3 * 0.82 + goat * 3.1 * 0.80) / (cow + goat)
    )
    assert blend.ph.value == pytest.approx((cow * 6.65 + goat * 6.60) / (cow + goat))
    c, g = casein_shares(COW, GOAT)
    found = blend.numbers.casein_shares()
    assert (found["cow"], found["goat"]) == (pytest.approx(c), pytest.approx(g))


def test_the_blends_rennet_by_hand():
    recipe_cow, recipe_goat = one_pour("cow_lowland", litres=19.5), one_pour("goat", litres=10.5)
    job = job_for("steading-wheel", COW, GOAT)
    line = adapt(job).line("rennet")
    c, g = casein_shares(COW, GOAT)
    rc, rg = casein_shares(recipe_cow, recipe_goat)
    species = (c + 0.80 * g) / (rc + 0.80 * rg)
    ph = job.recipe.renneting_ph().target
    usual, recipes_usual = c * 6.65 + g * 6.60, rc * 6.65 + rg * 6.60
    by_ph = 10 ** (0.75 * (ph - usual)) / 10 ** (0.75 * (ph - recipes_usual))
    assert recipes_usual == pytest.approx(usual, abs=1e-3)
    mass = (COW.mass.value + GOAT.mass.value) / (recipe_cow.mass.value + recipe_goat.mass.value)
    assert line.figure.value == pytest.approx(6.0 * mass * by_ph * species, rel=1e-4)


def test_cream_taken_off_and_put_back_is_the_milk_it_came_from():
    off = cream_off(COW, 0.9)
    lean = pour((COW, off), HOUSE)
    assert lean.mass.value == pytest.approx(COW.mass.value - 0.9)
    assert lean.fat.value == pytest.approx(
        (COW.mass.value * 4.1 - 0.9 * 25) / (COW.mass.value - 0.9)
    )
    back = Pour(
        name="cream back",
        breed=COW.breed,
        treatment="raw",
        mass=Figure.start("back", 0.9, "kg"),
        milk=off.milk,
    )
    whole = pour((COW, off, back), HOUSE)
    for part in ("mass", "fat", "protein", "casein", "ph"):
        assert getattr(whole, part).value == pytest.approx(getattr(pour((COW,), HOUSE), part).value)
        assert replay(getattr(whole, part).because) == pytest.approx(getattr(whole, part).value)


@given(st.floats(0.05, 2.5))
def test_leaner_milk_gives_less_cheese_and_keeps_its_species(kg):
    whole = adapt(job_for("steading-wheel", COW, GOAT))
    lean_job = job_for("steading-wheel", COW, GOAT, cream_off(COW, kg))
    lean = adapt(lean_job)
    assert lean.cheese.value < whole.cheese.value
    assert sum(lean_job.milk.numbers.casein_shares().values()) == pytest.approx(1)
    assert set(lean_job.milk.numbers.casein_shares()) == {"cow", "goat"}
    assert lean.set.flocculation.value == pytest.approx(whole.set.flocculation.value, rel=0.01)


def test_each_factor_goes_by_the_share_that_belongs_to_it():
    raw_sheep = one_pour("sheep", litres=10)
    flash_cow = one_pour("cow_lowland", "flash", litres=10, homogenised=True)
    milk = pour((raw_sheep, flash_cow), HOUSE).numbers
    by_mass = flash_cow.mass.value / (raw_sheep.mass.value + flash_cow.mass.value)
    s, c = casein_shares(raw_sheep, flash_cow)
    found = factors(Setting(milk=milk, celsius=32, ph=None, calcium_g_per_kg=0.05), HOUSE)
    assert found.species == pytest.approx(0.65 * s + 1.0 * c)
    assert found.treatment == pytest.approx((1 - by_mass) * 1.0 + by_mass * 1.05 * 0.92)
    assert found.calcium == pytest.approx(exp(-1.3 * 0.05))
    assert treatment_factor(milk, HOUSE) == 1
    assert treatment_factor(milk, HOUSE, True) == pytest.approx((1 - by_mass) * 0.75 + by_mass)
    own = pour((one_pour("cow_lowland", "raw"),), HOUSE).numbers
    assert cut_multiplier(milk, 3.0, HOUSE, own=own).value == pytest.approx(
        3.0 * (0.80 * s + 1.0 * c) * (1 + 0.15 * by_mass)
    )
    table = (0.10 * by_mass + 0.03 * by_mass) * (1 - 0.6 * s)
    assert replay(table_steps(milk, HOUSE)) == pytest.approx(table)


def test_the_ph_of_a_blend_takes_the_usual_one_for_a_lot_without_a_reading():
    unread = one_pour("sheep", litres=10)
    blend = pour((COW, unread), HOUSE)
    cow, sheep = COW.mass.value, unread.mass.value
    assert blend.ph.value == pytest.approx((cow * 6.65 + sheep * 6.60) / (cow + sheep))
    assert blend.ph.rests_on_assumed
    assert pour((unread,), HOUSE).ph is None


def test_a_milk_moved_a_little_moves_only_that_part():
    milk = pour((COW, GOAT), HOUSE).numbers
    moved = milk.shifted("fat", 0.3)
    assert moved.fat_pct == pytest.approx(milk.fat_pct + 0.3)
    assert (moved.casein_pct, moved.ph) == (milk.casein_pct, milk.ph)
    assert milk.shifted("ph", -0.1).ph == pytest.approx(milk.ph - 0.1)
    assert VatMilk(milk.shares).shifted("ph", 0.1).ph is None
    assert milk.shifted("casein", -9).casein_pct == pytest.approx(0.01)


def test_nothing_poured_is_no_milk():
    for empty in (lambda: pour((), HOUSE), lambda: mean([]), lambda: mean([(0.0, 4.0)])):
        with pytest.raises(OutOfRange):
            empty()
