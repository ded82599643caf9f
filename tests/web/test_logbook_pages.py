"""The logbook: makes found by anything, one on a page years later, several beside each other."""

import re
import uuid
from datetime import timedelta

import pytest

from openpail.craft.make.deeds import Amended, ReadingTaken, Told
from openpail.records.makes import actions as makes
from openpail.records.makes import looks
from openpail.work.logbook import book as logbook
from openpail.work.make.log import tell
from tests.conftest import NOW
from tests.support.makes import begun, say, send
from tests.web.test_tasting_pages import key_of, said, wheel  # noqa: F401


def found(client, **query):
    page = client.get("/logbook", query_string=query).text
    return re.findall(r'/logbook/([0-9a-f-]{36})"', page)


def make_named(farm, name):
    here = farm()
    return next(m for m in makes.all_makes(here.session, here.dairy) if m.name == name)


def test_every_make_is_found_by_each_thing_it_is_known_by(client, post, farm):
    every = found(client)
    here = farm()
    assert len(every) == len(makes.all_makes(here.session, here.dairy))
    make = next(m for m in makes.all_makes(here.session, here.dairy) if m.name == "Wrenfold Log")
    lot = makes.milk_of(here.session, make)[0].lot_id
    bottle = next(line.lot for line in makes.sheet_of(make).lines if line.lot)
    day = make.started_at.date().isoformat()
    for query in (
        {"words": "wrenfold"},
        {"words": f"make {make.number}"},
        {"recipe": "wrenfold-log"},
        {"animals": "goat"},
        {"lot": lot},
        {"bottle": bottle},
        {"since": day, "until": day},
    ):
        assert str(make.id) in found(client, **query), query
    for query in ({"words": "no such word"}, {"animals": "buffalo", "recipe": "wrenfold-log"}):
        assert found(client, **query) == [], query
    assert found(client, since="2030-01-01") == []
    page = client.get("/logbook?since=yesterday").text
    assert "Write the day like 2026-05-04." in page
    assert client.get("/logbook?lot=no-id").status_code == 404


def test_what_is_told_later_is_found_at_once_and_what_is_blind_is_not(client, post, farm, wheel):  # noqa: F811
    assert found(client, words="thistledown") == []
    bitter, poor = found(client, fault="bitter"), found(client, outcome="poor")
    make = make_named(farm, "Threshing Cheddar")
    say(farm, make.id, 1, ReadingTaken(note="smells of thistledown"))
    assert found(client, words="Thistledown") == [str(make.id)]
    said(client, wheel, "set-out", tasters="maker, helper")
    key = key_of(client, wheel)
    taste = {"taste": "poor", "faults": "bitter", "words": "quinine", "again": "no"}
    said(client, wheel, "taste", tasting=key, taster="maker", **taste)
    assert found(client, words="quinine") == []
    assert (found(client, fault="bitter"), found(client, outcome="poor")) == (bitter, poor)
    said(client, wheel, "taste", tasting=key, taster="helper", taste="good")
    (dapple,) = found(client, words="quinine")
    assert set(found(client, fault="bitter")) == {*bitter, dapple}
    assert set(found(client, outcome="poor")) == {*poor, dapple}
    page = client.get(f"/logbook/{dapple}").text
    assert "quinine" in page and "they differ" in page and "poor: somebody" in page


def test_looks_are_worked_out_some_at_a_time_and_once(farm, monkeypatch):
    here = farm()
    every = len(makes.all_makes(here.session, here.dairy))
    assert logbook.look_anew(here, 5) == every - 5
    assert logbook.look_anew(here, every) == 0
    monkeypatch.setattr(looks, "VERSION", looks.VERSION + 1)
    assert logbook.look_anew(here, 1) == every - 1
    monkeypatch.setattr(logbook, "_look", lambda *what: pytest.fail("looked at again"))
    rows = looks.find(here.session, here.dairy, looks.Find(), 999)
    assert len(rows) == every


def test_a_make_is_one_page_with_what_was_mended_beside_what_was_told(client, post, farm):
    make_id = begun(farm, "larder-block")
    deed = str(uuid.uuid4())
    here = farm(10)
    at = NOW + timedelta(minutes=10)
    tell(
        here,
        make_id,
        [Told(id=deed, deed=ReadingTaken(celsius=21.5, note="at the wall"), happened=at)],
    )
    tell(
        here,
        make_id,
        [Told(id=str(uuid.uuid4()), deed=Amended({"celsius": 24.5}), happened=at, amends=deed)],
    )
    here.session.commit()
    page = client.get(f"/logbook/{make_id}").text
    mended = page.split('id="log-mended"')[1].split("</section>")[0]
    assert "21.5 °C" in mended and "24.5 °C" in mended
    told = page.split('id="log-told"')[1].split("</section>")[0]
    assert "24.5 °C" in told and "21.5 °C" not in told
    for wanted in ("House cows", "to try the page with", "log-given", "log-clock", "calf rennet"):
        assert wanted in page, wanted


def test_a_finished_make_tells_its_pieces_where_they_went_and_what_it_taught(client, post, farm):
    make = make_named(farm, "Larder Block")
    here = farm()
    done = [m for m in makes.all_makes(here.session, here.dairy) if m.state == "resting"]
    pages = {m.id: client.get(f"/logbook/{m.id}").text for m in done}
    assert all("log-pieces" in page and "<figure" in page for page in pages.values())
    assert any("What it taught" in page and "Of its vat:" in page for page in pages.values())
    sold = [page for page in pages.values() if re.search(r"(sold|eaten here|given away)", page)]
    assert sold
    assert client.get(f"/logbook/{make.id}").status_code == 200
    assert client.get(f"/logbook/{uuid.uuid4()}").status_code == 404


def test_makes_lie_beside_each_other_and_only_what_differs_is_bright(client, post, farm):
    ids = found(client, recipe="larder-block")[1:4]
    page = client.get("/logbook/compare", query_string={"make": ids}).text
    assert "3 makes beside each other" in page
    assert page.count('class="of-') == 3
    differs = re.findall(r'<tr class="differs"><th scope="row">([^<]+)', page)
    same = re.findall(r'<tr class="same"><th scope="row">([^<]+)', page)
    assert "animals" in differs and "heated" in same
    only = client.get("/logbook/compare", query_string={"make": ids, "differs": "y"}).text
    assert re.findall(r'<tr class="differs"><th scope="row">([^<]+)', only) == differs
    assert "heated" not in only
    for few in (ids[:1], [], [*found(client)[:5]]):
        answer = client.get("/logbook/compare", query_string={"make": few})
        assert answer.status_code == 302
    assert client.get(f"/logbook/compare?make={ids[0]}&make={uuid.uuid4()}").status_code == 404


def test_too_few_tasted_makes_say_what_is_missing(client, post, farm, wheel):  # noqa: F811
    said(client, wheel, "set-out", tasters="maker")
    said(client, wheel, "taste", tasting=key_of(client, wheel), taster="maker", taste="fine")
    page = client.get("/logbook?recipe=dapple").text
    assert "1 ate well and 0 did not: from 3 of each kind on it can be told." in page
    assert "What was different" not in client.get("/logbook?recipe=hatch").text
    assert send(client, "/logbook", {}, "/milk").status_code == 405


def test_a_good_make_becomes_a_version_of_its_recipe_and_is_made_again(client, post, farm):
    here = farm()
    make = next(
        m
        for m in makes.all_makes(here.session, here.dairy)
        if m.name == "Larder Block" and m.state == "resting"
    )
    page = f"/logbook/{make.id}"
    assert "Make it like this one" in client.get(page).text
    asked = client.get(f"{page}/like").text
    meant = re.findall(r'name="meant" value="([^"]+)" checked', asked)
    assert meant and "where its recipe says" in asked
    desk = send(client, f"{page}/like", {"meant": meant}, f"{page}/like").location
    shown = client.get(desk).text
    assert f"Like make {make.number}." in shown
    fields = dict(re.findall(r'name="([\w-]+)"[^>]* value="([^"]*)"', shown))
    assert any(fields.get(f"reference-{n}-breed") for n in range(2)) or "reference-0" in shown
    under_way = next(m for m in makes.all_makes(here.session, here.dairy) if m.state == "under way")
    refused = send(client, f"/logbook/{under_way.id}/like", {}, page)
    assert refused.status_code in (400, 409, 422) and "under way still" in refused.text
