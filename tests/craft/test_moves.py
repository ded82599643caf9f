"""Steps that follow the milk: none moves in the recipe's own, and each rule moves what it says."""

import json
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.doses import acid
from openpail.craft.doses.asked import Ways
from openpail.craft.figure import replay
from openpail.craft.make import frozen
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.recipe.recipe import Band, reference_pours
from openpail.craft.recipe.yields import NO_RENNET_FAMILIES
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.moves import moved
from openpail.craft.sheet.other_milk import scaled_to
from openpail.craft.sheet.renneted import goal_of
from openpail.craft.stock.products import Product
from openpail.formats.recipe_file import write
from tests.support import HOUSE, RECIPES, job_for, one_pour

SETTING = sorted(key for key, each in RECIPES.items() if each.family not in NO_RENNET_FAMILIES)
WHEEL, LARDER, LOG = RECIPES["steading-wheel"], RECIPES["larder-block"], RECIPES["wrenfold-log"]


def found(recipe, *pours, **more):
    sheet = adapt(job_for(recipe, *pours, **more))
    return {(each.step, each.part): each for each in sheet.moved.moves}


@pytest.mark.parametrize("key", sorted(RECIPES))
def test_nothing_moves_when_the_milk_is_the_recipes_own(key):
    recipe = RECIPES[key]
    pours = reference_pours(recipe, HOUSE)
    assert found(key, *pours) == {}
    # twice the milk moves no step of the set: only what lies under the press
    twice = found(key, *scaled_to(pours, 2 * sum(each.volume_l for each in pours)))
    assert {part for _, part in twice} <= {"load_kg", "minutes"}
    assert all(each.figure.because[-1].source for each in twice.values())


@given(st.sampled_from(SETTING), st.sampled_from(["cow_lowland", "goat", "sheep", "buffalo"]))
def test_a_move_replays_keeps_its_bounds_and_goes_back_the_other_way(key, breed):
    recipe = RECIPES[key]
    for (step, part), move in found(key, one_pour(breed, "flash")).items():
        written, now = move.written.value, move.figure.value
        assert replay(move.figure.because) == pytest.approx(now)
        if part == "cut_mm":
            assert 0.7 * written - 1e-9 <= now <= 1.6 * written + 1e-9
        if part == "celsius":
            assert abs(now - written) <= 2 + 1e-9
        steps = moved(recipe, [move])
        assert getattr(steps.step(step), part) is not None
        assert moved(recipe, [replace(move, left=True)]) == recipe


@pytest.mark.parametrize(
    ("recipe", "pour", "step", "part", "written", "now"),
    [
        # goat's milk in a cow's recipe: larger cut, longer rest, cooler
        ("larder-block", one_pour("goat", "flash"), "cut", "cut_mm", 13, 16.25),
        ("larder-block", one_pour("goat", "flash"), "heal", "minutes", 5, 10),
        ("larder-block", one_pour("sheep", "flash"), "cut", "cut_mm", 13, 11.05),
        ("larder-block", one_pour("cow_lowland", "scalded"), "cut", "cut_mm", 13, 18.2),
        (
            "larder-block",
            one_pour("cow_lowland", "flash", homogenised=True),
            "cut",
            "cut_mm",
            13,
            16.25,
        ),
        # fat holds whey back: casein to fat 0.60 where the recipe's milk has 0.675
        (
            "larder-block",
            one_pour("cow_lowland", "flash", test=MilkTest(fat_pct=4.5, casein_pct=2.7)),
            "heat",
            "celsius",
            38,
            38.375,
        ),
        ("wrenfold-log", one_pour("goat", "batch", homogenised=True), "drip", "minutes", 900, 1125),
        # the pH that the rennet waits for: 6.85 falls by 0.32 where the recipe's falls by 0.12
        (
            "gatepost",
            one_pour("cow_lowland", "batch", test=MilkTest(ph=6.85)),
            "ripen",
            "minutes",
            45,
            120,
        ),
    ],
)
def test_what_moves_and_by_how_much(recipe, pour, step, part, written, now):
    move = found(recipe, pour)[step, part]
    assert move.written.value == pytest.approx(written)
    assert move.figure.value == pytest.approx(now, rel=0.01)
    assert len(move.figure.because) > 1


def test_milk_ripened_to_its_ph_is_dosed_for_that_ph():
    """Batch milk at pH 6.85 once earned 1.41 times the rennet, for a step that waits for 6.53."""
    plain = adapt(job_for("gatepost", one_pour("cow_lowland", "batch")))
    sweet = one_pour("cow_lowland", "batch", test=MilkTest(ph=6.85))
    to_ph = adapt(job_for("gatepost", sweet))
    assert to_ph.line("rennet").figure.value == pytest.approx(plain.line("rennet").figure.value)
    by_clock = adapt(job_for("gatepost", sweet, ways=Ways(ripen="by_clock")))
    assert by_clock.line("rennet").figure.value > 1.3 * plain.line("rennet").figure.value
    assert any("By the clock it is renneted" in words for words in by_clock.warnings)
    sour = one_pour("cow_lowland", "batch", test=MilkTest(ph=6.50))
    at_once = found("gatepost", sour)["ripen", "minutes"]
    assert at_once.figure.value == 0 and "as soon as it is warm" in at_once.figure.because[-1].label


def test_a_small_wheel_is_pressed_and_brined_as_a_small_one():
    """Hatch of 2 L once printed 30 kg and 15 h for 220 g of cheese."""
    small = found("hatch", one_pour("cow_lowland", "batch", litres=2.0))
    part = (2 / 30) ** (2 / 3)
    assert small["press-hard", "load_kg"].figure.value == pytest.approx(30 * part, rel=0.02)
    hours = (2 / 30) ** 0.95
    assert small["brine", "minutes"].figure.value == pytest.approx(720 * hours, rel=0.02)
    # twice the milk is two wheels side by side: twice the weight, the same hours
    two = found("hatch", one_pour("cow_lowland", "batch", litres=60.0))
    assert two["press-hard", "load_kg"].figure.value == pytest.approx(60, rel=0.02)
    assert ("brine", "minutes") not in two
    # stacked, the weight stays
    stacked = found("steading-wheel", *scaled_to(reference_pours(WHEEL, HOUSE), 60.0))
    assert ("press-2", "load_kg") not in stacked


def test_a_recipe_that_does_not_say_for_what_pieces_says_so():
    bare = replace(LARDER, wheels=None)
    job = replace(
        job_for("larder-block", one_pour("cow_lowland", "flash", litres=2.0)), recipe=bare
    )
    sheet = adapt(job)
    assert not any(each.part == "load_kg" for each in sheet.moved.moves)
    assert sheet.moved.wheel_kg == pytest.approx(sheet.written_cheese.value)
    assert adapt(job_for("wrenfold-log", one_pour())).moved.wheel_kg is None


def test_a_move_is_left_as_written_by_a_tap_or_by_the_house_way():
    goat = one_pour("goat", "flash")
    left = found("larder-block", goat, as_written=frozenset({("cut", "cut_mm")}))
    assert left["cut", "cut_mm"].left and not left["heal", "minutes"].left
    house = found("larder-block", goat, ways=Ways(move_steps=False))
    assert all(each.left for each in house.values())
    tapped = found(
        "larder-block", goat, ways=Ways(move_steps=False), moved=frozenset({("cut", "cut_mm")})
    )
    assert not tapped["cut", "cut_mm"].left and tapped["heal", "minutes"].left


def test_cooking_never_goes_over_what_its_culture_stands():
    hot = replace(
        LARDER,
        steps=tuple(
            replace(step, celsius=step.celsius and replace(step.celsius, target=40.0, high=41.0))
            if step.key in ("heat", "stir")
            else step
            for step in LARDER.steps
        ),
    )
    rich = one_pour("cow_lowland", "flash", test=MilkTest(fat_pct=6.0, casein_pct=2.7))
    sheet = adapt(replace(job_for("larder-block", rich), recipe=hot))
    assert not any(each.part == "celsius" for each in sheet.moved.moves)  # 40 °C is all it stands


def test_moves_are_frozen_with_the_make_and_an_older_sheet_has_none():
    job = job_for("larder-block", one_pour("goat", "flash"))
    sheet = adapt(job)
    kept = frozen.freeze(job, sheet, (), document=write(job.recipe))
    document = json.loads(json.dumps(frozen.to_json(kept)))
    assert frozen.read(document, frozen.VERSION).moved == kept.moved and kept.moved.moves
    del document["moved"]
    assert frozen.read(document, frozen.VERSION).moved.moves == ()


@pytest.mark.parametrize("sort", ["acetic", "lactic"])
def test_another_acid_has_its_own_ph_on_the_sheet_at_the_step_and_at_the_rennet(sort):
    bottle = Product(kind="acid", name="another acid", form="liquid", sort=sort, strength=5.0)
    milk = one_pour("cow_lowland", "flash", test=MilkTest(ph=6.62))
    job = job_for("skillet", milk, bottles={"acid": bottle})
    sheet = adapt(job)
    move = next(each for each in sheet.moved.moves if each.part == "ph")
    assert (move.step, move.written.value, move.figure.value) == ("acid", 5.60, 5.35)
    there = moved(job.recipe, sheet.moved.moves)
    assert there.renneting_ph() == there.step("acid").ph == Band(5.35, 5.25, 5.45) == goal_of(job)
    assert replay(move.figure.because) == pytest.approx(5.35)
    plain = job_for("skillet", milk)
    assert not any(each.part == "ph" for each in adapt(plain).moved.moves)
    assert goal_of(plain) == plain.recipe.renneting_ph()


def test_lactic_acid_is_sold_by_weight():
    def inside(strength):
        bottle = Product(kind="acid", name="acid", form="liquid", sort="lactic", strength=strength)
        return acid.in_each(bottle, HOUSE).value

    assert inside(80) == pytest.approx(0.80 * 1.19) and inside(88) == pytest.approx(0.88 * 1.21)
