"""A planned make: from an answer to Today in two touches, moved, met by others, begun, dropped."""

import html
import re
from datetime import UTC, date, datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from icalendar import Calendar
from sqlalchemy import select

from openpail.craft.clock.gear import Outfit
from openpail.craft.clock.one import as_it_comes, course_of, good_begins, hands_in
from openpail.craft.clock.spans import HANDS, minute_of, moment_of, quiet_spans
from openpail.craft.errors import NotHere
from openpail.craft.recipe.steps import laid_out as planned_of
from openpail.records.dairy import actions as dairies
from openpail.records.dairy import gear as gears
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk.models import MilkLot
from openpail.records.plans import actions as plans
from openpail.records.session import sessions
from openpail.web.app import create_app
from openpail.web.config import Config
from tests.conftest import NOW, SECRET
from tests.support import HOUSE, RECIPES
from tests.web.test_forms import start
from tests.web.test_when import at, begin_when  # noqa: F401

DUBLIN = ZoneInfo("Europe/Dublin")


@pytest.fixture
def rows(client):
    with sessions(client.application.extensions["config"].database_url)() as session:
        yield session


@pytest.fixture(autouse=True)
def nothing_planned(rows):
    """The demo farm has a plan of its own: these tests begin without."""
    for each in plans.planned(rows, rows.scalar(select(Dairy))):
        plans.drop(rows, each.row)
    rows.commit()


@pytest.fixture
def standing(rows):
    """What is planned now."""

    def look():
        rows.rollback()
        return plans.planned(rows, rows.scalar(select(Dairy)))

    return look


def offered(client, name, day=""):
    """What the button “Plan it” of a recipe sends."""
    page = client.get(f"/which?day={day}").text
    row = next(each for each in page.split('<article class="which-row">') if f">{name}<" in each)
    form = row.split('action="/plan"')[1].split("</form>")[0]
    sent = re.findall(r'name="([a-z]+)" value="([^"]*)"', html.unescape(form))
    return {name: [v for n, v in sent if n == name] for name, _ in sent if name != "once"}


def vat_of(client, name):
    with sessions(client.application.extensions["config"].database_url)() as session:
        return str(session.scalar(select(Vat.id).where(Vat.name == name)))


def plan(client, post, name="Skillet", day="", **more):
    sent = {**offered(client, name, day), **more}
    if "vat" in more:
        sent["vat"] = vat_of(client, more["vat"])
    return post("/plan", sent, page="/which").headers["Location"]


def told(client, where):
    page = html.unescape(re.sub(r"<[^>]+>", " ", client.get(where).text))
    return re.sub(r"\s+", " ", page)


def test_an_answer_is_planned_and_stands_on_today_and_on_its_own_clock(client, post):
    where = plan(client, post)
    page = client.get(where).text
    assert "No hand is wanted in quiet hours" in page and "Good starts" in page
    assert page.count("<tr>") == 14  # a head, and every step
    assert 'class="block hands planned"' in page and "at the rate of this vat" in page
    today = client.get("/").text
    assert "Planned" in today and where in today
    assert re.search(r'class="lane"[^>]*>Skillet, planned<', today)
    ahead = client.get("/days").text
    assert where in ahead and re.search(r'class="lane"[^>]*>Skillet, planned<', ahead)
    sheet = post(f"{where}/now", {}, page="/which").headers["Location"]
    assert "Start the make" in client.get(sheet).text


def test_milk_that_is_planned_is_not_offered_again(client, post):
    where = plan(client, post)  # all the cows' milk
    page = client.get("/which").text
    assert "what a planned make has is left out" in page and "House cows" not in page
    goats = {**offered(client, "Thatch"), "vat": vat_of(client, "jacketed vat")}
    assert "does not reach" not in client.get(where).text
    first = post("/plan", goats, page="/which").headers["Location"]
    second = post("/plan", goats, page="/which").headers["Location"]
    for each in (first, second):
        assert "does not reach for this and for Thatch" in client.get(each).text
    post(f"{second}/drop", {}, page="/which")
    assert client.get(second).status_code == 404 and "does not reach" not in told(client, first)


def test_a_planned_make_is_in_the_way_of_the_next_and_moving_it_clears_it(client, post, standing):
    where = plan(client, post)
    begins = standing()[0].begins
    other = plan(client, post, "Thatch", begins=begins.isoformat(), vat="jacketed vat")
    assert "by Skillet too" in client.get(other).text
    assert "by Thatch too" in client.get(where).text
    refused = post(f"{other}/move", {"begins": "after tea"}, page="/which").text
    assert "Write the day and time" in refused and 'value="after tea"' in refused
    post(f"{other}/move", {"begins": "2026-05-06T09:00"}, page="/which")
    page = client.get(other).text
    assert "Wednesday 09:00" in page and "by Skillet too" not in page
    post(f"{other}/move", {"begins": "2026-05-05T02:00"}, page="/which")
    assert "in quiet hours: “Warm the milk" in client.get(other).text
    assert "Larder Block too" in begin_when(client, "larder-block")


def test_a_make_that_was_begun_is_planned_no_more_and_its_twin_still_is(
    client, post, rows, standing
):
    where = plan(client, post)
    lot = str(next(iter(standing()[0].row.lots)))
    twin = plan(client, post, "Skillet, shop milk (lemon)", recipe="skillet", lot=[], litres=[])
    start(client, post, lot, "skillet")
    assert client.get(where).status_code == 404
    make = rows.scalars(select(Make).order_by(Make.number.desc())).first()
    assert [each.row.id for each in standing()] == [standing()[0].row.id]
    assert twin.endswith(str(standing()[0].row.id))
    # from the plan's own button, and with the press and moulds that it was given
    post(f"{twin}/drop", {}, page="/which")
    sheet = makes.sheet_of(make)
    assert (sheet.given.press, sheet.given.moulds) == ("", ())
    assert sheet.warm[sheet.recipe["recipe"]["steps"][1]["key"]].unit == "min"


def test_a_make_begun_now_keeps_its_gear_and_the_plans_in_its_way_move_on(client, post, standing):
    thatch = plan(client, post, "Thatch", begins=(NOW + timedelta(minutes=10)).isoformat())
    drystone = plan(client, post, "Drystone", begins=(NOW + timedelta(days=2)).isoformat())
    before = {each.name: each.begins for each in standing()}
    cows = plan(
        client, post, "Lantern", begins=(NOW + timedelta(days=1)).isoformat(), vat="jacketed vat"
    )
    with sessions(client.application.extensions["config"].database_url)() as session:
        gear = gears.gear_of(session, session.scalar(select(Dairy)))
    given = next(each.given(gear) for each in standing() if each.name == "Lantern")
    sheet = post(f"{cows}/now", {}, page="/which").headers["Location"]
    query = dict(re.findall(r"(plan|recipe|vat|lot)=([\w-]+)", sheet))
    began = post(
        "/sheet/start",
        {**query, "school": "keep_clock", "why": "as planned, looked at"},
        page=sheet,
    )
    assert "/vat/" in began.headers["Location"]
    after = {each.name: each for each in standing()}
    assert set(after) == {"Thatch", "Drystone"}
    assert after["Drystone"].begins == before["Drystone"] and not after["Drystone"].row.moved_from
    assert after["Thatch"].begins > before["Thatch"] == after["Thatch"].row.moved_from
    assert "moved from today 10:40: another make stood in its way" in told(client, "/")
    assert "nothing twice" in client.get(thatch).text and client.get(drystone).status_code == 200
    assert given.press and given.moulds
    assert f"the {given.name(given.press)} is wanted" not in client.get(thatch).text
    post(f"{thatch}/move", {"begins": "2026-05-07T09:00"}, page="/which")
    assert "another make stood" not in told(client, "/")  # the maker has said where it stands


def test_frozen_milk_is_offered_when_it_can_be_thawed_and_thawed_on_its_day(client, post, standing):
    assert "Ewes, last summer" not in client.get("/which").text
    assert "to be thawed" not in client.get("/which?day=2026-05-05").text
    assert "Ewes, last summer, to be thawed" in client.get("/which?day=2026-05-06").text
    where = plan(client, post, "Tarrow Blue", day="2026-05-06")
    lots = offered(client, "Bench Curd", "2026-05-06")["lot"]
    assert not set(lots) & set(map(str, standing()[0].row.lots))
    for page in ("/", where, "/days"):
        assert "Ewes, last summer out of the freezer, into the fridge" in told(client, page)
    assert "wanted on" not in told(client, "/")  # the shelf's own reminder gives way to the plan's
    post(f"{where}/move", {"begins": "2026-05-08T10:00"}, page="/which")
    assert "into the fridge" not in told(client, "/")  # on Wednesday now
    assert "Wednesday Ready: Ewes, last summer out" in told(client, where)
    post(f"{where}/move", {"begins": "2026-05-06T10:00"}, page="/which")
    thaw = re.search(r'action="(/milk/[\w-]+/thaw)"', client.get("/").text)[1]
    post(thaw, {"from": "today"})
    assert "out of the freezer" not in told(client, "/") + told(client, where)


def test_what_a_make_wants_ready_is_ticked_once_and_moves_with_it(client, post, standing):
    where = plan(client, post, "Thatch", day="2026-05-05")
    page = told(client, where)
    for words in (
        "scalded; into it go 13.7 L",
        "press, clean and free",
        "Scalded: tall mould",
        "Pails for the whey",
        "Clock and a clean blade",
    ):
        assert words in page
    assert "Set out and scald 12 things" in told(client, "/")
    post(f"{where}/ready", {"key": "thermometer", "from": "today"}, page="/which")
    assert "Set out and scald 11 things" in told(client, "/")
    assert list(standing()[0].row.ready) == ["thermometer"]
    post(f"{where}/ready", {"key": "thermometer", "not": "1"}, page="/which")
    assert standing()[0].row.ready == {}
    post(f"{where}/ready", {"key": "kit", "from": "today"}, page="/which")
    assert "Set out and scald" not in told(client, "/") and len(standing()[0].row.ready) == 12
    post(f"{where}/move", {"begins": "2026-05-07T10:00"}, page="/which")
    assert len(standing()[0].row.ready) == 12
    assert post(f"{where}/ready", {"key": "anvil"}, page="/which").status_code == 404


def test_a_ratio_is_planned_in_two_touches_and_poured_at_the_bench(client, post, standing):
    where = plan(
        client, post, "Steading Wheel", day="2026-05-05", vat="stove pot", litres=["3", "3", "3"]
    )
    lots = standing()[0].row.lots
    assert len(lots) > 1 and any(lots.values())
    assert "Start it now: pour it at the Bench" in client.get(where).text
    bench = post(f"{where}/now", {}, page="/which").headers["Location"]
    assert "Steading Wheel" in told(client, bench)
    sheet = told(client, f"/sheet?recipe=steading-wheel&lot={'&lot='.join(map(str, lots))}")
    assert "Begun now" in sheet and "by Steading Wheel too" not in sheet  # it is its own plan
    other = plan(client, post, "Tarrow Blue", vat="jacketed vat", litres=["3.5"])
    refused = post(f"{other}/now", {}, page="/which").text
    assert "holds other milk: clear it first" in refused


def test_a_plan_across_the_change_to_summer_time_keeps_its_hour_and_its_waits(demo_url):
    app = create_app(
        Config(
            database_url=demo_url,
            secret=SECRET,
            mode="demo",
            frozen_now=datetime(2026, 3, 27, 9, 0, tzinfo=UTC),
        )
    )
    app.config["WTF_CSRF_ENABLED"] = False
    client = app.test_client()
    client.post("/demo")
    minutes = timedelta(minutes=sum(step.minutes for step in RECIPES["larder-block"].steps))
    with sessions(demo_url).begin() as rows:
        dairy = rows.scalar(select(Dairy))
        dairies.set_quiet(dairy, time(0), time(0))  # nothing is stretched
        vat = dairies.vats(rows, dairy)[2]
        begins = datetime(2026, 3, 28, 17, 0, tzinfo=DUBLIN)
        early = begins - timedelta(days=1)
        row = plans.plan(
            rows, dairy, "larder-block", vat=vat, lots={}, begins=begins, now=early, house=HOUSE
        )
        where = f"/plan/{row.id}"
    for day, offset_h in ((28, 0), (30, 1)):
        begins = datetime(2026, 3, day, 17, 0, tzinfo=DUBLIN)
        client.post(f"{where}/move", data={"begins": f"{begins:%Y-%m-%dT%H:%M}"})
        page = told(client, where)
        ends = (begins.astimezone(UTC) + minutes).astimezone(DUBLIN)
        assert f"{begins:%A} 17:00" in page.replace("tomorrow", "Saturday")
        assert f"It goes to rest {ends:%A} {ends:%H:%M}" in page
        found = Calendar.from_ical(client.get("/calendar.ics").data).walk("VEVENT")
        mine = [e for e in found if str(e["uid"]).startswith("plan-")]
        assert min(e["dtstart"].dt for e in mine).hour == 17 - offset_h
        cares = sorted(
            e["dtstart"].dt
            for e in found
            if str(e["uid"]).startswith("round-") and "Cool room" in str(e["summary"])
        )
        local = [each.astimezone(DUBLIN) for each in cares[:3]]
        assert all(
            b.date() - a.date() == timedelta(1) for a, b in pairwise(local)
        )  # daily is daily
        assert {each.hour for each in local} == {8}


def test_plans_of_another_dairy_are_nobodys_here(client, post, rows, standing):
    plan(client, post)
    other = dairies.found(rows, "The next hill", "Europe/Dublin", NOW)
    assert plans.planned(rows, other) == []
    with pytest.raises(NotHere):
        plans.plan(
            rows,
            other,
            "skillet",
            vat=dairies.vats(rows, rows.scalar(select(Dairy)))[0],
            lots={},
            begins=NOW,
            now=NOW,
            house=HOUSE,
        )
    rows.rollback()
    for sent in ({"recipe": "nothing"}, {"vat": "tub"}, {"lot": "x"}, {"litres": ["much", "more"]}):
        refused = post("/plan", {**offered(client, "Thatch"), **sent}, page="/which")
        assert refused.status_code == 404
    late = post("/plan", {**offered(client, "Thatch"), "begins": "soon"}, page="/which")
    assert late.status_code == 422 and "Write the day and time" in late.text
    assert len(standing()) == 1


def test_two_makes_are_laid_out_together_so_that_nobody_is_wanted_twice(client, post, standing):
    first, second = plan(client, post), plan(client, post, "Thatch")
    begins = standing()[0].begins
    for where in (first, second):
        post(f"{where}/move", {"begins": begins.isoformat()}, page="/which")
    assert "Find each its place beside the others" in client.get("/days").text
    assert "too" in client.get(first).text
    post("/plan/together", {}, page="/which")
    for where in (first, second):
        assert "No hand is wanted in quiet hours, and nothing twice" in client.get(where).text
    found = standing()
    assert found[0].begins < found[1].begins < found[0].begins + timedelta(hours=14)


def test_a_make_is_planned_backwards_from_when_it_is_to_be_at_rest(client, post, standing):
    where = plan(client, post)
    post(f"{where}/move", {"begins": "2026-05-05T18:00", "by": "1"}, page="/which")
    each = standing()[0]
    assert each.begins.date() == date(2026, 5, 5) and each.begins.hour >= 14
    ends = re.search(r"goes to rest tomorrow (\d\d:\d\d)", told(client, where))[1]
    assert "17:30" <= ends <= "18:00" and "nothing twice" in client.get(where).text
    refused = post(f"{where}/move", {"begins": "2026-05-04T11:00", "by": "1"}, page="/which").text
    assert "No start from now on" in refused and "2026-05-04T11:00" in refused


def test_a_good_start_that_asks_for_a_stretch_is_shown_stretched(client, post):
    quiet = quiet_spans(date(2026, 5, 5), 6, time(22, 30), time(6, 30), DUBLIN)
    begin = minute_of(NOW + timedelta(days=1))
    for key in ("threshing-cheddar", "bench-curd", "swaddle", "stile-block", "drystone"):
        course = course_of(planned_of(RECIPES[key]), begin, Outfit(vat="jacketed vat"))
        spans = good_begins(course, {HANDS: quiet})[0]
        starts = (t for a, b in spans for t in range(max(a, begin), min(b, begin + 2880) + 1))
        asks = next((t for t in starts if hands_in(as_it_comes(course, t), quiet)), None)
        if asks is not None:
            break
    where = plan(
        client,
        post,
        recipe=key,
        vat="jacketed vat",
        begins=moment_of(asks).isoformat(),
        lot=[],
        litres=[],
    )
    assert "No hand is wanted in quiet hours" in client.get(where).text


@pytest.mark.parametrize("recipe", ["hatch", "steading-wheel"])
def test_every_good_start_that_is_offered_is_one(client, post, recipe):
    where = plan(client, post, recipe=recipe, vat="jacketed vat", lot=[], litres=[])
    for day in ("2026-05-05T09:00", "2026-05-12T09:00"):
        post(f"{where}/move", {"begins": day}, page="/which")
        starts = re.findall(r'name="begins" value="([^"]+)">(\S+ ?\S*) ?<', client.get(where).text)
        assert 3 <= len(starts) <= 5
        for begins, _ in starts:
            post(f"{where}/move", {"begins": begins}, page="/which")
            assert "No hand is wanted in quiet hours, and nothing" in client.get(where).text, begins


def test_a_plan_whose_milk_is_gone_says_so_and_keeps_the_recipes_lengths(client, post, rows):
    where = plan(client, post)
    for lot in rows.scalars(select(MilkLot)):
        lot.left_kg = 0
    rows.commit()
    assert "Its milk is used up" in client.get(where).text
    assert client.get("/").status_code == client.get("/days").status_code == 200
