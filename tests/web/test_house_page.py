"""The house values' page: each told with range and source, made the dairy's own, and given back."""

import re

import pytest

from openpail.craft.house import shipped
from tests.web.test_forms import new_lot, sheet


def row(page, key):
    return re.search(rf'id="{re.escape(key)}">(.*?)</div>', page, re.S)[1]


def test_every_house_value_stands_on_the_page_with_range_and_source(client, post):
    page = client.get("/dairy/house").text
    for key in shipped():
        assert f'id="{key}"' in page, key
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
