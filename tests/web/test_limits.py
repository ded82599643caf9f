"""What nobody means is refused in words, by its field, at every way in; and breaks no page."""

import json
import re
from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select

from openpail.craft.errors import CraftError
from openpail.craft.units import parse_amount, parse_minutes, parse_number
from openpail.formats import milk_csv, recipe_file, stock_csv
from openpail.formats.recipe_words import safe_key, slug
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.milk.models import MilkLot
from openpail.records.plans.models import PlannedMake
from openpail.records.session import sessions
from tests.support import RECIPES
from tests.support.pages import MAIN
from tests.web.test_bench_pages import pour
from tests.web.test_forms import GOOD
from tests.web.test_milk_pages import OWN
from tests.web.test_plan_pages import offered
from tests.web.test_stock_pages import RENNET


def all_pages_stand(client):
    for address in MAIN:
        assert client.get(address, follow_redirects=True).status_code == 200, address


@pytest.mark.parametrize("year", ["0001", "1989", "2300", "9999"])
def test_years_that_nobody_means_are_refused_by_every_form(client, post, year):
    refused = post("/milk", {**GOOD, "best_before": f"{year}-12-31"}).text
    assert f"The year {int(year)} cannot be meant" in refused and "Goats again" in refused
    assert "cannot be meant" in post("/milk", {**GOOD, "milked": f"{year}-12-31T06:00"}).text
    assert "cannot be meant" in post("/stock", {**RENNET, "best_before": f"{year}-12-31"}).text
    plan = {**offered(client, "Thatch"), "begins": f"{year}-12-31T06:00"}
    assert "cannot be meant" in post("/plan", plan, page="/which").text
    all_pages_stand(client)


@pytest.mark.parametrize(
    ("model", "column", "value"),
    [
        (MilkLot, "best_before", "9999-12-31"),
        (PlannedMake, "day", "0001-01-01"),
        (MilkLot, "volume_l", float("nan")),
        (MilkLot, "left_kg", float("inf")),
        (Vat, "brim_l", 1e12),
        (Dairy, "name", "a" * 9000),
        (Vat, "name", "tub\x00"),
        (MilkLot, "price", Decimal("nan")),
        (MilkLot, "price", Decimal("1e12")),
    ],
)
def test_no_row_takes_what_a_page_could_not_reckon_with(demo_url, model, column, value):
    if isinstance(value, str) and value[4:5] == "-":
        value = date.fromisoformat(value)
    with sessions(demo_url)() as session:
        row = session.scalar(select(model))
        with pytest.raises(CraftError) as refused:
            setattr(row, column, value)
    assert refused.value.about == column


@pytest.mark.parametrize(
    ("address", "form", "words"),
    [
        ("/dairy/vats", {"vat-name": "sea", "vat-brim": "1000000 L", "vat-diameter": "300"}, "vat"),
        ("/dairy/vats", {"vat-name": "straw", "vat-brim": "100 L", "vat-diameter": "1"}, "m deep"),
        ("/dairy", {**OWN, "dairy-analyser": "a b:80"}, "127.0.0.1:7431"),
        ("/dairy", {**OWN, "dairy-analyser": "host:99999"}, "127.0.0.1:7431"),
        ("/dairy", {**OWN, "dairy-zone": "Europe"}, "not a time zone"),
        ("/milk", {**GOOD, "price": "1" + "0" * 9}, "like 12.50"),
        ("/milk", {**GOOD, "name": "a" * 400}, "too long"),
        ("/stock", {**RENNET, "price": "1" + "0" * 9}, "like 12.50"),
        ("/milk", {**GOOD, "name": "goats\x00"}, "cannot be kept"),
    ],
)
def test_what_no_farm_has_is_refused_in_words(client, post, address, form, words):
    answer = post(address, form, "/dairy")
    assert answer.status_code in (200, 400, 422) and words in answer.text
    all_pages_stand(client)


def test_a_wish_that_is_none_leaves_the_bench_standing(client, post):
    vat = client.get("/bench").location
    for cream in ("50", "1e9", "nan"):
        assert post(f"{vat}/targets", {"fat": "4", "cream": cream}, vat).status_code == 302
        assert client.get(vat).status_code == 200


def test_a_file_that_can_be_looked_at_can_be_kept(client, post):
    line = "rennet,{},liquid,400,imcu,{}\r\n"
    note = "x" * 290
    text = "kind,name,form,strength,scale,place\r\n" + "".join(
        line.format(f"bottle {number}", note) for number in range(1900)
    )
    assert len(text) > 600_000
    assert "Understood, 1900" in post("/stock/file", {"text": text}, "/stock/file").text
    kept = post("/stock/file", {"text": text, "keep": "1"}, "/stock/file")
    assert kept.status_code == 302
    for address in ("/stock/file", "/milk/file", "/recipes/bring"):
        assert "up to 2 MB" in client.get(address).text
        refused = post(address, {"text": "a," * 1_100_000}, address)
        assert "at most 2 MB" in refused.text
    assert post("/stock/file", {"text": "a" * 8_000_000}, "/stock/file").status_code == 413


def test_the_way_back_carries_no_line_of_its_own(client):
    for odd in ("/milk\r\nX: y", "//far.example", "/\\far.example", "//["):
        answer = client.get("/sign-in", query_string={"next": odd})
        assert answer.status_code == 200


# ── the readers of text ──


LONG = st.builds(
    lambda first, many, last: first + many * 200_000 + last,
    st.sampled_from("1(+"),
    st.sampled_from(" 1(,"),
    st.sampled_from(".x"),
)


@given(st.text("0123456789 .,/+-½ \t()", max_size=400) | LONG)
def test_no_text_keeps_a_reader_long(text):
    for read in (parse_number, parse_minutes, lambda each: parse_amount(each, "volume", "us", "L")):
        try:
            assert read(text) is not None
        except CraftError as error:
            assert error.words
    for look in (milk_csv.understand, stock_csv.read):
        try:
            look(f"date,herd,{text}\n2026-05-01,goats,4\n")
        except (CraftError, milk_csv.NotATable) as error:
            assert error.words


@pytest.mark.parametrize("sign", ["=", "＝", "\u200b=", " =", "\u202e+", "＠", "-", "\t@"])
def test_no_cell_is_a_formula_however_it_is_written(sign):
    text = f"{sign}1+1"
    assert milk_csv.guarded(text) == f"'{text}"
    assert milk_csv.unguarded(milk_csv.guarded(text)) == text
    assert milk_csv.guarded("Goats = ewes") == "Goats = ewes"


def test_keys_of_recipes_are_made_safe_and_names_stay(client, post):
    whole = recipe_file.write(RECIPES["skillet"])
    names = ("Φέτα του Δάσους", "Сыр из леса", "Σιτάκι", "a/b", "..", "k" * 40_000, "bring")
    documents = [
        {**whole, "recipe": {**whole["recipe"], "key": name, "name": name[:100]}} for name in names
    ]
    found = recipe_file.read_file(json.dumps(documents))
    keys = [each.recipe.key for each in found]
    assert len(set(keys)) == len(names) and all(safe_key(key) == key for key in keys)
    assert [each.name for each in found] == [name[:100] for name in names]
    data = {"text": json.dumps(documents), "keep": "1", "take": [str(n) for n in range(len(names))]}
    assert post("/recipes/bring", data, "/recipes/bring").status_code == 302
    for key, name in zip(keys, names, strict=True):
        page = client.get(f"/recipes/{key}")
        assert page.status_code == 200 and name[:40] in page.text, key
    assert slug("Crème de la Ferme") == "creme-de-la-ferme"


def test_one_that_cannot_be_worked_out_says_so_and_the_others_stand(client, post, monkeypatch):
    plan = post("/plan", offered(client, "Thatch"), page="/which").location

    def broken(*_, **__):
        raise ZeroDivisionError

    monkeypatch.setattr("openpail.work.plan.planned.adapt", broken)
    all_pages_stand(client)
    assert "cannot be worked out" in client.get(plan).text
    monkeypatch.setattr("openpail.work.sheet.which.choose", broken)
    which = client.get("/which").text
    assert which.count("cannot be worked out") > 5


def test_milk_skimmed_to_nothing_has_no_ratio_and_the_bench_stands(client, post):
    lot = post("/milk", {**GOOD, "fat": "0"}).location.rpartition("/")[2]
    page = client.get("/bench", follow_redirects=True).text
    bench = re.search(r'href="(/bench/[\w-]+)"[^>]*>stove pot', page)[1]
    pour(post, bench, lot, "6 L")
    post(f"{bench}/targets", {"protein_to_fat": "0.9", "fdm": "50"}, bench)
    page = client.get(bench).text
    assert 'part-name">fat<' in page and 'part-name">casein : fat<' not in page
    all_pages_stand(client)
