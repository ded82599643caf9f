"""A form pressed twice, sent again after a crash, or met again by Back: its work is done once."""

import threading
import uuid

import pytest
from sqlalchemy import func, select

from openpail.records.answered.models import Answered
from openpail.records.makes.models import Make
from openpail.records.milk.models import MilkLot, MilkUse
from openpail.records.session import sessions
from openpail.records.stock.models import Bottle
from tests.conftest import token_in
from tests.support.pages import crawl, read
from tests.web.test_forms import GOOD, new_lot, start
from tests.web.test_stock_pages import RENNET


def count(url, model):
    with sessions(url)() as session:
        return session.scalar(select(func.count()).select_from(model))


@pytest.mark.parametrize(
    ("address", "page", "model", "form"),
    [
        ("/milk", "/milk", MilkLot, GOOD),
        ("/milk/{lot}/away", "/milk", MilkUse, {"amount": "1 L", "use": "fed"}),
        ("/stock", "/stock", Bottle, RENNET),
    ],
)
def test_a_form_sent_twice_does_its_work_once(client, post, demo_url, address, page, model, form):
    address = address.format(lot=new_lot(client, post))
    before = count(demo_url, model)
    sealed = {**form, "once": str(uuid.uuid4())}
    first, again = (post(address, sealed, page) for _ in range(2))
    assert first.status_code == again.status_code == 302
    assert first.location == again.location
    assert count(demo_url, model) == before + 1
    # another page's form, and the same page filled in anew, are forms of their own
    assert post(address, {**form, "once": str(uuid.uuid4())}, page).status_code == 302
    assert count(demo_url, model) == before + 2


def test_the_same_page_filled_in_anew_is_another_form(client, post, demo_url):
    before, seal = count(demo_url, MilkLot), str(uuid.uuid4())
    refused = post("/milk", {**GOOD, "amount": "much", "once": seal})
    assert "is not an amount" in refused.text
    for amount in ("21 L", "22 L"):
        assert post("/milk", {**GOOD, "amount": amount, "once": seal}).status_code == 302
    assert count(demo_url, MilkLot) == before + 2
    assert count(demo_url, Answered) == 2  # the refused one is not kept


def test_five_presses_at_one_moment_are_one_lot(app, client, post, demo_url):
    token, before = token_in(client.get("/milk").text), count(demo_url, MilkLot)
    cookie = client.get_cookie("openpail_demo").value
    form = {**GOOD, "once": str(uuid.uuid4()), "csrf_token": token}
    barrier, led_to = threading.Barrier(5), []

    def press():
        mine = app.test_client()
        mine.set_cookie("openpail_demo", cookie)
        barrier.wait()
        led_to.append(mine.post("/milk", data=form).location)

    hands = [threading.Thread(target=press) for _ in range(5)]
    for hand in hands:
        hand.start()
    for hand in hands:
        hand.join()
    assert len(set(led_to)) == 1 and led_to[0]
    assert count(demo_url, MilkLot) == before + 1


def test_start_pressed_again_leads_to_the_make_that_began(client, post, demo_url):
    lot = new_lot(client, post)
    first = start(client, post, lot)
    makes = count(demo_url, Make)
    again = start(client, post, lot)  # a page met again by Back: its form has another id
    assert again.status_code == 302 and again.location == first.location
    assert count(demo_url, Make) == makes


def test_a_sheet_over_spent_milk_says_where_it_went(client, post):
    lot = new_lot(client, post)
    make = start(client, post, lot).location
    page = client.get(f"/sheet?lot={lot}&recipe=larder-block")
    assert page.status_code == 200 and "nothing is left of it" in page.text
    assert f'href="{make}"' in page.text
    figures = client.get(f"/sheet/figures?lot={lot}&recipe=larder-block")
    assert figures.status_code == 422 and "nothing is left of it" in figures.text
    assert client.get(f"/sheet/print?lot={lot}&recipe=larder-block").status_code == 302


def test_every_form_of_every_page_carries_an_id_of_its_own(app, client, post):
    ids = []
    for address, page in crawl(app, client).items():
        for form in read(address, page)[1]:
            if form.method == "post":
                mine = [value for name, value in form.fields if name == "once"]
                assert len(mine) == 1, (address, form.action)
                ids += mine
    assert len(ids) > 100 and len(set(ids)) == len(ids)
