"""A make becomes a recipe: made again of the same milk it gives what was given, reads as it was
read, and the second reader has nothing to say of it."""

from dataclasses import replace

import pytest

from openpail.craft.doses.asked import Job
from openpail.craft.make.by_sheet import day_by
from openpail.craft.make.deeds import Felt, ReadingTaken, StepDone, StepSkipped, Told, WheyOff
from openpail.craft.make.ending import odd_by_step
from openpail.craft.make.facts import Record
from openpail.craft.make.fold import fold
from openpail.craft.make.signs import LADDERS
from openpail.craft.milk.blend import pour
from openpail.craft.recipe.recipe import reference_pours
from openpail.craft.recipe.second_reader import remarks
from openpail.craft.sheet.adapt import adapt
from openpail.craft.table.facts import MadeFact
from openpail.craft.table.like_this import how_it_ate, otherwise, recipe_like
from tests.craft.test_dry_run import world_of
from tests.support import HOUSE
from tests.support.player import STARTED, goes


def as_recipe(world, told, now, **more):
    recipe, sheet = world.recipe, world.sheet
    standing = fold(recipe, told)
    day = day_by(recipe, sheet, standing, started=STARTED, now=now)
    fat, protein = sheet.milk.fat.value, sheet.milk.protein.value
    milk = [replace(each, fat_pct=fat, protein_pct=protein) for each in recipe.reference]
    return recipe_like(recipe, sheet, standing, day=day, milk=milk, **more)


def again(recipe):
    return adapt(Job(recipe=recipe, milk=pour(reference_pours(recipe, HOUSE), HOUSE), house=HOUSE))


@pytest.mark.parametrize("key", ["larder-block", "dapple", "gatepost", "bench-curd"])
def test_made_again_of_the_same_milk_it_gives_what_was_given(key):
    at = goes(world_of(key))
    found = as_recipe(at.world, at.run.told, at.now)
    first = {line.key: line.figure for line in at.world.sheet.lines}
    for line in again(found).lines:
        assert line.figure.value == pytest.approx(first[line.key].value, rel=0.02, abs=1e-3)
    assert [each.key for each in found.steps] == [each.key for each in at.world.recipe.steps]
    before = {each.words for each in remarks(at.world.recipe, HOUSE)}
    assert not [e for e in remarks(found, HOUSE) if e.grave and e.words not in before]


def changed(told, **deeds):
    """The same run with deeds of steps put otherwise."""
    return [
        replace(each, deed=deeds.get(getattr(each.deed, "step", ""), each.deed))
        if isinstance(each.deed, StepDone)
        else each
        for each in told
    ]


def test_what_was_given_read_felt_and_left_out_otherwise_is_in_it():
    at = goes(world_of("larder-block"))
    recipe = at.world.recipe
    rennet = recipe.ingredient("rennet")
    step = next(each for each in recipe.steps if rennet.key in each.adds)
    heat = next(each for each in recipe.steps if each.kind == "heat")
    done = at.standing.done[heat.key].at
    told = changed(at.run.told, **{step.key: StepDone(step=step.key, gave={rennet.key: 3.33})})
    told += [
        Told(id="warm", deed=ReadingTaken(celsius=39.4), happened=done, counter=9_999),
        Told(
            id="felt",
            deed=Felt(step=heat.key, of="curd", sign=LADDERS["curd"].rungs[-1][0]),
            happened=done,
            counter=10_000,
        ),
    ]
    found = as_recipe(at.world, told, at.now, moisture_pct=41.234)
    assert found.ingredient("rennet").amount == 3.33
    assert found.step(heat.key).celsius.target == 39.4
    width = heat.celsius.high - heat.celsius.low
    now = found.step(heat.key).celsius
    assert now.high - now.low == pytest.approx(width)
    assert "As it was felt" in found.step(heat.key).sign
    assert found.moisture_pct == 41.2
    assert as_recipe(at.world, told, at.now, moisture_pct=99).moisture_pct == recipe.moisture_pct


def test_a_step_left_out_is_left_out_and_one_that_gives_something_stays():
    at = goes(world_of("larder-block"))
    recipe = at.world.recipe
    heal = next(each for each in recipe.steps if each.kind == "heal")
    gives = next(each for each in recipe.steps if each.adds)
    skipped = {each.key: StepSkipped(each.key, "not today") for each in (heal, gives)}
    found = as_recipe(at.world, changed(at.run.told, **skipped), at.now)
    keys = {each.key for each in found.steps}
    assert heal.key not in keys and gives.key in keys


def test_a_make_of_which_nothing_was_told_is_its_recipe_in_this_milk():
    world = world_of("larder-block")
    found = as_recipe(world, [], STARTED)
    assert found.steps == world.recipe.steps
    assert found.reference[0].volume_l == world.recipe.reference[0].volume_l


@pytest.mark.parametrize(
    ("facts", "outcome", "words"),
    [
        ((), "", "Like make 7. Nobody has said yet how it ate."),
        (
            (MadeFact(key="yield-share", group="cheese", label="", value=97.6, unit="%"),),
            "good",
            "98 % of what was expected",
        ),
    ],
)
def test_how_it_ate_stands_beside_it(facts, outcome, words):
    assert words in how_it_ate(facts, outcome, 7)


def test_an_accident_is_told_from_what_was_meant_and_stays_as_it_is_written():
    at = goes(world_of("gatepost"))
    recipe, frozen = at.world.recipe, at.world.sheet
    rennet = recipe.ingredient("rennet")
    gives = next(each for each in recipe.steps if rennet.key in each.adds)
    whey = next(each for each in recipe.steps if each.share)
    heat = next(each for each in recipe.steps if each.kind == "add water")
    litres = at.world.litres
    told = changed(at.run.told, **{gives.key: StepDone(step=gives.key, gave={rennet.key: 99.0})})
    ends = {step.key: at.standing.done[step.key].at for step in (whey, heat)}
    told += [
        Told(id="whey", deed=WheyOff(litres=0.5 * litres), happened=ends[whey.key], counter=9_998),
        Told(id="hot", deed=ReadingTaken(celsius=44.4), happened=ends[heat.key], counter=9_999),
    ]
    standing = fold(recipe, told)
    day = day_by(recipe, frozen, standing, started=STARTED, now=at.now)
    record = Record(
        recipe=recipe, sheet=frozen, standing=standing, day=day, now=at.now, milk_l=litres
    )
    found = {
        each.key: each
        for each in otherwise(
            recipe, frozen, standing, day=day, milk_l=litres, odd=odd_by_step(record)
        )
    }
    dose, share = found[f"{gives.key}:amount:{rennet.key}"], found[f"{whey.key}:share"]
    hot, cut = found[f"{heat.key}:celsius"], found.get("cut:cut_mm")
    assert "99" in dose.accident and dose.was == 99.0
    assert share.was == pytest.approx(0.5) and share.accident.endswith(f"{0.33 * litres:.1f} L")
    assert hot.was == pytest.approx(44.4) and "44.4 °C" in hot.accident
    assert cut is None or cut.accident == ""
    meant = {key for key, each in found.items() if not each.accident}
    as_meant = as_recipe(at.world, told, at.now, meant=meant)
    assert as_meant.step(heat.key).celsius == heat.celsius
    assert as_meant.step(whey.key).share == whey.share
    assert as_meant.ingredient("rennet").amount < 90
    every = as_recipe(at.world, told, at.now, meant=set(found))
    assert every.step(heat.key).celsius.target == 44.4 and every.ingredient("rennet").amount == 99.0
