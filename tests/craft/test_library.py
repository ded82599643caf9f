"""Every shipped recipe makes sense by itself, and turns to every milk it may be made of."""

from dataclasses import replace

import pytest

from openpail.craft.bench.ratio import check
from openpail.craft.errors import NotPossible
from openpail.craft.figure import replay
from openpail.craft.milk.kinds import BREEDS, NO_SET, TREATMENTS
from openpail.craft.recipe.recipe import Band, RatioRule, reference_milk, reference_pours
from openpail.craft.recipe.second_reader import remarks
from openpail.craft.recipe.steps import laid_out
from openpail.craft.recipe.yields import NO_RENNET_FAMILIES
from openpail.craft.sheet.adapt import adapt
from tests.support import HOUSE, RECIPES, job_for, one_pour

every = pytest.mark.parametrize("recipe", RECIPES.values(), ids=list(RECIPES))


# What a recipe warns of in every milk: it is made so.
BREAK = {"judge by the break"}
OF_ITSELF = {"pond-white": {"salt in the milk"}, "skillet": BREAK, "skillet-lemon": BREAK}


def kind_of(warning):
    return next((w for each in OF_ITSELF.values() for w in each if w in warning), warning)


@every
def test_a_second_reader_finds_nothing_to_say_of_it(recipe):
    assert remarks(recipe, HOUSE) == ()
    for step in recipe.steps:
        assert step.title and step.words and (step.leave or step.kind in ("dry", "heal"))


def without(recipe, kind):
    """The recipe without an ingredient of a kind, and without the mention of it."""
    gone = {each.key for each in recipe.ingredients if each.product.kind == kind}
    return replace(
        recipe,
        ingredients=tuple(each for each in recipe.ingredients if each.key not in gone),
        steps=tuple(
            replace(step, adds=tuple(key for key in step.adds if key not in gone))
            for step in recipe.steps
        ),
    )


def with_step(recipe, key, **more):
    return replace(
        recipe,
        steps=tuple(replace(s, **more) if s.key == key else s for s in recipe.steps),
    )


def with_dose(recipe, kind, times):
    return replace(
        recipe,
        ingredients=tuple(
            replace(each, amount=each.amount * times) if each.product.kind == kind else each
            for each in recipe.ingredients
        ),
    )


CHEDDAR, WHEEL = RECIPES["threshing-cheddar"], RECIPES["steading-wheel"]
EYED, UNSALTED = RECIPES["hatch"], without(CHEDDAR, "salt")
COLD = tuple(replace(s, celsius=Band(5, 4, 6)) for s in CHEDDAR.stages)
SLIPS = (
    (without(CHEDDAR, "rennet"), "ingredients", "it will not set"),
    (without(CHEDDAR, "culture"), "ingredients", "nothing sours it"),
    (without(RECIPES["bench-curd"], "acid"), "ingredients", "no acid goes in"),
    (
        replace(UNSALTED, steps=tuple(s for s in UNSALTED.steps if s.kind != "salt")),
        "ingredients",
        "Salt comes at no stage",
    ),
    (with_step(CHEDDAR, "salt", adds=()), "ingredients/salt", "goes in at no step"),
    (with_step(CHEDDAR, "mould", adds=("salt",)), "ingredients/salt", "2 steps"),
    (with_step(CHEDDAR, "heat", celsius=Band(48, 47, 49)), "steps/heat", "kills its culture"),
    (with_step(CHEDDAR, "stir", celsius=Band(30, 29, 31)), "steps/stir", "nothing cools it"),
    (with_step(CHEDDAR, "mill", ph=Band(6.4, 6.3, 6.5)), "steps/mill", "pH falls"),
    (with_step(CHEDDAR, "rennet", celsius=Band(35, 34, 36)), "steps/rennet", "35 °C here"),
    (with_step(CHEDDAR, "cut", cut_mm=None), "steps/cut", "how small"),
    (with_step(CHEDDAR, "press-hard", load_kg=None), "steps/press-hard", "what weight"),
    (with_step(CHEDDAR, "stir", hands_on_minutes=99), "steps/stir", "More minutes for the hands"),
    (with_step(CHEDDAR, "out", asks=()), "steps", "weight"),
    (with_step(CHEDDAR, "mill", asks=("weight",)), "steps/mill", "only the last step"),
    (with_step(CHEDDAR, "stir", sign=""), "steps", "No sign"),
    (with_step(CHEDDAR, "flocks", clock="fixed"), "steps", "clock"),
    (
        replace(CHEDDAR, steps=tuple(sorted(CHEDDAR.steps, key=lambda s: s.key == "calcium"))),
        "steps/calcium",
        "after the rennet",
    ),
    (with_dose(CHEDDAR, "rennet", 4), "ingredients/rennet", "155 IMCU"),
    (with_dose(CHEDDAR, "culture", 3), "ingredients/culture", "times what its label"),
    (with_dose(CHEDDAR, "salt", 3), "ingredients/salt", "hardly ever right"),
    (with_dose(CHEDDAR, "colour", 0), "ingredients/colour", "no amount"),
    (replace(CHEDDAR, cut_multiplier=5), "cut_multiplier", "3 is usual"),
    (replace(CHEDDAR, cut_multiplier=None), "cut_multiplier", "how many times"),
    (replace(CHEDDAR, reference=()), "reference", "what milk"),
    (replace(CHEDDAR, stages=()), "stages", "where the cheese goes"),
    (replace(CHEDDAR, stages=COLD), "stages", "hardly ripens"),
    (replace(CHEDDAR, eat_by_days=30), "eat_by_days", "Ripe after 184 days"),
    (replace(CHEDDAR, eat_by_days=0), "eat_by_days", "within how many days"),
    (replace(EYED, stages=tuple(s for s in EYED.stages if s.key != "warm")), "stages", "16 °C"),
    (replace(RECIPES["bench-curd"], eat_by_days=20), "eat_by_days", "fresh cheese"),
    (replace(RECIPES["bench-curd"], acid_target_ph=None), "acid_target_ph", "what pH"),
    (
        replace(WHEEL, ratio=RatioRule("volume", (("cow", 0.6, 0.6), ("goat", 0.3, 0.3)))),
        "ratio",
        "90 to 90 %",
    ),
    (
        replace(WHEEL, ratio=RatioRule("volume", (("cow", 0.6, 0.7), ("sheep", 0.3, 0.4)))),
        "ratio",
        "sheep",
    ),
)


@pytest.mark.parametrize(("recipe", "place", "words"), SLIPS, ids=lambda v: str(v)[:24])
def test_a_slip_in_a_recipe_is_seen_where_it_is(recipe, place, words):
    found = [each for each in remarks(recipe, HOUSE) if words in each.words]
    assert [each.place for each in found] == [place]


@every
def test_it_gives_itself_back_and_its_own_clock(recipe):
    sheet = adapt(job_for(recipe.key, *reference_pours(recipe, HOUSE)))
    for line in sheet.lines:
        assert line.figure.value == pytest.approx(line.written.value, rel=1e-6), line.key
    if sheet.set:
        flocks, cut = sheet.set.flocculation.value, sheet.set.cut.value
        written, worked = laid_out(recipe), laid_out(recipe, flocks, cut)
        assert worked[-1].end_min == pytest.approx(written[-1].end_min, abs=9)
    assert 0.05 < sheet.cheese.value / reference_milk(recipe, HOUSE).mass_kg < 0.3
    if recipe.ratio:
        assert check(recipe.ratio, reference_pours(recipe, HOUSE), (), HOUSE).ok


@every
def test_it_turns_to_every_animal_and_heat_or_says_why_not(recipe):
    for breed in BREEDS:
        for treatment in TREATMENTS:
            job = job_for(recipe.key, one_pour(breed, treatment))
            if treatment in NO_SET and recipe.family not in NO_RENNET_FAMILIES:
                with pytest.raises(NotPossible, match="will not set with rennet"):
                    adapt(job)
                continue
            if recipe.family == "whey":
                with pytest.raises(NotPossible, match="this is milk"):
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
