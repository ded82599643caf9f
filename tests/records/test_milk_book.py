"""Milk in the records: every lot adds up, herds learn, frozen milk has its day."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

import pytest
from sqlalchemy import select

from openpail.craft.errors import Contradictory, NotHere, NotPossible, OutOfRange, RecordError
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.units import parse_amount
from openpail.records.bench import actions as benches
from openpail.records.dairy import actions as dairies
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.records.milk import keeping, slips
from openpail.records.milk.actions import Draw, NewMilk
from openpail.records.milk.models import MilkLot, MilkTestRow
from openpail.records.milk.slips import HerdSlip
from openpail.records.recipes import actions as recipes
from openpail.records.session import sessions
from tests.conftest import NOW
from tests.support import HOUSE


@pytest.fixture
def dairy(session):
    return dairies.found(session, "Wrenfold Steading", "Europe/Dublin", NOW)


@pytest.fixture
def farm(demo_url):
    with sessions(demo_url)() as session:
        yield session, session.scalar(select(dairies.Dairy))


def new(amount="20 L", **more):
    kind = "mass" if amount.endswith(("kg", "g")) else "volume"
    taken = {"name": "Cows", "breed": "cow_lowland", "treatment": "raw", "celsius": 20.0, **more}
    return NewMilk(amount=parse_amount(amount, kind), collected_at=NOW, **taken)


def at(session, dairy, now=NOW):
    return slips.known(session, dairy, now, HOUSE)


def adds_up(session, lot):
    went = sum(part.mass_kg for part, _ in makes.of_lot(session, lot))
    went += sum(use.mass_kg for use in lot.uses)
    return went + lot.left_kg == pytest.approx(lot.mass_kg, abs=1e-9)


def test_every_lot_of_the_demo_farm_adds_up(farm):
    session, dairy = farm
    lots = milk.all_lots(session, dairy)
    assert len(lots) > 15
    assert all(adds_up(session, lot) for lot in lots)


def test_a_lot_splits_over_makes_and_uses_and_always_adds_up(farm):
    session, dairy = farm
    lot = milk.take_in(
        session,
        dairy,
        new("40 L"),
        now=NOW,
        house=HOUSE,
        test=MilkTest(fat_pct=4.1, protein_pct=3.3, protein_kind="true"),
    )
    running = makes.under_way(session, dairy)[0]
    version = recipes.newest_of(session, dairy, "larder-block")
    pot = dairies.vats(session, dairy)[0]
    cream = slips.cream_pour(lot, at(session, dairy), 0.5, 25.0)
    draw = Draw(
        lot=lot,
        litres=10.0,
        mass_kg=slips.kg_of(lot, 10.0),
        cream_l=0.5,
        cream_kg=-cream.mass.value,
    )
    makes.start(
        session,
        dairy,
        version,
        vat=pot,
        draws=[draw],
        sheet=makes.sheet_of(running),
        house=HOUSE,
        now=NOW,
    )
    cream = next(each for each in milk.parts_of(session, lot))
    assert milk.part_of(session, cream) is lot  # it keeps the way to its milk
    milk.send_elsewhere(session, lot, "given", litres=4.0, now=NOW, note="the neighbour")
    milk.send_elsewhere(session, lot, "kitchen", litres=1.0, now=NOW)
    assert adds_up(session, lot)
    assert slips.left_l(lot) == pytest.approx(40 - 10 - 5, abs=0.02)
    kept = next(
        each
        for each in milk.waiting(session, dairy)
        if each.kind == "cream" and each.name.startswith("Cream off")
    )
    assert kept.mass_kg == pytest.approx(0.5, rel=0.05) and kept.breed == "cow_lowland"
    with pytest.raises(NotPossible, match="is left, not"):
        milk.send_elsewhere(session, lot, "fed", litres=100, now=NOW)
    with pytest.raises(RecordError, match="what became of it"):
        milk.send_elsewhere(session, lot, "lost", litres=1, now=NOW)
    milk.send_elsewhere(session, lot, "fed", litres=None, now=NOW)
    assert lot.left_kg == 0 and adds_up(session, lot)
    with pytest.raises(RecordError, match="more than nothing"):
        milk.send_elsewhere(session, lot, "fed", litres=None, now=NOW)


def test_a_slip_reweighs_a_lot_only_while_nothing_was_used_of_it(session, dairy):
    lot = milk.take_in(session, dairy, new(), now=NOW, house=HOUSE)
    before = lot.mass_kg
    slips.add_test(session, lot, MilkTest(fat_pct=7.5), now=NOW, house=HOUSE)
    reweighed = lot.mass_kg
    assert reweighed < before
    milk.send_elsewhere(session, lot, "fed", litres=2, now=NOW)
    slips.add_test(session, lot, MilkTest(fat_pct=3.0), now=NOW, house=HOUSE)
    assert lot.mass_kg == reweighed and adds_up(session, lot)


def test_what_is_bought_has_a_price_and_powder_is_weighed(session, dairy):
    cream = new("2 L", kind="cream", bought=True, price=Decimal("9.60"), celsius=18.0)
    lot = milk.take_in(session, dairy, cream, now=NOW, house=HOUSE)
    stream = slips.stream_of(lot, at(session, dairy), 0, lot.left_kg, main=False)
    assert stream.cost_per_kg == pytest.approx(9.60 / lot.mass_kg)
    assert stream.fat_pct == 36
    with pytest.raises(OutOfRange, match="weigh it"):
        milk.take_in(session, dairy, replace(cream, celsius=4.0), now=NOW, house=HOUSE)
    with pytest.raises(RecordError, match="Powder is weighed"):
        milk.take_in(session, dairy, new("2 L", kind="powder"), now=NOW, house=HOUSE)
    powder = milk.take_in(session, dairy, new("500 g", kind="powder"), now=NOW, house=HOUSE)
    assert powder.mass_kg == 0.5
    with pytest.raises(RecordError, match="more than nothing"):
        milk.take_in(session, dairy, new("0 kg"), now=NOW, house=HOUSE)


def test_milk_without_a_slip_is_its_herds_once_there_are_tests_enough(session, dairy):
    herd = slips.add_herd(session, dairy, "Goats", breed="goat", now=NOW)
    for i in range(4):
        slips.add_herd_test(session, herd, MilkTest(fat_pct=4.6 + 0.1 * i), NOW - timedelta(days=i))
    lot = milk.take_in(session, dairy, new(breed="goat", herd=herd), now=NOW, house=HOUSE)

    def fat():
        known = at(session, dairy)
        return slips.composition_of(lot, HOUSE, known.herd_of(lot)).fat

    assert fat().value == 3.8
    other = milk.take_in(session, dairy, new(breed="goat", herd=herd), now=NOW, house=HOUSE)
    slips.add_test(
        session, other, MilkTest(fat_pct=5.0), now=NOW, house=HOUSE
    )  # a lot's slip counts too
    assert fat().value == pytest.approx((4.6 + 4.7 + 4.8 + 4.9 + 5.0) / 5)
    assert "mean of 5 tests" in fat().because[0].label
    with pytest.raises(RecordError, match="already"):
        slips.add_herd(session, dairy, "goats", breed="goat", now=NOW)
    with pytest.raises(RecordError, match="Choose the animal"):
        slips.add_herd(session, dairy, "Hens", breed="hen", now=NOW)


def test_frozen_milk_has_a_task_and_its_age_begins_with_the_thaw(session, dairy):
    day = NOW.date() + timedelta(days=5)
    frozen = replace(
        new(in_freezer=True, wanted_on=day, freezer_c=-18.0),
        collected_at=NOW - timedelta(days=60),
    )
    lot = milk.take_in(session, dairy, frozen, now=NOW, house=HOUSE)
    assert slips.fitness_of(lot, at(session, dairy)).verdict == "fit"
    assert milk.tasks(session, dairy, day - timedelta(days=3)) == []
    (task,) = milk.tasks(session, dairy, day)
    assert task.due == day - timedelta(days=2) and "out of the freezer" in task.words
    milk.thaw(session, dairy, lot, NOW)
    assert milk.tasks(session, dairy, day) == []
    later = NOW + timedelta(hours=50)
    assert keeping.hours_old(lot, later) == 50
    assert slips.fitness_of(lot, at(session, dairy, later)).verdict == "fit with a caution"
    with pytest.raises(RecordError, match="not in the freezer"):
        milk.thaw(session, dairy, lot, NOW)


def test_shop_milk_keeps_to_its_own_best_before(session, dairy):
    shop = new(treatment="flash", bought=True, best_before=NOW.date() + timedelta(days=3))
    lot = milk.take_in(session, dairy, shop, now=NOW, house=HOUSE)

    def verdict(days):
        return slips.fitness_of(lot, at(session, dairy, NOW + timedelta(days=days))).verdict

    assert [verdict(days) for days in (0, 2, 3, 4, 6)] == [
        "fit",
        "fit",
        "fit with a caution",
        "boiled acid-and-heat only",
        "not for cheese",
    ]


def test_a_file_is_kept_whole_once_or_not_at_all(session, dairy):
    herd = slips.add_herd(session, dairy, "Ewes", breed="sheep", now=NOW)
    lot = milk.take_in(session, dairy, new(breed="sheep", herd=herd), now=NOW, house=HOUSE)
    day = NOW.date()
    rows = [
        HerdSlip(
            herd_id=herd.id,
            lot_id=None,
            day=day - timedelta(days=i),
            test=MilkTest(fat_pct=6.5 + 0.1 * i),
        )
        for i in range(3)
    ]
    rows.append(HerdSlip(herd_id=None, lot_id=lot.id, day=day, test=MilkTest(ph=6.6)))
    assert slips.keep_slips(session, dairy, rows, lots=[lot], house=HOUSE, now=NOW) == 4
    assert (
        slips.keep_slips(session, dairy, rows, lots=[lot], house=HOUSE, now=NOW) == 0
    )  # the same file again
    assert all(row.taken_at <= NOW for row, _, _ in slips.all_slips(session, dairy))
    assert slips.slip_of(lot).ph == 6.6
    session.commit()
    bad = [
        HerdSlip(herd_id=herd.id, lot_id=None, day=day, test=MilkTest(fat_pct=7.7)),
        HerdSlip(herd_id=herd.id, lot_id=None, day=day, test=MilkTest(protein_pct=3, casein_pct=4)),
    ]
    with pytest.raises(Contradictory):
        slips.keep_slips(session, dairy, bad, lots=[lot], house=HOUSE, now=NOW)
    session.rollback()
    kept = session.scalars(select(MilkTestRow.fat_pct)).all()
    assert 7.7 not in kept and len(kept) == 4
    with pytest.raises(NotHere):
        slips.keep_slips(
            session,
            dairy,
            [HerdSlip(herd_id=None, lot_id=None, day=day, test=MilkTest(fat_pct=4))],
            lots=[],
            house=HOUSE,
            now=NOW,
        )


def test_answers_about_a_file_are_remembered_by_its_columns(session, dairy):
    assert slips.layout_of(session, dairy, "a|b") == {}
    slips.remember_layout(session, dairy, "a|b", {"cells": "1000"})
    slips.remember_layout(session, dairy, "a|b", {"cells": "1"})
    assert slips.layout_of(session, dairy, "a|b") == {"cells": "1"}


@pytest.fixture
def vat(farm):
    session, dairy = farm
    return next(vat for vat in dairies.vats(session, dairy) if vat.name == "stove pot")


def lots_of(session, dairy):
    return {lot.name: lot for lot in milk.waiting(session, dairy)}


def test_a_bench_is_planned_poured_compared_and_taken_back(farm, vat):
    session, dairy = farm
    cows = lots_of(session, dairy)["House cows, this morning"]
    bench = benches.bench_of(session, dairy, vat, NOW)
    assert benches.bench_of(session, dairy, vat, NOW) is bench
    with pytest.raises(RecordError, match="Nothing is planned"):
        benches.pour_really(session, bench, {}, {}, NOW)
    with pytest.raises(NotPossible, match="cream cannot be taken off"):
        benches.set_cream_off(session, bench, cows, 0.5, 25)
    benches.set_pour(session, bench, cows, 8)
    benches.set_cream_off(session, bench, cows, 0.5, 25)
    with pytest.raises(NotPossible, match="is left, not 50"):
        benches.set_pour(session, bench, cows, 50)
    lots = {cows.id: cows}
    real = {part.id: 0.4 if part.is_cream else 8.6 for part in bench.pours}
    benches.pour_really(session, bench, real, lots, NOW)
    assert [part.litres for part in bench.planned] == [8, -0.5]
    assert [part.litres for part in bench.pours] == [8.6, -0.4]
    with pytest.raises(RecordError, match="poured already"):
        benches.set_pour(session, bench, cows, 9)
    with pytest.raises(RecordError, match="why it may stand"):
        benches.accept(session, bench, " ")
    benches.accept(session, bench, "the goats had none to give")
    benches.back_to_plan(session, bench)
    assert (bench.state, bench.accepted) == ("planned", "")
    benches.set_pour(session, bench, cows, 0)
    assert bench.pours == []  # without its milk there is no cream


def test_cream_taken_off_leaves_the_blend_leaner_and_the_mass_balanced(farm, vat):
    session, dairy = farm
    cows = lots_of(session, dairy)["House cows, this morning"]
    bench = benches.bench_of(session, dairy, vat, NOW)
    benches.set_pour(session, bench, cows, 10)
    whole = benches.standing(session, dairy, bench.pours, at(session, dairy))
    benches.set_cream_off(session, bench, cows, 0.6, 25)
    skimmed = benches.standing(session, dairy, bench.pours, at(session, dairy))
    milk_pour, cream = skimmed.pours
    assert cream.mass.value < 0 and whole.pours[0].mass.value == milk_pour.mass.value
    fat = milk_pour.mass.value * milk_pour.milk.fat.value + cream.mass.value * 25
    left = milk_pour.mass.value + cream.mass.value
    assert fat / left < 4.15
    (draw,) = skimmed.draws
    assert draw.mass_kg - draw.cream_kg == pytest.approx(left)


def test_a_ratio_is_mended_from_the_oldest_spare_and_held_back_from_the_newest(farm, vat):
    session, dairy = farm
    lots = lots_of(session, dairy)
    older, fresh = lots["Goats, older"], lots["Goats, this morning"]
    bench = benches.bench_of(session, dairy, vat, NOW)
    benches.mend(session, dairy, bench, species="goat", litres=6.0, known=at(session, dairy))
    assert benches.planned_l(bench, older) == pytest.approx(4.2)
    assert benches.planned_l(bench, fresh) == pytest.approx(1.8)
    benches.mend(session, dairy, bench, species="goat", litres=-2.0, known=at(session, dairy))
    assert benches.planned_l(bench, fresh) == 0
    assert benches.planned_l(bench, older) == pytest.approx(4.0)
    with pytest.raises(NotPossible, match="too little buffalo"):
        benches.mend(session, dairy, bench, species="buffalo", litres=1.0, known=at(session, dairy))
    three_days = at(session, dairy, NOW + timedelta(days=3))
    benches.mend(
        session, dairy, bench, species="goat", litres=1.0, known=three_days
    )  # the older goats are too old now
    assert benches.planned_l(bench, older) == pytest.approx(4.0)
    assert benches.planned_l(bench, fresh) == pytest.approx(1.0)
    frozen = lots["Ewes, last summer"]
    with pytest.raises(NotPossible, match="in the freezer"):
        benches.set_pour(session, bench, frozen, 1)


def test_a_mix_is_kept_by_name_and_poured_another_day(farm, vat):
    session, dairy = farm
    lots = lots_of(session, dairy)
    bench = benches.bench_of(session, dairy, vat, NOW)
    with pytest.raises(RecordError, match="Pour something"):
        benches.save_mix(session, dairy, "Tuesday", bench, NOW)
    benches.set_pour(session, bench, lots["House cows, this morning"], 6.5)
    benches.set_pour(session, bench, lots["Goats, this morning"], 3.5)
    with pytest.raises(RecordError, match="Give the mix a name"):
        benches.save_mix(session, dairy, " ", bench, NOW)
    mix = benches.save_mix(session, dairy, "our Tuesday mix", bench, NOW)
    benches.clear(session, bench)
    again = benches.bench_of(session, dairy, vat, NOW)
    assert again.id != bench.id
    benches.take_mix(session, dairy, again, mix.id, at(session, dairy))
    assert benches.planned_l(again, lots["Goats, older"]) == pytest.approx(3.5)  # oldest first
    assert benches.planned_l(again, lots["House cows, this morning"]) == pytest.approx(6.5)
    milk.send_elsewhere(session, lots["House cows, this morning"], "fed", litres=None, now=NOW)
    with pytest.raises(NotPossible, match="wants 6.5 L of cow lowland milk"):
        benches.take_mix(session, dairy, again, mix.id, at(session, dairy))
    assert session.scalar(select(MilkLot).where(MilkLot.kind == "cream"))
