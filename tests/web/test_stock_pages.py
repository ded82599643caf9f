"""The stock through its pages: what comes in, goes down with makes, is weighed, fed, and filed."""

import csv
import io
import re
import uuid
from datetime import timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select

from openpail.craft.make.deeds import StepDone, Told, Undone
from openpail.formats import stock_csv
from openpail.records.dairy.models import Dairy
from openpail.records.makes import actions as makes
from openpail.records.session import sessions
from openpail.records.stock import actions as stock
from openpail.records.stock.models import Bottle, StockMove
from openpail.work.here import Here
from openpail.work.make.log import tell
from tests.conftest import NOW

RENNET = {
    "kind": "rennet",
    "label": "the new bottle",
    "strength": "400",
    "sure": "y",
    "scale": "imcu",
    "form": "liquid",
    "sort": "calf",
    "amount": "100 mL",
    "kept": "fridge",
    "price": "9,50",
    "best_before": "2027-05-01",
}


@pytest.fixture
def rows(client):
    """Look into the database behind the page."""
    url = client.application.extensions["config"].database_url
    with sessions(url).begin() as session:
        yield session


def address_of(client, name):
    shelf = client.get("/stock").text
    return re.search(rf'href="(/stock/[\w-]+)">(?:(?!</a>).)*<span>{name}', shelf, re.S)[1]


def sheet_address(client, recipe="larder-block"):
    page = client.get("/milk").text
    lot = re.search(r'href="/milk/([\w-]+)">(?:(?!</a>).)*Goats, this morning', page, re.S)[1]
    return f"/sheet?lot={lot}&recipe={recipe}"


def test_the_shelves_show_what_is_there_and_say_what_is_wrong(client, post):
    page = client.get("/stock").text
    places = ("In the fridge", "In the freezer", "On the shelf")
    for words in (*places, "24 cubes", "the brown bottle", "the taste may come without the holes"):
        assert words in page
    today = client.get("/").text
    assert "In the stock" in today and "eye-making culture" in today
    assert "test it at home" in today


@pytest.mark.parametrize(
    ("kind", "told", "field", "words"),
    [
        ("rennet", {**RENNET, "label": " "}, "label", "what the label calls it"),
        ("rennet", {**RENNET, "strength": ""}, "strength", "Write the strength"),
        ("rennet", {**RENNET, "strength": "much"}, "strength", "is not a number"),
        ("rennet", {**RENNET, "amount": "1,500 mL"}, "amount", "1.5"),
        ("rennet", {**RENNET, "amount": "2 kg"}, "amount", "kg"),
        ("rennet", {**RENNET, "amount": "0"}, "amount", "more than nothing"),
        ("rennet", {**RENNET, "price": "-2"}, "price", "Write the price"),
        (
            "rennet",
            {**RENNET, "opened_on": "2026-01-01", "bought_on": "2026-02-01"},
            "opened_on",
            "opened before it was bought",
        ),
        ("culture", {"label": "cubes", "form": "cubes", "amount": "12"}, "size", "mL one cube"),
        ("culture", {"label": "bag", "form": "one-packet"}, "serves", "litres one packet"),
        ("acid", {"label": "vinegar", "sort": "acetic", "strength": "500"}, "strength", "over 100"),
    ],
)
def test_a_label_that_cannot_be_is_refused_by_its_field_and_kept(
    client, post, kind, told, field, words
):
    answer = post("/stock", {**told, "kind": kind, "kept": told.get("kept", "fridge")})
    assert answer.status_code == 200
    said = re.search(rf'id="{field}-words" class="error">([^<]*)', answer.text)
    assert said and words in said[1]
    assert f'value="{told["label"]}"' in answer.text


def test_a_lot_goes_down_with_a_make_comes_back_with_an_undo_and_is_weighed(client, post, rows):
    post("/stock", RENNET)
    address = sheet_address(client)
    sheet = client.get(address).text
    dose = float(re.search(r'data-dose="rennet"[^/]*<b>([\d.]+)</b>', sheet, re.S)[1])
    form = dict(re.findall(r'name="(lot|recipe|vat)" value="([^"]+)"', sheet))
    vat = post("/sheet/start", form, address).headers["Location"]
    dairy = rows.scalar(select(Dairy))
    make = makes.make(rows, dairy, uuid.UUID(vat.split("/")[-1]))
    lot = rows.scalar(select(Bottle).where(Bottle.name == "the new bottle"))
    exact = makes.sheet_of(make).line("rennet").figure.value
    assert exact == pytest.approx(dose, abs=0.05)
    earlier = NOW - timedelta(minutes=6)  # nobody stands there any more to be asked
    done = Told(id=str(uuid.uuid4()), deed=StepDone(step="rennet"), happened=earlier)
    for _ in range(2):  # a second delivery takes nothing more
        tell(Here(rows, dairy, NOW), make.id, [done])
    assert lot.left == pytest.approx(100 - exact) and lot.opened_on == NOW.date()
    for _ in range(2):
        undo = Told(
            id=str(uuid.uuid4()), deed=Undone(), happened=NOW + timedelta(seconds=5), amends=done.id
        )
        tell(Here(rows, dairy, NOW + timedelta(minutes=1)), make.id, [undo])
    assert lot.left == pytest.approx(100)
    stock.weigh(rows, lot, 88.0, NOW)
    moves = rows.scalars(select(StockMove).where(StockMove.bottle_id == lot.id)).all()
    assert {move.kind for move in moves} == {"used", "given back", "weighed"}
    assert 100 + sum(move.amount for move in moves) == pytest.approx(lot.left) == 88.0
    rows.commit()
    page = client.get(f"/stock/{lot.id}").text
    assert "88 mL" in page and "given back" in page and f"make {make.number}" in page


def test_running_out_is_said_at_the_sheet_and_asks_for_a_word(client, post):
    post("/stock", {**RENNET, "amount": "0.5 mL"})
    address = sheet_address(client)
    sheet = client.get(address).text
    assert "the new bottle: 0.5 mL left, and this wants" in sheet
    form = dict(re.findall(r'name="(lot|recipe|vat)" value="([^"]+)"', sheet))
    refused = post("/sheet/start", form, address)
    assert "Write why you go on all the same" in refused.text
    assert (
        post("/sheet/start", {**form, "why": "a drop more is in the cap"}, address).status_code
        == 302
    )


def test_a_weighing_and_an_opening_and_an_end(client, post):
    post("/stock", RENNET)
    lot = address_of(client, "the new bottle")
    assert "Opened today" in client.get(lot).text
    post(f"{lot}/open", {}, lot)
    assert "Opened today" not in client.get(lot).text
    assert "less than nothing" in post(f"{lot}/weigh", {"left": "-3"}, lot).text
    assert "Write what is left, in mL" in post(f"{lot}/weigh", {"left": ""}, lot).text
    post(f"{lot}/weigh", {"left": "91,5"}, lot)
    assert "92 mL" in client.get(lot).text
    mended = post(lot, {**RENNET, "label": "the newer bottle", "amount": "120"}, lot)
    assert mended.status_code == 302 and "the newer bottle" in client.get("/stock").text
    assert "Write the strength" in post(lot, {**RENNET, "strength": "0"}, lot).text
    post(f"{lot}/end", {}, lot)
    assert "the newer bottle" not in client.get("/stock").text
    assert "Ended" in client.get(lot).text


def test_a_jar_is_fed_seen_and_not_taken_while_it_is_not_fit(client, post):
    jar = address_of(client, "counter jar")
    before = client.get(jar).text.count("<tr")
    post(f"{jar}/feed", {"from": "today"}, jar)
    assert "<b>Done.</b> Fed: counter jar" in client.get("/").text
    post(f"{jar}/feed", {"back": "1"}, jar)  # a slip of the finger
    assert client.get(jar).text.count("<tr") == before
    post(f"{jar}/feed", {"from": "today"}, jar)
    page = client.get(jar).text
    assert "not been seen to set" in page
    assert (
        "over 0, at most 200"
        in post(f"{jar}/seen", {"set_hours": "900", "smell": "clean"}, jar).text
    )
    post(f"{jar}/seen", {"set_hours": "31", "smell": "sharp", "ph": "4,5"}, jar)
    assert "smelt sharp" in client.get(jar).text
    address = sheet_address(client)
    assert "counter jar" in client.get(address).text  # it may be asked for
    lot = jar.split("/")[-1]
    asked = client.get(f"{address}&use-culture={lot}").text
    assert "counter jar is not fit for use: it smelt" in asked
    post(f"{jar}/seen", {"set_hours": "14", "smell": "clean", "ph": "4,5"}, jar)
    assert "not fit" not in client.get(f"{address}&use-culture={lot}").text
    tablets = address_of(client, "set tablets")
    assert "Only a jar is fed" in post(f"{tablets}/feed", {}, tablets).text


def test_another_bottle_is_swapped_in_and_what_it_changes_is_said(client, post):
    address = sheet_address(client)
    plain = client.get(address).text
    tablets = address_of(client, "set tablets").split("/")[-1]
    swapped = client.get(f"{address}&use-rennet={tablets}").text
    assert "Plant rennet" in swapped and "Crush it" in swapped and "¼ tablet" in swapped
    assert "Plant rennet" not in plain
    own = client.get(f"{address}&use-rennet=").text
    assert "as the recipe has it" in own
    curd = sheet_address(client, "bench-curd")
    lemon = address_of(client, "lemon juice").split("/")[-1]
    juice = client.get(f"{curd}&use-acid={lemon}").text
    assert "Fruit varies by a fifth" in juice and "lemon juice, bottled for" in juice
    assert (
        client.get(f"{address}&use-rennet=00000000-0000-4000-8000-000000000000").status_code == 404
    )


def test_a_what_if_is_held_until_it_is_kept_and_then_it_is_marked(client, post):
    address = sheet_address(client)
    tried = client.get(f"{address}&own-rennet=1,2&ph=6.4&out=rennet:rennet.species_goat").text
    assert "This is a what-if" in tried and "Start the make" not in tried
    assert tried.count("known-overruled") >= 1
    kept = client.get(f"{address}&own-rennet=1,2&kept=by+feel").text
    assert "Overruled by you:" in kept and "Start the make" in kept
    heated = client.get(f"{address}&treat=flash&kept=no").text
    assert "Heat the milk first" in heated and "Start the make" not in heated
    for wrong, words in (
        ("own-rennet=lots", "is not a number"),
        ("ph=11", "pH at renneting"),
        ("at=500 L", 'role="alert"'),
    ):
        assert words in client.get(f"{address}&{wrong}").text
    assert "legal ceiling is 0.2" in client.get(f"{address}&own-calcium=90").text
    form = dict(re.findall(r'name="(lot|recipe|vat|own-rennet|kept)" value="([^"]+)"', kept))
    vat = post("/sheet/start", form, address).headers["Location"]
    paper = client.get(vat.replace("/vat/", "/makes/") + "/sheet").text
    assert "Overruled: by feel" in paper and "known-overruled" in paper


def test_a_solution_is_worked_out_and_stands_in_the_fridge(client, post):
    asked = {"counts": "dihydrate", "purity": "78", "wanted": "33", "ml": "250"}
    page = post("/stock/solution", asked, "/stock/solution")
    # 78 % counts anhydrous already, whatever it is called
    assert "106 g of flakes" in page.text and "250 mL" in page.text
    assert "5 to 40" in post("/stock/solution", {**asked, "wanted": "70"}, "/stock/solution").text
    post("/stock/solution", {**asked, "keep": "1"}, "/stock/solution")
    assert "own calcium chloride solution, 33 %" in client.get("/stock").text
    assert (
        "own calcium chloride solution, 33 %: mL for each g"
        in client.get(sheet_address(client)).text
    )


def test_the_stock_goes_out_as_a_file_and_comes_in_again(client, post):
    text = client.get("/stock.csv").text
    assert text.splitlines()[0] == ",".join(stock_csv.COLUMNS)
    seen = post("/stock/file", {"text": text}, "/stock/file").text
    count = len(text.splitlines()) - 1
    assert f"Keep {count} lots" in seen and "Refused" not in seen
    post("/stock/file", {"text": text, "keep": "1"}, "/stock/file")
    again = client.get("/stock.csv").text
    head, *lots = text.splitlines()
    assert sorted(again.splitlines()) == sorted([head, *lots, *lots])


def test_bad_lines_of_a_file_are_named_and_the_good_ones_kept(client, post):
    text = (
        "Kind,Name,strength,best_before,form\n"
        "rennet,good,200,2027-01-01,liquid\nrennet,none,,,\nwine,red,,,\n"
        "acid,late,5,tomorrow,liquid\nrennet,odd,200,,steam\nrennet,much,lots,,\n"
    )
    page = post("/stock/file", {"text": text}, "/stock/file").text
    for words in (
        "Understood, 1",
        "Refused, 5",
        "Write the strength",
        "“wine” is no kind",
        "Write the day like",
        "“steam” is none of",
        "leave 5 out",
    ):
        assert words in page
    assert "names the columns" in post("/stock/file", {"text": "hello"}, "/stock/file").text
    post("/stock/file", {"text": text, "keep": "1"}, "/stock/file")
    assert "<span>good</span>" in client.get("/stock").text


cells = st.text(st.characters(blacklist_categories=["Cs"]), max_size=12)


@settings(max_examples=60, suppress_health_check=[HealthCheck.too_slow])
@given(
    st.lists(st.lists(cells, max_size=6), max_size=6),
    st.sampled_from(["kind,name", "kind,name,strength,price,raw", "name,kind,sort,form,left", ""]),
)
def test_no_file_breaks_the_reader_and_every_line_is_a_lot_or_named(table, header):
    out = io.StringIO()
    csv.writer(out).writerows(table)
    try:
        good, refused = stock_csv.read(f"{header}\n{out.getvalue()}")
    except ValueError as error:
        assert str(error)
        return
    lines = [each.line for each in (*good, *refused)]
    assert len(lines) == len(set(lines)) <= len(table)
    assert all(each.words for each in refused)


def test_the_paper_says_what_was_overruled_and_has_the_times_of_this_milk(client, post):
    address = sheet_address(client).replace("/sheet?", "/sheet/print?")
    plain = client.get(address).text
    assert "Overruled" not in plain and "what-if" not in plain
    slow = client.get(f"{address}&own-rennet=0,85").text
    assert "A what-if, not the plan." in slow

    def minutes(page, step):
        row = re.search(rf"<tr>(?:(?!</tr>).)*{step}", page, re.S)[0]
        return int(re.search(r"<small>(\d+) min", row)[1])

    flocks = "Wait for the first flocks"
    assert minutes(slow, flocks) > 1.6 * minutes(plain, flocks)
    assert minutes(slow, "Cut to 13 mm") == minutes(plain, "Cut to 13 mm")
    assert "Overruled:</b> by feel" in client.get(f"{address}&own-rennet=0,85&kept=by+feel").text


def test_small_amounts_go_by_the_dairys_spoons_or_its_scale(client, post):
    ways = {
        "ways-raw_calcium": "table",
        "ways-rennet": "keep_clock",
        "ways-raw_rennet": "0",
        "ways-ripen": "to_ph",
        "ways-brining": "weight",
        "ways-rest_cold": "no",
        "ways-move_steps": "yes",
        "ways-raw_culture": "less",
        "ways-diluted": "yes",
    }
    address = sheet_address(client)
    assert "⅛ tsp" in client.get(address).text
    post("/dairy/ways", {**ways, "ways-small": "scale", "ways-scale": "0,01"}, "/dairy")
    assert "weigh 0.17 g" in client.get(address).text
    few = {**ways, "ways-small": "spoons", "ways-spoons": ["1 tsp", "¼ tsp"], "ways-scale": ""}
    post("/dairy/ways", few, "/dairy")
    page = client.get(address).text
    assert "⅛ tsp" not in page and "better weigh 0.17 g or dissolve 1 g in 100 mL" in page
    dairy = client.get("/dairy/ways").text
    assert re.search(r'value="¼ tsp"\s+checked', dairy) and 'value="½ tsp" >' in dairy


def test_an_empty_shelf_teaches_and_the_recipe_speaks_for_itself(client, post, rows):
    for lot in rows.scalars(select(Bottle)).all():
        stock.end_bottle(rows, rows.scalar(select(Dairy)), lot.id, NOW)
    rows.commit()
    assert "Bring in what is in the fridge, rennet first" in client.get("/stock").text
    sheet = client.get(sheet_address(client)).text
    assert sheet.count(", as the recipe has it") == 4 and "calf rennet, 200 IMCU/mL" in sheet
    assert "In the stock" not in client.get("/").text


def test_what_has_lost_its_strength_is_said_at_the_sheet(client, post):
    old = address_of(client, "calf rennet, last year").split("/")[-1]
    sheet = client.get(f"{sheet_address(client)}&use-rennet={old}").text
    assert "calf rennet, last year’s: About 68 % of its strength is left" in sheet
    assert "the recipe’s 200" in sheet


def test_a_bottle_is_tested_from_its_shelf_or_before_and_keeps_its_own_drops(client, post):
    shelf = client.get("/stock").text
    lots = dict.fromkeys(re.findall(r'href="(/stock/[\w-]{36})"', shelf))
    lot = next(each for each in lots if "Test its strength at home" in client.get(each).text)
    link = re.search(r'href="(/dairy/rennet\?bottle=[\w-]+)"', client.get(lot).text)[1]
    assert f'selected value="{lot.rsplit("/", 1)[1]}"' in client.get(link).text
    cup = {"bottle": "", "milk": "100", "rennet": "0.5", "seconds": "60", "vat_milk": ""}
    page = post("/dairy/rennet", cup, "/dairy/rennet").text
    onto = re.search(r'href="(/stock\?kind=rennet&amp;strength=\d+)"', page)[1]
    form = client.get(onto.replace("&amp;", "&")).text
    assert re.search(r'name="strength"[^>]*value="\d+"', form) and "Drops in 1 mL" in form
    new = {"kind": "rennet", "label": "dropper", "strength": "200", "scale": "imcu", "drops": "28"}
    told = new | {"amount": "50 mL", "kept": "fridge", "sort": "calf", "form": "liquid"}
    assert post("/stock", told, "/stock").status_code == 302
    assert 'value="28"' in client.get("/stock").text or "dropper" in client.get("/stock").text
    assert ",28," in client.get("/stock.csv").text.replace("28.0", "28")
