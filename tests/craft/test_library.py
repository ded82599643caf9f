"""Every shipped recipe makes sense by itself, and turns to every milk it may be made of."""

from itertools import pairwise

import pytest

from openpail.craft.adapt import adapt
from openpail.craft.errors import NotPossible
from openpail.craft.figure import replay
from openpail.craft.milk import BREEDS, TREATMENTS
from openpail.craft.plan import forwards
from openpail.craft.products import LIVE, SORTS, rennet_strength, serves
from openpail.craft.ratio import check
from openpail.craft.recipe import reference_milk
from openpail.craft.safety import NO_RENNET_FAMILIES
from tests.support import HOUSE, RECIPES, job_for, one_pour

# What is usual of each family: the cut's multiple and pH at its milestones.
CUTS = {"washed_curd": (2.5, 3.5), "small_eyed": (2.5, 3.5), "stirred_curd": (2.5, 3.5),
        "cheddared": (2.5, 3.5), "stretched_quick": (2.5, 3), "stretched": (2.5, 3),
        "grilling": (2.5, 3), "alpine": (2, 2.5), "hard_grating": (2, 2.5), "tomme": (3, 3),
        "washed_rind": (3.5, 4.5), "blue": (4, 4), "white_brined": (4, 4),
        "bloomy": (5, 6)}  # fmt: skip
COLD_HANDS = {"brine", "cool", "dry", "hang", "drain", "hold", "turn"}
every = pytest.mark.parametrize("recipe", RECIPES.values(), ids=list(RECIPES))


# What a recipe warns of in every milk: it is made so.
OF_ITSELF = {"pond-white": {"salt in the milk"}, "skillet": {"judge by the break"}}


def kind_of(warning):
    return next((w for each in OF_ITSELF.values() for w in each if w in warning), warning)


def own_milk(recipe):
    return [one_pour(part.breed, part.treatment, part.volume_l) for part in recipe.reference]


@every
def test_its_steps_follow_each_other_as_work_does(recipe):
    added = [key for step in recipe.steps for key in step.adds]
    assert sorted(added) == sorted(each.key for each in recipe.ingredients)  # each once
    for step in recipe.steps:
        assert 0 <= step.hands_on_minutes <= step.minutes
        assert step.title and step.words and (step.leave or step.kind in ("dry", "heal"))
        for band in (step.celsius, step.ph):
            assert band is None or band.low <= band.target <= band.high
        assert not step.may_stretch_minutes or step.kind in COLD_HANDS | {
            "press",
            "wait",
            "heal",
            "stir",
        }
    sours = [step.ph.target for step in recipe.steps if step.ph]
    assert sours == sorted(sours, reverse=True)
    heats = [s.celsius.target for s in recipe.steps if s.celsius and s.kind not in COLD_HANDS]
    falls = [b for a, b in pairwise(heats) if b < a - 4]
    assert not falls, "a vat does not cool by itself while it is worked in"
    assert recipe.steps[-1].asks[-1] == "weight"  # with it the cheese goes to rest


@every
def test_its_doses_lie_where_doses_lie(recipe):
    kg = reference_milk(recipe, HOUSE).mass_kg
    for each in recipe.ingredients:
        kind, product = each.product.kind, each.product
        assert not product.sort or product.sort in SORTS[kind]
        if kind == "rennet":
            imcu = each.amount * replay(rennet_strength(product, HOUSE)) / kg
            low, high = (2, 10) if recipe.family == "lactic" else (15, 80)
            assert low <= imcu <= high
        if kind in LIVE:
            milk_for = each.amount * replay((serves(product, HOUSE),))
            assert 0.4 <= milk_for / kg <= 1.5
        if kind == "salt":
            low, high = (3, 8) if each.basis == "percent_of_milk" else (1.0, 4.5)
            assert low <= each.amount <= high
    if recipe.cut_multiplier:
        low, high = CUTS[recipe.family]
        assert low <= recipe.cut_multiplier <= high
    assert bool(recipe.renneting_c) == (recipe.ingredient("rennet") is not None)


@every
def test_it_gives_itself_back_and_its_own_clock(recipe):
    sheet = adapt(job_for(recipe.key, *own_milk(recipe)))
    for line in sheet.lines:
        assert line.figure.value == pytest.approx(line.written.value, rel=1e-6), line.key
    if sheet.set:
        flocks, cut = sheet.set.flocculation.value, sheet.set.cut.value
        written, worked = forwards(recipe), forwards(recipe, flocks, cut)
        assert worked[-1].end_min == pytest.approx(written[-1].end_min, abs=6)
    assert 0.05 < sheet.cheese.value / reference_milk(recipe, HOUSE).mass_kg < 0.3
    if recipe.ratio:
        assert check(recipe.ratio, own_milk(recipe), (), HOUSE).ok


@every
def test_it_turns_to_every_animal_and_heat_or_says_why_not(recipe):
    for breed in BREEDS:
        for treatment in TREATMENTS:
            job = job_for(recipe.key, one_pour(breed, treatment))
            if treatment == "ultra_heated" and recipe.family not in NO_RENNET_FAMILIES:
                with pytest.raises(NotPossible, match="will not set with rennet"):
                    adapt(job)
                continue
            sheet = adapt(job)
            assert 0.05 < sheet.cheese.value / job.milk.mass.value < 0.55
            for line in sheet.lines:
                assert line.figure.value >= 0
                assert replay(line.figure.because) == pytest.approx(line.figure.value)
                assert line.figure.value == 0 or line.hand.words
                if line.kind == "calcium":
                    assert line.active.value <= 0.2 * job.milk.mass.value * 1.0001
                else:
                    assert line.figure.value < 6 * line.written.value
            if sheet.set:
                assert 2 < sheet.set.flocculation.value < 40
                assert sheet.set.flocculation.value < sheet.set.cut.value
                assert set(map(kind_of, sheet.warnings)) <= OF_ITSELF.get(recipe.key, set())
                for curve in (sheet.firmness.this, sheet.firmness.recipe):
                    heights = [height for _, height in curve]
                    assert heights == sorted(heights) and heights[0] == 0


@every
def test_its_cheese_ripens_in_order_and_is_eaten_in_time(recipe):
    assert recipe.stages and recipe.words and recipe.ready_words and recipe.other_milks
    days = sum(stage.days for stage in recipe.stages)
    assert days <= recipe.eat_by_days
    for stage in recipe.stages:
        assert stage.celsius.low <= stage.celsius.target <= stage.celsius.high <= 24
        assert stage.ends_when and stage.cares
        for care in stage.cares:
            assert care.every_days >= 1 and care.words
    if recipe.family in ("acid_heat_soft", "stretched_quick", "lactic", "grilling", "stretched"):
        assert recipe.eat_by_days <= 7 and recipe.stages[-1].celsius.high <= 4
