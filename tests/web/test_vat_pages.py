"""The vat's page: every tap through one form; what it shows at each step; its files."""

import io
import re
import uuid
from datetime import timedelta

import pytest
from PIL import Image
from sqlalchemy import select, text

from openpail.craft.make.deeds import (
    AcidGiven,
    CalledAway,
    CameBack,
    CurdWeighed,
    Felt,
    HeatOff,
    HelpTaken,
    PortionGiven,
    ReadingTaken,
    StepDone,
    TimerSet,
    Told,
    WaterAdded,
    WheyOff,
)
from openpail.records.makes import actions as makes
from openpail.records.makes.models import AcidLesson, Make, MakeFile, OvershootLesson
from openpail.records.pieces.models import Piece
from openpail.records.session import sessions
from openpail.records.stock.models import Bottle, StockMove
from openpail.work.make.day import day_of
from openpail.work.make.log import tell
from openpail.work.make.made import standing_of
from openpail.work.sheet import sheet as sheets
from tests.conftest import NOW
from tests.support import RECIPES
from tests.support.makes import at_step, begun, say, send, tapped
from tests.web.test_make_day import at as later_at
from tests.web.test_make_day import running


def test_a_page_that_stands_open_hears_of_every_deed_and_of_nothing_else(demo_url, client, post):
    make = running(client)
    page = client.get(make).text
    seen = re.search(r'data-version="(\w+)"', page)[1]
    assert client.get(f"{make}/now?v={seen}").status_code == 204
    post(f"{make}/tell", tapped("timer", minutes="12", words="tea towel"), make)
    anew = client.get(f"{make}/now?v={seen}")
    assert anew.status_code == 200 and "tea towel" in anew.text and "<html" not in anew.text
    assert "tea towel" in client.get("/").text  # on Today's wall too
    assert client.get(f"/vat/{uuid.uuid4()}/now").status_code == 404
    timer = re.search(r'name="timer" value="([^"]+)"', anew.text)[1]
    post(f"{make}/tell", tapped("timer_stopped", timer=timer), make)
    assert "Stop the timer" not in client.get(make).text


def test_a_tap_carries_its_own_moment_and_a_fragment_answers_it(client, post, farm):
    make = running(client)
    parts = tapped(
        "reading",
        celsius="31,4",
        happened=(NOW - timedelta(minutes=3, hours=1)).isoformat(),
        sent=(NOW - timedelta(hours=1)).isoformat(),  # the device's clock is an hour slow
    )
    answer = post(f"{make}/tell", parts, make, headers={"X-Fragment": "1"})
    assert answer.status_code == 200 and "<html" not in answer.text
    here = farm()
    kept = standing_of(here, makes.make(here.session, here.dairy, uuid.UUID(make[-36:])))
    assert kept.readings[-1].at == NOW - timedelta(minutes=3)


@pytest.mark.parametrize(
    ("parts", "words"),
    [
        (tapped("reading", celsius="300"), "that cold or that hot"),
        (tapped("reading", ph="wet"), "“wet”"),
        (tapped("reading", acid="7 lemons"), "17 °D, 7.5 °SH or 0.17 %"),
        (tapped("reading", celsius="31", at="25:99"), "Write the time like 06:40"),
        (tapped("timer", minutes="soon"), "“soon”"),
        (tapped("step_done", step="heal"), "First comes"),
        (tapped("step_skipped", step="set", word=""), "why it is left out"),
        (tapped("dance"), "no deed of a make"),
        (tapped("water", litres="4 kg", celsius="60"), "“4 kg” is"),
    ],
)
def test_what_is_not_understood_is_told_and_nothing_typed_is_lost(client, post, parts, words):
    make = running(client)
    answer = post(f"{make}/tell", parts, make)
    assert answer.status_code == 422 and words in answer.text
    typed = [v for k, v in parts.items() if k in ("celsius", "ph", "acid", "minutes") and v]
    if parts["deed"] in ("reading", "timer"):
        assert all(f'value="{each}"' in answer.text for each in typed)


def test_an_acidity_in_any_scale_is_one_acidity(client, post):
    make = running(client)
    for typed in ("17 °D", "17", "0,17 %", "7.5556 SH"):
        post(f"{make}/tell", tapped("reading", acid=typed), make)
    assert client.get(make).text.count("<b>0.170 % acid</b>") == 4


def test_a_ramp_is_coached_in_the_makers_degrees(demo_url, client, post, farm):
    make = begun(farm, "larder-block")
    say(farm, make, 0.5, ReadingTaken(celsius=10.0))
    say(farm, make, 6, ReadingTaken(celsius=34.5))
    page = later_at(demo_url, NOW + timedelta(minutes=6)).get(f"/vat/{make}").text
    assert "Over by 2.5 °C" in page and "cold water" in page
    with sessions(demo_url).begin() as session:
        session.execute(text("update dairy set degrees = 'F', volume_system = 'us'"))
    page = later_at(demo_url, NOW + timedelta(minutes=6)).get(f"/vat/{make}").text
    assert "Over by 4.5 °F" in page and "°C" not in page.split('class="under-stage"')[0]


def test_what_was_really_given_moves_the_stock_the_set_and_the_record(demo_url, client, post, farm):
    make = begun(farm, "larder-block")
    begins = at_step(farm, make, "rennet")
    here = farm(begins)
    row = makes.make(here.session, here.dairy, make)
    line = makes.sheet_of(row).line("rennet")
    lot = here.session.get(Bottle, (here.dairy.id, uuid.UUID(line.lot)))
    before, expected = lot.left, day_of(here, row).steps
    half = line.figure.value / 2
    page = later_at(demo_url, NOW + timedelta(minutes=begins))
    assert "Given otherwise" in page.get(f"/vat/{make}").text

    def tell_it(parts):
        return send(page, f"/vat/{make}/tell", parts, f"/vat/{make}")

    given = tapped("step_done", step="rennet", **{"gave-rennet": f"{half:.3f} mL"})
    asked = tell_it(given)
    assert asked.status_code == 422 and "where the sheet says" in asked.text
    assert (
        tell_it({**given, "event": str(uuid.uuid4()), "word": "the rest was spilt"}).status_code
        == 302
    )
    here = farm(begins)
    here.session.expire_all()
    assert lot.left == pytest.approx(before - half, abs=0.01)
    row = makes.make(here.session, here.dairy, make)
    floc = next(s for s in day_of(here, row).steps if s.planned.step.key == "flocks")
    was = next(s for s in expected if s.planned.step.key == "flocks")
    assert floc.minutes == pytest.approx(
        2 * was.minutes, rel=0.01
    )  # half the rennet, twice as long
    assert "the rest was spilt" in page.get(f"/vat/{make}").text
    done = standing_of(here, row).done["rennet"]
    mend = tapped("amend", amends=done.id, mends="gave", **{"gave-rennet": f"{2 * half:.3f} mL"})
    assert tell_it(mend).status_code == 302
    here.session.expire_all()
    assert lot.left == pytest.approx(before - 2 * half, abs=0.01)


def test_another_bottle_is_told_anew_and_is_the_one_that_goes_down(demo_url, client, post, farm):
    make = begun(farm, "larder-block")
    begins = at_step(farm, make, "rennet")
    here = farm(begins)
    row = makes.make(here.session, here.dairy, make)
    line = makes.sheet_of(row).line("rennet")
    others = [e for e in here.shelf if e.product.kind == "rennet" and str(e.row.id) != line.lot]
    salt = next(e for e in here.shelf if e.product.kind == "salt")
    page = later_at(demo_url, NOW + timedelta(minutes=begins))
    other = others[0]
    told = page.get(f"/vat/{make}/another/rennet?lot={other.row.id}").get_json()
    assert "is not the sheet’s" in told["words"] and "first flocks" in told["words"]
    assert page.get(f"/vat/{make}/another/rennet?lot={salt.row.id}").status_code == 422
    assert page.get(f"/vat/{make}/another/rennet?lot={uuid.uuid4()}").status_code == 404
    before = other.row.left
    amount = float(told["amount"].split()[0])
    deed = StepDone(
        step="rennet",
        gave={"rennet": amount},
        bottles={"rennet": str(other.row.id)},
        word="the other one",
    )
    say(farm, make, begins, deed)
    moves = here.session.scalars(select(StockMove).where(StockMove.make_id == make)).all()
    mine = [each for each in moves if each.step == "rennet"]
    assert [each.bottle_id for each in mine] == [other.row.id]
    if before is not None:
        assert mine[0].amount == pytest.approx(-amount)


def test_parts_and_the_weight_of_the_curd_make_the_salt(demo_url, client, post, farm):
    make = begun(farm, "threshing-cheddar")
    begins = at_step(farm, make, "salt")
    page = later_at(demo_url, NOW + timedelta(minutes=begins))
    text = page.get(f"/vat/{make}").text
    assert "Part 1 of 3 is in" in text and "First weigh the curd" in text
    figure = re.search(r'class="big[^"]*"><b>3 × ([\d.]+)', text)[1]
    here = farm(begins)
    cheese = makes.sheet_of(makes.make(here.session, here.dairy, make)).cheese.value
    say(farm, make, begins, CurdWeighed(2 * cheese))
    text = page.get(f"/vat/{make}").text
    doubled = re.search(r'class="big[^"]*"><b>3 × ([\d.]+)', text)[1]
    # by the curd's own weight: before the press it is 1.12 times the cheese
    assert float(doubled) == pytest.approx(2 / 1.12 * float(figure), rel=0.02)
    say(farm, make, begins, PortionGiven("salt"), PortionGiven("salt"))
    assert "Part 3 of 3 is in" in page.get(f"/vat/{make}").text
    say(farm, make, begins, PortionGiven("salt"))
    assert "Part" not in re.search(r"<h1>(.*?)</h1>", page.get(f"/vat/{make}").text)[1]
    moved = here.session.scalars(select(StockMove).where(StockMove.make_id == make)).all()
    salted = [each.amount for each in moved if each.step == "salt"]
    assert len(salted) == 1 and -salted[0] == pytest.approx(2 / 1.12 * 3 * float(figure), rel=0.02)


def test_a_wash_is_worked_out_with_the_water_as_hot_as_it_is(demo_url, client, farm):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "whey-off")
    page = later_at(demo_url, NOW + timedelta(minutes=begins))
    litres = re.search(r'class="big[^"]*"><b>([\d.]+)</b><span>L', page.get(f"/vat/{make}").text)[1]
    here = farm(begins)
    milk_l = sum(
        p.volume_l
        for p in makes.milk_of(here.session, here.session.get(Make, (here.dairy.id, make)))
    )
    assert float(litres) == pytest.approx(0.33 * milk_l, abs=0.06)
    say(
        farm,
        make,
        begins,
        WheyOff(float(litres)),
        ReadingTaken(celsius=32.5),
        StepDone(step="whey-off"),
    )
    page = later_at(demo_url, NOW + timedelta(minutes=begins + 1))
    text = page.get(f"/vat/{make}").text
    warm = re.search(r'class="big[^"]*"><b>([\d.]+)</b><span>L', text)[1]

    def ask(celsius):
        data = tapped("water", celsius=celsius, only="ask")
        return send(page, f"/vat/{make}/tell", data, f"/vat/{make}").text

    cooler = re.search(r'class="big[^"]*"><b>([\d.]+)</b><span>L', ask("50 °C"))[1]
    assert float(cooler) > float(warm)
    assert "wash bland" in ask("45 °C") and "seals the curd" in ask("90 °C")
    assert "make it hotter, or warm the vat" in ask("38 °C")
    say(farm, make, begins + 1, WaterAdded(float(warm), 60.0))
    assert "of water of 60 °C in" in page.get(f"/vat/{make}").text


def test_hot_milk_takes_its_acid_bit_by_bit_and_teaches_the_next_sheet(demo_url, client, farm):
    make = begun(farm, "bench-curd")
    begins = at_step(farm, make, "acid")
    here = farm(begins)
    row = makes.make(here.session, here.dairy, make)
    dose = makes.sheet_of(row).line("acid").figure.value
    page = later_at(demo_url, NOW + timedelta(minutes=begins))
    assert (
        "is in" in page.get(f"/vat/{make}").text
        and "Clear: enough" in page.get(f"/vat/{make}").text
    )
    say(farm, make, begins, AcidGiven(0.75 * dose), AcidGiven(0.55 * dose))
    say(farm, make, begins + 7, StepDone(step="acid"))
    here.session.expire_all()
    lesson = here.session.scalar(select(AcidLesson).where(AcidLesson.make_id == make))
    assert lesson.used == pytest.approx(1.3 * dose)
    moved = here.session.scalars(select(StockMove).where(StockMove.make_id == make)).all()
    assert -sum(m.amount for m in moved if m.step == "acid") == pytest.approx(1.3 * dose)
    lot = next(
        lot for lot in here.free if lot.name.startswith("House cows") or lot.breed == "cow_lowland"
    )
    next_here = farm(begins + 10)
    asked = sheets.ask(
        next_here, lots=(lot.id,), recipe_key="bench-curd", vat_id=next_here.free_vats[-1].id
    )
    worked = sheets.work_out(next_here, asked)
    line = next(each for each in worked.sheet.lines if each.kind == "acid")
    assert any("1 make taught of acetic acid" in step.label for step in line.figure.because)


def test_heat_off_asks_for_one_reading_that_teaches_the_vat(demo_url, client, farm):
    make = begun(farm, "larder-block")
    say(farm, make, 4, ReadingTaken(celsius=29.0))
    say(farm, make, 5, HeatOff())
    page = later_at(demo_url, NOW + timedelta(minutes=10)).get(f"/vat/{make}").text
    assert "it teaches what this vat goes on by" in page
    say(farm, make, 11, ReadingTaken(celsius=30.4))
    here = farm(11)
    lesson = here.session.scalar(select(OvershootLesson).where(OvershootLesson.make_id == make))
    assert lesson.over_c == pytest.approx(1.4)
    assert (
        "it teaches" not in later_at(demo_url, NOW + timedelta(minutes=12)).get(f"/vat/{make}").text
    )


def test_called_away_shows_what_is_missed_and_coming_back_what_to_do(demo_url, client, farm):
    make = begun(farm, "larder-block")
    stirring = next(step.key for step in RECIPES["larder-block"].steps if step.kind == "stir")
    begins = at_step(farm, make, stirring)
    say(farm, make, begins, CalledAway())
    page = later_at(demo_url, NOW + timedelta(minutes=begins + 25))
    assert "Nobody is at the vat" in page.get(f"/vat/{make}").text
    say(farm, make, begins + 25, CameBack())
    text = page.get(f"/vat/{make}").text
    assert "Back after 25 min" in text and "break it up" in text
    helped = page.get(f"/vat/{make}/help?sign=mats&answer=0").text
    assert "nobody was at the vat for 25 min" in helped and "This was it" in helped


def test_help_leads_with_the_signs_of_this_step_and_keeps_what_was_chosen(client, post):
    make = running(client)
    page = client.get(f"{make}/help").text
    assert page.index("It does not set") < page.index("At other steps") < page.index("no_knit")
    answer = client.get(f"{make}/help?sign=no_set&answer=1").text
    assert "Now:" in answer and "Next time:" in answer
    post(f"{make}/tell", tapped("help", sign="no_set", cause="early"), make)
    assert "Taken for it" in client.get(f"{make}/help?sign=no_set&answer=1").text
    assert (
        post(f"{make}/tell", tapped("help", sign="no_set", cause="moonlight"), make).status_code
        == 422
    )
    assert client.get(f"{make}/help?sign=moonlight&answer=99").status_code == 200


def test_lists_stand_before_and_after_and_are_ticked_off(demo_url, client, post, farm):
    make = f"/vat/{begun(farm, 'bench-curd')}"
    page = client.get(make).text
    assert "Before the milk goes in" in page and "Head room in the vat" in page
    assert "A place to ripen: fridge" in page and "is full on" not in page
    with sessions(demo_url).begin() as session:
        session.execute(text("update room set holds = 1, width_cm = 0"))
    assert "is full on" in client.get(make).text
    post(f"{make}/tell", tapped("ticked", key="vat", counter="1"), make)
    left = [int(n) for n in re.findall(r"(\d+) to set out", page + client.get(make).text)]
    assert left[1] == left[0] - 1
    post(f"{make}/tell", tapped("ticked", key="vat", off="y", counter="2"), make)
    assert f"{left[0]} to set out" in client.get(make).text
    begins = at_step(farm, uuid.UUID(make[-36:]), "weigh")
    say(farm, uuid.UUID(make[-36:]), begins + 20, StepDone(step="weigh"))
    ended = later_at(demo_url, NOW + timedelta(minutes=begins + 21)).get(make).text
    assert "Before it sets like cement" in ended and "What went otherwise" in ended


def photo_with_a_place():
    image = Image.new("RGB", (2600, 60), "white")
    exif = image.getexif()
    exif[0x0110] = "A phone of Tarrowdale"
    exif[0x8825] = {1: "N", 2: (53.0, 20.0, 0.0)}
    held = io.BytesIO()
    image.save(held, "JPEG", exif=exif)
    return held.getvalue()


def test_a_photo_is_kept_without_where_it_was_taken_and_what_is_none_is_refused(client, post, farm):
    make = running(client)

    def send(data, name="note"):
        form = {"event": str(uuid.uuid4()), "step": "set", "file": (io.BytesIO(data), name)}
        return post(f"{make}/file", form, make, content_type="multipart/form-data")

    assert b"Tarrowdale" in photo_with_a_place()
    assert send(photo_with_a_place()).status_code == 302
    kept = farm().session.scalar(select(MakeFile).where(MakeFile.sort == "photo"))
    page = client.get(make).text
    assert f"/file/{kept.id}" in page
    answer = client.get(f"{make}/file/{kept.id}")
    assert answer.mimetype == "image/jpeg" and b"Tarrowdale" not in answer.data
    with Image.open(io.BytesIO(answer.data)) as stored:
        assert not dict(stored.getexif()) and max(stored.size) == 2000
    assert send(b"\x1aE\xdf\xa3" + b"opus" * 40).status_code == 302
    assert "<audio" in client.get(make).text
    for data, words in (
        (b"<svg onload=alert(1)>", "no picture or sound"),
        (b"", "nothing in this file"),
        (b"OggS" + b"x" * 90, "no sound that can be read"),
        (b"\x1aE\xdf\xa3" + b"\x12T\xc3g" + b"x" * 90, "names and places"),
        (b"\xff\xd8" + b"x" * (5 * 1024 * 1024), "At most 5 MB"),
    ):
        refused = send(data)
        assert refused.status_code == 422 and words in refused.text, words
    assert client.get(f"{make}/file/{uuid.uuid4()}").status_code == 404
    other = re.sub(r".{4}$", "0000", make)
    assert client.get(f"{other}/file/{kept.id}").status_code == 404


def test_a_file_of_another_make_is_no_sign_of_this_one(client, post, farm):
    make = uuid.UUID(running(client)[-36:])
    here = farm()
    deed = Felt(step="set", file=str(uuid.uuid4()), file_sort="photo")
    with pytest.raises(LookupError):
        tell(here, make, [Told(id=str(uuid.uuid4()), deed=deed, happened=NOW)])


def test_signs_are_kept_and_stand_beside_the_next_make_of_the_same_cheese(demo_url, client, farm):
    make = begun(farm, "larder-block")
    cut = at_step(farm, make, "cut")
    page = later_at(demo_url, NOW + timedelta(minutes=cut))
    text = page.get(f"/vat/{make}").text
    assert "clear, yellow-green" in text and "where the recipe wants it" in text
    say(farm, make, cut, Felt(step="cut", of="whey", sign="cloudy", note="a little early"))
    text = page.get(f"/vat/{make}").text
    assert "cloudy: a little early" in text and 'aria-pressed="true"' in text
    assert "The last makes had here" in text


def test_the_meter_and_the_thermometer_are_tried_and_told(client, post):
    page = client.get("/dairy/instruments").text
    assert "Not set today" in page and "Not tried within 30 days" in page
    refused = post("/dairy/instruments/meter", {"slope": "3"}, "/dairy/instruments")
    assert "between 50 and 110" in refused.text and 'value="3"' in refused.text
    post("/dairy/instruments/meter", {"slope": "88"}, "/dairy/instruments")
    page = client.get("/dairy/instruments").text
    assert "Set on its buffers today" in page and "off: do not trust it" in page
    tried = {"ice": "0.1", "boiling": "99", "altitude": "300"}
    post("/dairy/instruments/thermometer", tried, "/dairy/instruments")
    assert "Tried within 30 days, and true" in client.get("/dairy/instruments").text
    wrong = post(
        "/dairy/instruments/thermometer", {**tried, "altitude": "90000"}, "/dairy/instruments"
    )
    assert "0 to 5 000 m" in wrong.text and 'value="90000"' in wrong.text


def test_a_step_and_an_amount_are_mended_with_their_time(demo_url, client, farm):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "whey-off")
    say(farm, make, begins, WheyOff(3.0))
    page = later_at(demo_url, NOW + timedelta(minutes=begins + 2))
    shown = page.get(f"/vat/{make}").text
    line = re.search(r"of whey off</span>.*?</form>", shown, re.S)[0]
    amends = re.search(r'name="amends" value="([^"]+)"', line)[1]
    parts = tapped("amend", amends=amends, mends="litres", litres="2,5 L")
    assert send(page, f"/vat/{make}/tell", parts, f"/vat/{make}").status_code == 302
    assert "2.5 L of whey off" in page.get(f"/vat/{make}").text
    cut = re.search(r"Cut to 8 mm: done.*?</form>", shown, re.S)[0]
    amends = re.search(r'name="amends" value="([^"]+)"', cut)[1]
    earlier = (NOW + timedelta(minutes=begins - 20)).astimezone(farm().zone)
    parts = tapped("amend", amends=amends, mends="word", word="cut early", at=f"{earlier:%H:%M}")
    assert send(page, f"/vat/{make}/tell", parts, f"/vat/{make}").status_code == 302
    here = farm(begins + 2)
    kept = standing_of(here, makes.make(here.session, here.dairy, make)).done["cut"]
    assert f"{kept.at.astimezone(here.zone):%H:%M}" == f"{earlier:%H:%M}"
    assert "cut early" in page.get(f"/vat/{make}").text


def test_a_reading_outside_its_band_is_said_at_once_and_the_meter_is_asked_for(
    demo_url, client, farm
):
    make = begun(farm, "larder-block")
    begins = at_step(farm, make, "ripen")
    say(farm, make, begins + 1, ReadingTaken(celsius=24.0, ph=6.0, note="by the window"))
    shown = later_at(demo_url, NOW + timedelta(minutes=begins + 1)).get(f"/vat/{make}").text
    assert "24.0 °C, and" in shown and "Bring it up slowly" in shown
    assert "sours faster than it dries" in shown and "was not set today" in shown
    stirring = next(step.key for step in RECIPES["larder-block"].steps if step.kind == "stir")
    begins = at_step(farm, make, stirring, begins + 2)
    shown = later_at(demo_url, NOW + timedelta(minutes=begins + 1)).get(f"/vat/{make}").text
    assert "One round of the spoon in about" in shown
    assert shown.count("Undo the last tap") == 1


def test_slabs_are_turned_by_a_clock_that_each_turn_sets_anew(demo_url, client, farm):
    make = begun(farm, "threshing-cheddar")
    begins = at_step(farm, make, "cheddar")
    page = later_at(demo_url, NOW + timedelta(minutes=begins + 1))
    assert "Stacked: turn in 15 min" in page.get(f"/vat/{make}").text
    say(farm, make, begins + 1, TimerSet(15.0, "Turn and stack the slabs"))  # a clock of their own
    for turns in (1, 2, 3):
        turned = tapped("timer", minutes="15.0", words="as I call it", slabs="y")
        send(page, f"/vat/{make}/tell", turned, f"/vat/{make}")
        assert f"turned {turns} times" in page.get(f"/vat/{make}").text


def test_coliforms_hold_the_weighing_and_stay_on_the_piece(demo_url, client, farm):
    make = begun(farm, "bench-curd")
    begins = at_step(farm, make, "hang")
    say(farm, make, begins, HelpTaken("gas", "coliform_gas"))
    begins = at_step(farm, make, "weigh", begins)
    page = later_at(demo_url, NOW + timedelta(minutes=begins))
    assert "Stop: gas of dirty milk" in page.get(f"/vat/{make}").text
    weights = {"event": str(uuid.uuid4()), "weights": "1.1 kg"}
    asked = send(page, f"/table/{make}", weights, f"/table/{make}")
    assert "coliforms" in asked.text and "write why" in asked.text
    weights |= {"event": str(uuid.uuid4()), "word": "kept apart for the test"}
    assert send(page, f"/table/{make}", weights, f"/table/{make}").status_code == 302
    piece = farm().session.scalar(select(Piece).where(Piece.make_id == make))
    address = f"/cave/{piece.id}"
    assert "kept apart for the test" in page.get(address).text
    for where in ("sold", "given", "eaten"):
        out = {"event": str(uuid.uuid4()), "where": where, "to": "Mill Inn", "kg": "", "why": ""}
        held = send(page, f"{address}/out", {**out, "label": piece.label}, address)
        assert held.status_code != 302 and "Gas of dirty milk" in held.text
    label = page.get("/cave/labels.svg", query_string={"ids": piece.id}).text
    assert "GAS OF DIRTY MILK" in label


# ── taps that waited for the network ──


def deliver(client, make, *taps, sent=NOW):
    """What a device delivers: its forms as they were filled in, and its own clock."""
    body = {"sent": sent.isoformat(), "device": "phone", "taps": list(taps)}
    token = re.search(r'name="csrf_token" value="([^"]+)"', client.get(make).text)[1]
    address = f"/makes/{make.rsplit('/', 1)[1]}/taps"
    return client.post(address, json=body, headers={"X-CSRFToken": token})


def waited(deed, at_min, counter, **parts):
    happened = (NOW + timedelta(minutes=at_min)).isoformat()
    return tapped(deed, happened=happened, counter=str(counter), **parts)


def test_taps_that_waited_are_read_as_forms_told_once_and_answered_one_by_one(client, post):
    make = running(client)
    taps = [
        waited("reading", -9, 1, celsius="86 F"),
        waited("reading", -6, 2, celsius="hot"),
        waited("set_looked", -3, 3, look="soft"),
        waited("timer", -1, 4, minutes="1 h 20", words="cloth"),
        waited("sing", -1, 5),
    ]
    answers = deliver(client, make, *taps).get_json()["answers"]
    assert [each["outcome"] for each in answers] == ["kept", "refused", "kept", "kept", "refused"]
    assert answers[1]["field"] == "celsius" and "hot" in answers[1]["words"]
    assert [each["id"] for each in answers] == [each["event"] for each in taps]
    page = client.get(make).text
    assert "30.0 °C" in page and "10:21" in page and "cloth" in page
    again = deliver(client, make, *taps[::-1]).get_json()["answers"]
    assert [each["outcome"] for each in again] == ["refused", *["repeat"] * 2, "refused", "repeat"]
    assert client.get(make).text.count("10:21</span>") == page.count("10:21</span>")


def test_a_clock_that_is_off_is_taken_off_what_waited_and_rubbish_is_refused(client, post):
    make = running(client)
    slow = NOW - timedelta(days=3)  # its battery was empty
    tap = waited("reading", -3 * 1440 - 20, 1, ph="6.31")
    assert deliver(client, make, tap, sent=slow).get_json()["answers"][0]["outcome"] == "kept"
    assert "<b>6.31</b> read at 10:10" in client.get(make).text
    for body in ({"taps": "all"}, {"taps": [1]}, []):
        token = re.search(r'name="csrf_token" value="([^"]+)"', client.get(make).text)[1]
        address = f"/makes/{make.rsplit('/', 1)[1]}/taps"
        assert client.post(address, json=body, headers={"X-CSRFToken": token}).status_code == 400


def test_what_one_device_counted_is_told_in_its_order_though_its_clock_went_back(client, post):
    make = running(client)
    taps = [
        waited("set_looked", -3, 1, look="clean"),
        waited("step_done", -4, 2, step="cut", word="the clock went back"),
        waited("step_done", -5, 3, step="heal", word="the clock went back"),
    ]
    answers = deliver(client, make, *taps[::-1]).get_json()["answers"]
    assert [(each["outcome"], each["words"]) for each in answers] == [("kept", "")] * 3


def test_a_page_brings_the_steps_to_come_with_what_they_give(client, post, farm):
    page = client.get(f"/vat/{begun(farm, 'larder-block')}").text
    ahead = re.findall(r'<template data-step="([\w-]+)" data-minutes="([\d.]+)"', page)
    keys = [key for key, _ in ahead]
    assert keys[0] == "culture" and "warm" not in keys and keys.index("rennet") < keys.index("cut")
    assert "data-gives-rennet" in page and re.search(
        r'data-cut-by="\[\[1, [\d.]+, &#34;First flocks after 1 min', page
    )
    assert client.get("/sw.js").headers["Cache-Control"] == "no-cache"


def test_a_photo_that_comes_twice_is_kept_once(client, post, farm):
    make = running(client)
    picture = photo_with_a_place()
    sent = tapped("", step="set", note="whey")
    for _ in range(2):
        files = {**sent, "file": (io.BytesIO(picture), "whey.jpg")}
        assert post(f"{make}/file", files, make).status_code == 302
    here = farm()
    kept = here.session.scalars(select(MakeFile)).all()
    assert len([each for each in kept if str(each.make_id) in make]) == 1
