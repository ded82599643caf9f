"""The demo farm's year: makes of all families, what went wrong in it, and the same each time."""

from datetime import timedelta
from random import Random

import pytest

from openpail.demo import year
from openpail.records.dairy import actions as dairies
from openpail.records.pieces import actions as pieces
from openpail.work import tasting
from openpail.work.logbook import page_of
from tests.conftest import NOW
from tests.support import RECIPES


@pytest.mark.parametrize("weeks", [0, 13, 26, 39])
def test_whenever_the_demo_is_started_its_year_has_all_families_and_its_mishaps(weeks):
    now = NOW + timedelta(weeks=weeks)
    made = list(year.makes_of(now))
    assert 70 <= len(made) <= 100
    assert [each.days_ago for each in made] == sorted((e.days_ago for e in made), reverse=True)
    families = {RECIPES[each.recipe].family for each in made}
    without = {recipe.family for recipe in RECIPES.values()} - families
    assert without <= {"whey"}, without  # whey comes of a make, not of a milking
    assert sorted(each.mishap for each in made if each.mishap) == ["hot", "old", "turned"]
    ewes = {each.days_ago for each in made if RECIPES[each.recipe].reference[0].breed == "sheep"}
    months = {(now - timedelta(days=back)).month for back in ewes}
    assert months <= set(year._in_milk("sheep"))
    assert made == list(year.makes_of(now))


@pytest.mark.parametrize(("mishap", "days_ago"), [("old", 220), ("hot", 210)])
def test_a_make_of_the_year_is_lived_through_to_its_last_piece(farm, mishap, days_ago):
    here = farm()
    free = dairies.add_vat(here.session, here.dairy, "tin bath", 60.0, 40.0)
    vats = dict.fromkeys(("stove pot", "water-bath kettle", "jacketed vat"), free)
    each = year.YearMake(days_ago, "larder-block", mishap)
    make = year.one(here.session, here.dairy, vats, RECIPES["larder-block"], each, Random(3), NOW)
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
