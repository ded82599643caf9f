"""The house values' page: each told with range and source, made the dairy's own, and given back."""

import re
import uuid
from datetime import timedelta

import pytest
from sqlalchemy import select

from openpail.craft.house import shipped
from openpail.craft.make.deeds import ReadingTaken, StepDone, Told
from openpail.records.dairy.models import Dairy
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.session import sessions
from openpail.work.here import Here
from openpail.work.make.log import tell
from tests.conftest import NOW
from tests.support.pages import MAIN
from tests.web.test_forms import new_lot, sheet, start


def row(page, key):
    return re.search(rf'id="{re.escape(key)}">(.*?)</div>', page, re.S)[1]


def test_every_house_value_stands_on_the_page_with_range_and_source(client, post):
    pages = {key.split(".")[0] for key in shipped()}
    pages = {group: client.get(f"/dairy/house?group={group}").text for group in pages}
    for key in shipped():
        assert f'id="{key}"' in pages[key.split(".")[0]], key
    page = pages["rennet"]
    told = row(page, "rennet.species_goat")
    assert '<b class="">0.8</b>' in told and "house value" in told
    low, high = shipped()["rennet.species_goat"].low, shipped()["rennet.species_goat"].high
    assert f"{low:g} to {high:g}" in told


def test_a_value_overruled_changes_the_next_sheet_says_whose_it_is_and_comes_back(client, post):
    lot = new_lot(client, post)
    before = sheet(client, lot)
    assert 'href="/dairy/house?find=rennet.species_goat#rennet.species_goat"' in before
    post("/dairy/house/rennet.species_goat", {"value": "0,95", "why": "ours set like cows"})
    told = row(client.get("/dairy/house").text, "rennet.species_goat")
    assert "0.95" in told and "ours 0.8" in told and "ours set like cows" in told
    assert "1 is your own" in client.get("/dairy/house").text
    after = sheet(client, lot)
    assert "the dairy’s own value" in after and "the dairy’s own value" not in before
    dose = re.compile(r'data-dose="rennet"[^/]*<b>([\d.]+)</b>', re.S)
    assert float(dose.search(after)[1]) > float(dose.search(before)[1])
    post("/dairy/house/rennet.species_goat", {"value": ""})
    again = sheet(client, lot)
    assert dose.search(again)[1] == dose.search(before)[1]
    assert "0 are your own" in client.get("/dairy/house").text


def test_a_whole_number_of_ones_own_holds_on_every_page(client, post):
    kept = post("/dairy/house/milk.thaw_days", {"value": "3", "why": "our fridge is cold"})
    assert kept.status_code == 302  # the database gives 3 back, not 3.0
    for address in MAIN:
        assert client.get(address, follow_redirects=True).status_code == 200, address


@pytest.mark.parametrize(
    ("key", "value", "words"),
    [
        ("rennet.species_goat", "9", "9 × is outside"),
        ("rennet.species_goat", "some", "“some” is not a number"),
        ("rennet.temperature", "1", "is a curve"),
    ],
)
def test_a_value_out_of_its_range_is_refused_by_its_field(client, post, key, value, words):
    page = post(f"/dairy/house/{key}", {"value": value, "why": "x"}).text
    told = row(page, key)
    assert words in (told if key != "rennet.temperature" else page) or "curve" in words
    if key != "rennet.temperature":
        assert f'value="{value}"' in told
    assert "0 are your own" in client.get("/dairy/house").text


def test_a_word_finds_its_values_and_an_unknown_key_is_nothing(client, post):
    found = client.get("/dairy/house?find=Spoon").text
    assert "No house value" in found or "measure." in found
    assert 'id="rennet.temperature"' in client.get("/dairy/house?find=temperature").text
    assert "No house value speaks of" in client.get("/dairy/house?find=unicorn").text
    assert post("/dairy/house/rennet.magic", {"value": "1"}).status_code == 422


CUP = {"milk": "500", "rennet": "0,5", "seconds": "140"}


def rennet_of(client):
    return re.search(
        r'<option (?:selected )?value="([\w-]+)">calf rennet', client.get("/dairy/rennet").text
    )[1]


def test_a_rennet_is_tested_at_home_and_its_strength_written_on_it(client, post):
    bottle = rennet_of(client)
    lot = new_lot(client, post)
    dose = re.compile(r'data-dose="rennet"[^/]*<b>([\d.]+)</b>', re.S)
    before = float(dose.search(sheet(client, lot))[1])
    page = post("/dairy/rennet", {"bottle": bottle, **CUP}).text
    assert "About 231 IMCU/mL" in page and "Its label says 200 IMCU/mL" in page and "+16 %" in page
    assert "for 140 s to the first flocks" in page and "For this vat" not in page
    vat = {"vat_milk": "100 L", "vat_celsius": "32", "vat_minutes": "30 min"}
    assert "For this vat 9.5 mL" in post("/dairy/rennet", {"bottle": bottle, **CUP, **vat}).text
    assert float(dose.search(sheet(client, lot))[1]) == before  # only looked at so far
    kept = post("/dairy/rennet", {"bottle": bottle, **CUP, "keep": "1"}, follow_redirects=True)
    assert "231 IMCU/mL" in kept.text
    after = sheet(client, lot)
    assert "the recipe’s 200" in after and float(dose.search(after)[1]) != before
    assert 'value="' + bottle not in client.get("/dairy/rennet").text  # the old label has ended


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"milk": "5"}, "The cup of milk, 5 mL, is outside"),
        ({"rennet": "50"}, "The rennet in it, 50 mL, is outside"),
        ({"seconds": "3"}, "first flocks, 3 s, is outside"),
        ({"seconds": "soon"}, "“soon” is not a number"),
        ({"seconds": ""}, "Write this one"),
        ({"rennet": "0.01", "seconds": "100"}, "not one we know"),
        ({"vat_milk": "100 L", "vat_celsius": "12", "vat_minutes": "30"}, "between 20 and 45"),
    ],
)
def test_a_test_that_cannot_be_is_said_by_its_field(client, post, change, words):
    page = post("/dairy/rennet", {"bottle": rennet_of(client), **CUP, **change}).text
    assert words in page and "About" not in page.split("<main")[1].split("Why a test")[0]
    for typed in change.values():
        assert f'value="{typed}"' in page


def flock(client, post, number, share):
    """One make of goats' milk from sheet to first flocks, which come at a share of their time."""
    lot = new_lot(client, post)
    made = start(client, post, lot)
    vat = made.headers["Location"]
    make = vat.split("/")[-1]
    url = client.application.extensions["config"].database_url
    event = f"{number:08d}-1111-4111-8111-{{:012d}}"
    with sessions(url).begin() as session:
        dairy = session.scalar(select(Dairy))
        row = makes.make(session, dairy, uuid.UUID(make))
        row.started_at = NOW - timedelta(hours=1)  # quicker than hands are, it would teach nothing
        expected = makes.sheet_of(row).set.flocculation.value
        rennet = NOW - timedelta(minutes=expected * share)
        told = [
            Told(id=str(uuid.UUID(event.format(i))), deed=deed, happened=rennet)
            for i, deed in enumerate((ReadingTaken(celsius=32.0), StepDone(step="rennet")))
        ]
        assert all(
            answer.outcome == "kept" for answer in tell(Here(session, dairy, NOW), row.id, told)
        )
    post(f"{vat}/tell", {"deed": "flocks", "event": event.format(9)})
    with sessions(url).begin() as session:
        session.get(Make, (session.scalar(select(Dairy.id)), uuid.UUID(make))).state = "resting"
    return expected, event.format(9), vat


def test_flocks_teach_a_bottles_strength_and_the_next_sheet_uses_it(client, post):
    strong = {
        "kind": "rennet",
        "label": "the new bottle",
        "strength": "200",
        "scale": "imcu",
        "form": "liquid",
        "kept": "fridge",
    }
    post("/stock", strong)
    lot = new_lot(client, post)
    dose = re.compile(r'data-dose="rennet"[^/]*<b>([\d.]+)</b>', re.S)
    labelled = float(dose.search(sheet(client, lot))[1])
    told = []
    for number in range(1, 6):
        expected, event, vat = flock(client, post, number, 0.6)
        told.append(expected)
    taught = sheet(client, lot)
    assert "as the flocks of 5 makes taught" in taught
    assert float(dose.search(taught)[1]) < labelled  # stronger than its label: less of it
    assert told[0] == pytest.approx(told[-1], rel=0.1)  # keep the clock: the dose gave way
    shelf = client.get("/stock").text
    address = re.search(r'href="(/stock/[^"]+)">(?:(?!</a>).)*the new bottle', shelf, re.S)[1]
    assert re.search(r"against its label, as 5 makes taught", client.get(address).text)
    house = client.get("/dairy/house").text
    assert re.search(r"the new bottle</a>, against its label<small>first flocks of 5 makes", house)
    post(
        f"{vat}/tell",
        {"deed": "undo", "event": "99999999-1111-4111-8111-111111111111", "amends": event},
    )
    assert "as the flocks of 4 makes taught" in sheet(client, lot)
    post(f"{address}/forget", {}, address)
    assert "as the flocks of" not in sheet(client, lot)
    assert float(dose.search(sheet(client, lot))[1]) == labelled
