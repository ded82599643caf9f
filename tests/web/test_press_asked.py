"""Press & salt beside everything else: other rinds, other makes, the desk, the stock, the clock."""

import re
import uuid
from datetime import timedelta

import pytest

from openpail.craft.doses.notices import notices
from openpail.craft.make import ramp
from openpail.craft.make.additions import one_part
from openpail.craft.make.deeds import (
    InBrine,
    StepDone,
    Told,
    WheyKept,
)
from openpail.craft.make.slow_acid import AcidReading, limits, slow_acid
from openpail.craft.stock.products import Product
from openpail.records.brine import actions as brine
from openpail.records.makes import actions as makes
from openpail.work.make.log import tell
from openpail.work.press.at_press import AtPress
from openpail.work.vat.at_vat import AtVat
from tests.conftest import NOW
from tests.craft.test_make import sheet_of
from tests.support import HOUSE, RECIPES
from tests.support.makes import at_step, begun, say
from tests.web.test_make_day import at as later_at


def told(farm, make, minutes, deed):
    here = farm(minutes)
    moment = NOW + timedelta(minutes=minutes)
    found = tell(here, make, [Told(id=str(uuid.uuid4()), deed=deed, happened=moment)])[0]
    here.session.commit()
    return found


def test_whey_that_was_kept_is_in_the_book_of_the_whey(farm, demo_url, client, post):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "press-light")
    say(farm, make, begins, WheyKept(3.0))
    here = farm(begins)
    at = AtPress(AtVat(here, makes.make(here.session, here.dairy, make)))
    assert at.whey.kept_l == 3.0
    assert at.whey.left_l == pytest.approx(at.whey.ran_l - 3.0)
    page = later_at(demo_url, NOW + timedelta(minutes=begins)).get(f"/vat/{make}").text
    assert re.search(r"3\.0+ L\s+on the shelf", page) and "left</b>" in page


def test_a_recipe_says_its_days_and_turns_at_the_desk_and_keeps_them(client, post):
    page = post("/recipes/tarrow-blue/change", {}, "/recipes/tarrow-blue")
    desk = client.get(page.location).text
    days = re.search(r'name="[^"]*-days"[^>]*value="(\d+)"', desk)
    turned = re.search(r'name="[^"]*-times"[^>]*value="([^"]+)"', desk)
    assert days[1] == "3" and turned[1] == "10, 20, 40, 80, 150"


def test_the_first_day_of_a_rind_gets_its_part_and_no_more():
    sheet = sheet_of("tarrow-blue")
    line = sheet.line("salt")
    part, parts = one_part(line.figure, RECIPES["tarrow-blue"], "salt")
    assert parts == 1 and part.value == pytest.approx(line.figure.value / 3)


def test_salt_with_iodine_is_said_and_salt_without_is_not():
    bad = Product(kind="salt", name="table salt", sort="iodised", form="powder")
    found = notices(bad, None, NOW.date(), left=None, bought=None, usual=None, house=HOUSE)
    assert [each.grave for each in found] == ["caution"] and "Iodine" in found[0].words
    good = Product(kind="salt", name="coarse salt", sort="coarse", form="powder")
    assert notices(good, None, NOW.date(), left=None, bought=None, usual=None, house=HOUSE) == ()


def test_acid_that_came_early_is_not_asked_for_again_and_acid_that_did_not_is():
    recipe = RECIPES["threshing-cheddar"]
    limit = limits(recipe, HOUSE)[-1]
    early = [AcidReading(limit.ph - 0.2, limit.hours - 3)]
    assert slow_acid(recipe, early, HOUSE, limit.hours + 1) is None
    sweet = [AcidReading(limit.ph + 0.2, limit.hours - 3)]
    assert slow_acid(recipe, sweet, HOUSE, limit.hours + 1).key == "acid-unread"
    assert slow_acid(recipe, [], HOUSE, limit.hours + 1).key == "acid-unread"


def test_milk_colder_than_it_began_is_behind_and_not_by_nothing():
    now = ramp.WarmingNow(
        start_c=7.0,
        target_c=31.0,
        minutes=40.0,
        now_min=1.0,
        read=[(0.0, 2.0)],
        heat_off_min=None,
        overshoot_c=1.5,
        curd=False,
    )
    said = ramp.coach(now, HOUSE)
    assert said.way == "slow" and said.ahead_min < 0 and "-0" not in said.words


def test_the_house_way_decides_which_school_tells_the_hours(farm, demo_url, client, post):
    from_page = client.get("/dairy/ways").text
    names = set(re.findall(r'name="(ways-[\w]+)"', from_page))
    chosen = dict(re.findall(r'name="(ways-[\w]+)"[^>]*value="([^"]+)"[^>]*checked', from_page))
    chosen |= dict(re.findall(r'checked[^>]*name="(ways-[\w]+)"[^>]*value="([^"]+)"', from_page))
    assert "ways-brining" in names and chosen["ways-brining"] == "weight"
    chosen["ways-brining"] = "faces"
    assert post("/dairy/ways", chosen, "/dairy/ways").status_code == 302
    farm().session.expire_all()
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "brine")
    here = farm(begins)
    at = AtPress(AtVat(here, makes.make(here.session, here.dairy, make)))
    plan = at.tub_choices[0].plan
    assert plan.by_faces and plan.hours == plan.schools.by_faces.hours
    page = later_at(demo_url, NOW + timedelta(minutes=begins)).get(f"/vat/{make}").text
    chosen_row = page.split('class="is-chosen"')[1].split("</tr>")[0]
    assert "its faces" in chosen_row
    say(
        farm,
        make,
        begins,
        InBrine(step="brine", tub=str(at.tub_choices[0].tub.id), until="", word="no end yet"),
    )
    here = farm(begins)
    here.session.expire_all()
    lies = AtPress(AtVat(here, makes.make(here.session, here.dairy, make))).in_tub
    assert lies.stay.until is None and lies.plan.by_faces
    say(farm, make, begins + 60 * plan.hours.value, StepDone(step="brine"))
    here = farm(begins + 60 * plan.hours.value)
    here.session.expire_all()
    stay = next(e for e in brine.of_make(here.session, makes.make(here.session, here.dairy, make)))
    assert 100 * stay.salt_kg / stay.kg == pytest.approx(plan.salt_pct, rel=0.02)


def test_a_reader_sees_the_press_and_the_tubs_and_no_form(app, client, post):
    assert client.get(f"/press/{uuid.uuid4()}/wall").status_code == 404
    page = client.get("/press").text
    tub = re.search(r'href="(/press/tubs/[^"]+)"', page)[1]
    assert "Keep the reading" in client.get(tub).text and "Add the tub" in page
    nobody = app.test_client()
    for address in ("/press", tub, f"{tub}/cover", "/dairy/gear"):
        assert nobody.get(address).status_code == 302, address  # to the door
    for name in ("read", "in", "tell", "make", "away"):
        sent = nobody.post(f"{tub}/{name}", data={"deed": "boiled"})
        assert sent.status_code in (302, 400), name
    assert client.get(tub).text.count("Boiled, skimmed, cooled") == 2  # the tap and the log
