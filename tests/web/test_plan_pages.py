"""A planned make: from an answer to Today in two touches, moved, met by others, begun, dropped."""

import html
import re
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from sqlalchemy import select

from openpail.craft.clock import (
    HANDS,
    as_it_comes,
    course_of,
    good_begins,
    hands_in,
    minute_of,
    moment_of,
    quiet_spans,
)
from openpail.craft.plan import forwards as planned_of
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Dairy
from openpail.records.errors import NotHere
from openpail.records.milk.models import MilkLot, Task
from openpail.records.plans import actions as plans
from openpail.records.session import sessions
from tests.conftest import NOW
from tests.support import HOUSE, RECIPES
from tests.web.test_forms import start
from tests.web.test_when import begin_when


@pytest.fixture
def rows(client):
    with sessions(client.application.extensions["config"].database_url)() as session:
        yield session


def offered(client, name):
    """What the button “Plan it” of a recipe sends."""
    page = client.get("/which").text
    row = next(each for each in page.split('<article class="which-row">') if f">{name}<" in each)
    form = row.split('action="/plan"')[1].split("</form>")[0]
    sent = re.findall(r'name="(recipe|vat|begins|lot)" value="([^"]*)"', html.unescape(form))
    return {name: [v for n, v in sent if n == name] for name, _ in sent}


def plan(client, post, name="Skillet", **more):
    return post("/plan", {**offered(client, name), **more}, page="/which").headers["Location"]


def test_an_answer_is_planned_and_stands_on_today_and_on_its_own_clock(client, post):
    where = plan(client, post)
    page = client.get(where).text
    assert "No hand is wanted in quiet hours" in page and "Good starts" in page
    assert page.count("<tr>") == 14  # a head, and every step
    today = client.get("/").text
    assert "Planned" in today and where in today
    assert re.search(r'class="lane"[^>]*>Skillet<', today)
    again = html.unescape(re.search(r'href="(/sheet\?recipe=skillet[^"]+)"', page)[1])
    assert "Start the make" in client.get(again).text


def test_a_planned_make_is_in_the_way_of_the_next_and_moving_it_clears_it(client, post, rows):
    where = plan(client, post)
    dairy = rows.scalar(select(Dairy))
    begins = plans.planned(rows, dairy)[0].begins
    other = plan(client, post, "Bench Curd", begins=begins.isoformat())  # fmt: skip
    told = client.get(other).text
    assert "by Skillet too" in told
    assert "by Bench Curd too" in client.get(where).text
    refused = post(f"{other}/move", {"begins": "after tea"}, page="/which").text
    assert "Write the day and the time" in refused and 'value="after tea"' in refused
    post(f"{other}/move", {"begins": "2026-05-06T09:00"}, page="/which")
    told = client.get(other).text
    assert "6 May 09:00" in told and "by Skillet too" not in told
    post(f"{other}/move", {"begins": "2026-05-05T02:00"}, page="/which")
    assert "in quiet hours: “Heat the milk to 90 °C”" in client.get(other).text
    assert "Larder Block too" in begin_when(client, "larder-block")
    post(f"{where}/drop", {}, page="/which")
    assert client.get(where).status_code == 404
    assert where not in client.get("/").text


def test_a_make_that_was_begun_is_planned_no_more(client, post, rows):
    where = plan(client, post)
    lot = re.search(r"lot=([\w-]+)", client.get(where).text)[1]
    started = start(client, post, lot, "skillet")
    assert "/vat/" in started.headers["Location"]
    assert client.get(where).status_code == 404
    assert plans.planned(rows, rows.scalar(select(Dairy))) == []


def test_frozen_milk_that_is_planned_is_thawed_on_its_day(client, rows):
    dairy = rows.scalar(select(Dairy))
    frozen = rows.scalar(select(MilkLot).where(MilkLot.frozen, MilkLot.thawed_at.is_(None)))
    vat = dairies.vats(rows, dairy)[0]
    begins = (NOW + timedelta(days=4)).replace(hour=8)
    row = plans.plan(rows, dairy, "tarrow-blue", vat, [frozen], begins, NOW, HOUSE)
    assert (row.day, row.at) == (date(2026, 5, 8), time(9, 30))
    task = rows.scalars(select(Task).where(Task.lot_id == frozen.id)).all()[-1]
    assert task.due == row.day - timedelta(days=round(HOUSE.number("milk.thaw_days")))
    assert "wanted on 8 May" in task.words


def test_a_plan_keeps_its_local_time_through_the_change_of_the_clocks(rows, client):
    dairy = rows.scalar(select(Dairy))
    vat = dairies.vats(rows, dairy)[0]
    for day, offset in ((date(2026, 10, 24), 1), (date(2026, 10, 25), 0)):
        begins = datetime.combine(day, time(7, 0), ZoneInfo("Europe/Dublin"))
        plans.plan(rows, dairy, "skillet", vat, [], begins, NOW, HOUSE)
        found = plans.planned(rows, dairy)[-1].begins
        assert (found.date(), found.time()) == (day, time(7, 0))
        assert found.utcoffset() == timedelta(hours=offset)


def test_plans_of_another_dairy_are_nobodys_here(client, post, rows):
    plan(client, post)
    other = dairies.found(rows, "The next hill", "Europe/Dublin", NOW)
    assert plans.planned(rows, other) == []
    with pytest.raises(NotHere):
        plans.plan(rows, other, "skillet", dairies.vats(rows, rows.scalar(select(Dairy)))[0],
                   [], NOW, NOW, HOUSE)  # fmt: skip
    for sent in ({"recipe": "nothing"}, {"vat": "tub"}, {"lot": "x"}):
        refused = post("/plan", {**offered(client, "Bench Curd"), **sent}, page="/which")
        assert refused.status_code == 404
    late = post("/plan", {**offered(client, "Bench Curd"), "begins": "soon"}, page="/which")
    assert late.status_code == 422 and "Write the day and the time" in late.text
    assert len(plans.planned(rows, rows.scalar(select(Dairy)))) == 1


def test_two_makes_are_laid_out_together_so_that_nobody_is_wanted_twice(client, post, rows):
    first, second = plan(client, post), plan(client, post, "Bench Curd")
    dairy = rows.scalar(select(Dairy))
    begins = plans.planned(rows, dairy)[0].begins
    for where in (first, second):
        post(f"{where}/move", {"begins": begins.isoformat()}, page="/which")
    assert "Lay them out together" in client.get("/").text
    assert "too" in client.get(first).text
    post("/plan/together", {}, page="/which")
    for where in (first, second):
        assert "No hand is wanted in quiet hours, and nothing twice" in client.get(where).text
    rows.rollback()
    found = plans.planned(rows, dairy)
    assert found[0].begins < found[1].begins < found[0].begins + timedelta(hours=14)


def test_a_make_is_planned_backwards_from_when_it_is_to_be_at_rest(client, post, rows):
    where = plan(client, post)
    post(f"{where}/move", {"begins": "2026-05-05T18:00", "by": "1"}, page="/which")
    rows.rollback()
    each = plans.planned(rows, rows.scalar(select(Dairy)))[0]
    page = client.get(where).text
    assert each.begins.date() == date(2026, 5, 5) and each.begins.hour >= 14
    ends = re.search(r"goes to rest (\d+ May \d\d:\d\d)", page)[1]
    assert "5 May 17:30" <= ends <= "5 May 18:00" and "nothing twice" in page
    refused = post(f"{where}/move", {"begins": "2026-05-04T11:00", "by": "1"}, page="/which").text
    assert "No start from now on" in refused and "2026-05-04T11:00" in refused


def test_a_good_start_that_asks_for_a_stretch_is_shown_stretched(client, post, rows):
    quiet = quiet_spans(date(2026, 5, 5), 6, time(22, 30), time(6, 30), ZoneInfo("Europe/Dublin"))
    begin = minute_of(NOW + timedelta(days=1))
    for key in ("threshing-cheddar", "bench-curd", "swaddle", "stile-block", "drystone"):
        course = course_of(planned_of(RECIPES[key]), begin, "jacketed vat")
        spans = good_begins(course, {HANDS: quiet})[0]
        starts = (t for a, b in spans for t in range(max(a, begin), min(b, begin + 2880) + 1))
        asks = next((t for t in starts if hands_in(as_it_comes(course, t), quiet)), None)
        if asks is not None:
            break
    where = plan(client, post, recipe=key, vat="jacketed vat", begins=moment_of(asks).isoformat())
    assert "No hand is wanted in quiet hours" in client.get(where).text
