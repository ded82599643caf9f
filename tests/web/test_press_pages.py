"""Press & salt through its pages: the station, a make at it, the tubs, the gear."""

import re
import uuid
from dataclasses import replace
from datetime import timedelta

import icalendar
import pytest
from sqlalchemy import event, select

from openpail.craft.cave.deeds import Out
from openpail.craft.make.deeds import (
    InBrine,
    Loaded,
    Moulded,
    OutOfMould,
    StepDone,
    Told,
    TurnedOver,
    Weighed,
    WheyWent,
)
from openpail.craft.press.moulds import fewest
from openpail.craft.salt.cover import TubSize
from openpail.craft.salt.tub_deeds import PhRead
from openpail.records.bench import actions as benches
from openpail.records.brine import actions as brine
from openpail.records.brine.models import Brining
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.pieces.models import Piece
from openpail.records.session import engine_for
from openpail.work.cave.piece import Telling
from openpail.work.cave.piece import tell as tell_piece
from openpail.work.make.log import tell
from openpail.work.make.made import standing_of
from openpail.work.press import tubs
from openpail.work.press.at_press import AtPress
from openpail.work.press.brining import asked_of_tub
from openpail.work.press.brining import lying as brining
from openpail.work.sheet import sheet as sheets
from openpail.work.vat.at_vat import AtVat
from tests.conftest import NOW, token_in
from tests.support.makes import at_step, begun, say, send, tapped
from tests.support.many import copy_of
from tests.web.test_make_day import at as later_at


def press_of(farm, make, minutes):
    here = farm(minutes)
    here.session.expire_all()
    return AtPress(AtVat(here, makes.make(here.session, here.dairy, make)))


def answer(farm, make, minutes, deed, amends=None):
    here = farm(minutes)
    moment = NOW + timedelta(minutes=minutes)
    told = Told(id=str(uuid.uuid4()), deed=deed, happened=moment, amends=amends)
    found = tell(here, make, [told])[0]
    here.session.commit()
    return found, told.id


def out_of_press(farm, recipe="hatch", milk="House cows"):
    """A make whose cheese is out of its press, and when."""
    make = begun(farm, recipe, milk)
    brined = "brine" if recipe == "hatch" else "salt"
    return make, at_step(farm, make, brined)


def kept_tub(farm, name="grey tub", minutes=0.0):
    here = farm(minutes)
    return next(each for each in here.tubs if each.name == name)


def test_the_station_shows_what_stands_at_it_and_nothing_else(client, post):
    page = client.get("/press").text
    assert "Threshing Cheddar" in page and "Hatch" in page and "grey tub" in page
    assert "Larder Block" not in page.split("<main")[1]
    assert re.search(r"<b>[\d.]+</b> <span>kg</span>", page) and "to hang" in page
    assert "Turn it in the brine" in page and "kPa" in page and "psi" in page
    line = page.split('aria-label="The line"')[1].split("</nav>")[0]
    assert 'href="/press"' in line
    vat = client.get("/vat")
    assert vat.status_code == 302  # one make is in a vat; the others are here


def test_a_make_fills_its_moulds_goes_under_its_press_and_is_turned(demo_url, client, post, farm):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "mould")
    page = later_at(demo_url, NOW + timedelta(minutes=begins)).get(f"/vat/{make}").text
    assert "Which moulds?" in page and "tall mould" in page and "by weight" in page
    tall = next(each for each in farm(begins).gear if each.name == "tall mould")
    say(farm, make, begins, Moulded(step="mould", count=1, mould=f"{tall.id}/1"))
    at = press_of(farm, make, begins)
    assert at.step.kind == "press" and at.moulds.mould == tall.mould and not at.is_begun
    found = at.pressing
    written = at.recipe.step("press-light").load_kg
    share = tall.mould.area_cm2 / at.recipe.wheels.area_cm2
    assert found.load.value == pytest.approx(written * share)
    page = later_at(demo_url, NOW + timedelta(minutes=begins)).get(f"/vat/{make}").text
    assert "The press is on" in page and "law of the lever" not in page.split("<main")[0]
    say(
        farm, make, begins, Loaded(step="press-light", load_kg=found.load.value, press=at.press_key)
    )
    assert press_of(farm, make, begins).is_begun
    say(farm, make, begins + 10, TurnedOver("press-light"))
    assert len(press_of(farm, make, begins + 10).standing.turned("press-light")) == 1


def test_a_screw_press_is_coached_and_rings_three_times(demo_url, client, post, farm):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "press-light")
    screw = next(key for key, name in farm(begins).names.items() if name == "screw press")
    say(farm, make, begins, Loaded(step="press-light", load_kg=None, press=screw))
    page = later_at(demo_url, NOW + timedelta(minutes=begins + 1)).get(f"/vat/{make}").text
    panel = page.split('class="panel open press-panel"')[1]
    assert "slow steady drip" in panel and "Screwed down again" in panel
    assert "to hang" not in page and "to stack" not in page
    turn = press_of(farm, make, begins + 1).next_turn
    assert turn.at == NOW + timedelta(minutes=begins + 5) and turn.of == 3
    wall = later_at(demo_url, NOW + timedelta(minutes=begins + 1)).get("/").text
    assert "Screw it down again" in wall


def test_the_weight_out_of_the_mould_tells_yield_and_moisture_and_is_amended(demo_url, farm):
    make, begins = out_of_press(farm)
    expected = press_of(farm, make, begins).sheet.cheese.value
    found, _ = answer(farm, make, begins, OutOfMould((expected * 3,)))
    assert found.field == "word" and "% water" in found.words
    found, _ = answer(farm, make, begins, OutOfMould((400.0,), word="it is so"))
    assert found.outcome == "refused" and "more cheese than there was milk" in found.words
    found, key = answer(farm, make, begins, OutOfMould((expected * 1.08,)))
    assert found.outcome == "kept"
    page = later_at(demo_url, NOW + timedelta(minutes=begins + 1)).get(f"/vat/{make}").text
    assert "108 % of what was expected" in page and "A little more than expected" in page
    client = later_at(demo_url, NOW + timedelta(minutes=begins + 20))

    token = token_in(client.get(f"/vat/{make}").text)
    parts = tapped("amend", amends=key, mends="pieces_kg together", weights=f"{expected:.3f} kg")
    kept = client.post(f"/vat/{make}/tell", data={**parts, "csrf_token": token})
    assert kept.status_code == 302
    at = press_of(farm, make, begins + 21)
    assert at.pieces_kg == (pytest.approx(expected, abs=0.001),)


def test_pieces_in_one_heap_are_equal_parts_with_numbers_of_their_own(client, post, farm):
    make, begins = out_of_press(farm, "tarrow-blue", "Ewes")
    say(farm, make, begins, OutOfMould((0.6, 0.6), together=True, word="smaller hoops"))
    at = press_of(farm, make, begins)
    number = at.make.number
    assert at.labels == (f"{number}-1", f"{number}-2") and sum(at.pieces_kg) == 1.2
    assert [round(each.grams.value, 1) for each in at.rubs] == [7.2, 7.2, 7.2]


def test_a_wheel_lies_in_brine_the_tub_follows_and_the_salt_goes_with_the_piece(demo_url, farm):
    make, begins = out_of_press(farm)
    tub = kept_tub(farm, minutes=begins)
    before = brine.standing_of(tub)
    at = press_of(farm, make, begins)
    choice = at.tub_choices[0]
    assert choice.tub.name == "grey tub" and choice.plan.schools.by_faces is not None
    until = (NOW + timedelta(minutes=begins, hours=choice.plan.hours.value)).isoformat()
    found, _ = answer(farm, make, begins, InBrine(step="brine", tub=str(tub.id), until=until))
    assert found.outcome == "kept"
    here = farm(begins)
    assert [each.stay.make_id for each in brining(here)].count(make) == 1
    page = later_at(demo_url, NOW + timedelta(minutes=begins + 5)).get(f"/vat/{make}").text
    assert "Turned in the brine" in page and "comes out lighter" in page
    hours = choice.plan.hours.value
    say(farm, make, begins + 60 * hours, StepDone(step="brine"))
    here = farm(begins + 60 * hours)
    after = brine.standing_of(kept_tub(farm, minutes=begins))
    stay = here.session.scalar(select(Brining).where(Brining.make_id == make))
    assert stay.out_at is not None and stay.salt_kg > 0
    assert before.salt_kg - after.salt_kg == pytest.approx(stay.salt_kg)
    assert after.brine_kg - before.brine_kg == pytest.approx(stay.salt_kg)
    assert after.batches == before.batches + 1
    say(farm, make, begins + 60 * hours + 1, Weighed((at.sheet.cheese.value,)))
    piece = here.session.scalar(select(Piece).where(Piece.make_id == make))
    assert piece.salt["value"] == pytest.approx(100 * stay.salt_kg / piece.mass_kg)
    page = later_at(demo_url, NOW + timedelta(minutes=begins + 60 * hours + 2))
    assert "% salt, as it is thought to hold" in page.get(f"/cave/{piece.id}").text


def test_a_tub_of_another_dairy_an_empty_and_a_crowded_one_are_no_tub_for_it(farm):
    make, begins = out_of_press(farm)
    until = (NOW + timedelta(minutes=begins + 600)).isoformat()
    here = farm(begins)
    with pytest.raises(Exception, match="no such tub"):
        tell(
            here,
            make,
            [
                Told(
                    id=str(uuid.uuid4()),
                    deed=InBrine(step="brine", tub=str(uuid.uuid4()), until=until),
                    happened=NOW + timedelta(minutes=begins),
                )
            ],
        )
    here.session.rollback()

    here = farm(begins)
    empty = brine.add_tub(
        here.session,
        here.dairy,
        "blue tub",
        size=TubSize(12.0, 20.0),
        goal_pct=18.0,
        celsius=12.0,
        soft=False,
    )
    here.session.commit()
    found, _ = answer(farm, make, begins, InBrine(step="brine", tub=str(empty.id), until=until))
    assert found.field == "tub" and "make it first" in found.words
    tubs.make_brine(farm(begins), empty.id, 1.0, 18.0, uuid.uuid4())
    here.session.commit()
    tall = next(each for each in here.gear if each.name == "wide mould")
    mend = Moulded(step="mould", count=1, mould=f"{tall.id}/1")
    here = farm(begins)
    standing = standing_of(here, makes.make(here.session, here.dairy, make))
    assert standing.moulded is None or standing.moulded == mend
    found, _ = answer(farm, make, begins, InBrine(step="brine", tub=str(empty.id), until=until))
    assert found.field == "word" and "floor" in found.words


def test_a_sour_tub_without_calcium_is_said_at_the_vat_and_asked_once(demo_url, farm):
    make, begins = out_of_press(farm)
    tub = kept_tub(farm, minutes=begins)
    tubs.tell(farm(begins), tub.id, PhRead(5.6), deed_id=uuid.uuid4())
    farm(begins).session.commit()
    page = later_at(demo_url, NOW + timedelta(minutes=begins + 1)).get(f"/vat/{make}").text
    assert "It stands at pH 5.60" in page and "its brine wants care first" in page
    # a brine that is off is still nearer to what this cheese wants than the weak one of the white
    assert press_of(farm, make, begins + 1).tub_choices[0].tub.name == "grey tub"
    until = (NOW + timedelta(minutes=begins + 600)).isoformat()
    deed = InBrine(step="brine", tub=str(tub.id), until=until)
    found, _ = answer(farm, make, begins + 1, deed)
    assert found.field == "word" and "grey tub" in found.words and "5.60" in found.words
    found, _ = answer(farm, make, begins + 1, replace(deed, word="vinegar tomorrow"))
    assert found.outcome == "kept"
    assert asked_of_tub(farm(begins + 2), str(tub.id)) == ""
    tubs.tell(farm(begins + 2), tub.id, PhRead(5.7), deed_id=uuid.uuid4())
    farm(begins + 2).session.commit()
    assert "5.70" in asked_of_tub(farm(begins + 3), str(tub.id))


def test_one_small_mould_for_curd_that_fills_more_is_asked(farm):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "mould")
    here = farm(begins)
    cheese = press_of(farm, make, begins).cheese_kg
    small = min((e for e in here.gear if e.mould), key=lambda each: each.mould.volume_l)
    needs = fewest(cheese, small.mould, here.house)
    assert needs > 1
    deed = Moulded(step="mould", count=1, mould=f"{small.id}/1")
    found, _ = answer(farm, make, begins, deed)
    assert found.field == "word" and f"fills {needs} of" in found.words
    found, _ = answer(farm, make, begins, replace(deed, word="the rest is eaten"))
    assert found.outcome == "kept"


def test_what_nobody_weighed_stays_about(client, post, farm, demo_url):
    make, begins = out_of_press(farm)
    say(farm, make, begins, StepDone(step="brine", word="no brine today"), StepDone(step="out"))
    table = later_at(demo_url, NOW + timedelta(minutes=begins + 2))
    page = table.get(f"/table/{make}").text
    assert "Nobody weighed it" in page

    parts = {"about": "y", "event": str(uuid.uuid4()), "csrf_token": token_in(page)}
    laid = table.post(f"/table/{make}", data=parts)
    assert laid.status_code == 302, re.findall(r"error.>([^<]+)", laid.text)
    assert "about" in table.get(f"/table/{make}").text.split("Laid down")[1]
    laid = list(farm(begins + 3).session.scalars(select(Piece).where(Piece.make_id == make)))
    assert laid and all(piece.about for piece in laid)
    weights = "\n".join(f"{piece.mass_kg} kg" for piece in laid)
    parts = {"weights": weights, "event": str(uuid.uuid4())}
    parts["csrf_token"] = token_in(table.get(f"/table/{make}").text)
    assert table.post(f"/table/{make}", data=parts).status_code == 302
    here = farm(begins + 4)
    here.session.expire_all()
    assert not any(here.session.merge(piece).about for piece in laid)


def test_whey_is_told_by_volume_by_weight_or_by_how_deep_it_stands(client, post, farm, demo_url):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "press-light")
    at = press_of(farm, make, begins)
    expected = at.whey.ran_l
    page = later_at(demo_url, NOW + timedelta(minutes=begins))

    def told(deed, **parts):
        token = token_in(page.get(f"/vat/{make}").text)
        data = {**tapped(deed, **parts), "csrf_token": token}
        return page.post(f"/vat/{make}/tell", data=data)

    assert told("whey_ran", litres=f"{expected * 1.025:.2f} kg").status_code == 302
    assert press_of(farm, make, begins).whey.ran_l == pytest.approx(expected, abs=0.02)
    assert told("whey_went", litres="4 L", to="animals").status_code == 302
    book = press_of(farm, make, begins).whey
    assert book.went == (("animals", 4.0),) and book.left_l == pytest.approx(expected - 4, abs=0.05)
    asked = told("whey_went", litres="25 L", to="land")
    assert "ran. Look at the amounts" in asked.text
    say(farm, make, begins, WheyWent(25.0, "land", "the rain butt too"))
    assert press_of(farm, make, begins).whey.over_l > 0
    deep = told("whey_ran", litres="5 cm", word="after the rain", counter="9")
    vat = at.at.vat
    if vat.diameter_cm:
        assert deep.status_code == 302
        ran = press_of(farm, make, begins).whey.ran_l
        assert ran == pytest.approx(5 * 3.14159 * (vat.diameter_cm / 2) ** 2 / 1000, rel=0.01)


# ── the tubs ──


def tub_page(client, name="grey tub"):
    page = client.get("/press").text
    found = re.search(rf'href="(/press/tubs/[^"]+)">(?:(?!</a>).)*?<b>{name}', page, re.S)
    return found[1]


def test_a_tub_is_added_filled_read_freshened_strained_and_poured_away(client, post):
    form = {"tub-name": "new tub", "tub-across": "50 cm", "tub-height": "30 cm", "tub-goal": "20"}
    made = post("/press/tubs", form, "/press")
    assert made.status_code == 302
    page = made.location
    assert "There is no brine in it yet" in client.get(page).text
    event = {"event": str(uuid.uuid4())}
    full = post(f"{page}/make", {**event, "make-water": "20 L", "make-pct": "20"}, page)
    assert full.status_code == 302
    text = client.get(page).text
    assert "<b>20.0</b>" in text and "calcium chloride (dihydrate) more" in text
    far = {"event": str(uuid.uuid4()), "read-by": "baume", "read-value": "14", "read-celsius": "20"}
    asked = post(f"{page}/read", far, page).text
    assert "Stir it well and read once more" in asked and 'value="14"' in asked
    kept = post(f"{page}/read", {**far, "read-word": "much cheese was in it"}, page)
    assert kept.status_code == 302
    text = client.get(page).text
    freshen = re.search(r"<b>([\d.]+) kg of salt</b> freshens it to 20.0 %", text)
    assert freshen and "°Bé" in text and "read today" in text
    salt = {"event": str(uuid.uuid4()), "in-salt": f"{freshen[1]} kg"}
    assert post(f"{page}/in", salt, page).status_code == 302
    assert re.search(r"<b>(20\.0|19\.9)</b>", client.get(page).text)
    for deed in ("strained", "boiled", "floats-high"):
        told = {"deed": deed, "event": str(uuid.uuid4())}
        assert post(f"{page}/tell", told, page).status_code == 302
    assert "Boiled, skimmed, cooled" in client.get(page).text
    poured = {"deed": "discarded", "event": str(uuid.uuid4()), "word": ""}
    assert "why it is poured away" in post(f"{page}/tell", poured, page).text
    told = {**poured, "event": str(uuid.uuid4()), "word": "it smelled"}
    assert post(f"{page}/tell", told, page).status_code == 302
    assert "It was poured away" in client.get(page).text
    assert post(f"{page}/away", {}, page).status_code == 302
    assert "new tub" not in client.get("/press").text


def test_a_slip_at_a_tub_is_taken_back_within_ten_minutes_only(client, post, demo_url):
    page = tub_page(client)
    before = client.get(page).text
    salt = {"event": str(uuid.uuid4()), "in-salt": "900 g"}
    assert post(f"{page}/in", salt, page).status_code == 302
    assert "0.90 kg of salt in" in client.get(page).text
    late = later_at(demo_url, NOW + timedelta(minutes=11))

    undo = {"deed": "undo", "amends": salt["event"], "event": str(uuid.uuid4())}
    token = token_in(late.get(page).text)
    assert "ten minutes" in late.post(f"{page}/tell", data={**undo, "csrf_token": token}).text
    assert post(f"{page}/tell", undo, page).status_code == 302
    again = re.search(r'<p class="big"><b>([\d.]+)</b>', client.get(page).text)[1]
    assert again == re.search(r'<p class="big"><b>([\d.]+)</b>', before)[1]
    double = post(f"{page}/in", salt, page)  # the same tap twice is harmless
    assert double.status_code == 302


@pytest.mark.parametrize(
    ("form", "where", "words"),
    [
        ({"make-water": "900 L", "make-pct": "20"}, "make", "holds"),
        ({"make-water": "", "make-pct": "20"}, "make", "Write this one"),
        ({"make-water": "5 L", "make-pct": "40"}, "make", "then it is full"),
    ],
)
def test_odd_brines_are_refused_by_their_field(client, post, form, where, words):
    tub = {"tub-name": "x", "tub-across": "50 cm", "tub-height": "30 cm", "tub-goal": "20"}
    page = post("/press/tubs", tub, "/press").location
    refused = post(f"{page}/{where}", {"event": str(uuid.uuid4()), **form}, page)
    assert refused.status_code == 200 and words in refused.text
    assert f'value="{form["make-pct"]}"' in refused.text


def test_a_tub_with_cheese_in_it_is_not_put_away_and_twins_are_refused(client, post):
    page = tub_page(client)
    assert "take that out first" in post(f"{page}/away", {}, page).text
    twin = {
        "tub-name": "white tub",
        "tub-across": "900 cm",
        "tub-height": "30 cm",
        "tub-goal": "20",
    }
    refused = post(page, twin, page).text
    assert "measured inside" in refused
    twin["tub-across"] = "50 cm"
    assert "There is a “white tub” already" in post(page, twin, page).text


def test_what_covers_a_cheese_is_worked_out_on_the_tubs_page(client, post):
    page = tub_page(client)
    asked = "cover-pieces=1&cover-across=16 cm&cover-high=8 cm"
    assert "cover it" in client.get(f"{page}/cover?{asked}").text
    less = client.get(f"{page}/cover?{asked}&cover-there=1 L").text
    assert "turn it every" in less and "flammable" in less
    assert "side by side" in client.get(f"{page}/cover?{asked.replace('=1&', '=90&')}").text


# ── gear ──


def gear_page(client, name):
    page = client.get("/dairy/gear").text
    return re.search(rf'href="(/dairy/gear/[^"]+)">(?:(?!</a>).)*?<b>(?:\d × )?{name}', page, re.S)[
        1
    ]


def test_a_press_and_a_mould_are_measured_drawn_and_kept(client, post):
    lever = gear_page(client, "two-lever press")
    page = client.get(lever).text
    assert "12 cm; 48 cm; 0.25 kg" in page and 'class="beam"' in page
    told = {"press-sort": "lever", "press-levers": "15 cm; 75 cm", "press-follower_kg": "2 kg"}
    assert post(lever, told, lever).status_code == 302
    assert client.get(lever).text.count('class="beam"') == 1
    wrong = post(lever, {**told, "press-levers": "75 cm; 15 cm"}, lever).text
    assert "farther to the weight" in wrong and "75 cm; 15 cm" in wrong
    spring = {"press-sort": "spring", "press-marks": "10 mm; 8 kg\n20 mm; 7 kg"}
    assert "further and heavier" in post(lever, spring, lever).text
    mould = gear_page(client, "tall mould")
    sized = {"mould-sort": "pressing", "mould-across": "6 in", "mould-height": "10 cm"}
    assert post(mould, sized, mould).status_code == 302
    assert "15.2 cm" in client.get("/dairy/gear").text
    wide = post(mould, {**sized, "mould-follower": "30 cm"}, mould).text
    assert "fits into its mould" in wide


def test_the_weights_of_the_house_are_listed_and_hung(client, post):
    page = client.get("/dairy/gear").text
    assert "6 × brick" in page and "big jug" in page
    stone = {"weight-name": "anvil", "weight-kg": "30 kg", "weight-count": "1"}
    assert post("/dairy/weights", stone, "/dairy/gear").status_code == 302
    assert "There is a “anvil” already" in post("/dairy/weights", stone, "/dairy/gear").text
    nothing = {"weight-name": "air", "weight-count": "2"}
    assert "Write what it weighs" in post("/dairy/weights", nothing, "/dairy/gear").text
    assert post("/dairy/weights/drop", {"name": "anvil"}, "/dairy/gear").status_code == 302
    assert "anvil" not in client.get("/dairy/gear").text


# ── the clock goes on ──


def test_brine_stands_in_the_days_and_rings_in_the_calendar(client, post, farm):
    days = client.get("/days").text
    assert re.search(r"<b>\d\d:\d\d</b> out of <a[^>]*>grey tub</a>: 19-1 Hatch", days)
    read = icalendar.Calendar.from_ical(client.get("/calendar.ics").data)
    events = {str(each["summary"]): each for each in read.walk("VEVENT")}
    out = next(each for words, each in events.items() if words.startswith("Out of grey tub"))
    turn = next(each for words, each in events.items() if words.startswith("Turn it in grey tub"))
    assert all(list(each.walk("VALARM")) for each in (out, turn))
    assert turn.decoded("dtstart") < out.decoded("dtstart")
    cares = [e for e in events.values() if str(e["uid"]).startswith(("care-", "round-"))]
    assert cares and all(list(each.walk("VALARM")) for each in cares)
    again = icalendar.Calendar.from_ical(client.get("/calendar.ics").data)
    assert {str(e["uid"]) for e in again.walk("VEVENT")} == {
        str(e["uid"]) for e in read.walk("VEVENT")
    }


def test_the_part_for_the_wall_prints_every_stage(client, post, farm):
    here = farm()
    make = here.session.scalar(
        select(Make).where(Make.name == "Threshing Cheddar", Make.state == "under way")
    )
    page = client.get(f"/press/{make.id}/wall").text
    for words in ("Press lightly", "Press a day and a night", "kPa", "in 3 parts", "local law"):
        assert words in page, words
    hatch = here.session.scalar(select(Make).where(Make.name == "Hatch"))
    assert "turn half-way" in client.get(f"/press/{hatch.id}/wall").text


def test_the_station_asks_as_little_of_forty_tubs_as_of_two(app, client, post, farm):

    asked = []
    engine = engine_for(app.extensions["config"].database_url)
    event.listen(engine, "before_cursor_execute", lambda *words: asked.append(words[2]))
    client.get("/press")
    asked.clear()
    client.get("/press")
    first = len(asked)
    here = farm()
    tub = here.tubs[0]
    for number in range(38):
        here.session.add(copy_of(tub, name=f"tub {number}"))
    here.session.commit()
    asked.clear()
    assert client.get("/press").status_code == 200
    assert len(asked) <= first <= 22, "\n".join(asked)


def test_white_cheese_goes_into_the_brine_that_keeps_it_and_stays_there(demo_url, farm):
    here = farm()
    lots = {each.name: each for each in here.free}
    bench = benches.bench_of(here.session, here.dairy, here.free_vats[-1], NOW)
    if bench.state == "poured":
        benches.back_to_plan(here.session, bench)
    benches.clear(here.session, bench)
    bench = benches.bench_of(here.session, here.dairy, here.free_vats[-1], NOW)
    benches.choose_recipe(here.session, bench, "fold-white")
    for name, litres in (("Ewes, this morning", 12.6), ("Goats, this morning", 5.4)):
        benches.set_pour(here.session, bench, lots[name], litres)
    by_id = {each.id: each for each in lots.values()}
    real = {part.id: part.litres for part in bench.pours}
    benches.pour_really(here.session, bench, real, by_id, NOW)
    here.forget()
    made = sheets.start(here, sheets.ask(here, bench_id=bench.id), "to try the page with")
    here.session.commit()
    begins = at_step(farm, made.id, "out")
    at = press_of(farm, made.id, begins)
    count = len(at.pieces_kg)
    assert at.keeping.brine_kg == pytest.approx(0.6 * sum(at.pieces_kg))
    page = later_at(demo_url, NOW + timedelta(minutes=begins))
    text = page.get(f"/vat/{made.id}").text
    assert "Kept in brine" in text and "come to rest at" in text and "white tub" in text
    tub = kept_tub(farm, "white tub", begins)
    before = brine.standing_of(tub)
    told = tapped("in_brine", step="out", tub=str(tub.id), word="they lie on each other")
    assert send(page, f"/vat/{made.id}/tell", told, f"/vat/{made.id}").status_code == 302
    assert "They lie in their tub" in page.get(f"/vat/{made.id}").text
    kg = tuple(at.pieces_kg)
    say(farm, made.id, begins + 2, StepDone(step="out"), Weighed(kg, "as expected"))
    here = farm(begins + 3)
    here.session.expire_all()
    stay = next(each.stay for each in brining(here) if each.make.id == made.id)
    assert stay.keeps and stay.pieces == count and stay.out_at is None and stay.salt_kg == 0
    assert brine.standing_of(kept_tub(farm, "white tub")).salt_kg == pytest.approx(before.salt_kg)
    shown = page.get("/press").text
    assert f"{made.number}-1 to {made.number}-{count} Fold White" in shown
    for piece in here.session.scalars(select(Piece).where(Piece.make_id == made.id)):
        out = Out(where="thrown", why="to try what is left", label=piece.label)
        tell_piece(here, [Telling(piece_id=piece.id, deed=out, id=uuid.uuid4())])
    here.session.commit()
    here.forget()
    assert made.id not in {each.make.id for each in brining(here)}


def test_a_dairy_in_pounds_reads_pounds_ounces_and_psi_first(demo_url, client, post, farm):
    form = client.get("/dairy").text
    told = dict(re.findall(r'name="(dairy-(?!csrf)[\w-]+)"[^>]*value="([^"]*)"', form))
    units = {"dairy-volume_system": "us", "dairy-mass_system": "us", "dairy-degrees": "F"}
    zone = {"dairy-name": "Wrenfold Steading", "dairy-zone": "Europe/Dublin"}
    quiet = {"dairy-quiet_from": "22:30", "dairy-quiet_until": "06:30"}
    assert post("/dairy", {**told, **zone, **quiet, **units}, "/dairy").status_code == 302
    page = client.get("/press").text.split("<main")[1]
    plain = re.sub(r"<[^>]+>", " ", page)
    assert re.search(r"[\d.]+\s+lb", plain) and "US gal" in plain and "°F" in plain
    assert not re.search(r"\d\s*(?:kg|L|°C|cm)\b", plain)
    assert re.search(r"[\d.]+ psi, [\d.]+ kPa", plain)
    tub = client.get(tub_page(client)).text.split("<main")[1]
    assert not re.search(r"\d\s*(?:kg|L|°C|cm)\b", re.sub(r"<[^>]+>", " ", tub))
    event = {"event": str(uuid.uuid4()), "in-salt": "1 lb"}
    page = tub_page(client)
    assert post(f"{page}/in", event, page).status_code == 302
    assert "1.00 lb of salt in" in client.get(page).text


def test_another_dairys_tub_and_gear_are_not_here(client, post):
    for address in (f"/press/tubs/{uuid.uuid4()}", f"/dairy/gear/{uuid.uuid4()}"):
        assert client.get(address).status_code == 404
    nobody = f"/press/tubs/{uuid.uuid4()}/tell"
    told = {"deed": "boiled", "event": str(uuid.uuid4())}
    assert post(nobody, told, "/press").status_code == 404
    page = tub_page(client)
    odd = {"deed": "sung to", "event": str(uuid.uuid4())}
    assert "nothing that is told of a tub" in post(f"{page}/tell", odd, page).text


def test_a_make_told_by_another_device_goes_through_the_same_rules(client, post, farm):
    make, _ = out_of_press(farm)
    token = token_in(client.get("/press").text)

    def batch(*deeds):
        sent = [
            {
                "id": str(uuid.uuid4()),
                "deed": deed,
                "payload": payload,
                "happened": (NOW - timedelta(seconds=1)).isoformat(),
            }
            for deed, payload in deeds
        ]
        body = {"sent": NOW.isoformat(), "device": "tablet", "deeds": sent}
        answer = client.post(f"/makes/{make}/deeds", json=body, headers={"X-CSRFToken": token})
        return answer.json["answers"]

    found = batch(
        ("moulded", {"step": "brine", "count": 1}),
        ("loaded", {"step": "press-light", "load_kg": -4}),
        ("whey_went", {"litres": 2, "to": "the moon"}),
        ("in_brine", {"step": "brine", "tub": str(uuid.uuid4()), "until": "soon"}),
        ("out_of_mould", {"pieces_kg": [900.0]}),
        ("trimmed", {"kg": 0}),
    )
    assert [each["outcome"] for each in found] == ["refused"] * 6
    assert [each["field"] for each in found] == [
        *("step", "load_kg", "to", "until", "weight", "kg")
    ]
    assert all(each["words"] for each in found)
