"""When to begin, on the sheet: the night, the other make, the good starts."""

import html
import re
from dataclasses import replace
from datetime import timedelta

import pytest

from tests.web.test_stock_pages import sheet_address


def begin_when(client, recipe):
    page = client.get(sheet_address(client, recipe)).text
    found = re.search(r'<div class="begin-when">(.*?)</div>', page, re.S)[1]
    return re.sub(r"\s+", " ", html.unescape(re.sub(r"<[^>]+>", "", found))).strip()


@pytest.fixture
def at(app):
    def turn(hours):
        config = app.extensions["config"]
        moment = config.frozen_now + timedelta(hours=hours)
        app.extensions["config"] = replace(config, frozen_now=moment)

    return turn


def test_a_make_begun_now_is_held_against_the_night_and_the_make_under_way(client, post, at):
    told = begin_when(client, "skillet")
    assert told.startswith("Begun now, it goes to rest 12:4")
    assert "It warms in 11 min" in told and "at the rate of this vat" in told
    assert "quiet hours:" not in told  # done by noon
    assert "by Larder Block too" in told  # one pair of hands
    starts = told.split("Good starts: ")[1]
    first = re.match(r"(\d\d):(\d\d)", starts)
    assert (int(first[1]), int(first[2])) > (10, 30)
    at(11)  # half past nine in the evening at the farm
    told = begin_when(client, "skillet")
    assert "in quiet hours: “" in told and "more" in told
    assert "Good starts: " in told and "06:30" in told


def test_a_recipe_of_two_nights_still_finds_its_mornings(client, post):
    told = begin_when(client, "high-pasture")
    assert "it goes to rest" in told and "Good starts" in told
    assert begin_when(client, "bench-curd").count("Good starts") == 1
