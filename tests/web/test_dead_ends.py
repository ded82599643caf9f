"""From every step of every make there is a way on, and what is said there agrees."""

import re
from datetime import timedelta

from openpail.craft.errors import NotPossible
from openpail.craft.make.deeds import OutOfMould, ReadingTaken, WheyKept
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.work.make.day import day_of
from openpail.work.plan.today import today
from tests.conftest import NOW
from tests.support.makes import at_step, begun, say
from tests.web.test_make_day import at as signed_in_at


def on(farm, make_id, minutes):
    here = farm(minutes)
    return day_of(here, makes.make(here.session, here.dairy, make_id))


def whey_of(farm, make_id, minutes, litres):
    say(farm, make_id, minutes, WheyKept(litres))
    here = farm(minutes)
    return milk.whey_of(here.session, here.dairy, makes.make(here.session, here.dairy, make_id))


def test_whey_cheese_is_salted_boxed_and_weighed(demo_url, farm, client, post):
    first = begun(farm, "larder-block")
    drained = at_step(farm, first, "stir-dry")
    lot = whey_of(farm, first, drained, 9.0)
    make_id = begun(farm, "second-pot", lot.name, drained)
    minutes = at_step(farm, make_id, "salt", drained)
    there = signed_in_at(demo_url, NOW + timedelta(minutes=minutes))
    page = there.get(f"/vat/{make_id}")
    assert page.status_code == 200 and "Salt" in page.text and "is not a family" not in page.text
    minutes = at_step(farm, make_id, "box", minutes)
    there = signed_in_at(demo_url, NOW + timedelta(minutes=minutes))
    assert there.get(f"/vat/{make_id}").status_code == 200
    assert there.get(f"/table/{make_id}").status_code == 200


def test_a_page_stands_though_one_part_of_it_cannot_be_worked_out(farm, client, post, monkeypatch):
    make = client.get("/vat").headers["Location"]

    def cannot(*_):
        raise NotPossible("The tub is a riddle.")

    monkeypatch.setattr("openpail.web.vat.show.rungs", cannot)
    monkeypatch.setattr("openpail.web.vat.show.vessel", cannot)
    page = client.get(make)
    assert page.status_code == 200 and "The tub is a riddle." in page.text
    assert 'class="vat-button' in page.text


def test_where_the_acid_decides_it_decides_on_every_page(demo_url, farm):
    make_id = begun(farm, "slow-skein")
    minutes = at_step(farm, make_id, "sour")
    by_clock = on(farm, make_id, minutes).current
    assert by_clock.decides == "clock" and by_clock.ends == by_clock.by_clock
    for later, ph in ((40, 6.2), (80, 5.85)):
        say(farm, make_id, minutes + later, ReadingTaken(ph=ph))
    state = on(farm, make_id, minutes + 85).current
    assert state.decides == "acid" and state.early <= state.ends <= state.late
    assert state.by_clock == by_clock.ends != state.ends
    there = signed_in_at(demo_url, NOW + timedelta(minutes=minutes + 85))
    page, clock = there.get(f"/vat/{make_id}").text, f"{farm().local(state.ends):%H:%M}"
    assert f">{clock}</time>, by the acid" in page and "as written" in page
    assert "<b>5.15 at about" in page and clock in there.get("/").text
    over = int((state.late - NOW).total_seconds() / 60) + 5  # nobody read it since
    page = signed_in_at(demo_url, NOW + timedelta(minutes=over)).get(f"/vat/{make_id}").text
    assert "it should have come to" in page and "<b>5.15 at about" not in page
    # read to be there, nothing more is waited for, and no reading more is asked
    say(farm, make_id, minutes + 120, ReadingTaken(ph=5.12))
    there = signed_in_at(demo_url, NOW + timedelta(minutes=minutes + 121))
    page = there.get(f"/vat/{make_id}").text
    assert "it came to <b>5.15</b>" in page and "one more reading" not in page
    assert on(farm, make_id, minutes + 121).current.ends <= NOW + timedelta(minutes=minutes + 121)


def test_what_may_be_left_does_not_slide_with_the_clock(demo_url, farm):
    make_id = begun(farm, "slow-skein")
    minutes = at_step(farm, make_id, "ripen")
    said = set()
    for later in (0, 7, 20, 70):
        there = signed_in_at(demo_url, NOW + timedelta(minutes=minutes + later))
        text = there.get(f"/vat/{make_id}").text
        said |= set(re.findall(r'data-of="make/\d+/ripen/left" datetime="([^"]+)"', text))
    assert len(said) == 1 and "No longer" in text


def test_today_leads_with_what_wants_hands_first(farm):
    make_id = begun(farm, "hatch")
    minutes = at_step(farm, make_id, "press-hard")
    found = today(farm(minutes)).next
    moments = [each.at for each in found if each.at]
    assert moments == sorted(moments)
    late = next(each for each in found if each.are_late)
    soon = NOW + timedelta(minutes=minutes + 31)
    assert all(each.at <= soon for each in found[: found.index(late)] if each.at)


def test_a_brine_has_one_end_and_pieces_one_weight(demo_url, farm):
    make_id = begun(farm, "hatch")
    minutes = at_step(farm, make_id, "brine")
    say(farm, make_id, minutes, OutOfMould((1.9,), word="as it was"))
    there = signed_in_at(demo_url, NOW + timedelta(minutes=minutes))
    page = there.get(f"/vat/{make_id}").text
    ends = on(farm, make_id, minutes).current.ends
    number = re.search(r"make (\d+) · step", page)[1]
    clock = re.findall(rf'data-of="make/{number}/brine/ends" datetime="([^"]+)"', page)
    assert len(clock) > 2 and set(clock) == {f"{ends:%Y-%m-%dT%H:%M}Z"}
    said = there.get(f"/table/{make_id}").text
    assert re.search(r"<textarea[^>]*name=\"weights\"[^>]*>\s*1\.9 kg", said)
