"""Recipes through their pages: written, kept, compared, followed, brought in; whey kept."""

import io
import json
import re
import uuid

import pytest
from flask import g
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import delete, func, select

from openpail.craft.recipe.second_reader import remarks
from openpail.formats import recipe_file
from openpail.formats.changes import between
from openpail.formats.written.make import understand
from openpail.records.dairy.models import Dairy
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.records.recipes.models import RecipeDraft, RecipeRow, RecipeVersion
from openpail.records.session import sessions
from openpail.web.recipes.forms import RecipeForm, faults
from openpail.web.recipes.parts import changed, numbered
from openpail.web.recipes.typed import typed
from openpail.web.recipes.understood import recipe_of
from tests.support import HOUSE, RECIPES, done

METRIC = Dairy(id=uuid.uuid4(), volume_system="metric", mass_system="metric", degrees="C")
AMERICAN = Dairy(id=uuid.uuid4(), volume_system="us", mass_system="us", degrees="F")


@pytest.fixture
def rows(client):
    """Look into the database behind the page."""
    with sessions(client.application.extensions["config"].database_url)() as session:
        yield session


def form_of(flat, over=None, key=None):
    form = RecipeForm.of(flat)
    form.validate()
    return recipe_of(form, over, key, HOUSE), faults(form)


@pytest.mark.parametrize("dairy", [METRIC, AMERICAN], ids=["metric", "american"])
def test_what_the_desk_shows_reads_back_as_the_recipe_it_was(app, dairy):
    with app.test_request_context():
        g.dairy, g.jars = dairy, {}
        for recipe in RECIPES.values():
            flat = typed(recipe)
            for name in flat:  # the browser sends what is ticked in the order of the page
                if name.endswith(("-adds", "-asks")):
                    flat[name].sort()
            again, wrong = form_of(flat, recipe, recipe.key)
            assert wrong == []
            assert recipe_file.write(again) == recipe_file.write(recipe)


odd = st.sampled_from(
    [
        "",
        "x",
        "-3",
        "1e9",
        "99999999999999999999999999999",
        "0",
        "12 C",
        "1/0",
        "1,500",
        "2 h 3 x",
        "\x00",
        "7 to 3",
        "½",
    ]
)


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.sampled_from(sorted(RECIPES)), st.data())
def test_nothing_typed_breaks_the_desk_and_what_it_accepts_can_be_kept(app, key, data):
    with app.test_request_context():
        g.dairy, g.jars = METRIC, {}
        flat = typed(RECIPES[key])
        for name in data.draw(st.lists(st.sampled_from(sorted(flat)), max_size=3)):
            flat[name] = [data.draw(odd)]
        for _ in range(data.draw(st.integers(0, 2))):
            verb = data.draw(st.sampled_from(["add", "out", "up", "down"]))
            part = data.draw(st.sampled_from(["steps", "ingredients", "stages", "stages-0-cares"]))
            place = data.draw(st.integers(0, 30))
            flat, _ = changed(numbered(flat), f"{verb} {part} {place}", "press")
        recipe, wrong = form_of(flat, RECIPES[key], key)
        if not wrong:
            remarks(recipe, HOUSE)
            document = recipe_file.write(recipe)
            found = recipe_file.read_file(json.dumps(document))[0]
            assert found.recipe == recipe or found.refused


def desk(client, post, rows, address):
    """Begin to write: the draft's address and its fields."""
    where = post(address, {}, page="/recipes").headers["Location"]
    return where, drafted(rows, where).fields


def drafted(rows, where):
    rows.rollback()
    return rows.scalar(select(RecipeDraft).where(RecipeDraft.id == where.split("/")[-1]))


def versions(rows, key):
    rows.rollback()
    return recipes.versions_of(rows, rows.scalars(select(Dairy)).one(), key)


def test_a_change_is_a_version_with_its_why_and_stands_beside_the_one_before(client, post, rows):
    where, fields = desk(client, post, rows, "/recipes/threshing-cheddar/change")
    assert "Nothing against it" in client.get(where).text
    fields["steps-10-celsius"] = ["49 C"]
    fields["steps-10-celsius_low"] = fields["steps-10-celsius_high"] = [""]
    page = post(where, fields, page="/recipes", headers={"X-Fragment": "1"}).text
    assert "49 °C kills its culture" in page and "<html" not in page
    fields["steps-10-celsius"] = ["cosy"]
    page = post(where, fields | {"do": ["keep"], "why": ["warmer"]}, page="/recipes").text
    assert "“cosy” is not an amount" in page and 'value="cosy"' in page
    assert "First mend what is named here" in page
    assert drafted(rows, where).fields["steps-10-celsius"] == ["cosy"]

    fields["steps-10-celsius"], fields["steps-10-title"] = ["38 C"], ["Warm it gently"]
    fields["eat_by"] = ["1 1/2 months"]
    fields["ingredients-3-amount"] = ["1 tsp"]
    page = post(where, fields | {"do": ["keep"]}, page="/recipes").text
    assert "Write in a line why" in page
    done = post(where, fields | {"do": ["keep"], "why": ["gentler on the fat"]}, page="/recipes")
    assert done.headers["Location"] == "/recipes/threshing-cheddar"
    newest, first = versions(rows, "threshing-cheddar")
    body = newest.document["recipe"]
    assert (newest.number, newest.why) == (2, "gentler on the fat")
    assert body["eat_by_days"] == 45 and body["ingredients"][3]["amount"] == 5.0
    assert body["steps"][10]["celsius"] == {"target": 38, "low": 37, "high": 39}
    page = client.get("/recipes/threshing-cheddar/versions").text
    assert "39.0 °C (38.0 °C to 39.5 °C)" in page and "38.0 °C (37.0 °C to 39.0 °C)" in page
    assert "“Warm it gently”, " in page or "“Warm the curd to 39 °C, stirring”, warmth" in page
    post("/recipes/threshing-cheddar/back", {"number": "1"}, page="/recipes")
    assert versions(rows, "threshing-cheddar")[0].document == first.document
    assert "back to version 1" in client.get("/recipes/threshing-cheddar").text


def test_two_who_change_one_recipe_are_told_of_each_other(client, post, rows):
    one, fields = desk(client, post, rows, "/recipes/bench-curd/change")
    two, _ = desk(client, post, rows, "/recipes/bench-curd/change")
    for name, where in (("first", one), ("second", two)):
        told = fields | {"do": ["keep"], "why": [name], "words": [name]}
        page = post(where, told, page="/recipes")
        if name == "second":
            assert "Version 2 was kept in the meantime" in page.text
            page = post(where, told, page="/recipes")
        assert page.status_code == 302
    assert [v.why for v in versions(rows, "bench-curd")][:2] == ["second", "first"]
    where, fields = desk(client, post, rows, "/recipes/bench-curd/daughter")
    told = fields | {"name": ["Skillet"], "do": ["keep"], "why": ["x"]}
    assert "Another recipe is called so" in post(where, told, page="/recipes").text
    assert client.get(where).status_code == 200
    post(f"{where}/drop", {}, page="/recipes")
    assert client.get(where).status_code == 404


def test_a_recipe_grows_from_nothing_and_a_slip_is_taken_back(client, post, rows):
    where, fields = desk(client, post, rows, "/recipes/new")
    page = post(where, fields | {"do": ["keep"], "why": ["x"]}, page="/recipes").text
    assert "Give it a name" in page and "Write how much" not in page
    fields |= {
        "name": ["Hill Curd"],
        "family": ["lactic"],
        "reference-0-volume": ["2 L"],
        "reference-0-breed": ["goat"],
        "reference-0-treatment": ["raw"],
        "reference-0-stream": ["milk"],
        "eat_by": ["7"],
    }
    moved = post(
        where, fields | {"do": ["add ingredients"], "kind-new": ["culture"]}, page="/recipes"
    )
    assert moved.headers["Location"].endswith("shown=ingredients-0#ingredients-0")
    for kind in ("warm", "add", "wait"):
        fields = drafted(rows, where).fields
        post(where, fields | {"do": ["add steps"], "kind-new": [kind]}, page="/recipes")
    fields = drafted(rows, where).fields
    assert [fields[f"steps-{i}-kind"] for i in range(3)] == [["warm"], ["add"], ["wait"]]
    post(where, fields | {"do": ["up steps 2"]}, page="/recipes")
    post(where, drafted(rows, where).fields | {"do": ["out steps 0"]}, page="/recipes")
    fields = drafted(rows, where).fields
    assert [fields[f"steps-{i}-kind"] for i in range(2)] == [["wait"], ["add"]]
    for _ in range(2):
        post(where, drafted(rows, where).fields | {"do": ["take back"]}, page="/recipes")
    fields = drafted(rows, where).fields
    assert [fields[f"steps-{i}-kind"] for i in range(3)] == [["warm"], ["add"], ["wait"]]
    assert "Hill Curd" in client.get("/recipes").text  # on the desk


def test_a_daughter_is_only_what_she_changes_and_takes_over_what_her_parent_learns(
    client, post, rows
):
    where, fields = desk(client, post, rows, "/recipes/threshing-cheddar/daughter")
    fields |= {"name": ["Lambing Block"], "eat_by": ["400 days"], "do": ["keep"], "why": ["ours"]}
    assert post(where, fields, page="/recipes").headers["Location"] == "/recipes/lambing-block"
    daughter = versions(rows, "lambing-block")[0].document
    assert [each["at"] for each in daughter["changes"]] == ["key", "name", "eat_by_days"]
    assert "Lambing Block" in client.get("/recipes/threshing-cheddar").text
    assert "a daughter of" in client.get("/recipes/lambing-block").text

    where, fields = desk(client, post, rows, "/recipes/threshing-cheddar/change")
    fields |= {
        "steps-11-minutes": ["50 min"],
        "eat_by": ["500 d"],
        "do": ["keep"],
        "why": ["stirred longer"],
    }
    post(where, fields, page="/recipes")
    told = client.get("/recipes/lambing-block/versions").text
    assert "stirred longer" in told and "35 min" in told and "50 min" in told
    assert "Both changed this" in told and "500" in told
    post("/recipes/lambing-block/follow", {}, page="/recipes")
    newest, first = versions(rows, "lambing-block")
    assert newest.why == "follows Threshing Cheddar, version 2"
    assert newest.document["recipe"]["steps"][11]["minutes"] == 50
    assert newest.document["recipe"]["eat_by_days"] == 400
    ours = between(first.document["recipe"], newest.document["recipe"])
    assert [each.at for each in ours] == ["steps/stir/minutes"]
    assert "has a version" not in client.get("/recipes/lambing-block").text
    where, fields = desk(client, post, rows, "/recipes/lambing-block/change")
    post(where, fields | {"words": ["Ours."], "do": ["keep"], "why": ["said"]}, page="/recipes")
    assert versions(rows, "lambing-block")[0].document["parent"]["key"] == "threshing-cheddar"


def brought(post, text, **more):
    return post("/recipes/bring", {"text": text, **more}, page="/recipes/bring")


CARD = """A card of the hill
9.37 L raw goat milk
1/8 tsp mesophilic starter
2.3 mL rennet 1:15000
Warm to 31.4 C, add the culture, 47 min
Add the rennet, set 43 min
Cut 9 mm, heat to 38.7 C in 33 min
Drain 20 min, press 4 kg 6 h
Age 63 days at 12 C
Eat within 200 days
"""


def test_a_text_is_kept_as_it_was_read_and_one_that_another_is_called_so_goes_to_the_desk(
    client, post, rows
):
    read = understand(CARD, HOUSE, "metric").recipe
    made = brought(post, CARD, make="1")
    assert made.headers["Location"].endswith(f"/sheet?recipe={read.key}")
    kept = versions(rows, read.key)
    assert [(each.number, each.why) for each in kept] == [(1, "written here")]
    assert recipe_file.read_version(kept[0]) == read
    again = brought(post, CARD.replace("63", "70"), make="1")
    assert "/recipes/draft/" in again.headers["Location"]
    assert len(versions(rows, read.key)) == 1
    grave = brought(
        post, CARD.replace("card", "note").replace("Eat within 200 days\n", ""), make="1"
    )
    assert "/recipes/draft/" in grave.headers["Location"]


def test_a_file_is_looked_at_before_any_of_it_is_kept(client, post, rows):
    document = recipe_file.write(RECIPES["skillet"])
    changed_one = json.loads(json.dumps(document))
    changed_one["recipe"]["eat_by_days"] = 4
    changed_one["recipe"]["moon"] = "full"
    fresh = json.loads(json.dumps(document))
    fresh["recipe"] |= {"key": "ours", "name": "Ours"}
    bad = json.loads(json.dumps(document))
    bad["recipe"]["steps"][0]["minutes"] = "soon"
    newer = {"format": "open-pail-recipe", "version": 2, "recipe": {"name": "Of tomorrow"}}
    text = json.dumps([changed_one, fresh, bad, newer, recipe_file.library()[0][1]])
    before = rows.scalar(select(func.count()).select_from(RecipeVersion))
    page = brought(post, text).text
    for words in (
        "version 2",
        "moon",
        "eat within, days",
        "New here",
        "steps.0.minutes",
        "From a newer Open Pail",
        "word for word",
    ):
        assert words in page
    rows.rollback()
    assert rows.scalar(select(func.count()).select_from(RecipeVersion)) == before
    done = brought(post, text, keep="1", take=["1", "2", "3"])
    assert done.headers["Location"] == "/recipes"
    rows.rollback()
    assert rows.scalar(select(func.count()).select_from(RecipeVersion)) == before + 1
    assert "Ours" in client.get("/recipes").text
    page = client.get("/recipes/bring").text
    assert "Of tomorrow" in page
    address = re.search(r"/recipes/kept/[\w-]+\.json", page)[0]
    assert json.loads(client.get(address).text) == newer
    post(address.replace(".json", "/drop"), {}, page="/recipes/bring")
    assert "Of tomorrow" not in client.get("/recipes/bring").text
    assert "not JSON" in brought(post, "{ half").text
    assert "Paste a recipe" in brought(post, " ").text
    brought(post, text, keep="1", take=["0"])
    where, fields = desk(client, post, rows, "/recipes/skillet/change")
    post(where, fields | {"words": ["Quick."], "do": ["keep"], "why": ["w"]}, page="/recipes")
    assert versions(rows, "skillet")[0].document["recipe"]["moon"] == "full"


def test_plain_lines_come_to_the_desk_with_what_was_not_understood(client, post, rows):
    text = "Hill Wheel\n10 L raw goat milk\n2 mL calf rennet, 200 IMCU\nsing to it\nwarm to 31 C"
    upload = {"upload": (io.BytesIO(text.encode()), "hill.txt")}
    page = post("/recipes/bring", upload, page="/recipes/bring").text
    assert "4 of 5 lines read" in page and "No word of this line" in page
    where = brought(post, text, open="1").headers["Location"]
    page = client.get(where).text
    assert "“sing to it”" in page and 'value="Hill Wheel"' in page
    assert "goes in at no step" in page


def test_a_text_is_read_again_as_it_is_typed_with_its_answers_and_readings(client, post):
    text = "Goat\n2 gal goat milk\n1 g mild culture\nwarm to 30\nadd the culture\nwait 5 set 4"

    def read(**more):
        sent = {"text": text} | more
        return post("/recipes/bring", sent, "/recipes/bring", headers={"X-Fragment": "1"}).text

    page = read()
    assert "<html" not in page and page.count("data-marks") == page.count("data-asked") == 1
    assert "7.6 L of goat milk, raw" in page and "Whose gal is meant?" in page
    page = read(**{"answer-measure": "imperial", "answer-heat": "batch"})
    assert "9.1 L of goat milk, batch" in page
    assert "milk, raw" in read(**{"answer-heat": "boiled"})
    hours = json.dumps(["wait 5 set 4", 5, "h"])
    assert ">5 h<" in read(chosen=[hours]) and ">5 min<" in read()
    assert "as it was read first" in read(chosen=[hours])
    assert ">5 min<" in read(chosen=[hours, json.dumps(["wait 5 set 4", 5, ""])])
    assert "wait 6" not in read(chosen=[json.dumps(["wait 6", 5, "h"])])  # its line is gone
    assert "An open recipe file" in read(text='[{"format"')
    for broken in ("{", "[1]", '["a", "b", "h"]', '["a", 1, "moons"]'):
        assert (
            post("/recipes/bring", {"text": text, "chosen": broken}, "/recipes/bring").status_code
            == 400
        )


def test_what_has_to_be_answered_is_asked_before_anything_is_kept(client, post, rows):
    text = "Card\n1 g mild culture\nwarm to 30\nadd the culture\nwait 30 min\ndrain 10 min"
    page = brought(post, text, make="1").text
    assert "How much milk is it for" in page and "Answer this first" in page
    told = brought(post, text, make="1", **{"answer-milk": "a pail"}).text
    assert "Write it like 20 L raw goat milk." in told and 'value="a pail"' in told
    done = brought(post, text, make="1", **{"answer-milk": "8 L raw goat milk"})
    assert done.status_code == 302
    assert "Card" in client.get("/recipes").text


def test_every_recipe_leaves_alone_or_with_all_on_paper_and_as_files(client, post):
    whole = recipe_file.read_file(client.get("/recipes/all.json").text)
    assert {each.recipe.key for each in whole} == set(RECIPES)
    assert client.get("/recipes/lantern.md").text.startswith("# Lantern\n")
    post("/recipes/lantern/away", {"away": "1"}, page="/recipes")
    assert "lantern" not in client.get("/recipes/all.json").text
    assert "Lantern" not in client.get("/sheet").text
    post("/recipes/lantern/away", {}, page="/recipes")
    assert "Lantern" in client.get("/sheet").text


def test_a_dairy_of_before_gets_the_starters_that_it_lacks(client, post, rows):
    rows.delete(versions(rows, "swaddle")[0])
    rows.flush()
    rows.execute(delete(RecipeRow).where(RecipeRow.key == "swaddle"))
    rows.commit()
    post("/recipes/starters", {}, page="/recipes/bring")
    assert len(versions(rows, "swaddle")) == 1 and len(versions(rows, "lantern")) == 1


def test_what_other_milk_does_stands_side_by_side(client, post):
    page = client.get("/recipes/steading-wheel/milks").text
    heads = re.findall(r"</svg><br>([^<]+)</th>", page)
    assert heads == [
        "as written",
        "batch",
        "flash",
        "ultra-heated",
        "cow",
        "goat",
        "sheep",
        "buffalo",
        "your milk today",
    ]
    assert "will not set with rennet" in page and "Raw milk" in page
    lot = re.search(r'name="lot" value="([\w-]+)"', page)[1]
    assert client.get(f"/recipes/steading-wheel/milks?lot={lot}").text.count(" checked") == 1
    for key in RECIPES:
        assert client.get(f"/recipes/{key}/milks").status_code == 200


def test_the_whey_of_a_make_is_a_pail_and_a_cheese(client, post, rows):
    page = client.get("/vat").headers["Location"]
    assert "Keep the whey" not in client.get(page).text
    steps = [step.key for step in RECIPES["larder-block"].steps]
    while "Keep the whey" not in client.get(page).text and steps:
        post(f"{page}/tell", done(steps.pop(0)), page)
    refused = post(
        f"{page}/tell", {"deed": "whey_kept", "litres": "4000 L", "event": str(uuid.uuid4())}, page
    ).text
    assert "Write how much whey there is" in refused and 'value="4000 L"' in refused
    kept = {"deed": "whey_kept", "litres": "15 L", "event": str(uuid.uuid4())}
    post(f"{page}/tell", kept, page)
    rows.rollback()
    lot = rows.scalar(select(MilkLot).where(MilkLot.kind == "whey"))
    assert lot.volume_l == 15 and 0.4 < lot.made_of["protein"] < 1.5 and lot.holding == "warm"
    sheet = client.get(f"/sheet?lot={lot.id}&recipe=second-pot").text
    assert "protein of the whey" in sheet and "white vinegar" in sheet
    assert "holds no curd" in client.get(f"/sheet?lot={lot.id}&recipe=larder-block").text
    assert "Whey of make" in client.get("/milk").text
    assert "that its make left in it" in client.get(f"/milk/{lot.id}").text
    assert post(f"{page}/tell", kept, page).status_code == 302  # a second delivery is harmless
    again = post(f"{page}/tell", {**kept, "event": str(uuid.uuid4())}, page)
    assert "was kept already" in again.text
    rows.rollback()
    assert len(rows.scalars(select(MilkLot).where(MilkLot.kind == "whey")).all()) == 1


def test_an_empty_page_on_the_desk_is_not_in_red_until_it_is_touched(client, post):
    desk = post("/recipes/new", {}, page="/recipes").location
    page = client.get(desk).text
    assert "An empty page" in page and "has-error" not in page and "Not understood" not in page
    assert 'name="why"' not in page  # of a first version nobody asks why
    post(desk, {"family": "tomme", "words": "a try"}, page="/recipes")
    assert "Give it a name" in client.get(desk).text
