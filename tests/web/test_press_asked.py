"""Press & salt beside everything else: other rinds, other makes, the desk, the stock, the clock."""

import re
import uuid
from datetime import timedelta

import pytest
from sqlalchemy import select

from openpail.craft.doses.notices import notices
from openpail.craft.make import frozen, ramp
from openpail.craft.make.additions import one_part
from openpail.craft.make.deeds import (
    InBrine,
    Moulded,
    OutOfMould,
    StepDone,
    Told,
    Trimmed,
    WheyKept,
)
from openpail.craft.make.slow_acid import AcidReading, limits, slow_acid
from openpail.craft.stock.products import Product
from openpail.records.brine import actions as brine
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.work.make.log import tell
from openpail.work.press.at_press import AtPress
from openpail.work.table import table
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


def test_a_washed_rind_is_asked_before_it_shares_a_brine_with_another(farm):
    make = begun(farm, "gatepost")
    begins = at_step(farm, make, "brine")
    here = farm(begins)
    tub = next(each for each in here.tubs if not each.soft)
    hatch = here.session.scalar(select(Make).where(Make.name == "Hatch", Make.state == "under way"))
    assert hatch.id in {each.id for _, each in here.lying[tub.id]}
    until = (NOW + timedelta(minutes=begins + 300)).isoformat()
    found = told(farm, make, begins, InBrine(step="brine", tub=str(tub.id), until=until))
    assert found.field == "word" and "leaves its own growth" in found.words
    kept = told(
        farm,
        make,
        begins,
        InBrine(step="brine", tub=str(tub.id), until=until, word="the last batch of it"),
    )
    assert kept.outcome == "kept"
    at = AtPress(AtVat(farm(begins), makes.make(here.session, here.dairy, make)))
    assert at.in_tub.tub.id == tub.id and len(here.dairy.name) > 0


def test_a_slab_that_goes_back_into_its_whey_keeps_its_vat(farm):
    here = farm()
    lot = next(each for each in here.free if each.name.startswith("Ewes"))
    assert lot.left_kg > 0
    make = begun(farm, "threshing-cheddar")
    begins = at_step(farm, make, "mould")
    here = farm(begins)
    row = makes.make(here.session, here.dairy, make)
    assert row.station == "press" and row.vat_id in {vat.id for vat in here.free_vats}
    slab = RECIPES["millrace-slab"]
    done = {step.key: ["x", NOW.isoformat()] for step in slab.steps if step.key != "cook"}
    kept = frozen.to_json(sheet_of("millrace-slab"))
    parts = {"station": "press", "frozen": kept, "frozen_version": frozen.VERSION}
    stands = Make(id=uuid.uuid4(), standing={"done": done}, **parts)
    assert makes.holds_vat(stands)  # its whey is hot in it
    cooked = {**done, "cook": ["x", NOW.isoformat()]}
    assert not makes.holds_vat(Make(id=uuid.uuid4(), standing={"done": cooked}, **parts))


def test_what_brine_and_knife_took_is_off_the_weight_that_nobody_took(farm):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "brine")
    here = farm(begins)
    tub = next(each for each in here.tubs if not each.soft)
    kg = makes.sheet_of(makes.make(here.session, here.dairy, make)).cheese.value
    say(farm, make, begins, OutOfMould((kg,), word="as expected"))
    until = (NOW + timedelta(minutes=begins + 600)).isoformat()
    say(farm, make, begins + 1, InBrine(step="brine", tub=str(tub.id), until=until, word="it fits"))
    say(farm, make, begins + 601, StepDone(step="brine"), Trimmed(0.05))
    found = table.expected_pieces(farm(begins + 602), make)
    assert sum(found) < kg - 0.05  # lighter by the trim, and by what the brine drew out
    assert sum(found) > 0.93 * kg


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


def test_moulds_with_another_make_are_counted_as_taken(farm):
    first = begun(farm, "hatch")
    begins = at_step(farm, first, "mould")
    wide = next(each for each in farm(begins).gear if each.name == "wide mould")
    say(
        farm,
        first,
        begins,
        Moulded(step="mould", count=2, mould=f"{wide.id}/1", word="both of them"),
    )
    here = farm(begins)
    lot = next(each for each in here.free if each.name.startswith("Goats, this"))
    assert lot is not None
    second = begun(farm, "thatch", "Goats, this morning")
    later = at_step(farm, second, "mould", begins)
    found = told(farm, second, later, Moulded(step="mould", count=1, mould=f"{wide.id}/1"))
    assert found.field == "word" and "with other makes" in found.words


def test_a_recipe_says_its_days_and_turns_at_the_desk_and_keeps_them(client, post):
    page = post("/recipes/tarrow-blue/change", {}, "/recipes/tarrow-blue")
    desk = client.get(page.location).text
    days = re.search(r'name="[^"]*-days"[^>]*value="(\d+)"', desk)
    turned = re.search(r'name="[^"]*-times"[^>]*value="(\d+)"', desk)
    assert days[1] == "3" and turned[1] == "5"


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
