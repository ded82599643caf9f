"""The demo farm's year: makes of all families, what went wrong in it, and the same each time."""

from datetime import timedelta
from random import Random

import pytest

from openpail.craft.cave.deeds import MovedTo
from openpail.demo import year
from openpail.demo.load import under_way
from openpail.records.dairy import actions as dairies
from openpail.records.log import actions as log
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.records.pieces import actions as pieces
from openpail.work.here import Here
from openpail.work.logbook.book import page_of
from openpail.work.make.day import day_of
from openpail.work.make.made import recipe_of
from openpail.work.table import tasting
from tests.conftest import NOW
from tests.support import RECIPES


def free_vats(farm):
    """One vat for all, that no make of the demo stands in."""
    here = farm()
    free = dairies.add_vat(here.session, here.dairy, "tin bath", 60.0, 40.0)
    return dict.fromkeys(("stove pot", "water-bath kettle", "jacketed vat"), free)


@pytest.mark.parametrize("weeks", [0, 13, 26, 39])
def test_whenever_the_demo_is_started_its_year_has_all_families_and_its_mishaps(weeks):
    now = NOW + timedelta(weeks=weeks)
    made = list(year.makes_of(now))
    assert 70 <= len(made) <= 100
    assert [each.days_ago for each in made] == sorted((e.days_ago for e in made), reverse=True)
    families = {RECIPES[each.recipe].family for each in made}
    without = {recipe.family for recipe in RECIPES.values()} - families
    assert without <= {"whey"}, without  # whey comes of a make, not of a milking
    mishaps = sorted(each.mishap for each in made if each.mishap)
    assert mishaps == ["early", "hot", "old", "turned"]
    assert {made[number].recipe for number in year._WHEY_KEPT} == {"larder-block"}
    ewes = {each.days_ago for each in made if RECIPES[each.recipe].reference[0].breed == "sheep"}
    months = {(now - timedelta(days=back)).month for back in ewes}
    assert months <= set(year._in_milk("sheep"))
    assert made == list(year.makes_of(now))


@pytest.mark.parametrize(("mishap", "days_ago"), [("old", 220), ("hot", 210)])
def test_a_make_of_the_year_is_lived_through_to_its_last_piece(farm, mishap, days_ago):
    here, vats = farm(), free_vats(farm)
    each = year.YearMake(days_ago, "larder-block", mishap)
    make = year.one(
        here.session,
        here.dairy,
        vats,
        recipe=RECIPES["larder-block"],
        each=each,
        chance=Random(3),
        now=NOW,
    )
    here.session.flush()
    page = page_of(farm(), make.id)
    laid = pieces.of_make(here.session, make)
    assert page.at.standing.weighed and laid
    assert all(row.ended_at for row in laid)  # sold, or eaten, long ago
    assert {out.kind for _, out in page.went} <= {"sold", "eaten"}
    assert page.rested.stays and page.rested.cares
    read = [e.celsius for e in page.at.standing.readings if e.celsius is not None]
    if mishap == "hot":
        assert any("ran hot" in e.note for e in page.at.standing.readings)
        assert max(read) > 40
    else:
        share = page.at.standing.flocks_min / page.at.sheet.set.flocculation.value
        assert share == pytest.approx(1.5, abs=0.1)
    (told,) = tasting.of_pieces(here, [laid[0].id])[laid[0].id]
    assert told.outcome in ("mixed", "poor")


def test_a_bloomy_cheese_left_its_first_place_too_early_and_says_so(farm):
    here, vats = farm(), free_vats(farm)
    each = year.YearMake(150, "dapple", "early")
    make = year.one(
        here.session,
        here.dairy,
        vats,
        recipe=RECIPES["dapple"],
        each=each,
        chance=Random(3),
        now=NOW,
    )
    (first, *_) = pieces.of_make(here.session, make)
    told = map(pieces.as_told, log.rows(here.session, here.dairy.id, first.id))
    moves = [each for each in told if isinstance(each.deed, MovedTo)]
    assert "before its coat" in moves[0].deed.word
    assert here.day_of(moves[0].at) - first.made_on < timedelta(days=5)
    told = tasting.of_pieces(here, [first.id])[first.id]
    assert any("too early" in taste.words for each in told for taste in each.tastes)


def test_whey_that_ran_off_goes_into_the_second_pot_while_it_is_sweet(farm):
    here, vats = farm(), free_vats(farm)
    each = year.YearMake(200, "larder-block")
    first = year.one(
        here.session,
        here.dairy,
        vats,
        recipe=RECIPES["larder-block"],
        each=each,
        chance=Random(3),
        now=NOW,
    )
    pot = year.second_pot(here.session, here.dairy, vats, first=first, chance=Random(4), now=NOW)
    here.session.flush()
    page = page_of(farm(), pot.id)
    (of,) = makes.milk_of(here.session, pot)
    whey = milk.whey_of(here.session, here.dairy, first)
    assert of.lot_id == whey.id and whey.left_kg == pytest.approx(0, abs=0.01)
    assert page.at.standing.weighed and all(
        row.ended_at for row in pieces.of_make(here.session, pot)
    )


@pytest.mark.parametrize(("hour", "is_log"), [(3, True), (7, True), (9, False), (23, True)])
def test_whatever_the_hour_a_make_is_half_way_that_somebody_would_have_begun(farm, hour, is_log):
    """Dublin is an hour ahead of the stored moments in May."""
    before, vats = farm(), free_vats(farm)
    there = {make.id for make in makes.under_way(before.session, before.dairy)}
    now = NOW.replace(hour=hour - 1, minute=50) + timedelta(days=1)
    under_way(before.session, before.dairy, vats, now)
    here = Here(before.session, before.dairy, now)
    (make,) = (e for e in makes.under_way(here.session, here.dairy) if e.id not in there)
    day = day_of(here, make)
    assert (recipe_of(make).key == "wrenfold-log") is is_log
    begun = make.started_at.astimezone(here.zone)
    assert 6 <= begun.hour < 20 and day.current.begins < now < day.current.ends
