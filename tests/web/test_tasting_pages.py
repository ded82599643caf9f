"""The table's counter and a tasting: few taps, alone and unseen, then laid beside each other."""

import re
import uuid
from io import BytesIO

import pytest

from openpail.work.cave import piece
from openpail.work.cave.ripening import resting
from tests.support.makes import send

PNG = bytes.fromhex(
    "89504e470d0a1a0a0000000d49484452000000010000000108060000001f15c4890000000d49444154789c6360606060"
    "0000000500010d0a2db40000000049454e44ae426082"
)


@pytest.fixture
def wheel(farm, post):
    row = next(row for row in resting(farm()) if row.label == "14-1")
    return f"/table/piece/{row.id}"


def said(client, page, do, **form):
    return send(client, f"{page}/{do}", {"event": str(uuid.uuid4()), **form}, page)


def key_of(client, page):
    return re.search(r'name="tasting" value="([^"]+)"', client.get(page).text)[1]


def test_the_counter_shows_what_is_ready_and_what_comes(client, post):
    page = client.get("/table").text
    counter = page.split('class="counter"')[1].split("</section>")[0]
    assert "Wrenfold Log" in counter and "best to" in counter and "early, from" in counter
    assert "/table/piece/" in counter and "<h2>Makes</h2>" in page
    assert 'class="counter"' not in client.get("/table?page=1").text


def test_two_taste_alone_and_unseen_and_what_they_differ_in_is_said(client, wheel):
    assert said(client, wheel, "set-out", tasters="maker, helper").status_code == 302
    assert "maker, helper still to taste" in client.get("/table").text
    key = key_of(client, wheel)
    first = {"taste": "fine", "look": "good", "again": "yes", "words": "hay and cream"}
    assert said(client, wheel, "taste", tasting=key, taster="maker", **first).status_code == 302
    page = client.get(wheel).text
    assert "1 of 2 have tasted" in page and "helper tastes, alone and unseen" in page
    record = client.get(wheel.replace("/table/piece", "/cave")).text
    for unseen in (page, record, client.get("/table").text):
        assert "hay and cream" not in unseen and "they differ" not in unseen
    again = said(client, wheel, "taste", tasting=key, taster="maker", **first)
    assert again.status_code == 422 and "maker has tasted already" in again.text
    second = {"taste": "poor", "faults": ["bitter", "dry"], "again": "no", "next_time": "salt less"}
    said(client, wheel, "taste", tasting=key, taster="helper", **second)
    page = client.get(wheel).text
    assert "hay and cream" in page and "next time I would salt less" in page
    assert page.count("they differ") == 1 and "somebody would not make it again" in page
    assert re.search(r"<b>bitter</b> \(helper\)", page)
    assert "still to taste" not in client.get("/table").text


def test_a_taste_alone_is_open_at_once_with_its_photo_and_what_was_typed_is_not_lost(client, wheel):
    said(client, wheel, "set-out", tasters="maker")
    key = key_of(client, wheel)
    lacks = {"tasting": key, "taster": "maker", "look": "good", "words": "cooked in a pan"}
    page = said(client, wheel, "taste", **lacks, cook="melts", faults="wet")
    assert page.status_code == 422 and "Say at least how it tastes" in page.text
    assert 'value="cooked in a pan"' in page.text
    for kept in (
        'name="look" value="good" checked',
        'value="melts" checked',
        'value="wet" checked',
    ):
        assert kept in page.text
    photo = {"photo": (BytesIO(PNG), "cut.png")}
    done = said(client, wheel, "taste", **lacks, taste="good", cook="melts", **photo)
    assert done.status_code == 302
    page = client.get(wheel).text
    assert "melts smooth" in page and "good: all would make it again" in page
    picture = re.search(r'<img class="kept-photo" src="([^"]+)"', page)[1]
    assert client.get(picture).mimetype.startswith("image/")
    wrong = {"photo": (BytesIO(b"no picture"), "cut.png")}
    said(client, wheel, "set-out", tasters="maker")
    key = key_of(client, wheel)
    answer = said(client, wheel, "taste", tasting=key, taster="maker", taste="good", **wrong)
    assert answer.status_code == 422 and 'class="error"' in answer.text


def test_a_tasting_is_opened_before_all_came_by_hand_and_stays_a_true_record(client, wheel):
    said(client, wheel, "set-out", tasters="maker,helper,visitor")
    key = key_of(client, wheel)
    assert said(client, wheel, "open", tasting=key).status_code == 422
    said(client, wheel, "taste", tasting=key, taster="helper", taste="fair")
    assert said(client, wheel, "open", tasting=key).status_code == 302
    page = client.get(wheel).text
    assert "Open it now" not in page and "Not tasted: maker, visitor." in page
    late = said(client, wheel, "taste", tasting=key, taster="maker", taste="fine")
    assert late.status_code == 422 and "would not be blind" in late.text


def test_a_cheese_whose_acid_was_slow_is_not_set_out_without_a_word(client, wheel, farm):
    here = farm()
    key = uuid.UUID(wheel.rsplit("/", 1)[1])
    make = piece.one(here, key).make
    make.marks = [{"key": "slow-acid", "words": "pH 6.3 at 9 h"}]
    here.session.commit()
    asked = said(client, wheel, "set-out", tasters="maker")
    assert asked.status_code == 422 and "a toxin may be in it" in asked.text
    assert 'name="word"' in asked.text
    assert said(client, wheel, "set-out", tasters="maker", word="tested clean").status_code == 302
    early = wheel.replace("/table/piece", "/cave") + "/early_taste"
    page = wheel.replace("/table/piece", "/cave")
    form = {"event": str(uuid.uuid4()), "ripe": "right", "by": "shelf"}
    assert "a toxin may be in it" in send(client, early, form, page).text
    assert piece.one(farm(), key).standing.course.ripe is None


def test_a_piece_that_is_eaten_up_may_be_told_of_after(client, wheel, farm):
    key = uuid.UUID(wheel.rsplit("/", 1)[1])
    label = piece.one(farm(), key).row.label
    out = {"event": str(uuid.uuid4()), "where": "thrown", "label": label, "by": "typed"}
    page = wheel.replace("/table/piece", "/cave")
    send(client, f"{page}/out", out, page)
    assert "gone" in client.get(wheel).text
    assert said(client, wheel, "set-out", tasters="maker").status_code == 302


def test_a_sign_sent_again_under_its_old_number_as_another_one_is_harmless(client, wheel):
    page = wheel.replace("/table/piece", "/cave")
    event = str(uuid.uuid4())
    for sign, step in (("bloom", "1"), ("no sign", "1"), ("bloom", "99")):
        form = {"event": event, "sign": sign, "step": step, "by": "shelf"}
        assert send(client, f"{page}/seen", form, page).status_code < 500, sign
