"""Poured milk stays poured; gear is known whatever it is called; keys are only keys."""

import json
from datetime import timedelta
from functools import partial

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select, update

from openpail.craft.clock.spans import HANDS
from openpail.craft.errors import NotPossible, RecordError
from openpail.craft.make.deeds import FirstFlocks, ReadingTaken, StepDone
from openpail.records.bench import actions as benches
from openpail.records.dairy.models import GearRow
from openpail.records.makes.models import FlocksLesson
from openpail.records.plans import actions as plans
from openpail.records.recipes.models import RecipeVersion
from openpail.records.stock.models import StockMove
from openpail.work.bench import pouring
from openpail.work.make.log import tell
from openpail.work.make.made import standing_of
from openpail.work.plan import days, moving
from openpail.work.plan import planned as plan
from openpail.work.plan.clock import busy
from openpail.work.sheet import sheet
from openpail.work.vat import at_vat as vat
from tests.conftest import NOW
from tests.records.test_log import began, farm, here, make, say, told  # noqa: F401

TO_COME = NOW + timedelta(days=1)


def lot_of(at, name):
    return next(each for each in at.waiting if each.name.startswith(name))


def pour(at, vessel, lot, litres):
    """So much of a lot planned into a vat, and noted as really poured."""
    bench = benches.bench_of(at.session, at.dairy, vessel, at.now)
    pouring.pour_one(at, bench, lot, litres)
    pouring.pour_really(at, bench, {part.id: litres for part in bench.pours})
    return bench


def test_poured_milk_starts_from_its_own_bench_and_from_nowhere_else(farm):  # noqa: F811
    at = here(farm)
    goats, jacketed = lot_of(at, "Goats"), at.vats[-1]
    left = at.free_l(goats)
    bench = pour(at, jacketed, goats, left)
    assert at.free_l(goats) == pytest.approx(0, abs=0.01)
    for vessel in at.vats[1:]:  # into the vat it stands in, and into another
        elsewhere = sheet.ask(at, lots=(goats.id,), recipe_key="larder-block", vat_id=vessel.id)
        with pytest.raises(NotPossible, match="at the Bench: start from there"):
            sheet.start(at, elsewhere, "looked at, and wanted today")
        assert sheet.work_out(at, elsewhere).poured is bench
        with pytest.raises(NotPossible, match="0.0 L is free; the rest stands poured"):
            plan.plan(
                at,
                "larder-block",
                vessel,
                lots={goats.id: None},
                begins=TO_COME,
                given=at.outfit(vessel),
            )
    own = sheet.ask(at, bench_id=bench.id, recipe_key="larder-block")
    begun = sheet.start(at, own, "looked at, and wanted today")
    assert begun.vat_id == jacketed.id and goats.left_kg == pytest.approx(0, abs=0.01)
    assert bench.state == "used"


def test_what_is_left_of_a_lot_beside_the_bench_goes_into_another_vat(farm):  # noqa: F811
    at = here(farm)
    goats = lot_of(at, "Goats")
    left = at.free_l(goats)
    bench = pour(at, at.vats[0], goats, 5.0)
    asked = sheet.ask(at, lots=(goats.id,), recipe_key="larder-block", vat_id=at.vats[-1].id)
    assert sum(draw.litres for draw in sheet.work_out(at, asked).draws) == pytest.approx(left - 5)
    sheet.start(at, asked, "looked at, and wanted today")
    own = sheet.ask(at, bench_id=bench.id, recipe_key="larder-block")
    worked = sheet.work_out(at, own)
    assert worked.hold == "" and worked.draws[0].litres == pytest.approx(5)


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.floats(0.5, 9.0), min_size=1, max_size=3))
def test_poured_and_free_make_up_what_is_left(farm, parts):  # noqa: F811
    session = farm[0]
    session.rollback()
    at = here(farm)
    goats = lot_of(at, "Goats")
    whole = at.free_l(goats)
    gone = 0.0
    for vessel, litres in zip(at.vats, parts, strict=False):
        if gone + litres > whole:
            with pytest.raises((NotPossible, RecordError)):
                pour(at, vessel, goats, litres)
            break
        pour(at, vessel, goats, litres)
        gone += litres
        assert at.free_l(goats) + at.poured_l(goats) == pytest.approx(whole)
        assert at.poured_l(goats) == pytest.approx(gone)
    session.rollback()


def test_a_plan_that_does_not_go_into_its_vat_or_its_day_is_refused(farm):  # noqa: F811
    at = here(farm)
    cows, pot = lot_of(at, "House cows"), at.vats[0]
    begin = partial(plan.plan, at, "larder-block", pot, given=at.outfit(pot))
    with pytest.raises(NotPossible, match="stove pot"):
        begin(lots={cows.id: None}, begins=TO_COME)
    with pytest.raises(NotPossible, match="is left, not"):
        begin(lots={cows.id: 400.0}, begins=TO_COME)
    small = {cows.id: 6.0}
    for begins, words in (
        (NOW - timedelta(hours=1), "is over"),
        (NOW + timedelta(days=800), "two years"),
    ):
        with pytest.raises(RecordError, match=words):
            begin(lots=small, begins=begins)
    row = begin(lots=small, begins=TO_COME)
    with pytest.raises(RecordError, match="is over"):
        moving.to(at, row.id, NOW - timedelta(days=2))
    assert at.plan(row.id).begins == TO_COME


def test_a_press_that_is_called_something_else_stays_with_its_plan(farm):  # noqa: F811
    session, dairy = farm
    at = here(farm)
    (planned,) = plans.planned(session, dairy)
    moving.to(at, planned.row.id, TO_COME)
    before = at.plan(planned.row.id).given(at.gear)
    assert before.press or before.moulds
    session.execute(update(GearRow).values(name="old " + GearRow.name))
    session.expire_all()
    again = here(farm)
    after = again.plan(planned.row.id).given(again.gear)
    assert (after.vat, after.press, after.moulds) == (before.vat, before.press, before.moulds)
    for key in (after.press, *after.moulds):
        assert not key or after.name(key) == f"old {before.name(key)}"


def test_a_vat_that_is_called_hands_takes_nobodys_hands(farm):  # noqa: F811
    session, _ = farm
    at = here(farm)
    pot, goats = at.vats[0], lot_of(at, "Goats")
    row = plan.plan(at, "skillet", pot, lots={goats.id: 6.0}, begins=TO_COME, given=at.outfit(pot))

    def taken():
        session.expire_all()
        again = here(farm)
        return busy(again, 3, [("", plan.placed(again, again.plan(row.id)))]).taken()

    before = taken()
    pot.name = HANDS
    session.flush()
    assert taken() == before and before[f"vat {pot.id}"] and before[HANDS]
    assert days.days(here(farm))


def test_a_recipe_with_other_keys_keeps_its_rennet_time_and_its_lessons(farm):  # noqa: F811
    """Rennet and culture are found by their kind, whatever the recipe calls them."""
    session, _ = farm
    version = session.scalars(
        select(RecipeVersion).where(RecipeVersion.document["key"].astext == "larder-block")
        if "key" in session.scalar(select(RecipeVersion)).document
        else select(RecipeVersion).where(
            RecipeVersion.document["recipe"]["key"].astext == "larder-block"
        )
    ).all()[-1]
    text = json.dumps(version.document)
    for old, new in (("rennet", "calf-rennet"), ("culture", "mild-starter")):
        text = text.replace(f'"key": "{old}", "product"', f'"key": "{new}", "product"')
        text = text.replace(f'"adds": ["{old}"]', f'"adds": ["{new}"]')
    version.document = json.loads(text)
    assert "calf-rennet" in text and "mild-starter" in text
    session.flush()
    begun = began(farm)
    begun.started_at = NOW - timedelta(hours=1)  # quicker than hands are, it would teach nothing
    steps = [
        StepDone(step=key, word="all at once")
        for key in ("warm", "culture", "ripen", "calcium", "rennet")
    ]
    say(farm, begun, told(ReadingTaken(celsius=32.0)), *(told(step) for step in steps))
    say(farm, begun, told(FirstFlocks(), 13), minutes=13)
    standing = standing_of(here(farm, 13), begun)
    assert standing.rennet_at == NOW and standing.culture_at == NOW
    assert standing.flocks_min == pytest.approx(13)
    lesson = session.scalar(select(FlocksLesson).where(FlocksLesson.make_id == begun.id))
    assert lesson.observed_min == pytest.approx(13)
    kinds = session.scalars(select(StockMove.make_id).where(StockMove.make_id == begun.id)).all()
    assert len(kinds) >= 2  # the culture and the rennet left their shelves
    late = 9 * 60
    tell(here(farm, late), begun.id, [told(ReadingTaken(ph=6.4), late)])
    cautions = vat.at_vat(here(farm, late), begun.id).cautions
    assert [each.key for each in cautions] == ["slow-acid"]
