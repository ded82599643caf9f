"""Salt in the core: brine by its strength and as it lives, hours in it, rinds, what is held."""

from dataclasses import replace
from datetime import UTC, datetime, time, timedelta
from itertools import permutations
from zoneinfo import ZoneInfo

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from openpail.craft.cave.care import RIND_SALT
from openpail.craft.cave.deeds import Cared
from openpail.craft.errors import CraftError, NotPossible, OutOfRange
from openpail.craft.figure import replay
from openpail.craft.make import deeds
from openpail.craft.make.at_press import ask_at_press, check_at_press
from openpail.craft.make.salting import Brined, brine_plan, by_its_faces, keeping, lying, salt_held
from openpail.craft.make.standing import Caught, Done, Standing, Tap
from openpail.craft.make.whey_book import whey_book
from openpail.craft.make.yielded import yielded
from openpail.craft.press.moulds import Mould
from openpail.craft.recipe.rubbed import rind_rubs
from openpail.craft.salt import tub, tub_checks
from openpail.craft.salt import tub_deeds as told_of
from openpail.craft.salt.brine import (
    after_batch,
    density_20,
    keeping_brine,
    keeping_pct,
    salt_for,
    scales,
    strength,
    to_dilute,
    to_freshen,
    weight_after,
)
from openpail.craft.salt.cover import TubSize, cover
from openpail.craft.salt.drying import drying
from openpail.craft.salt.held import in_moisture, said
from openpail.craft.salt.hours import (
    Lying,
    brine_hours,
    brine_salt_pct,
    goes_in,
    is_quiet,
)
from openpail.craft.salt.rind import rubs
from tests.craft.test_make import BEGAN, bounds, sheet_of
from tests.support import HOUSE, RECIPES
from tests.support.resting import plan_of
from tests.support.resting import told as told_on

PCT = st.floats(2, 26)
KG = st.floats(0.2, 8)


@given(st.floats(1, 200), PCT, PCT)
def test_freshening_and_dilution_undo_each_other(kg, low, high):
    low, high = sorted((low, high))
    assume(high - low > 0.01)
    salt = to_freshen(kg, low, high).value
    water = to_dilute(kg + salt, high, low).value
    back = (kg + salt) * high / (kg + salt + water)
    assert salt > 0 and water > 0 and back == pytest.approx(low)
    # the salt of the weak brine, and what went in, are all there is
    assert kg * low / 100 + salt == pytest.approx((kg + salt) * high / 100)
    made = salt_for(kg, high).value
    assert 100 * made / (kg + made) == pytest.approx(high)


@given(st.floats(0.5, 26.3), st.sampled_from(["pct", "density", "sg", "baume", "salometer"]))
def test_every_instrument_reads_the_same_brine(pct, by):
    read = strength(scales(pct)[by], by, 20.0, HOUSE)
    assert read.value == pytest.approx(pct, abs=0.01)
    assert replay(read.because) == pytest.approx(read.value) and read.known == "measured"


def test_a_warm_brine_is_stronger_than_its_hydrometer_says():
    cold, warm = (strength(1.13, "density", celsius, HOUSE).value for celsius in (12.0, 30.0))
    assert cold < strength(1.13, "density", 20.0, HOUSE).value < warm
    for value, by in ((1.4, "density"), (40.0, "baume"), (120.0, "salometer"), (30.0, "pct")):
        with pytest.raises(OutOfRange):
            strength(value, by, 20.0, HOUSE)


@given(KG, st.floats(0.5, 3), PCT)
def test_hours_grow_with_the_wanted_salt_and_fall_with_strength_in_both_schools(kg, wanted, pct):
    stronger = min(26.4, pct * 1.1)
    assert brine_hours(kg, wanted * 1.2, pct, HOUSE) > brine_hours(kg, wanted, pct, HOUSE)
    assert brine_hours(kg, wanted, stronger, HOUSE) < brine_hours(kg, wanted, pct, HOUSE)
    hours = brine_hours(kg, wanted, pct, HOUSE)
    assert brine_salt_pct(hours, kg, pct, HOUSE) == pytest.approx(wanted)
    piece = Lying(cheese_kg=kg, surface_cm2=600 * kg ** (2 / 3), moisture=0.42, brine_pct=pct)
    grams = wanted * kg * 10
    by_faces = piece.hours_for(grams, HOUSE)
    assert piece.salt_g(by_faces, HOUSE) == pytest.approx(grams)
    assert piece.hours_for(grams * 1.2, HOUSE) > by_faces
    assert replace(piece, brine_pct=stronger).hours_for(grams, HOUSE) < by_faces
    assert replace(piece, celsius=16.0).hours_for(grams, HOUSE) < by_faces


@given(st.floats(5, 200), PCT, KG, st.floats(0, 0.05))
def test_no_salt_and_no_weight_is_lost_between_brine_and_cheese(brine, pct, cheese, taken):
    assume(taken < brine * pct / 100)
    left, weaker = after_batch(brine, pct, taken)
    assert abs(brine * pct / 100 - left * weaker / 100 - taken) < 1e-9
    assert abs(brine + cheese - left - weight_after(cheese, taken)) < 1e-9
    assert weight_after(cheese, taken) <= cheese  # it comes out lighter


@given(KG, st.floats(0.35, 0.6), st.floats(0, 3), st.floats(0.3, 3), st.floats(2, 9))
def test_a_keeping_brine_brings_both_to_the_strength_that_is_wanted(kg, water, salt, per, ends):
    brine = kg * per
    strong = keeping_brine(kg, water, salt, brine, ends)
    assume(0 < strong < 26.4)
    assert keeping_pct(kg, water, salt, brine, strong) == pytest.approx(ends)


# ── a tub as it lives ──

AT = datetime(2026, 5, 1, 8, 0, tzinfo=UTC)


def say(hours, deed, amends=None):
    return told_of.TubTold(
        id=f"{hours}", deed=deed, at=AT + timedelta(hours=hours), amends=amends, counter=int(hours)
    )


STORY = (
    say(0, told_of.Made(20.0, 18.0)),
    say(1, told_of.CalciumIn(40.0)),
    say(2, told_of.PhRead(5.2)),
    say(50, told_of.Read(value=17.0, by="pct", celsius=12.0)),
    say(51, told_of.SaltIn(0.3)),
    say(52, told_of.TubUndone(), amends="51"),
)
BATCHES = (told_of.Batch(AT + timedelta(hours=30), 0.05, "make 3"),)


def test_the_same_deeds_in_any_order_come_to_the_same_tub():
    first = tub.fold(STORY, BATCHES, HOUSE)
    for told in list(permutations(STORY, len(STORY)))[:60]:
        assert tub.fold((*told, told[0]), BATCHES, HOUSE) == first
    assert first.pct.value == 17.0 and first.batches == 0 and first.batches_ever == 1
    assert tub.from_json(tub.to_json(first)) == first and tub.from_json({}) == tub.NEW


@given(st.lists(st.floats(0.005, 0.05), max_size=8), st.floats(0, 1))
def test_what_batches_take_and_hands_give_is_all_that_changes_a_brine(batches, salt):
    told = (say(0, told_of.Made(20.0, 18.0)), say(99, told_of.SaltIn(salt)))
    taken = [told_of.Batch(AT + timedelta(hours=1 + n), kg, f"{n}") for n, kg in enumerate(batches)]
    found = tub.fold(told, taken, HOUSE)
    start = 20.0 * density_20(18.0)
    assert abs(found.salt_kg - (start * 0.18 - sum(batches) + salt)) < 1e-9
    assert found.brine_kg == pytest.approx(start + sum(batches) + salt)
    asks = tub_checks.wants(found, 18.0, AT + timedelta(days=5), HOUSE)
    reads = any("read it" in words for words in asks.words)
    assert reads == (len(batches) >= 3)
    if found.pct.value < 17.5:
        fresh = found.salt_kg + asks.freshen.value
        assert 100 * fresh / (found.brine_kg + asks.freshen.value) == pytest.approx(18.0)
    else:
        assert asks.freshen is None


def test_a_tub_that_nobody_reads_tells_no_endless_story():
    taken = [told_of.Batch(AT + timedelta(hours=n), 0.002, f"{n}") for n in range(1, 80)]
    found = tub.fold((say(0, told_of.Made(40.0, 20.0)),), taken, HOUSE)
    assert len(found.pct.because) < 20
    assert replay(found.pct.because) == pytest.approx(found.pct.value)


@pytest.mark.parametrize(("how", "moves"), [("sinks", True), ("just", True), ("high", False)])
def test_a_floating_cheese_is_a_sign_and_never_overrules_an_instrument(how, moves):
    read = (say(0, told_of.Made(20.0, 20.0)), say(1, told_of.Read(value=20.0, by="pct")))
    floated = tub.fold((*read, say(2, told_of.Floated(how))), (), HOUSE)
    assert floated.pct.value == 20.0
    batch = (told_of.Batch(AT + timedelta(hours=1.5), 0.01, "x"),)
    after = tub.fold((*read, say(2, told_of.Floated(how))), batch, HOUSE)
    assert (after.pct.known == "assumed" and after.pct.rests_on_assumed) == moves
    stands = tub.fold(read, batch, HOUSE)
    for word, asked in (("", moves), ("looked twice", False)):
        deed = say(2, told_of.Floated(how, word))
        within = {"now": AT + timedelta(hours=3), "lying": 1, "house": HOUSE}
        if asked:
            with pytest.raises(OutOfRange, match="with an instrument") as found:
                tub_checks.check(deed, stands, 30.0, **within)
            assert found.value.about == "word"
        else:
            tub_checks.check(deed, stands, 30.0, **within)


def test_new_brine_wants_calcium_and_acid_and_whey_brine_has_its_own():
    told = (say(0, told_of.Made(20.0, 18.0)),)
    now = AT + timedelta(hours=1)
    words = " ".join(tub_checks.wants(tub.fold(told, (), HOUSE), 18.0, now, HOUSE).words)
    assert "30 g of calcium chloride" in words and "pH 5 to 5.3" in words
    soft = " ".join(tub_checks.wants(tub.fold(told, (), HOUSE), 18.0, now, HOUSE, soft=True).words)
    assert "pH 4.6 to 4.9" in soft
    whey = tub.fold((say(0, told_of.Made(20.0, 18.0, whey=True)),), (), HOUSE)
    assert tub_checks.wants(whey, 18.0, now, HOUSE).words == ()
    sour = replace(whey, ph=4.2, ph_at=now)
    assert "stands at pH 4.20" in tub_checks.wants(sour, 18.0, now, HOUSE).words[0]


def refused(deed, hours=60, story=STORY, lying=0, holds=30.0):
    standing = tub.fold(story, BATCHES, HOUSE)
    with pytest.raises(CraftError) as found:
        tub_checks.check(
            say(hours, deed),
            standing,
            holds,
            now=AT + timedelta(hours=60),
            lying=lying,
            house=HOUSE,
        )
    return found.value


@pytest.mark.parametrize(
    ("deed", "about"),
    [
        (told_of.Read(value=24.0, by="pct"), "word"),  # far from what was expected
        (told_of.Read(value=17.0, by="pct", ph=12.0), "ph"),
        (told_of.Read(value=17.0, by="pct", litres=90.0), "litres"),
        (told_of.SaltIn(4.0), "word"),  # more than it can hold
        (told_of.SaltIn(-1.0), "kg"),
        (told_of.WaterIn(25.0), "litres"),
        (told_of.CalciumIn(400.0), "grams"),
        (told_of.PhRead(1.0), "ph"),
        (told_of.Discarded(""), "word"),
    ],
)
def test_what_cannot_be_of_a_tub_is_refused_and_what_is_odd_is_asked(deed, about):
    assert refused(deed).about == about
    if about == "word" and not isinstance(deed, told_of.Discarded):
        standing = tub.fold(STORY, BATCHES, HOUSE)
        told = say(60, replace(deed, word="it is so"))
        tub_checks.check(told, standing, 30.0, now=AT + timedelta(hours=60), lying=0, house=HOUSE)


def test_a_tub_with_cheese_in_it_is_not_poured_away_and_an_empty_one_takes_nothing():
    assert "take them out first" in refused(told_of.Discarded("it smells"), lying=2).words
    assert "make it first" in refused(told_of.SaltIn(0.1), story=()).words
    gone = (*STORY, say(58, told_of.Discarded("it smells")))
    assert "poured away" in refused(told_of.SaltIn(0.1), story=gone).words
    anew = tub.fold((*gone, say(59, told_of.Made(10.0, 20.0))), BATCHES, HOUSE)
    assert anew.ended_at is None and anew.batches_ever == 0 and anew.calcium_g == 0
    tub_checks.check(
        say(59, told_of.Made(10.0, 20.0)),
        tub.fold(gone, BATCHES, HOUSE),
        30.0,
        now=AT + timedelta(hours=60),
        lying=0,
        house=HOUSE,
    )
    assert "pour it away first" in refused(told_of.Made(10.0, 20.0)).words
    assert "not happened yet" in refused(told_of.PhRead(5.0), hours=70).words


# ── the hour to go in ──


@given(
    st.integers(0, 60 * 24 * 400),
    st.floats(1, 60),
    st.tuples(st.integers(18, 23), st.integers(4, 9)),
)
def test_nobody_rises_in_the_night_to_take_a_cheese_out(minute, hours, night):
    zone = ZoneInfo("Europe/Dublin")
    now = (datetime(2026, 1, 1, tzinfo=UTC) + timedelta(minutes=minute)).astimezone(zone)
    quiet = time(night[0], 30), time(night[1], 0)
    found = goes_in(now, hours, quiet)
    assert found.at >= now.replace(second=0, microsecond=0)
    lain = found.out.astimezone(UTC) - found.at.astimezone(UTC)
    assert lain == pytest.approx(timedelta(hours=hours), abs=timedelta(seconds=1))
    assert (found.at_night is None) == (not is_quiet(now + timedelta(hours=hours), quiet)) or (
        now.utcoffset() != found.out.utcoffset()
    )
    if found.waits_h:
        assert not is_quiet(found.out, quiet) and not is_quiet(found.at, quiet)


def test_a_brining_that_would_end_at_twenty_to_four_is_moved_to_the_morning():
    zone = ZoneInfo("Europe/Dublin")
    found = goes_in(datetime(2026, 5, 4, 15, 40, tzinfo=zone), 12.0, (time(22, 30), time(6, 30)))
    assert found.at_night == datetime(2026, 5, 5, 3, 40, tzinfo=zone)
    assert found.at == datetime(2026, 5, 4, 18, 30, tzinfo=zone)
    assert found.out == datetime(2026, 5, 5, 6, 30, tzinfo=zone)
    with pytest.raises(OutOfRange):
        goes_in(found.at, 0.0, (time(22, 30), time(6, 30)))


# ── rinds, covers, drying ──


@given(KG, st.floats(0.5, 6), st.integers(1, 12))
def test_the_days_of_a_rind_give_its_salt_and_no_more(kg, pct, days):
    found = rubs(kg, pct, days)
    assert sum(each.grams.value for each in found) == pytest.approx(10 * kg * pct)
    assert [each.day for each in found] == list(range(days))


def test_a_blue_is_salted_on_three_days_each_a_care_of_its_own():
    blue, day = RECIPES["tarrow-blue"], BEGAN.date()
    assert [each.grams.value for each in rind_rubs(blue, 2.0)] == pytest.approx([24.0] * 3)
    cares = [each for each in plan_of(blue, day).cares if each.kind == "salt"]
    assert [care.key for care in cares] == [f"{RIND_SALT}1", f"{RIND_SALT}2"]
    assert all("24 g" in care.words for care in cares) and "turned" in cares[0].words
    done = [told_on(Cared("salting", f"{RIND_SALT}2"), day + timedelta(days=2))]
    left = [each for each in plan_of(blue, day, done).cares if each.kind == "salt"]
    assert [care.key for care in left] == [f"{RIND_SALT}1"]  # one that is forgotten is not over
    assert not any(c.kind == "salt" for c in plan_of(RECIPES["threshing-cheddar"], day).cares)


@given(st.integers(1, 4), st.floats(6, 20), st.floats(3, 12), st.floats(0.1, 40))
def test_what_covers_a_cheese_fills_the_tub_around_it(pieces, across, high, there):
    size = TubSize(60.0, 30.0, 40.0)
    floor = across**2
    assume(pieces * floor < size.floor_cm2)
    found = cover(size, pieces, floor, high)
    cheese = pieces * floor * high / 1000
    assert found.litres + cheese == pytest.approx(size.floor_cm2 * found.deep_cm / 1000)
    less = cover(size, pieces, floor, high, there)
    assert bool(less.turn_hours) == (there < found.litres)
    assert less.turn_hours == 0 or 6 <= less.turn_hours <= 12


def test_pieces_that_find_no_room_beside_each_other_are_said():
    with pytest.raises(NotPossible, match="side by side"):
        cover(TubSize(30.0, 20.0), 4, 300.0, 8.0)
    with pytest.raises(NotPossible, match="high"):
        cover(TubSize(30.0, 6.0), 1, 300.0, 8.0)


def test_a_damp_room_dries_more_slowly_and_an_unread_one_says_so():
    dry, damp = drying(65.0, 12.0, HOUSE), drying(94.0, 12.0, HOUSE)
    assert dry.days.value < damp.days.value and "does not dry" in damp.words
    assert "cracks" in drying(55.0, 12.0, HOUSE).words
    unread = drying(None, None, HOUSE)
    assert unread.days.known == "assumed" and "humidity" in unread.words
    assert drying(80.0, 12.0, HOUSE).words == ""


# ── a make's salt ──


def test_the_recipes_own_hours_stand_for_its_own_piece_in_its_own_brine():
    hatch, sheet = RECIPES["hatch"], sheet_of("hatch")
    step = hatch.step("brine")
    piece = lying(
        hatch, sheet, hatch.wheels.piece_kg, mould=None, brine_pct=step.brine_pct, celsius=12.0
    )
    plan = brine_plan(hatch, step, sheet, piece, by_faces=False)
    assert plan.hours.value == pytest.approx(step.minutes / 60)
    assert replay(plan.hours.because) == pytest.approx(plan.hours.value)
    double = lying(
        hatch, sheet, 2 * hatch.wheels.piece_kg, mould=None, brine_pct=step.brine_pct, celsius=12.0
    )
    longer = brine_plan(hatch, step, sheet, double, by_faces=False)
    assert longer.hours.value == pytest.approx(plan.hours.value * 2**0.95)
    assert longer.salt_pct == pytest.approx(plan.salt_pct)
    weak = lying(
        hatch, sheet, hatch.wheels.piece_kg, mould=None, brine_pct=step.brine_pct / 2, celsius=12.0
    )
    assert brine_plan(hatch, step, sheet, weak, by_faces=False).hours.value == pytest.approx(
        2**1.5 * plan.hours.value
    )


def test_eyes_want_less_salt_the_brines_warmth_is_said_and_the_ways_that_differ():
    hatch, sheet = RECIPES["hatch"], sheet_of("hatch")
    long = replace(hatch.step("brine"), minutes=3 * 24 * 60)
    piece = lying(
        hatch,
        sheet,
        3.2,
        mould=Mould(sort="pressing", across_cm=60.0, height_cm=12.0),
        brine_pct=18.0,
        celsius=20.0,
    )
    said_of = " ".join(brine_plan(hatch, long, sheet, piece, by_faces=False).says)
    assert "for its eyes it wants at most 1.3 %" in said_of and "20 °C" in said_of
    assert "two ways differ" in said_of
    short = replace(hatch.step("brine"), minutes=8 * 60)
    cool = lying(
        hatch,
        sheet,
        3.2,
        mould=Mould(sort="pressing", across_cm=20.0, height_cm=12.0),
        brine_pct=18.0,
        celsius=12.0,
    )
    quiet = " ".join(brine_plan(hatch, short, sheet, cool, by_faces=False).says)
    assert "eyes" not in quiet and "°C" not in quiet


def test_the_recipes_own_hours_end_a_bath_then_its_faces_then_the_rule():
    gatepost, sheet = RECIPES["gatepost"], sheet_of("gatepost")
    step = gatepost.step("brine")
    bare = replace(gatepost, wheels=None)
    assert not by_its_faces(gatepost, step, sheet, True)
    assert by_its_faces(bare, step, sheet, True) and not by_its_faces(bare, step, sheet, False)
    by_faces = replace(sheet, ways=replace(sheet.ways, brining="faces"))
    assert by_its_faces(gatepost, step, by_faces, True)
    mould = Mould(sort="hoop", across_cm=12.0, height_cm=6.0, side_cm=12.0)
    piece = lying(bare, sheet, 0.25, mould=mould, brine_pct=18.0, celsius=12.0)
    plan = brine_plan(bare, step, sheet, piece, by_faces=True)
    assert plan.by_faces and plan.hours == plan.schools.by_faces.hours
    heavy = lying(bare, sheet, 20.0, mould=None, brine_pct=18.0, celsius=12.0)
    assert "practice ranges" in " ".join(brine_plan(bare, step, sheet, heavy, by_faces=False).says)


def done(*steps):
    return {key: Done("d", BEGAN) for key in steps}


@pytest.mark.parametrize(
    ("key", "step", "way"),
    [
        ("threshing-cheddar", "salt", "62 % stay"),
        ("tarrow-blue", "salt", "80 % stay"),
        ("pond-white", "salt", "in the milk"),
    ],
)
def test_what_a_cheese_holds_is_told_by_how_it_was_salted(key, step, way):
    recipe, sheet = RECIPES[key], sheet_of(key)
    kg = sheet.cheese.value
    held = salt_held(recipe, sheet, Standing(done=done(step)), kg, ())
    assert way in held.because[0].label and 0.5 < held.value < 5
    assert replay(held.because) == pytest.approx(held.value) and held.rests_on_assumed
    assert salt_held(recipe, sheet, Standing(done={}), kg, ()).value == 0
    left_out = Standing(done=done(step), skipped={step: "no salt in the house"})
    assert salt_held(recipe, sheet, left_out, kg, ()).value == 0
    brined = salt_held(recipe, sheet, Standing(done=done(step)), kg, [Brined(0.01 * kg)])
    assert brined.value == pytest.approx(held.value + 1.0)
    assert in_moisture(held.value, 0.4) > held.value


def test_salt_in_the_water_is_held_against_the_family():
    assert "little salt" in said("cheddared", 3.0) and "much salt" in said("cheddared", 7.0)
    assert said("cheddared", 5.0).endswith("usual.") and said("lactic", 5.0) == ""


def test_a_white_cheese_keeps_by_where_it_comes_to_rest_and_not_by_its_hours():
    white, sheet = RECIPES["fold-white"], sheet_of("fold-white")
    found = keeping(white, sheet, 4.0, 2.0)
    assert found.brine_kg == pytest.approx(2.4) and found.keeps == (found.ends.value >= 6)
    weak = keeping(white, sheet, 4.0, 0.0, 4.0)
    assert not weak.keeps and weak.wants_pct > 8
    strong = keeping(white, sheet, 4.0, 0.0, weak.wants_pct)
    assert strong.ends.value == pytest.approx(6.0)
    assert keeping(RECIPES["hatch"], sheet_of("hatch"), 4.0, 2.0) is None


@given(st.floats(5, 40), st.lists(st.floats(0.1, 10), max_size=4), st.floats(0, 5))
def test_all_the_whey_adds_up(ran, went, kept):
    taps = [Tap("r", BEGAN, deeds.WheyRan(ran))]
    taps += [Tap(f"{n}", BEGAN, deeds.WheyWent(litres, "land")) for n, litres in enumerate(went)]
    caught = (Caught("c", BEGAN, kept),) if kept else ()
    standing = Standing(done={}, whey=caught, taps=tuple(taps))
    book = whey_book(RECIPES["larder-block"], standing, 99.0, 0.0)
    assert book.kept_l + sum(litres for _, litres in book.went) + book.left_l == pytest.approx(ran)
    assert not book.about and (book.over_l > 0) == (book.left_l < 0)


def test_salt_rich_and_sour_whey_is_said_and_sweet_whey_is_not():
    nothing = Standing(done={})
    salty = whey_book(RECIPES["larder-block"], nothing, 20.0, 400.0)
    assert "2.0 % salt: not for animals or land" in salty.says[0] and salty.about
    assert "sour" in whey_book(RECIPES["wrenfold-log"], nothing, 20.0, 0.0).says[0]
    assert whey_book(RECIPES["larder-block"], nothing, 20.0, 0.0).says == ()


# ── told ──


def within(**more):
    recipe = RECIPES["hatch"]
    keys = {step.key for step in recipe.steps}
    return replace(bounds(), steps=keys, recipe=recipe, cheese_kg=2.0, milk_kg=20.0, **more)


SOON = (BEGAN + timedelta(hours=9)).isoformat()


@pytest.mark.parametrize(
    ("deed", "about"),
    [
        (deeds.Moulded(step="mould", count=0), "count"),
        (deeds.Moulded(step="brine", count=2), "step"),
        (deeds.Loaded(step="press-light", load_kg=-3.0), "load_kg"),
        (deeds.Loaded(step="brine", load_kg=3.0), "step"),
        (deeds.InBrine(step="press-light", tub="t", until=SOON), "step"),
        (
            deeds.InBrine(step="brine", tub="t", until=(BEGAN - timedelta(hours=1)).isoformat()),
            "until",
        ),
        (
            deeds.InBrine(step="brine", tub="t", until=(BEGAN + timedelta(days=30)).isoformat()),
            "until",
        ),
        (deeds.InBrine(step="out", tub="t", until=SOON), "until"),
        (deeds.Trimmed(9.0), "kg"),
        (deeds.WheyRan(50.0), "litres"),
        (deeds.TurnedOver(""), "step"),
    ],
)
def test_what_no_press_and_no_tub_can_have_had_is_refused_by_its_field(deed, about):
    with pytest.raises(CraftError) as found:
        check_at_press(deed, BEGAN, within())
    assert found.value.about == about


@pytest.mark.parametrize(
    ("deed", "more", "words"),
    [
        (
            deeds.Loaded(step="press-light", load_kg=30.0),
            {"loads": {"press-light": 12.0}},
            "for this mould",
        ),
        (
            deeds.Loaded(step="press-light", load_kg=12.0),
            {"crowded": "It stands on another."},
            "another",
        ),
        (
            deeds.InBrine(step="brine", tub="t"),
            {"crowded": "They lie on each other."},
            "each other",
        ),
        (deeds.WheyRan(40.0), {"whey_l": 18.0}, "18.0 L were expected"),
    ],
)
def test_what_is_odd_at_the_press_is_asked_and_what_is_usual_is_not(deed, more, words):
    with pytest.raises(OutOfRange, match=words) as found:
        ask_at_press(deed, within(**more))
    assert found.value.about == "word"
    usual = {"loads": {"press-light": 20.0}, "whey_l": 36.0}
    ask_at_press(deed, within(**usual))


def test_a_weight_that_cannot_be_is_asked_and_one_that_can_is_not():
    recipe, sheet = RECIPES["larder-block"], sheet_of()
    heavy = yielded(recipe, sheet, 2.5 * sheet.cheese.value)
    with pytest.raises(OutOfRange, match="% water"):
        ask_at_press(deeds.OutOfMould((heavy.kg,)), within(weight_says=heavy))
    fine = yielded(recipe, sheet, 1.03 * sheet.cheese.value)
    ask_at_press(deeds.OutOfMould((fine.kg,)), within(weight_says=fine))
