"""What surrounds the figures: heats, animals, salt, moisture, and the schools of raw milk."""

from dataclasses import replace

import pytest

from openpail.craft.doses import culture
from openpail.craft.doses.asked import Ways
from openpail.craft.doses.setting import Setting, cut_multiplier, factors, firmness_end
from openpail.craft.doses.swap import stand_in
from openpail.craft.figure import replay
from openpail.craft.milk.animals import casein_lost, cells_doubled, set_steps
from openpail.craft.milk.blend import pour
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.milk.slip import composition
from openpail.craft.recipe.recipe import reference_milk, reference_pours
from openpail.craft.recipe.yields import own_moisture, usual_of
from openpail.craft.sheet.adapt import adapt
from openpail.craft.stock.products import Product, counted
from tests.support import HOUSE, RECIPES, job_for, one_pour, vat_milk

LARDER = RECIPES["larder-block"]


def made(key, *pours, **more):
    return adapt(job_for(key, *(pours or reference_pours(RECIPES[key], HOUSE)), **more))


# ── salt ──


@pytest.mark.parametrize(
    ("key", "percent", "where"),
    [
        ("larder-block", 2.4 * 1.12, "On the drained curd"),
        ("threshing-cheddar", 2.6 * 1.12, "On the drained curd"),
        ("tarrow-blue", 3.6, "On the rind"),
        ("thatch", 2.2, "On the rind"),
        ("dapple", 1.8, "On the rind"),
        ("fold-white", 2.5, "On the rind"),
        ("slow-skein", 1.2, "On the rind"),
        ("skillet", 1.2, "On the rind"),
        ("pond-white", None, "Before the culture"),
    ],
)
def test_salt_goes_by_its_place(key, percent, where):
    sheet = made(key)
    salt = sheet.line("salt")
    assert salt.manner.when.startswith(where)
    if percent:
        assert salt.figure.value == pytest.approx(10 * percent * sheet.cheese.value, rel=1e-6)


def test_only_a_culture_that_stands_salt_goes_into_salted_milk_and_none_is_cut():
    pond = RECIPES["pond-white"]
    asked = pond.ingredient("culture")
    plain = Product(kind="culture", name="mild", sort="mild", form="freeze-dried")
    assert not stand_in(asked, plain, pond, HOUSE).can
    assert stand_in(asked, replace(plain, stands_salt=True), pond, HOUSE).can
    assert stand_in(LARDER.ingredient("culture"), plain, LARDER, HOUSE).can
    salted = replace(vat_milk("cow", "raw"), salt_pct=4.0)
    assert culture.treatment_factor(salted, HOUSE, True) == 1
    assert culture.treatment_factor(vat_milk("cow", "raw"), HOUSE, True) == 0.75


# ── raw against heated ──


@pytest.mark.parametrize("less", [0.0, 0.06, 0.15, 0.25])
def test_raw_milk_earns_no_more_rennet_than_heated_milk_with_calcium(less):
    flash = made("larder-block", one_pour("cow_lowland", "flash", litres=25.0))
    ways = Ways(raw_rennet_less=less)
    raw = made("larder-block", one_pour("cow_lowland", "raw", litres=25.0), ways=ways)
    ratio = raw.line("rennet").figure.value / flash.line("rennet").figure.value
    assert ratio == pytest.approx(1 - less, rel=1e-6)
    assert ("house way" in str(raw.line("rennet").figure.because)) == bool(less)
    # cold days count all the same, and half of them after half an hour at 32 °C
    for rested, more in ((False, 1.10), (True, 1.05)):
        old = one_pour("cow_lowland", "raw", litres=25.0, hours_cold=72.0, rested=rested)
        found = made("larder-block", old).line("rennet").figure.value
        assert found == pytest.approx(more * flash.line("rennet").figure.value, rel=1e-6)


# ── heats ──


def firm(milk, ph=None):
    return firmness_end(milk, 0.1, HOUSE, ph=ph)


def test_a_set_is_softer_of_late_milk_many_cells_and_sweet_milk_and_never_twice():
    fine = vat_milk("cow", "raw")
    late, sick = (
        replace(fine, shares=(replace(fine.shares[0], **more),))
        for more in ({"late": True}, {"cells_doubled": 2.0})
    )
    assert firm(late) == pytest.approx(0.80 * firm(fine))
    assert firm(sick) == pytest.approx(0.92**2 * firm(fine))
    assert firm(fine, 6.70) == pytest.approx(0.88 * firm(fine, 6.60))
    assert firm(fine, 6.20) == firm(fine, 6.30) == pytest.approx(1.2 * firm(fine, 6.60))
    assert firm(fine, 7.10) == pytest.approx(0.6 * firm(fine, 6.60))
    assert firm(late, 6.70) == firm(sick, 6.70) == firm(fine, 6.70)  # the pH has spoken


def test_scalded_milk_sets_late_and_soft_and_is_not_refused():
    flash, scalded = vat_milk("cow", "flash"), vat_milk("cow", "scalded")
    assert factors(
        Setting(milk=scalded, celsius=32, ph=None, calcium_g_per_kg=0.1), HOUSE
    ).treatment == pytest.approx(1.6)
    assert cut_multiplier(scalded, 3.0, HOUSE, own=flash).value == pytest.approx(4.2)
    assert firm(scalded) == pytest.approx(0.5 * firm(flash))
    dose = made("larder-block", one_pour("cow_lowland", "scalded", litres=25.0)).line("rennet")
    assert dose.figure.value == pytest.approx(5.0 * 1.6 / 1.05 * 1.10, rel=0.07)


# ── the animals ──


def test_late_milk_many_cells_and_genes_are_lines_of_the_because():
    late = one_pour("cow_lowland", "raw", stage="late")
    plain = one_pour("cow_lowland", "raw")
    assert late.milk is plain.milk  # its composition is told with the stage, by who takes it in
    setting = Setting(milk=pour((late,), HOUSE).numbers, celsius=32, ph=None, calcium_g_per_kg=0.0)
    assert factors(setting, HOUSE).animals == pytest.approx(1.10)
    read = Setting(milk=replace(setting.milk, ph=6.75), celsius=32, ph=6.5, calcium_g_per_kg=0.0)
    assert factors(read, HOUSE).animals == 1  # once the pH was read it speaks alone
    bb = one_pour("cow_lowland", "raw", kappa="BB", cells_per_ml=1e6)
    found = factors(
        Setting(milk=pour((bb,), HOUSE).numbers, celsius=32, ph=None, calcium_g_per_kg=0.0), HOUSE
    )
    assert found.animals == pytest.approx(0.85 * 1.05**2)
    taught = pour((replace(bb, herd_taught=True),), HOUSE).numbers
    assert (
        factors(Setting(milk=taught, celsius=32, ph=None, calcium_g_per_kg=0.0), HOUSE).animals == 1
    )


@pytest.mark.parametrize(
    ("cells", "species", "doubled"),
    [(None, "cow", 0), (2e5, "cow", 0), (1e6, "cow", 2), (1e6, "goat", 0), (3.2e6, "sheep", 2)],
)
def test_cells_count_by_their_doublings_over_what_leaves_milk_as_it_is(cells, species, doubled):
    found = cells_doubled(cells, species, HOUSE)
    assert found == pytest.approx(doubled)
    assert bool(casein_lost("", found, HOUSE)) == bool(doubled)
    steps = set_steps(0.0, found, "", HOUSE, ph_read=False)
    assert bool(steps) == bool(doubled)


def test_less_of_the_protein_is_casein_in_late_milk_and_with_many_cells():
    test = MilkTest(protein_pct=3.3, protein_kind="true", cells_per_ml=1e6)
    plain = composition("cow_lowland", MilkTest(protein_pct=3.3, protein_kind="true"), HOUSE)
    late = composition("cow_lowland", test, HOUSE, stage="late")
    assert plain.casein.value == pytest.approx(3.3 * 0.82)
    assert late.casein.value == pytest.approx(3.3 * (0.82 - 0.02 - 0.02))
    assert replay(late.casein.because) == pytest.approx(late.casein.value)
    told = composition("cow_lowland", replace(test, casein_pct=2.6), HOUSE, stage="late")
    assert told.casein.value == 2.6  # measured, and then the yield pays for the cells instead
    milk = one_pour("cow_lowland", "flash", test=MilkTest(fat_pct=4.0, casein_pct=2.6))
    sick = replace(milk, cells_per_ml=1e6)
    pays = made("larder-block", sick).cheese.value / made("larder-block", milk).cheese.value
    assert pays == pytest.approx(0.987**2)


def test_watered_milk_holds_less_of_what_nobody_measured():
    test = MilkTest(fat_pct=3.6, freezing_point_c=-0.522 * 0.9)
    watered = composition("cow_lowland", test, HOUSE)
    assert watered.fat.value == 3.6  # as measured
    for part, usual in (("protein", 3.3), ("casein", 2.7), ("lactose", 4.7)):
        assert getattr(watered, part).value == pytest.approx(0.9 * usual, rel=1e-6)
    assert composition("cow_lowland", MilkTest(freezing_point_c=-0.53), HOUSE).casein.value == 2.7


# ── moisture ──


@pytest.mark.parametrize(
    ("key", "moisture"),
    [("bench-curd", 0.60), ("flagstone-curd", 0.55), ("skillet", 0.55), ("slow-skein", 0.55)],
)
def test_fresh_stretched_and_hung_curd_have_moistures_of_their_own(key, moisture):
    recipe = RECIPES[key]
    told = usual_of(recipe, reference_milk(recipe, HOUSE), HOUSE)
    assert told.moisture == moisture
    long = replace(recipe, eat_by_days=60, steps=tuple(s for s in recipe.steps if s.kind != "hang"))
    kept = usual_of(long, reference_milk(long, HOUSE), HOUSE).moisture
    assert kept == HOUSE.number(f"yield.{recipe.family}.moisture")


def test_fresh_stretched_buffalo_goes_by_its_own_formula():
    sheet = made("slow-skein")
    kg = job_for("slow-skein", *reference_pours(RECIPES["slow-skein"], HOUSE)).milk.mass.value
    by_hand = 3.5 * (4.4 + HOUSE.number("milk.buffalo.non_protein")) + 1.23 * 7.6 - 0.88
    assert 100 * sheet.cheese.value / kg == pytest.approx(by_hand, rel=1e-6)


def test_a_recipes_own_moisture_is_told_of_its_own_milk():
    told = replace(LARDER, moisture_pct=40.0)
    own = reference_milk(told, HOUSE)
    anchor = usual_of(told, own, HOUSE)
    same = own_moisture("stirred_curd", own.fat_pct, own.casein_pct, house=HOUSE, usually=anchor)
    assert same == pytest.approx(0.40)
    lean = own_moisture("stirred_curd", 0.3, own.casein_pct, house=HOUSE, usually=anchor)
    rich = own_moisture("stirred_curd", 7.0, 4.45, house=HOUSE, usually=anchor)
    assert lean > same > rich


# ── labels ──


@pytest.mark.parametrize(
    ("percent", "per", "counts", "is_then"),
    [
        (78, "dry", "dihydrate", "anhydrous"),
        (94, "dry", "dihydrate", "anhydrous"),
        (99, "dry", "dihydrate", "dihydrate"),
        (60, "dry", "hexahydrate", "hexahydrate"),
        (33, "w/v", "dihydrate", "dihydrate"),
    ],
)
def test_what_a_calcium_chloride_label_counts(percent, per, counts, is_then):
    assert (
        counted(Product(kind="calcium", name="c", strength=percent, counts=counts, per=per))
        == is_then
    )
