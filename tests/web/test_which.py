"""Which can I make, on its page: from the shelf to a sheet in two touches."""

import html
import re
from datetime import timedelta

from sqlalchemy import update

from openpail.records.milk.models import MilkLot
from openpail.records.session import sessions
from tests.conftest import NOW


def section(page, name):
    found = re.search(rf'<section class="which is-{name}".*?</section>', page, re.S)
    return found[0] if found else ""


def names(part):
    return re.findall(r'<h3><a href="/recipes/[^"]+">([^<]+)', part)


def test_the_demo_farm_has_a_make_to_come_with_its_thawing_due(client, post):
    today = client.get("/").text
    assert "Tarrow Blue" in today and "out of the freezer, into the fridge" in today
    assert "what a planned make has is left out" in client.get("/which").text


def test_the_shelf_is_held_against_every_recipe(client, post, app):
    assert "Which can I make" in client.get("/").text
    page = client.get("/which").text
    fits, nearly, no = (section(page, each) for each in ("fits", "nearly", "not"))
    assert len(names(fits)) + len(names(nearly)) + len(names(no)) == 24
    assert "Second Pot" in names(no) and "there is no whey for it" in no
    assert "Pond White" in names(no) and "buffalo" in no
    assert "Slow Skein" in names(nearly) and "written for buffalo" in nearly
    sheet = html.unescape(re.search(r'href="(/sheet\?recipe=[^"]+)"', fits)[1])
    assert "Start the make" in client.get(sheet).text


def test_the_oldest_milk_leads_and_an_old_lot_is_no_milk_for_cheese(client, post, app):
    url = app.extensions["config"].database_url
    first = names(section(client.get("/which").text, "fits"))
    with sessions(url).begin() as session:
        session.execute(
            update(MilkLot)
            .where(MilkLot.name == "Ewes, this morning")
            .values(collected_at=NOW - timedelta(hours=60))
        )
    page = client.get("/which").text
    assert "60 h old" in section(page, "fits").split("which-row")[1]
    with sessions(url).begin() as session:
        session.execute(
            update(MilkLot).values(collected_at=NOW - timedelta(days=20), best_before=None)
        )
    page = client.get("/which").text
    assert first and names(section(page, "fits")) == []
    with sessions(url).begin() as session:
        session.execute(update(MilkLot).values(left_kg=0))
    assert "There is no milk on the shelf" in client.get("/which").text
