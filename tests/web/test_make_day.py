"""A make from its sheet to its shelf, through the pages, without a browser."""

import re
import uuid
from dataclasses import replace
from datetime import timedelta

import pytest
from sqlalchemy import select

from openpail.craft.make.deeds import ReadingTaken, Told
from openpail.records.dairy import actions as dairies
from openpail.records.milk import actions as milk
from openpail.records.milk.cream import keep_cream
from openpail.records.milk.models import MilkLot
from openpail.records.session import sessions
from openpail.web.app import create_app
from openpail.web.config import Config
from openpail.work.here import Here
from openpail.work.make.log import tell
from tests.conftest import NOW, SECRET, application, token_in
from tests.support import done
from tests.web.test_forms import new_lot, sheet, start
from tests.web.test_milk_pages import OWN


def event():
    return str(uuid.uuid4())


def running(client):
    return client.get("/vat").headers["Location"]


def at(url, moment):
    """The same dairy, looked at later."""
    later = application(url, moment).test_client()
    later.post("/demo", data={"csrf_token": token_in(later.get("/sign-in").text)})
    return later


def test_today_leads_with_the_step_and_says_when_it_is_overdue(demo_url, client, post):
    page = client.get("/").text
    assert "Try the set for a clean break" in page and "after “Leave it to set”" in page
    assert "in 15 min" in page and "35 cheeses" in page and "days late: matters" in page
    late = at(demo_url, NOW + timedelta(hours=1)).get("/").text
    assert "45 min over" in late


def test_first_flocks_move_the_cut_and_the_record_says_what_was_expected(client, post):
    lot = new_lot(client, post)
    make = start(client, post, lot).headers["Location"]
    for step in ("warm", "culture", "ripen", "calcium", "rennet"):
        post(f"{make}/tell", done(step, uuid.uuid4()))
    page = client.get(make).text
    assert "Wait for the first flocks" in page and "Not seen, go on" in page
    post(
        f"{make}/tell",
        {"deed": "flocks", "event": uuid.uuid4(), "word": "the clock stands still here"},
    )
    page = client.get(make).text
    assert "Leave it to set" in page and "Not seen, go on" not in page
    assert client.get(f"{make}/tell").status_code == 405


def test_a_step_tapped_twice_is_done_once_and_an_unknown_one_is_refused(client, post):
    make = running(client)
    event = uuid.uuid4()
    before = client.get(make).text.count(": done")
    for _ in range(2):
        post(f"{make}/tell", done("set", event))
    assert client.get(make).text.count(": done") == before + 1
    assert post(f"{make}/tell", done("dance", uuid.uuid4())).status_code == 422
    assert post(f"{make}/tell", done("heal", "rubbish")).status_code == 400
    assert (
        post(
            f"{make}/tell", {"deed": "undo", "event": uuid.uuid4(), "amends": "rubbish"}
        ).status_code
        == 400
    )


def test_a_reading_is_undone_within_ten_minutes_and_amended_after(demo_url, client, post):
    make = running(client)
    post(
        f"{make}/tell",
        {"deed": "reading", "event": uuid.uuid4(), "celsius": "13", "note": "slip of a finger"},
    )
    page = client.get(make).text
    reading = re.search(r'name="deed" value="undo".*?name="amends" value="([\w-]+)"', page, re.S)[1]
    later = at(demo_url, NOW + timedelta(minutes=20))
    token = token_in(later.get(make).text)
    data = {"event": uuid.uuid4(), "amends": reading, "csrf_token": token}
    assert "amend it instead" in later.post(f"{make}/tell", data={**data, "deed": "undo"}).text
    data |= {"event": uuid.uuid4(), "celsius": "31", "note": "meant 31"}
    later.post(f"{make}/tell", data={**data, "deed": "amend", "mends": "celsius ph note"})
    page = later.get(make).text
    assert "31.0 °C" in page and "amended" in page and "13.0 °C" not in page


def test_slow_acid_stops_the_maker_with_the_familys_words(demo_url, client, post):
    make = running(client)
    assert "acid is slow" not in client.get(make).text
    with sessions(demo_url).begin() as session:
        dairy = session.scalar(select(dairies.Dairy))
        late = NOW + timedelta(hours=8)
        told = Told(id=str(uuid.uuid4()), deed=ReadingTaken(ph=6.2), happened=late)
        tell(Here(session, dairy, late), uuid.UUID(make.split("/")[-1]), [told])
    page = at(demo_url, late).get(make).text
    assert "Stop and look: the acid is slow" in page
    assert "do not eat, sell or feed" in page


def test_an_old_sheet_prints_the_same_whatever_the_house_says_now(demo_url, client, post):
    make = running(client).replace("/vat/", "/makes/") + "/sheet"
    before = client.get(make).text.split("<main")[1]
    with sessions(demo_url).begin() as session:
        dairy = session.scalar(select(dairies.Dairy))
        dairies.overrule(session, dairy, "rennet.species_cow", value=1.4, now=NOW)
    assert client.get(make).text.split("<main")[1] == before
    assert (
        "<h1>Larder Block</h1>" in before and "make 21 · begun" in before and "local law" in before
    )


def test_the_dairys_own_bottle_and_ways_change_the_next_sheet(client, post):
    lot = new_lot(client, post)
    plan = sheet(client, lot)
    bottle = {
        "kind": "rennet",
        "label": "strong bottle",
        "strength": "400",
        "sure": "y",
        "scale": "imcu",
        "kept": "fridge",
        "form": "liquid",
        "sort": "calf",
    }
    nameless = post("/stock", {**bottle, "strength": ""}, "/stock")
    assert "Write the strength" in nameless.text and 'value="strong bottle"' in nameless.text
    assert post("/stock", bottle, "/stock").status_code == 302
    stronger = sheet(client, lot)
    assert "strong bottle: 400 IMCU/mL, the recipe’s 200" in stronger
    assert "strong bottle" not in plan
    ways = {
        "ways-raw_calcium": "always",
        "ways-rennet": "keep_dose",
        "ways-raw_culture": "same",
        "ways-raw_rennet": "0",
        "ways-ripen": "to_ph",
        "ways-brining": "weight",
        "ways-rest_cold": "no",
        "ways-move_steps": "yes",
        "ways-small": "spoons",
        "ways-diluted": "no",
    }
    assert post("/dairy/ways", ways, "/dairy").status_code == 302
    changed = sheet(client, lot)
    assert "house way: always a little in raw milk" in changed
    assert "Drop by drop" in changed and "Drop by drop" not in stronger


def test_a_dairy_in_gallons_and_fahrenheit_reads_and_shows_them(client, post):
    units = {
        **OWN,
        "dairy-volume_system": "us",
        "dairy-mass_system": "us",
        "dairy-degrees": "F",
    }
    assert "not a time zone" in post("/dairy", {**units, "dairy-zone": "Mars"}, "/dairy").text
    assert post("/dairy", units, "/dairy").status_code == 302
    lot = new_lot(client, post, amount="5 gal 2 qt", celsius="68", ph_sample="70 F")
    page = client.get(f"/milk/{lot}").text
    assert "5.50 US gal" in page and "68 °F" in page
    assert 'placeholder="89.6"' in sheet(client, lot)
    assert "to 90 °F" in client.get("/recipes/larder-block").text or "°F" in sheet(client, lot)


def test_vats_are_added_by_the_maker_with_words_for_each_slip(client, post):
    vat = {"vat-name": "big pot", "vat-brim": "20 L", "vat-diameter": "30"}
    for change, words in (
        ({"vat-name": "stove pot"}, "a vat “stove pot” already"),
        ({"vat-brim": "0 L"}, "holds to the brim"),
        ({"vat-diameter": "wide"}, "13 in"),
    ):
        assert words in post("/dairy/vats", {**vat, **change}, "/dairy").text
    assert post("/dairy/vats", vat, "/dairy").status_code == 302
    assert "big pot" in client.get("/dairy/gear").text


def test_milk_can_be_tested_later_and_poured_away(client, post):
    lot = new_lot(client, post, fat="", protein="", ph="")
    page = client.get(f"/milk/{lot}").text
    assert "usual for goat" in page
    blank = {"protein_kind": "unknown", "freezing_unit": "c", "acidity_scale": "degD"}
    assert "Nothing is written" in post(f"/milk/{lot}/test", blank).text
    slip = {**blank, "protein_kind": "true", "fat": "4.4", "protein": "3.4"}
    assert "Fat 70 % is outside" in post(f"/milk/{lot}/test", {**slip, "fat": "70"}).text
    assert post(f"/milk/{lot}/test", slip).status_code == 302
    assert "fat, tested" in client.get(f"/milk/{lot}").text
    post(f"/milk/{lot}/away", {"kind": "fed"})
    assert f"/milk/{lot}" not in client.get("/milk").text
    assert client.get(f"/milk/{lot}").status_code == 200


def test_a_piece_eaten_leaves_the_shelf_and_keeps_its_page(client, post):
    found = re.search(
        r'href="(/cave/[\w-]{36})\?by=shelf".*?<b>([\d-]+)</b>', client.get("/cave").text, re.S
    )
    piece, label = found[1], found[2]
    assert "Eat by" in client.get(piece).text
    gone = {"event": str(uuid.uuid4()), "where": "sold", "to": "the inn", "why": "market day"}
    gone |= {"label": label, "by": "shelf"}
    assert "up to" in post(f"{piece}/out", {**gone, "kg": "90 kg"}).text
    post(f"{piece}/out", gone)
    assert f'href="{piece}?by=shelf"' not in client.get("/cave").text
    assert "sold to the inn: market day" in client.get(piece).text
    assert "34 cheeses" in client.get("/").text


def test_a_quiet_dairy_teaches_the_next_action(database_url):
    from openpail.records.people import actions as people

    with sessions(database_url).begin() as session:
        dairy = dairies.found(session, "Hill", "Europe/Dublin", NOW)
        people.add_person(
            session, dairy, "maker", name="maker", password="a long password", role="maker", now=NOW
        )
    client = create_app(
        Config(database_url=database_url, secret=SECRET, mode="serve", frozen_now=NOW)
    ).test_client()
    door = {"login": "maker", "password": "wrong"}
    door["csrf_token"] = token_in(client.get("/sign-in").text)
    assert "do not go together" in client.post("/sign-in", data=door).text
    client.post("/sign-in", data={**door, "password": "a long password"})
    for page, words in (
        ("/", "What do you make cheese in?"),
        ("/milk", "No milk is here yet"),
        ("/sheet", "There is no milk on the shelf"),
        ("/vat", "Nothing in the vat"),
        ("/cave", "No cheese rests here yet"),
        ("/table", "when a make is weighed"),
        ("/dairy/gear", "No vat yet"),
    ):
        assert words in client.get(page, follow_redirects=True).text, page


def left(client, lot):
    return re.search(rf'href="/milk/{lot}">.*?<b>([\d.]+ L)</b>', client.get("/milk").text, re.S)[1]


def test_a_make_begun_by_mistake_is_taken_back_whole_until_something_is_in_its_milk(client, post):
    lot = new_lot(client, post, amount="20 L")
    before = left(client, lot)
    make = start(client, post, lot).location
    assert f'href="/milk/{lot}"' not in client.get("/milk").text  # all of it is in the vat
    end = {"deed": "given_up", "event": event(), "became": "back"}
    assert post(f"{make}/tell", end, make).status_code == 302
    page = client.get(make).text
    assert "Taken back" in page and "Reading</button>" not in page
    assert (
        left(client, lot) == before and "in use" not in client.get("/sheet").text.split("jack")[1]
    )
    make = start(client, post, lot).location  # the vat is free, the milk is there
    post(f"{make}/tell", done("warm", event()), make)
    post(f"{make}/tell", done("culture", event()), make)
    refused = post(f"{make}/tell", {**end, "event": event()}, make).text
    assert "has gone into this milk" in refused and "Give the make up" in refused
    up = {**end, "event": event(), "became": "fed", "word": ""}
    assert "why it is given up" in post(f"{make}/tell", up, make).text
    assert post(f"{make}/tell", {**up, "word": "the power went"}, make).status_code == 302
    page = client.get(make).text
    assert "Given up" in page and "fed to the animals" in page and "the power went" in page
    assert "This make is ended" in post(f"{make}/tell", done("ripen"), make).text
    assert f'href="/milk/{lot}"' not in client.get("/milk").text


def test_cream_that_was_to_be_skimmed_is_whole_milk_again(client, post, demo_url):
    lot = new_lot(client, post, amount="20 L")
    with sessions(demo_url).begin() as session:
        dairy = session.scalar(select(dairies.Dairy))
        row = session.get_one(MilkLot, (dairy.id, uuid.UUID(lot)))
        kept = (row.left_kg, len(row.uses))
        milk.use_up(session, row, row.left_kg - 1.0)
        of = {"fat": 25.0}
        cream = keep_cream(session, dairy, row, mass_kg=1.0, litres=1.0, now=NOW, made_of=of)
        milk.give_back(session, row, kept[0] - 1.0, NOW)
        session.flush()
        assert (row.left_kg, len(row.uses)) == pytest.approx(kept)
        assert session.get(MilkLot, (dairy.id, cream.id)) is None


def test_done_is_answered_and_taken_back_within_ten_minutes(client, post, app):
    page = client.get("/").text
    before = page.count('class="care"')
    form = re.search(r'action="/cares/done">.*?</form>', page, re.S)[0]
    form = dict(re.findall(r'name="(ids|stage|key|batch)" value="([^"]*)"', form))
    assert post("/cares/done", form, "/").status_code == 302
    page = client.get("/").text
    assert "<b>Done.</b>" in page and page.count('class="care"') == before - 1
    assert "Take it back" in client.get("/cave").text
    post("/cares/not-done", form, "/")
    page = client.get("/").text
    assert page.count('class="care"') == before and "Take it back" not in page
    form["batch"] = str(uuid.uuid4())
    post("/cares/done", form, "/")
    config = app.extensions["config"]
    later = replace(config, frozen_now=NOW + timedelta(minutes=11))
    app.extensions["config"] = later
    assert "Take it back" not in client.get("/").text
    assert "more than ten minutes" in post("/cares/not-done", form, "/").text
