"""Little of it, and two of it: what holds for twenty litres, five days and many readings holds for
half a litre, for two days and for the one reading before the last."""

from dataclasses import replace
from datetime import UTC, date, time, timedelta
from itertools import permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.cave.hours import called_at
from openpail.craft.cave.loss import InAir, expected
from openpail.craft.errors import CraftError, OutOfRange
from openpail.craft.house import House
from openpail.craft.make import additions, asks, checks, laid, ramp, whey_book
from openpail.craft.make.at_press import check_at_press
from openpail.craft.make.deeds import (
    AcidGiven,
    Moulded,
    PortionGiven,
    ReadingTaken,
    StepAgain,
    StepDone,
    StepSkipped,
    Ticked,
    WaterAdded,
)
from openpail.craft.make.facts import facts_of
from openpail.craft.make.fold import fold
from openpail.craft.make.leave import Leave
from openpail.craft.make.order import portions_of
from openpail.craft.make.slow_acid import AcidReading, asleep, hours_that_count
from openpail.craft.make.standing import Standing, from_json, lacks_its_first_culture, to_json
from openpail.craft.salt.brine import after_batch
from openpail.craft.salt.rind import rubs
from openpail.craft.table.facts import facts_of_make
from tests.craft.test_make import BEGAN, at, bounds, sheet_of, told
from tests.craft.test_salt import within
from tests.craft.test_vat_help import looked_at, upto
from tests.support import RECIPES

HOUSE = House()
LARDER = RECIPES["larder-block"]


def test_of_a_little_acid_the_first_drop_counts():
    line = sheet_of("bench-curd").line("acid")
    little = replace(line, figure=line.figure._replace(value=0.8))
    nothing = additions.acid_now(little, looked_at().standing, HOUSE)
    assert not nothing.begun and nothing.next.value == pytest.approx(0.6)
    told_of = looked_at(told(AcidGiven(0.6), 1), recipe="bench-curd").standing
    begun = additions.acid_now(little, told_of, HOUSE)
    assert begun.begun and begun.next.value == pytest.approx(0.08)


def test_two_parts_and_two_days_are_parts_and_days():
    salt = sheet_of("tarrow-blue").line("salt")
    recipe = RECIPES["tarrow-blue"]
    of_two = replace(
        recipe,
        ingredients=tuple(
            replace(each, days=2) if each.key == "salt" else each for each in recipe.ingredients
        ),
    )
    step = next(each.key for each in recipe.steps if "salt" in each.adds)
    first, parts = additions.one_part(salt.figure, of_two, step)
    assert first.value == pytest.approx(salt.figure.value / 2) and parts == 1
    parted = next(
        (book, each.key)
        for book in RECIPES.values()
        for each in book.steps
        if portions_of(book, each.key) == 2
    )
    one, parts = additions.one_part(salt.figure, *parted)
    assert one.value == pytest.approx(salt.figure.value / 2) and parts == 2
    asked = replace(bounds(), recipe=parted[0])
    checks.check(told(PortionGiven(parted[1]), 1), asked)


def test_half_a_millilitre_of_rennet_given_twice_over_is_twice_over():
    sheet = sheet_of()
    line = sheet.line("rennet")
    little = replace(line, figure=line.figure._replace(value=0.4))
    lines = tuple(little if each.key == "rennet" else each for each in sheet.lines)
    of_little = replace(sheet, lines=lines)
    gave = told(StepDone(step="rennet", gave={"rennet": 0.8}), 40, "gave")
    record = looked_at(*upto("rennet"), gave)
    assert additions.rennet_share(LARDER, of_little, record.standing) == pytest.approx(2.0)
    found = facts_of(replace(record, sheet=of_little))
    assert found["more_rennet"] == "200 % of the rennet was given"
    assert not {"less_rennet", "less_culture", "more_culture"} & set(found)


def test_in_half_a_litre_much_water_and_much_acid_are_asked_about():
    little = replace(bounds(), milk_l=0.5)
    with pytest.raises(OutOfRange, match="washes bland"):
        asks.ask(WaterAdded(0.4, 40.0), BEGAN, little)
    asks.ask(WaterAdded(0.1, 40.0), BEGAN, little)
    curd = RECIPES["bench-curd"]
    doses = replace(bounds(), recipe=curd, doses={curd.ingredient("acid").key: 0.5})
    with pytest.raises(OutOfRange, match="0.5 were expected"):
        asks.ask(AcidGiven(0.9), BEGAN, doses)
    asks.ask(AcidGiven(0.5), BEGAN, doses)


def test_most_of_the_acid_is_little_and_all_of_it_is_not():
    line = sheet_of("bench-curd").line("acid")
    for share, fact in ((0.9, "little_acid"), (1.0, ""), (2.0, "much_acid")):
        gave = told(AcidGiven(share * line.figure.value), 1, "acid")
        found = facts_of(looked_at(gave, recipe="bench-curd", now=5.0))
        assert {"little_acid", "much_acid"} & set(found) == ({fact} if fact else set())


def test_milk_of_two_animals_says_how_much_of_each():
    sheet = sheet_of()
    record = looked_at()

    def made_of(sheet):
        return facts_of_make(LARDER, sheet, record.standing, record.day)

    one = sheet.milk.pours[0]
    two = replace(sheet.milk, pours=(one, replace(one, breed="sheep", mass_kg=one.mass_kg / 3)))
    told_of = {each.key: each.words for each in made_of(replace(sheet, milk=two))}
    assert told_of["animals"].startswith("75 % ") and ", 25 % " in told_of["animals"]
    alone = {each.key: each.words for each in made_of(sheet)}
    assert "%" not in alone["animals"]


def test_one_mould_one_letter_and_half_a_minute_are_enough():
    check_at_press(Moulded(step="mould", count=1), BEGAN, within())
    checks.check(told(Ticked("a"), 1), bounds())
    with pytest.raises(CraftError):
        checks.check(told(Ticked(""), 1), bounds())
    assert Leave(until=None, at_a_time_min=0.5, words="").may_be
    assert not Leave(until=None, at_a_time_min=0.0, words="").may_be


def test_the_last_reading_is_the_last_and_not_one_before_it():
    sour = [told(ReadingTaken(ph=ph), 10 + n, f"p{n}") for n, ph in enumerate((6.6, 5.9, 5.2))]
    warm = [told(ReadingTaken(celsius=c), 20 + n, f"c{n}") for n, c in enumerate((80, 60, 30))]
    record = looked_at(*sour, *warm)
    found = laid.facts_of(
        LARDER, record.sheet, record.standing, cheese_kg=record.sheet.cheese.value, salt_pct=1.8
    )
    assert found.ph == 5.2 and not found.packed_hot


@pytest.mark.parametrize("ph", [6.9, 6.1])
def test_the_ph_at_the_rennet_is_the_last_before_it(ph):
    book = next(each for each in RECIPES.values() if each.renneting_ph())
    middle = book.renneting_ph().target
    read = [told(ReadingTaken(ph=each), 1 + n, f"p{n}") for n, each in enumerate((ph, middle))]
    day = looked_at(*read, recipe=book.key)
    set_in = replace(day.standing, rennet_at=at(30))
    found = facts_of(replace(day, standing=set_in))
    assert not {"sweet_at_rennet", "sour_at_rennet"} & set(found)


def test_two_readings_of_an_unmeasured_milk_tell_that_its_acid_sleeps():
    hours = HOUSE.number("asleep.after_hours")
    first, last = AcidReading(6.65, 0.1), AcidReading(6.64, hours + 0.1)
    assert asleep(LARDER, None, [last], HOUSE) is None
    assert asleep(LARDER, None, [first, last], HOUSE).key == "acid-asleep"
    moved = replace(last, ph=6.649 - HOUSE.number("asleep.least_drop"))
    assert asleep(LARDER, None, [first, moved], HOUSE) is None


def test_a_warming_of_half_a_minute_has_its_ramp():
    short = ramp.WarmingNow(
        start_c=20.0,
        target_c=32.0,
        minutes=0.5,
        now_min=0.3,
        read=[(0.0, 20.0), (0.25, 26.0)],
        heat_off_min=None,
        overshoot_c=1.0,
        curd=False,
    )
    assert ramp.coach(short, HOUSE).way == "on"
    held = replace(short, start_c=32.0, minutes=30.0, now_min=9.0, read=[(8.0, 32.0)])
    assert ramp.coach(held, HOUSE).way == "there"


def test_a_litre_of_salty_whey_is_said():
    book = whey_book.whey_book(LARDER, Standing(done={}), 0.8, 40.0)
    assert "5.0 % salt" in book.says[0]
    mild = whey_book.whey_book(LARDER, Standing(done={}), 0.8, 1.0)
    assert mild.says == ()


def test_two_cares_of_a_day_lie_at_both_its_ends():
    quiet = (time(22, 0), time(6, 0))
    first, last = called_at(date(2026, 5, 4), 2, 7.0, quiet, UTC)
    assert (first.hour, first.minute) == (7, 0)
    assert last - first > timedelta(hours=14)
    (alone,) = called_at(date(2026, 5, 4), 1, 7.0, quiet, UTC)
    assert alone == first


def test_half_a_day_without_its_bag_dries_and_no_day_at_all_does_not():
    bare = InAir(0.5, 85.0, bare=True)
    found = expected([bare], 0.05, HOUSE, "tomme")
    assert found[-1][1] > 0
    assert expected([replace(bare, bare=False)], 0.05, HOUSE, "tomme")[-1][1] == 0


def test_a_brine_that_gave_nothing_is_as_it_was():
    assert after_batch(10.0, 20.0, 0.0) == (10.0, 20.0)
    with pytest.raises(OutOfRange):
        after_batch(10.0, 20.0, 2.01)


def test_a_rind_rubbed_on_two_days_gets_half_on_each():
    one, two = rubs(1.0, 2.0, 2)
    assert [one.grams.value, two.grams.value] == pytest.approx([10.0, 10.0])


MOMENTS = st.lists(st.tuples(st.floats(0, 40), st.floats(0, 60)), max_size=8)


@given(MOMENTS, st.floats(0.1, 48), st.floats(0, 24))
def test_hours_that_count_are_no_more_than_the_clocks_and_never_fewer_for_waiting(
    read, until, more
):
    points = [(BEGAN + timedelta(hours=hour), celsius) for hour, celsius in sorted(read)]
    now = BEGAN + timedelta(hours=until)
    counted = hours_that_count(points, BEGAN, now)
    assert 0 <= counted <= until + 1e-9
    in_time = [each for each in points if each[0] <= now]
    assert hours_that_count(in_time, BEGAN, now + timedelta(hours=more)) >= counted - 1e-9


@pytest.mark.parametrize(
    ("read", "hours"),
    [
        ([], 9.0),
        ([(0, 31.0)], 9.0),
        ([(0, 12.0)], 3.0),
        ([(0, 4.0)], 0.0),
        ([(0, 50.0)], 0.0),
        ([(3, 4.0)], 3.0),
        ([(0, 31.0), (3, 31.0), (3, 6.0)], 3.0),
        ([(0, 5.0), (6, 20.0)], 2.0 + 2 / 3 + 3.0),
    ],
)
def test_cold_stops_the_hours_cool_counts_a_third_and_what_nobody_read_counts(read, hours):
    points = [(BEGAN + timedelta(hours=hour), celsius) for hour, celsius in read]
    found = hours_that_count(points, BEGAN, BEGAN + timedelta(hours=9))
    assert found == pytest.approx(hours)


def test_a_second_packet_begins_no_hours_anew_in_whatever_order_it_is_told():
    key = next(step.key for step in LARDER.steps if "culture" in step.adds)
    deeds = [
        told(StepDone(step=key), 5.0, "first"),
        told(StepAgain(step=key), 300.0, "again"),
        told(StepDone(step=key), 310.0, "second"),
    ]
    for order in permutations(deeds):
        standing = fold(LARDER, order)
        assert (standing.cultured_at, standing.culture_at) == (at(5.0), at(310.0))
        kept = from_json(to_json(standing))
        assert kept.cultured_at == at(5.0)
    left_out = [told(StepSkipped(key, "none in the house"), 5.0, "x"), *deeds[1:]]
    assert fold(LARDER, left_out).cultured_at == at(310.0)
    old = {k: v for k, v in to_json(fold(LARDER, deeds)).items() if k != "cultured_at"}
    assert lacks_its_first_culture(old)
    assert not lacks_its_first_culture({**old, "again": {}})
