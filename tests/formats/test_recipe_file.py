"""The open recipe format: its schema, its daughters, and whatever else may stand in a file."""

import json
from copy import deepcopy
from dataclasses import replace
from datetime import date
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.doses.asked import Ways
from openpail.craft.errors import CraftError, NotPossible, Unknown
from openpail.craft.recipe.second_reader import remarks
from openpail.craft.recipe.steps import laid_out
from openpail.craft.sheet.other_milk import side_by_side
from openpail.formats import recipe_file
from openpail.formats.recipe_file import library, read_file
from openpail.formats.recipe_print import markdown
from tests.support import HOUSE, RECIPES

DOCS = Path(__file__).parents[2] / "docs"
DOCUMENTS = {recipe.key: document for recipe, document in library()}
SCHEMA = jsonschema.Draft202012Validator(recipe_file.schema())


@pytest.mark.parametrize("key", sorted(RECIPES))
def test_a_recipe_reads_back_the_same_and_is_what_the_schema_says(key):
    document = recipe_file.write(RECIPES[key])
    recipe, kept = recipe_file.read_text(json.dumps(document))
    assert recipe == RECIPES[key]
    assert recipe_file.checksum(kept) == recipe_file.checksum(document)
    assert recipe_file.unknown_parts(kept, recipe) == []
    for each in (document, DOCUMENTS[key]):
        SCHEMA.validate(json.loads(json.dumps(each)))


def test_the_published_schema_is_the_one_in_force_and_the_example_is_a_recipe():
    published = json.loads((DOCS / "recipe.schema.json").read_text("utf-8"))
    assert published == recipe_file.schema()
    page = (DOCS / "recipe-format.md").read_text("utf-8")
    example = page.split("```json\n")[1].split("```")[0]
    SCHEMA.validate(json.loads(example))
    recipe, document = recipe_file.read_text(example)
    assert remarks(recipe, HOUSE) == () and recipe_file.unknown_parts(document, recipe) == []
    short = page.split("```json\n")[2].split("```")[0]
    found = read_file(short, DOCUMENTS.get)[0]
    assert found.recipe and found.recipe.family == "cheddared"


def test_what_is_not_understood_is_named_part_by_part():
    document = recipe_file.write(RECIPES["bench-curd"])
    document["recipe"]["steps"][2]["minutes"] = "a while"
    document["recipe"]["family"] = "bicycle"
    with pytest.raises(NotPossible) as refused:
        recipe_file.read(document)
    assert "steps.2.minutes" in refused.value.words
    assert "family" in refused.value.words
    with pytest.raises(Unknown, match="version 9"):
        recipe_file.read({**document, "version": 9})
    with pytest.raises(Unknown, match="version None"):
        recipe_file.read({**document, "version": None})


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda r: r["steps"][0].update(adds=["moonlight"]), "moonlight"),
        (lambda r: r["steps"].append(r["steps"][0]), "two steps have one key"),
        (lambda r: r["steps"][0].update(key="a/b"), "has a / or : in it"),
        (lambda r: r.update(reference=[]), "needs the milk"),
        (lambda r: r.pop("renneting_c"), "without a renneting temperature"),
        (lambda r: r["stages"][0]["celsius"].update(target=40), "outside its own band"),
        (lambda r: r["steps"][3]["ph"].update(low=1.2, target=6.5), "outside 2 to 8"),
        (lambda r: r["ingredients"][0]["product"].update(sort="fast"), "no sort of culture"),
        (lambda r: r["ingredients"][0]["product"].update(form="paste"), "does not come as"),
        (lambda r: r["ingredients"][3]["product"].pop("strength"), "no strength"),
        (lambda r: r.update(eat_by_days=-1), "eat_by_days"),
        (lambda r: r["reference"][0].update(volume_l=0), "volume_l"),
        (lambda r: r["steps"][0].update(minutes=float("nan")), "cannot be kept"),
        (lambda r: r.update(words="\ud800"), "cannot be kept"),
        (lambda r: r.update(words="\x00"), "cannot be kept"),
    ],
)
def test_parts_that_do_not_fit_each_other_are_refused_in_words(change, words):
    document = deepcopy(recipe_file.write(RECIPES["threshing-cheddar"]))
    change(document["recipe"])
    found = read_file(json.dumps(document))
    assert found[0].recipe is None and words in found[0].refused


def test_parts_not_known_here_are_named_and_live_through_a_change():
    document = recipe_file.write(RECIPES["bench-curd"])
    document["weather"] = "mild"
    document["recipe"]["moon"] = {"phase": 2}
    document["recipe"]["steps"][2]["song"] = ["low", "slow"]
    document["recipe"]["steps"][2]["celsius"]["felt"] = True
    recipe, kept = recipe_file.read_text(json.dumps(document))
    names = {"weather", "moon", "steps/acid/song", "steps/acid/celsius/felt"}
    assert set(recipe_file.unknown_parts(kept, recipe)) == names
    again = recipe_file.write(recipe, kept)
    assert again == document
    without = replace(recipe, steps=tuple(step for step in recipe.steps if step.key != "heat"))
    later = recipe_file.write(without, kept)
    assert later["recipe"]["steps"][1]["song"] == ["low", "slow"] and later["weather"] == "mild"


def test_several_in_one_file_stand_or_fall_each_by_itself():
    good, newer = recipe_file.write(RECIPES["skillet"]), recipe_file.write(RECIPES["dapple"])
    short = {
        "format": recipe_file.FORMAT,
        "version": 1,
        "parent": {"key": "grandchild"},
        "changes": [{"at": "key", "now": "great"}, {"at": "name", "now": "Great"}],
    }
    child = {
        **short,
        "parent": {"key": "skillet"},
        "changes": [{"at": "key", "now": "grandchild"}, {"at": "eat_by_days", "now": 4}],
    }
    text = json.dumps([short, child, {"format": "cake"}, {**newer, "version": 2}, good])
    great, grand, cake, later, skillet = read_file(text)
    assert (great.recipe.name, great.recipe.eat_by_days) == ("Great", 4)
    assert grand.document["parent"]["checksum"] == recipe_file.checksum(good)
    assert "not an Open Pail recipe" in cake.refused and not cake.newer
    assert later.newer and later.document["version"] == 2
    assert skillet.recipe == RECIPES["skillet"]
    assert recipe_file.write_many([good]).startswith("{")
    assert len(read_file(recipe_file.write_many([good, child]))) == 2
    lost = read_file(json.dumps({**short, "parent": {"key": "nobody"}}))[0]
    assert "“nobody”, which is not here" in lost.refused
    astray = {**child, "changes": [{"at": "steps/flying", "gone": True}]}
    assert "no “flying”" in read_file(json.dumps(astray), DOCUMENTS.get)[0].refused
    many = json.dumps([good] * (recipe_file.MOST_RECIPES + 1))
    for text in (many, "", "[]", "[1]", "7", "{", "[" * 100_000):
        with pytest.raises(NotPossible):
            read_file(text)


anything = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(), inner, max_size=3),
    max_leaves=8,
)


def places(part, way=()):
    """Every place of a document."""
    yield way
    inside = part.items() if isinstance(part, dict) else enumerate(part)
    for name, each in inside:
        if isinstance(each, (dict, list)):
            yield from places(each, (*way, name))
        else:
            yield (*way, name)


@given(st.sampled_from(sorted(RECIPES)), st.data())
def test_no_file_breaks_the_reader_nor_anything_behind_it(key, data):
    document = deepcopy(DOCUMENTS[key])
    for _ in range(data.draw(st.integers(1, 3))):
        way = data.draw(st.sampled_from([each for each in places(document) if each]))
        inside = document
        for name in way[:-1]:
            inside = inside[name]
        value = data.draw(anything)
        if data.draw(st.booleans()) and isinstance(inside, dict):
            inside[data.draw(st.text(max_size=3))] = value
        else:
            inside[way[-1]] = value
    for found in read_file(json.dumps(document)):
        if found.recipe is None:
            assert found.refused
            continue
        recipe = found.recipe
        assert recipe_file.read(recipe_file.write(recipe, found.document)) == recipe
        remarks(recipe, HOUSE)
        laid_out(recipe)
        assert markdown(recipe)
        for column in side_by_side(recipe, HOUSE, Ways(), date(2026, 5, 4))[:1]:
            assert column.sheet or column.refusal


@given(anything)
def test_nothing_that_is_no_recipe_is_taken_for_one(value):
    text = json.dumps({"format": recipe_file.FORMAT, "version": 1, "recipe": value})
    with pytest.raises(CraftError):
        recipe_file.read_text(text)
