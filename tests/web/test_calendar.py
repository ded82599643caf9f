"""The days ahead and the calendar file: own ids, UTC moments, whole-day cares, a secret address."""

import re
import uuid
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
import vobject
from hypothesis import given
from hypothesis import strategies as st
from icalendar import Calendar
from sqlalchemy import select

from openpail.formats.calendar import Entry, write
from openpail.records.dairy.models import Dairy
from openpail.records.pieces.models import Piece
from tests.conftest import NOW
from tests.web.test_plan_pages import nothing_planned, plan, rows, told  # noqa: F401

DUBLIN = ZoneInfo("Europe/Dublin")


def events(body):
    return Calendar.from_ical(body).walk("VEVENT")


def test_the_file_holds_each_time_of_hands_each_care_and_each_task(client, post, rows):  # noqa: F811
    plan(client, post, "Thatch", day="2026-05-05")
    answer = client.get("/calendar.ics")
    assert answer.mimetype == "text/calendar" and b"VTIMEZONE" not in answer.data
    found = events(answer.data)
    assert len({str(each["uid"]) for each in found}) == len(found)
    thatch = [each for each in found if str(each["summary"]).startswith("Thatch: ")]
    assert len(thatch) >= 3  # at the vat, a turning, out of the press
    for each in thatch:
        assert not each["dtstart"].dt.utcoffset() and each["dtend"].dt > each["dtstart"].dt
        local = each["dtstart"].dt.astimezone(DUBLIN)
        assert local.date() == date(2026, 5, 5) and 6 <= local.hour <= 22
    assert any(str(each["summary"]).startswith("Larder Block: ") for each in found)  # under way
    assert any("Ewes, last summer out of the freezer" in str(each["summary"]) for each in found)


def test_the_ids_stay_while_a_plan_moves(client, post):
    where = plan(client, post, "Thatch", day="2026-05-05")

    def of_plan():
        found = events(client.get("/calendar.ics").data)
        return {str(e["uid"]): e["dtstart"].dt for e in found if "plan-" in str(e["uid"])}

    before = of_plan()
    post(f"{where}/move", {"begins": "2026-05-06T07:00"}, page="/which")
    after = of_plan()
    assert after.keys() == before.keys()
    assert all(after[uid] > at for uid, at in before.items())
    post(f"{where}/drop", {}, page="/which")
    assert of_plan() == {}


def test_a_programme_reads_by_the_address_and_nothing_else(client, post, app, rows):  # noqa: F811
    post("/calendar/key", {}, page="/days")
    address = re.search(r"<code[^>]*>(http[^<]+)<", client.get("/days").text)[1]
    key = rows.scalar(select(Dairy.calendar_key))
    assert len(key) >= 32 and address.endswith(f"/calendar/{key}.ics")
    stranger = app.test_client()
    read = stranger.get(f"/calendar/{key}.ics")
    assert read.status_code == 200 and events(read.data)
    assert stranger.get("/calendar.ics").status_code == 302  # to sign in
    assert stranger.get("/days").status_code == 302
    assert stranger.get("/calendar/guess.ics").status_code == 404
    post("/calendar/key", {}, page="/days")
    assert stranger.get(f"/calendar/{key}.ics").status_code == 404
    again = re.search(r"calendar/([\w-]+)\.ics<", client.get("/days").text)[1]
    post("/calendar/key", {"end": "1"}, page="/days")
    assert stranger.get(f"/calendar/{again}.ics").status_code == 404
    assert stranger.get("/calendar/.ics").status_code == 404


def test_the_days_ahead_tell_each_care_on_its_day_and_what_is_late_today(client, post):
    page = client.get("/days").text
    days = re.split(r'<section class="day"', page)[1:]
    assert len(days) == 7 and "Today" in days[0] and "Tomorrow" in days[1]
    assert "Larder Block, under way" in days[0] and "Turn it and brush" in days[0]
    assert "Nothing is planned" in page
    plan(client, post, "Thatch", day="2026-05-06")
    days = re.split(r'<section class="day"', client.get("/days").text)[1:]
    assert "Thatch, planned" in days[2] and "Set out and scald" in days[2]
    assert "Thatch" not in days[0] + days[1]


def test_presses_moulds_and_rooms_are_kept_and_refused_by_their_fields(client, post):
    page = told(client, "/dairy/gear")
    assert "two-lever press" in page and "4 × small mould" in page and "cave 24 pieces" in page
    mould = {
        "gear-kind": "mould",
        "gear-name": "log tube",
        "gear-count": "6",
        "gear-holds": "250 g",
    }
    post("/dairy/gear", mould)
    assert "6 × log tube 0.25 kg of cheese out of each, for soft cheese" in told(
        client, "/dairy/gear"
    )
    for wrong, words in (
        ({}, "already"),
        ({"gear-name": "small mould 2"}, "already"),
        ({"gear-name": " "}, "name"),
        ({"gear-name": "x", "gear-count": "2.5"}, "how many there are"),
        ({"gear-name": "x", "gear-holds": ""}, "how much cheese comes out"),
    ):
        refused = post("/dairy/gear", {**mould, **wrong})
        assert words in refused.text and 'aria-invalid="true"' in refused.text, wrong
    post("/dairy/gear/drop", {"name": "log tube"})
    assert "log tube" not in told(client, "/dairy/gear")
    assert post("/dairy/gear/drop", {"name": "log tube"}).status_code == 404
    room = {"room-name": "cave", "room-holds": "7", "room-sort": "cave"}
    post("/dairy/rooms", {**room, "room-shelves": "2", "room-width": "90 cm", "room-depth": "30"})
    assert "cave 7 pieces" in told(client, "/dairy/gear")
    full = "no room in the cave on"
    assert full in told(client, "/which")
    post("/dairy/rooms", {**room, "room-holds": "0"})
    assert full not in told(client, "/which") and "cave 7" not in told(client, "/dairy/gear")
    for wrong, words in (
        ({"room-width": "90 cm"}, "Write both"),
        ({"room-shelves": "99"}, "1 to 60 shelves"),
        ({"room-holds": "20000"}, "how many pieces"),
    ):
        assert words in post("/dairy/rooms", {**room, **wrong}).text
    assert "Name the place" in post("/dairy/rooms", {**room, "room-name": " "}).text


moments = st.datetimes(datetime(2020, 1, 1), datetime(2040, 1, 1), timezones=st.just(DUBLIN))
texts = st.text(
    st.characters(codec="utf-8", exclude_categories=["Cc", "Cs", "Zl", "Zp"]), min_size=1
)
entries = st.builds(
    lambda number, words, begins, minutes: Entry(
        uid=f"e-{number}",
        words=words,
        begins=begins if minutes else begins.date(),
        ends=begins.astimezone(UTC) + timedelta(minutes=minutes) if minutes else None,
        more=words,
    ),
    st.uuids(),
    texts,
    moments,
    st.integers(0, 3000),
)


@given(st.lists(entries, max_size=6))
def test_whatever_is_written_is_read_back_the_same(those):
    found = {str(e["uid"]): e for e in events(write("A dairy", those, NOW))}
    assert len(found) == len({each.uid for each in those})
    for each in those:
        read = found[f"{each.uid}@openpail"]
        assert str(read["summary"]) == each.words == str(read["description"])
        begins, ends = read["dtstart"].dt, read["dtend"].dt
        if each.ends is None:
            assert (begins, ends) == (each.begins, each.begins + timedelta(days=1))
        else:
            # an hour that the clocks leap over is a moment all the same
            assert begins.timestamp() == int(each.begins.timestamp())
            assert ends.timestamp() == int(each.ends.timestamp())


def test_a_moment_without_a_zone_or_an_end_before_its_beginning_is_refused():
    for begins, ends in ((datetime(2026, 5, 4), NOW), (NOW, None), (NOW, NOW)):
        with pytest.raises(ValueError, match="has a zone"):
            write("A dairy", [Entry(uid="x", words="Turn", begins=begins, ends=ends)], NOW)


def cares_of(client):
    """The cares of the file by their ids, as two readers agree on them."""
    data = client.get("/calendar.ics").data
    mine = {
        str(e["uid"]).removesuffix("@openpail"): e
        for e in events(data)
        if str(e["uid"]).startswith(("care-", "round-"))
    }
    other = {
        each.uid.value.removesuffix("@openpail"): each
        for each in vobject.readOne(data.decode()).vevent_list
        if each.uid.value.startswith(("care-", "round-"))
    }
    assert set(mine) == set(other) and mine
    for uid, event in mine.items():
        assert event["dtstart"].dt.timestamp() == other[uid].dtstart.value.timestamp()
        assert str(event["summary"]) == other[uid].summary.value
        assert other[uid].contents["valarm"]
    return mine


def test_all_cares_ring_in_the_day_and_a_change_of_plan_moves_the_same_entry(client, post, rows):  # noqa: F811
    before = cares_of(client)
    quiet = (time(22, 30), time(6, 30))
    for each in before.values():
        local = each["dtstart"].dt.astimezone(DUBLIN)
        assert quiet[1] <= local.time() < quiet[0] and local.date() >= NOW.date()
    places = [uid.rsplit("-", 4) for uid in before if uid.startswith("round-")]
    assert len({(place, *day) for place, *day in places}) == len(places)  # one walk a place and day
    row = rows.scalar(select(Piece).where(Piece.label == "7-1"))
    moves = {uid: e for uid, e in before.items() if uid == f"care-{row.id}-cave-move"}
    (uid,) = moves
    seen = {"event": str(uuid.uuid4()), "label": "7-1", "by": "label", "sign": "blue", "step": "3"}
    post(f"/cave/{row.id}/seen", {**seen, "sisters": "y"}, f"/cave/{row.id}")
    after = cares_of(client)
    assert after[uid]["dtstart"].dt < moves[uid]["dtstart"].dt
    assert "7-1" in str(after[uid]["summary"]) and "7-2" in str(after[uid]["summary"])
    gone = {uid for uid in before if row.id.hex not in uid.replace("-", "")} - set(after)
    assert not any("move" in uid for uid in gone)  # nobody else's plan moved
