"""Figures that decide something, tried on each side of where they decide."""

from dataclasses import replace
from datetime import date, timedelta

import pytest

from openpail.craft.cave.deeds import TastingBegun
from openpail.craft.cave.tasting import tastings
from openpail.craft.cave.warmth import RoomDay, RoomWarmth
from openpail.craft.make import leave
from openpail.craft.make.additions import expected_flocks
from openpail.craft.make.deeds import StepDone
from openpail.craft.make.set_talk import wants_help
from openpail.craft.make.yielded import yielded
from openpail.craft.recipe.recipe import MayLeave
from tests.craft.test_make import LARDER, at, sheet_of, told
from tests.craft.test_tasting import by
from tests.craft.test_tasting import told as tasted
from tests.craft.test_vat_rules import clock_of, day_of, upto
from tests.support import HOUSE

DAY = date(2026, 5, 4)


def test_without_flocks_the_cut_is_the_sheets_own_with_the_rennet_that_went_in():
    sheet = sheet_of()
    line = sheet.line("rennet")
    for share in (1.0, 0.5):
        gave = {} if share == 1 else {"rennet": line.figure.value * share}
        kept = [*upto("rennet"), told(StepDone(step="rennet", gave=gave), 40, "r")]
        day = clock_of(sheet, kept, 41)
        due = expected_flocks(LARDER, sheet, day.standing)
        assert due == pytest.approx(sheet.set.flocculation.value / share)
        cut = (day.cut_at - at(40)) / timedelta(minutes=1)
        assert cut == pytest.approx(sheet.set.cut.value / share)


@pytest.mark.parametrize(("looks", "helps"), [(2, False), (3, True), (4, True)])
def test_a_set_that_was_not_firm_three_times_wants_help(looks, helps):
    assert wants_help(looks, HOUSE) is helps


@pytest.mark.parametrize(
    ("celsius", "paces"), [(12.0, 1.0), (22.0, HOUSE.number("ripen.q10")), (2.0, None)]
)
def test_a_place_ripens_at_the_pace_that_it_was_read_at_lately(celsius, paces):
    read = [RoomDay(DAY - timedelta(days=n), celsius) for n in range(8)]
    pace = RoomWarmth({"cave": read}, HOUSE).lately("cave", DAY, 12.0)
    assert pace == pytest.approx(paces or 1 / HOUSE.number("ripen.q10"), rel=1e-6)
    assert RoomWarmth({"cave": read[:1]}, HOUSE).lately("cave", DAY, 12.0) == 1.0
    old = [each._replace(day=each.day - timedelta(days=60)) for each in read]
    assert RoomWarmth({"cave": old}, HOUSE).lately("cave", DAY, 12.0) == 1.0


@pytest.mark.parametrize(
    ("kind", "minutes"), [("stir", 2.0), ("heat", 3.0), ("warm", 5.0), ("cheddar", 5.0)]
)
def test_what_is_stirred_or_heated_is_left_for_minutes_at_a_time(kind, minutes):
    state = day_of(*upto("ripen"), now=20).current
    step = replace(state.planned.step, kind=kind, leave=None)
    state = replace(state, planned=replace(state.planned, step=step))
    found = leave.may_be_left(state, at(25))
    assert found.at_a_time_min == minutes and f"{minutes:.0f} min" in found.words
    own = replace(step, leave=MayLeave("at a time", 20, "then it mats"))
    state = replace(state, planned=replace(state.planned, step=own))
    assert leave.may_be_left(state, at(25)).at_a_time_min == 20


@pytest.mark.parametrize(
    ("said", "outcome"),
    [
        ({"taste": ""}, "mixed"),
        ({"taste": "", "again": "yes"}, "good"),
        ({"taste": "good"}, "good"),
        ({"taste": "good", "again": "no"}, "poor"),
        ({"taste": "poor"}, "poor"),
    ],
)
def test_a_tasting_is_good_by_a_mark_or_by_a_word_and_never_by_silence(said, outcome):
    deeds = [TastingBegun(("maker",)), by("maker", **said)]
    assert tastings(tasted(*deeds))[0].outcome == outcome


@pytest.mark.parametrize(
    ("share", "words"),
    [
        (1.13, "Much more"),
        (1.11, "A little more"),
        (1.03, "As expected"),
        (0.97, "As expected"),
        (0.95, "A little less"),
        (0.87, "Much less"),
    ],
)
def test_a_weight_is_told_by_how_far_it_is_from_what_was_expected(share, words):
    sheet = sheet_of()
    found = yielded(LARDER, sheet, share * sheet.cheese.value)
    assert found.words.startswith(words) and found.of_expected == pytest.approx(share)
