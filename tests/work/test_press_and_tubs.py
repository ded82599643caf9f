"""Presses, tubs and rinds, without a page: what stands on what, and what is taken back."""

import uuid
from datetime import datetime, timedelta

from sqlalchemy import select

from openpail.craft.make.deeds import (
    Amended,
    InBrine,
    Loaded,
    Moulded,
    OutOfMould,
    StepAgain,
    StepDone,
    Told,
    Undone,
    Weighed,
)
from openpail.demo.load import ready
from openpail.records.brine import actions as brine
from openpail.records.brine.models import Brining
from openpail.records.dairy.models import Dairy
from openpail.records.makes import actions as makes
from openpail.records.session import sessions
from openpail.work.cave.ripening import live
from openpail.work.here import Here
from openpail.work.make.log import tell
from openpail.work.make.made import standing_of
from openpail.work.press.at_press import AtPress
from openpail.work.press.brining import lying as brining
from openpail.work.vat.at_vat import AtVat
from tests.conftest import NOW
from tests.support.makes import at_step, begun, say


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


def test_a_press_that_stands_on_another_cheese_is_asked_and_moulds_that_are_not_there(farm):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "mould")
    tall = next(each for each in farm(begins).gear if each.name == "tall mould")
    found, _ = answer(farm, make, begins, Moulded(step="mould", count=7, mould=f"{tall.id}/1"))
    assert found.field == "word" and "and 2 are there" in found.words
    say(farm, make, begins, Moulded(step="mould", count=1, mould=f"{tall.id}/1"))
    lever = next(key for key, name in farm(begins).names.items() if name == "two-lever press")
    stack = next(key for key, name in farm(begins).names.items() if name == "brick-and-jug press")
    load = press_of(farm, make, begins).pressing.load.value
    found, _ = answer(farm, make, begins, Loaded(step="press-light", load_kg=load, press=lever))
    assert found.field == "word" and "stands on Threshing Cheddar" in found.words
    found, _ = answer(farm, make, begins, Loaded(step="press-light", load_kg=9 * load, press=stack))
    assert found.field == "word" and "right for this mould" in found.words
    say(farm, make, begins, Loaded(step="press-light", load_kg=load, press=stack))


def test_a_stage_is_repeated_while_the_rind_is_open(farm):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "turn")
    say(farm, make, begins + 1, StepAgain("press-light"))
    at = press_of(farm, make, begins + 1)
    assert at.step.key == "press-light" and at.at.step.times == 2 and not at.is_loaded
    say(farm, make, begins + 2, Loaded(step="press-light", load_kg=None, press=""))
    say(farm, make, begins + 30, StepDone(step="press-light"))
    assert press_of(farm, make, begins + 30).step.key == "turn"


def test_a_brining_that_is_taken_back_leaves_the_tub_as_it_was(farm):
    make, begins = out_of_press(farm)
    tub = kept_tub(farm, minutes=begins)
    before = brine.standing_of(tub)
    until = (NOW + timedelta(minutes=begins + 600)).isoformat()
    _, key = answer(farm, make, begins, InBrine(step="brine", tub=str(tub.id), until=until))
    found, _ = answer(farm, make, begins + 2, Undone(), key)
    assert found.outcome == "kept"
    here = farm(begins + 3)
    assert here.session.scalar(select(Brining).where(Brining.make_id == make)) is None
    assert brine.standing_of(kept_tub(farm)) == before


def test_the_rinds_salt_stands_on_the_days_after_with_its_grams_and_follows_the_weight(farm):
    make, begins = out_of_press(farm, "tarrow-blue", "Ewes")
    say(farm, make, begins, OutOfMould((1.0,), word="a small hoop"), StepDone(step="salt"))
    say(farm, make, begins + 1, StepDone(step="out"), Weighed((1.0,), "a small hoop"))
    here = farm(begins + 2)

    def salted(here):
        mine = [each for each in live(here, here.ahead(9)) if each.row.make_id == make]
        return [care for care in mine[0].plan.cares if care.kind == "salt"]

    first, second = salted(here)
    assert "12 g" in first.words and "12 g" in second.words
    assert (second.due - first.due).days == 1
    weighed = standing_of(here, makes.make(here.session, here.dairy, make)).weighed

    found, _ = answer(farm, make, begins + 30, Amended({"pieces_kg": [2.0]}), weighed.id)
    assert found.outcome == "kept"
    here = farm(begins + 31)
    here.session.expire_all()
    assert all("24 g" in each.words for each in salted(here))


def test_the_vat_is_free_once_the_curd_is_in_its_moulds(farm):
    here = farm()
    names = {vat.name for vat in here.free_vats}
    assert "jacketed vat" in names and "water-bath kettle" not in names


def test_a_demo_of_another_day_moves_what_lies_in_brine_with_it(demo_url):

    assert "moved 3 days on" in ready(demo_url, NOW + timedelta(days=3))
    with sessions(demo_url)() as session:
        here = Here(session, session.scalar(select(Dairy)), NOW + timedelta(days=3))
        stay = brining(here)[0].stay
        assert stay.in_at < here.now < stay.until
        told = standing_of(here, brining(here)[0].make).in_brine("brine")
        assert datetime.fromisoformat(told.until) == stay.until
