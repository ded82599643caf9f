"""What happened to milk in its vat stays with it: on the make, on its pieces, on their way out."""

import ast
from inspect import getsource

import pytest

from openpail.craft.make import care, slow_acid
from openpail.craft.make.deeds import ReadingTaken, StepAgain, StepDone
from openpail.craft.marks import MARK_SORTS
from openpail.records.makes import actions as makes
from openpail.work.make.made import standing_of, stops_of
from tests.support.makes import begun, say


def stops(farm, make, minutes):
    here = farm(minutes)
    here.session.expire_all()
    row = makes.make(here.session, here.dairy, make)
    found = stops_of(here, row, standing_of(here, row))
    return {each.key for each in found if each.level == "stop"}


def test_every_stop_that_a_make_can_leave_speaks_against_a_pieces_leaving():
    left = set()
    for module in (care, slow_acid):
        for node in ast.walk(ast.parse(getsource(module))):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "Caution":
                said = {each.arg: getattr(each.value, "value", None) for each in node.keywords}
                left |= {said["key"]} if said["level"] == "stop" else set()
    assert left <= set(MARK_SORTS)


def culture_of(farm, make):
    here = farm()
    steps = makes.sheet_of(makes.make(here.session, here.dairy, make)).recipe["recipe"]["steps"]
    return next(step["key"] for step in steps if "culture" in step.get("adds", ()))


def test_milk_that_was_forgotten_in_the_vat_is_stopped_and_no_culture_lifts_it(farm):
    make = begun(farm, "larder-block")
    culture, nine_days = culture_of(farm, make), 9 * 1440.0
    assert stops(farm, make, 5 * 60) == set()
    assert stops(farm, make, nine_days) == {"stood"}
    warmed = StepDone(step="warm", word="it was forgotten")
    say(farm, make, nine_days, warmed, StepDone(step=culture, word="it was forgotten"))
    assert stops(farm, make, nine_days + 60) == {"stood"}
    anew = [StepAgain(step=culture), StepDone(step=culture, word="once more")]
    say(farm, make, nine_days + 5, *anew)
    assert stops(farm, make, nine_days + 60) == {"stood"}


def test_milk_that_its_readings_show_as_cold_is_not_stopped_and_amended_back_it_is(farm):
    make = begun(farm, "larder-block")
    say(farm, make, 1.0, ReadingTaken(celsius=4.0))
    say(farm, make, 20 * 60, ReadingTaken(celsius=4.0))
    assert stops(farm, make, 20 * 60) == set()
    say(farm, make, 20 * 60 + 30, ReadingTaken(celsius=31.0, note="warmed in the bath"))
    assert stops(farm, make, 21 * 60) == set()
    assert stops(farm, make, 28 * 60) == {"stood"}


@pytest.mark.parametrize("recipe", ["bench-curd", "skillet"])
def test_a_make_without_a_culture_has_its_own_clock(farm, recipe):
    make = begun(farm, recipe)
    assert "stood" not in stops(farm, make, 30 * 60)
