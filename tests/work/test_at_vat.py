"""A make at the vat, without a page: what stands in it, what is given, how the set goes, what may
be undone; and that every answer of vat and press can be had at every step."""

from datetime import timedelta

import pytest

from openpail.craft.make.deeds import (
    CurdWeighed,
    FirstFlocks,
    SetLooked,
    StepDone,
    WaterAdded,
    WheyOff,
)
from openpail.craft.make.order import set_step
from openpail.records.log import samples
from openpail.records.log.samples import Sampled
from openpail.records.makes import actions as makes
from openpail.work.make.day import running
from openpail.work.make.made import acid_of, standing_of
from openpail.work.plan.wall import wall
from openpail.work.press.at_press import AtPress
from openpail.work.vat.at_vat import AtVat
from tests.conftest import NOW
from tests.support.makes import at_step, begun, say


def vat_of(farm, make, minutes):
    here = farm(minutes)
    here.session.expire_all()
    return AtVat(here, makes.make(here.session, here.dairy, make))


def wall_of(farm, minutes):
    here = farm(minutes)
    return wall(here, running(here))


ANSWERS = [
    (station, name)
    for station in (AtVat, AtPress)
    for name, what in vars(station).items()
    if not name.startswith("_") and not callable(what)
]


@pytest.mark.parametrize(
    ("recipe", "milk"),
    [
        ("threshing-cheddar", "House cows"),
        ("bench-curd", "House cows"),
        ("skillet", "House cows"),
        ("dapple", "House cows"),
        ("gatepost", "House cows"),
        ("slow-skein", "House cows"),
        ("wrenfold-log", "Goats"),
        ("thatch", "Goats"),
        ("drystone", "Ewes"),
        ("tarrow-blue", "Ewes"),
    ],
)
def test_every_answer_of_both_stations_can_be_had_at_every_step(farm, recipe, milk):
    make, minutes = begun(farm, recipe, milk), 0.0
    for step in vat_of(farm, make, 0.0).recipe.steps:
        minutes = at_step(farm, make, step.key, minutes)
        at = vat_of(farm, make, minutes)
        stations = {AtVat: at, AtPress: AtPress(at)}
        for station, name in ANSWERS:
            getattr(stations[station], name)
        assert at.step.planned.step.key == step.key
        assert at.stands_l >= 0


def test_what_stands_in_the_vat_is_the_milk_without_its_whey_and_with_its_water(farm):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "whey-off")
    full = vat_of(farm, make, begins)
    assert full.whey_off_l == pytest.approx(full.recipe.step("whey-off").share * full.litres)
    say(farm, make, begins, WheyOff(full.whey_off_l), StepDone(step="whey-off", word="it was"))
    less = vat_of(farm, make, begins + 1)
    assert less.stands_l == pytest.approx(full.stands_l - full.whey_off_l)
    say(farm, make, begins + 2, WaterAdded(2.5, 60.0))
    assert vat_of(farm, make, begins + 2).stands_l == pytest.approx(less.stands_l + 2.5)
    assert full.level_at(less.stands_l) < full.level_cm


def test_a_dose_by_the_curds_weight_follows_the_scale(farm):
    make = begun(farm, "threshing-cheddar")
    begins = at_step(farm, make, "salt")
    before = vat_of(farm, make, begins)
    assert before.by_curd_weight
    (salt,) = before.additions()
    curd = before.sheet.cheese.value * before.sheet.house.number("yield.curd_before_press")
    say(farm, make, begins, CurdWeighed(1.2 * curd))
    after = vat_of(farm, make, begins + 1)
    assert not after.by_curd_weight
    (more,) = after.additions()
    assert more.dose.value == pytest.approx(1.2 * salt.dose.value)
    assert more.part.value * more.parts == pytest.approx(more.dose.value)


def test_a_set_that_is_never_firm_wants_help_and_late_flocks_are_odd(farm):
    make = begun(farm, "larder-block")
    at = vat_of(farm, make, 0.0)
    setting = set_step(at.recipe)
    flocks = next(step.key for step in at.recipe.steps if "flocks" in step.asks)
    begins = at_step(farm, make, flocks)
    at = vat_of(farm, make, begins)
    late = begins + 4 * at.flocks_due
    assert at.flocks is None and not at.is_setting and at.flocks_due > 0
    say(farm, make, late, FirstFlocks("it was so"))
    seen = vat_of(farm, make, late)
    assert seen.odd_flocks and seen.flocks.seen_min == pytest.approx(4 * at.flocks_due, rel=0.4)
    assert seen.step.planned.step.key == setting and seen.is_setting
    tries = int(seen.sheet.house.number("set.tries"))
    for number in range(tries):
        looked = vat_of(farm, make, late + 60 + number)
        assert (looked.not_firm, looked.wants_help) == (number, False)
        say(farm, make, late + 60 + number, SetLooked("soft"))
    assert vat_of(farm, make, late + 60 + tries).wants_help


def test_an_alarm_of_one_of_two_vats_of_one_cheese_says_which(farm):
    alone = {each.voice for each in wall_of(farm, 0.0)}
    (name,) = {voice.split(":")[0] for voice in alone if voice.startswith("Larder Block")}
    assert name == "Larder Block"
    make = begun(farm, "larder-block")
    number = vat_of(farm, make, 1.0).make.number
    both = {voice.split(":")[0] for each in wall_of(farm, 1.0) if "Larder" in (voice := each.voice)}
    assert len(both) == 2 and f"Larder Block, make {number}" in both


def test_a_tap_may_be_undone_for_ten_minutes(farm):
    make = begun(farm, "larder-block")
    say(farm, make, 5.0, StepDone(step="warm", word="it was warm"))
    (last,) = vat_of(farm, make, 14.9).recent[:1]
    assert last
    assert vat_of(farm, make, 15.1).recent == ()
    assert NOW + timedelta(minutes=5) == vat_of(farm, make, 14.9).standing.done["warm"].at


@pytest.mark.parametrize(
    ("holding", "read_c", "goes_in_c"), [("cold", 31.0, 6.0), ("warm", 29.0, 29.0)]
)
def test_a_warming_begins_at_the_warmth_of_its_own_pail(farm, holding, read_c, goes_in_c):
    here = farm()
    lot = next(lot for lot in here.free if lot.name.startswith("House cows"))
    lot.holding, lot.celsius = holding, read_c
    here.session.commit()
    at = vat_of(farm, begun(farm, "larder-block"), 0.0)
    assert at.step.planned.step.kind == "warm"
    assert at.warmth.start_c == pytest.approx(goes_in_c)
    warm = at.sheet.warm.get("warm")
    assert warm is None or f"from {goes_in_c:.0f} to" in " ".join(e.label for e in warm.because)


@pytest.mark.parametrize(("ph", "says"), [(6.4, "Stop"), (5.2, ""), (None, "No pH was read")])
def test_a_probe_that_reads_the_acid_is_read_by_the_stop_for_slow_acid(farm, ph, says):
    make = begun(farm, "threshing-cheddar")
    begins = at_step(farm, make, "drain")
    minutes = begins + 9 * 60
    here = farm(minutes)
    row = makes.make(here.session, here.dairy, make)
    told = [Sampled(NOW + timedelta(minutes=begins + 5 * n), 33.0, ph) for n in range(9 * 12)]
    told.insert(50, Sampled(told[50].at + timedelta(seconds=30), 33.0, ph and 7.4))  # a spike
    samples.take(here.session, row, samples.PROBE, told)
    here.session.commit()
    here = farm(minutes)
    said = " ".join(each.title for each in vat_of(farm, make, minutes).cautions)
    assert (says in said) if says else ("acid" not in said.lower() and "pH" not in said), said
    assert acid_of(here, row, standing_of(here, row)) is None or says
