"""The plan of a piece: out of its stages and what happened to it, and to no other."""

from dataclasses import replace
from datetime import date, datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from openpail.craft.cave.care import EAT, MOVE, care_plan
from openpail.craft.cave.deeds import (
    Cared,
    EarlyTaste,
    MovedTo,
    Opened,
    Sealed,
    Seen,
    WeighedAgain,
)
from openpail.craft.cave.hours import called_at
from openpail.craft.cave.keep import Facts, briefly, eat_by
from openpail.craft.cave.late import how_late
from openpail.craft.cave.look import look_of
from openpail.craft.cave.piece import aged_days, counts_raw
from openpail.craft.cave.ready import why_ready
from openpail.craft.cave.run import stages_run
from openpail.craft.cave.signs import SIGN_WORDS, SIGNS
from openpail.craft.cave.warmth import RoomDay
from openpail.craft.figure import replay
from openpail.craft.marks import Mark
from openpail.craft.recipe.cares import kind_of
from openpail.craft.recipe.recipe import Care, Wheels
from openpail.craft.recipe.ripening import OfPiece
from tests.support import HOUSE, RECIPES
from tests.support.resting import ZONE, around, plan_of, resting, told

DAY = date(2026, 4, 1)
LARDER, DAPPLE, HATCH = RECIPES["larder-block"], RECIPES["dapple"], RECIPES["hatch"]
BLUE, GATEPOST, FOLD = RECIPES["tarrow-blue"], RECIPES["gatepost"], RECIPES["fold-white"]
recipes = st.sampled_from(sorted(RECIPES.values(), key=lambda recipe: recipe.key))
AT = datetime(2026, 4, 1, 17, 0, tzinfo=ZONE)


def on(days):
    return DAY + timedelta(days=days)


# ── a plan per piece ──


@given(recipes, st.dates(date(2025, 1, 1), date(2027, 12, 31)), st.booleans())
@settings(max_examples=60)
def test_a_plan_is_the_same_cheese_on_any_day(recipe, made_on, raw):
    plan, first = plan_of(recipe, made_on, raw=raw), plan_of(recipe, DAY, raw=raw)
    shift = made_on - DAY
    assert [care.due - shift for care in plan.cares] == [care.due for care in first.cares]
    assert all(made_on <= care.due <= plan.eat_by for care in plan.cares)
    assert made_on <= plan.ready_from <= plan.ready_until
    assert [care.due for care in plan.cares] == sorted(care.due for care in plan.cares)
    assert len({(care.due, care.name) for care in plan.cares}) == len(plan.cares)


@given(st.integers(1, 30), st.integers(0, 40), st.integers(0, 60))
def test_a_care_comes_every_so_many_days_and_a_late_one_waits_for_hands(every, start, today):
    stage = replace(
        LARDER.stages[0],
        cares=(Care(key="x", words="look at it", every_days=every, from_day=start),),
        sign=None,
    )
    recipe = replace(LARDER, stages=(stage,), eat_by_days=80)
    plan = plan_of(recipe, DAY, today=on(today))
    due = [(care.due - DAY).days for care in plan.cares if care.key == "x"]
    assert due[0] == min(start, stage.days)  # nobody did it: it is due since then
    assert all(b - a == every for a, b in pairwise(due[1:]))
    assert len(due) < 2 or due[1] == max(due[0], today) + every
    once = replace(stage, cares=(replace(stage.cares[0], matters="once"),))
    plan = plan_of(replace(recipe, stages=(once,)), DAY)
    assert sum(care.key == "x" for care in plan.cares) == 1


def test_a_care_that_was_done_is_due_again_so_many_days_after_it_was():
    stage = LARDER.stages[1].key
    deeds = [told(MovedTo(label="1-1", place="cave", shelf=0, stage=stage), on(4))]
    turns = [c for c in plan_of(LARDER, DAY, deeds, on(9)).cares if c.key == "turn-early"]
    assert turns[0].due == on(5)  # from its stage on, late by now
    deeds.append(told(Cared(stage, "turn-early"), on(9)))
    turns = [c for c in plan_of(LARDER, DAY, deeds, on(9)).cares if c.key == "turn-early"]
    assert turns[0].due == on(11)


def test_twice_a_day_wants_two_taps_of_that_day():
    cares = (replace(LARDER.stages[0].cares[0], times_a_day=2),)
    recipe = replace(LARDER, stages=(replace(LARDER.stages[0], cares=cares, sign=None),))
    key = cares[0].key
    one = [told(Cared("dry", key), on(1))]
    due = [c for c in plan_of(recipe, DAY, one, on(1)).cares if c.key == key]
    assert (due[0].due, due[0].times) == (on(1), 2)
    both = [*one, told(Cared("dry", key), on(1), 1)]
    assert next(c for c in plan_of(recipe, DAY, both, on(1)).cares if c.key == key).due == on(2)


def test_a_move_is_due_when_its_stage_ends_and_an_early_one_moves_all_that_follows():
    plan = plan_of(HATCH, DAY)
    first = next(care for care in plan.cares if care.kind == MOVE)
    assert (first.stage, first.due, first.place) == ("cool", on(12), "cave")
    early = [told(MovedTo(label="9-1", place="warm cupboard", shelf=0, stage="warm"), on(8))]
    sooner = plan_of(HATCH, DAY, early, on(8))
    assert next(c for c in sooner.cares if c.kind == MOVE).due == plan.ran[1].ends - timedelta(4)
    assert (plan.ready_from - sooner.ready_from).days in (3, 4)
    why = why_ready(HATCH, HOUSE, OfPiece(), ran=sooner.ran, made_on=DAY, ready=sooner.ready)
    assert "it went on early" in [step.label for step in why.because]
    assert replay(why.because) == pytest.approx(why.value)
    late = plan_of(HATCH, DAY, today=on(20))  # nobody moved it: it waits, and cares go on
    assert late.ran[1].begins == on(20) and any(c.key == "turn" for c in late.cares)
    assert not any(c.stage == "warm" and c.due <= on(20) for c in late.cares)


def test_the_sign_of_a_stage_is_asked_for_when_near_and_moves_its_end():
    look = next(c for c in plan_of(DAPPLE, DAY).cares if c.kind == "sign")
    assert (look.sign, look.due) == ("bloom", on(10))
    there = plan_of(DAPPLE, DAY, [told(Seen("bloom", 3), on(9))], on(9))
    assert there.ran[0].ends == on(9) and there.ran[0].by_sign == -3
    assert next(c for c in there.cares if c.kind == MOVE).due == on(9)
    not_yet = plan_of(DAPPLE, DAY, [told(Seen("bloom", 1), on(12))], on(12))
    assert not_yet.ran[0].ends == on(14)
    assert next(c for c in not_yet.cares if c.kind == "sign").due == on(14)


def test_every_sign_a_recipe_names_is_one_the_cave_can_draw():
    named = {stage.sign for recipe in RECIPES.values() for stage in recipe.stages} - {None}
    assert named <= set(SIGN_WORDS) <= set(SIGNS)
    assert all(0 <= sign.ends < len(sign.steps) for sign in SIGNS.values())


@pytest.mark.parametrize("weekday", range(1, 8))
@given(st.integers(0, 6), st.integers(5, 30))
@settings(max_examples=20)
def test_a_house_day_bundles_weekly_cares_and_leaves_daily_ones(weekday, start, every):
    stage = replace(
        LARDER.stages[0],
        cares=(
            Care(key="w", words="look", every_days=every, from_day=start, matters="weekly"),
            Care(key="d", words="turn", every_days=1, from_day=1),
        ),
        sign=None,
        days=60,
    )
    recipe = replace(LARDER, stages=(stage,), eat_by_days=90)
    plan = plan_of(recipe, DAY, house_day=weekday)
    weekly = [care.due for care in plan.cares if care.key == "w"]
    assert weekly and {day.isoweekday() for day in weekly} == {weekday}
    assert weekly[0] >= DAY and all(b > a for a, b in pairwise(weekly))
    daily = [care.due for care in plan.cares if care.key == "d"]
    assert daily[:30] == [on(n) for n in range(1, 31)]


def test_a_new_bag_is_looked_at_after_a_day_and_a_week_and_needs_no_brush():
    seal = [told(Sealed(label="1-1", how="bag", rind=3), on(6))]
    plan = plan_of(LARDER, DAY, seal, on(6))
    assert [c.due for c in plan.cares if c.kind == "recheck"] == [on(7), on(13)]
    looked = [*seal, told(Seen("bag", 0), on(7))]
    assert [c.due for c in plan_of(LARDER, DAY, looked, on(7)).cares if c.kind == "recheck"] == [
        on(13)
    ]
    opened = [*seal, told(Opened("1-1"), on(8))]
    assert not any(c.kind == "recheck" for c in plan_of(LARDER, DAY, opened, on(8)).cares)
    washed = plan_of(GATEPOST, DAY, [told(Sealed(label="1-1", how="wax", rind=3), on(3))], on(3))
    assert not any(c.kind == "wash" for c in washed.cares if c.stage == "wash")


def test_weighing_tasting_and_wrapping_do_the_cares_that_ask_for_them():
    stage = LARDER.stages[1].key
    move = told(MovedTo(label="1-1", place="cave", shelf=0, stage=stage), on(4))
    before = {c.key for c in plan_of(LARDER, DAY, [move], on(70)).cares if c.due <= on(70)}
    assert {"weigh", "taste"} <= before
    done = [move, told(WeighedAgain(1.9), on(69)), told(EarlyTaste("young"), on(69), 1)]
    after = {c.key for c in plan_of(LARDER, DAY, done, on(70)).cares if c.due <= on(70)}
    assert not {"weigh", "taste"} & after


def test_soft_cheese_asks_to_be_eaten_in_time_and_firm_cheese_before_its_end():
    plan = plan_of(DAPPLE, DAY)
    eat = next(care for care in plan.cares if care.key == EAT)
    assert plan.ready_from <= eat.due < plan.ready_until
    plan = plan_of(LARDER, DAY)
    eat = next(care for care in plan.cares if care.key == EAT)
    assert eat.due == plan.eat_by - timedelta(days=14)
    skillet = RECIPES["skillet"]

    def eaten(recipe, days):
        plan = plan_of(recipe, DAY, (), on(days))
        return next(care.words for care in plan.cares if care.key == EAT)

    days = (plan_of(skillet, DAY).eat_by - DAY).days
    assert "hens" in eaten(skillet, days)
    assert "not eaten any more" in eaten(skillet, days + 1)
    old = next(n for n in range(150, 600) if on(n) > plan_of(LARDER, DAY, (), on(n)).eat_by)
    assert "look and taste" in eaten(LARDER, old) and "Eat it up" in eaten(LARDER, old - 1)


@given(recipes, st.integers(0, 900))
def test_what_nobody_moves_keeps_no_longer_for_that(recipe, days):
    first = plan_of(recipe, DAY, (), DAY).eat_by
    assert plan_of(recipe, DAY, (), on(days)).eat_by <= first
    kept = plan_of(recipe, DAY, (), on(days))
    assert kept.why_eat_by.value == pytest.approx((kept.eat_by - DAY).days, abs=0.5)


# ── ready, and how long it keeps ──


def test_a_raw_soft_cheese_ripens_faster_and_others_do_not():
    assert plan_of(DAPPLE, DAY, raw=True).ready_from < plan_of(DAPPLE, DAY).ready_from
    assert plan_of(LARDER, DAY, raw=True).ready_from == plan_of(LARDER, DAY).ready_from


@given(st.floats(4, 22), st.floats(0.5, 8))
def test_a_warmer_cave_ripens_sooner_and_its_reason_says_so(celsius, warmer):
    def ready(c):
        warm = {"cave": [RoomDay(on(n), c) for n in range(61)]}
        deeds = [told(MovedTo(label="1-1", place="cave", shelf=0, stage="cave"), on(4))]
        return plan_of(LARDER, DAY, deeds, on(60), warm=warm)

    cool, hot = ready(celsius), ready(celsius + warmer)
    assert hot.ran[1].ends <= cool.ran[1].ends
    for plan in (cool, hot):
        why = why_ready(LARDER, HOUSE, OfPiece(), ran=plan.ran, made_on=DAY, ready=plan.ready)
        assert replay(why.because) == pytest.approx(why.value)
        assert why.value == pytest.approx((plan.ran[-1].ends - DAY).days)


def test_a_place_as_warm_as_the_recipe_says_changes_nothing():
    warm = {"cave": [RoomDay(on(n), 12.0) for n in range(70)]}
    deeds = [told(MovedTo(label="1-1", place="cave", shelf=0, stage="cave"), on(4))]
    read, unread = (plan_of(LARDER, DAY, deeds, on(60), warm=w) for w in (warm, {}))
    assert read.ran == unread.ran


@pytest.mark.parametrize(
    ("of", "label"),
    [
        (OfPiece(True), "soft, of raw milk"),
        (OfPiece(thick=0.6), "thinner than the recipe’s: 60 % of its height"),
        (OfPiece(animals={"goat": 1.0}), "of goat milk, not cow"),
    ],
)
def test_format_species_and_raw_milk_each_move_a_surface_ripened_cheese(of, label):
    piece = replace(resting(DAPPLE, DAY), of=of)
    ran = stages_run(piece, around(DAY))
    plain = stages_run(resting(DAPPLE, DAY), around(DAY))
    assert ran[-1].ends < plain[-1].ends
    window = care_plan(piece, around(DAY)).ready
    labels = [
        step.label
        for step in why_ready(DAPPLE, HOUSE, of, ran=ran, made_on=DAY, ready=window).because
    ]
    assert label in labels


@pytest.mark.parametrize(
    ("deed", "sooner", "later", "words"),
    [
        (Seen("thumb", 3), True, None, "centre"),
        (Seen("thumb", 4), True, True, "soft all through"),
        (EarlyTaste("right"), True, None, "tasted right"),
        (EarlyTaste("past"), True, True, "past its best"),
        (EarlyTaste("young"), False, False, "tasted young"),
    ],
)
def test_thumb_and_tongue_move_the_window(deed, sooner, later, words):
    moved = [told(MovedTo(label="1-1", place="fridge", shelf=0, stage="wrap"), on(12))]
    plain = plan_of(DAPPLE, DAY, moved, on(20))
    felt = plan_of(DAPPLE, DAY, [*moved, told(deed, on(20))], on(20))
    assert words in felt.ready.moved
    assert (felt.ready_from <= on(20)) == sooner
    if later is not None:
        assert (felt.ready_until < plain.ready_until) == later
    why = why_ready(DAPPLE, HOUSE, OfPiece(), ran=felt.ran, made_on=DAY, ready=felt.ready)
    assert why.because[-1].label == felt.ready.moved


@pytest.mark.parametrize(
    ("recipe", "facts", "days"),
    [
        ("bench-curd", Facts(), 5),
        ("bench-curd", Facts(packed_hot=True), 7),
        ("second-pot", Facts(), 5),
        ("skillet", Facts(), 5),
        ("millrace-slab", Facts(packed_hot=True), 5),
        ("wrenfold-log", Facts(), 7),
        ("wrenfold-log", Facts(ph=4.7), 7),
        ("wrenfold-log", Facts(ph=4.6), 14),
        ("fold-white", Facts(brine_rests_pct=6.4), 180),
        ("fold-white", Facts(brine_rests_pct=5.5), 14),
        ("larder-block", Facts(), 180),
        ("larder-block", Facts(freezer=on(100)), 280),
        ("larder-block", Facts(thawed=on(30)), 35),
    ],
)
def test_how_long_it_keeps_goes_by_family_and_what_was_measured(recipe, facts, days):
    recipe = RECIPES[recipe]
    until = plan_of(recipe, DAY).ready_until
    last, why = eat_by(
        recipe, DAY, until, course=resting(recipe, DAY).course, facts=facts, house=HOUSE
    )
    assert (last - DAY).days == days and replay(why.because) == pytest.approx(days)
    if recipe.eat_by_days in (5, 7):
        strict = replace(recipe, eat_by_days=3)
        last, _ = eat_by(
            strict, DAY, until, course=resting(strict, DAY).course, facts=facts, house=HOUSE
        )
        assert (last - DAY).days == 3 == briefly(strict, HOUSE)


@pytest.mark.parametrize(
    ("facts", "how", "days"),
    [
        (Facts(ph=5.2, moisture=0.55), "bag", 10 + 7),
        (Facts(), "bag", 10 + 7),  # nobody measured it: it may
        (Facts(ph=4.5, moisture=0.55), "bag", 180),
        (Facts(ph=5.2, moisture=0.40), "bag", 180),
        (Facts(ph=4.5, moisture=0.55), "oil", 10 + 4),
    ],
)
def test_without_air_a_moist_cheese_keeps_a_week_and_in_oil_four_days(facts, how, days):
    course = resting(LARDER, DAY, [told(Sealed(label="1-1", how=how, rind=3), on(10))]).course
    last, _ = eat_by(LARDER, DAY, on(80), course=course, facts=facts, house=HOUSE)
    assert (last - DAY).days == days


def test_only_days_at_35_f_or_above_age_a_raw_cheese_and_none_in_a_freezer():
    lain = [
        told(MovedTo(label="1-1", place="fridge"), on(20)),
        told(MovedTo(label="1-1", place="freezer"), on(40)),
    ]
    course = resting(LARDER, DAY, lain).course
    cold = {"fridge": [RoomDay(on(n), 1.2 if n < 30 else 4.0) for n in range(20, 40)]}
    assert aged_days(course, around(on(70), warm=cold), on(70)) == 30
    assert aged_days(course, around(on(70)), on(70)) == 40
    assert counts_raw("cheddared", True, ()) and not counts_raw("cheddared", False, ())
    assert not counts_raw("acid_heat_soft", True, ())
    assert counts_raw("acid_heat_soft", True, (Mark(key="raw-soft", words="x"),))


# ── the hours, and how late ──

TIMES = st.times(min_value=time(0), max_value=time(23, 59)).map(
    lambda t: t.replace(second=0, microsecond=0)
)


@given(
    st.dates(date(2026, 1, 1), date(2026, 12, 31)),
    st.integers(1, 4),
    st.floats(0, 23.5),
    TIMES,
    TIMES,
    st.sampled_from(["Europe/Dublin", "America/New_York", "Australia/Lord_Howe"]),
)
def test_cares_are_called_on_their_own_day_and_never_in_quiet_hours(
    day, times, at, quiet_from, quiet_until, zone
):
    begin, end = (t.hour * 60 + t.minute for t in (quiet_from, quiet_until))
    quiet = (end - begin) % 1440
    assume(quiet <= 18 * 60)
    moments = called_at(day, times, at, (quiet_from, quiet_until), ZoneInfo(zone))
    assert len(moments) == times and moments == sorted(moments)
    for moment in moments:
        assert moment.date() == day
        minute = moment.hour * 60 + moment.minute
        assert quiet == 0 or (minute - begin) % 1440 >= quiet


def test_a_daily_care_is_daily_across_the_change_to_summer_time():
    days = [date(2026, 3, 27) + timedelta(days=n) for n in range(5)]
    quiet = (time(22, 30), time(6, 30))
    moments = [called_at(day, 1, 8.0, quiet, ZONE)[0] for day in days]
    assert [m.hour for m in moments] == [8] * 5
    gaps = [(b.timestamp() - a.timestamp()) / 3600 for a, b in pairwise(moments)]
    assert gaps == [24, 23, 24, 24]


@pytest.mark.parametrize(
    ("key", "days", "today", "sealed", "level"),
    [
        ("turn-dry", 1, on(2), None, "matters"),  # a daily turn in the first two weeks
        ("turn-dry", 0, on(1), None, ""),
        ("weigh", 3, on(90), "bag", "can wait"),  # a weekly one in a bag hardly
        ("weigh", 6, on(90), None, "soon"),
    ],
)
def test_a_late_care_says_how_much_it_matters(key, days, today, sealed, level):
    care = next(each for each in plan_of(LARDER, DAY).cares if each.key == key)
    late = how_late(replace(care, due=today - timedelta(days)), DAY, sealed, today)
    assert (late.days, late.level) == (days, level)


def test_a_cheese_looks_as_its_signs_were_seen_and_as_old_as_it_is():
    def look(recipe, deeds, today):
        piece = resting(recipe, DAY, deeds)
        return look_of(piece, care_plan(piece, around(today)), 2.0, today, HOUSE)

    bare, white = look(DAPPLE, [], DAY), look(DAPPLE, [told(Seen("bloom", 3), on(9))], on(9))
    assert (bare.rind, bare.step, white.step) == ("bloom", 0, 3) and "white all over" in white.words
    assert look(LARDER, [], on(70)).step > look(LARDER, [], on(5)).step
    assert look(LARDER, [], DAY).shape == "brick" and look(BLUE, [], DAY).shape == "wheel"
    waxed = look(LARDER, [told(Sealed(label="1-1", how="wax", rind=3), on(9))], on(9))
    assert waxed.sealed == "wax" and "wax" in waxed.words
    assert look(BLUE, [told(Cared("cave", "pierce"), on(9))], on(9)).holes


@pytest.mark.parametrize(
    ("key", "moulds", "place", "facts", "shape"),
    [
        ("wrenfold-log", None, None, Facts(), "log"),
        ("wrenfold-log", (7.0, 6.0, 7.0), None, Facts(), "pyramid"),
        ("wrenfold-log", (8.0, 3.0, None), None, Facts(), "wheel"),
        ("slow-skein", None, None, Facts(), "ball"),
        ("slow-skein", None, "hanging in the cave", Facts(), "hung"),
        ("fold-white", (12.0, 5.0, 9.0), None, Facts(brine_rests_pct=6.0), "brine"),
        ("fold-white", (12.0, 5.0, 9.0), None, Facts(), "brick"),
        ("second-pot", None, None, Facts(), "tub"),
    ],
)
def test_a_cheese_has_the_shape_of_its_mould_and_of_how_it_is_kept(
    key, moulds, place, facts, shape
):
    recipe = RECIPES[key]
    if moulds:
        across, height, side = moulds
        recipe = replace(
            recipe,
            wheels=Wheels(
                pieces=4, piece_kg=0.25, across_cm=across, height_cm=height, side_cm=side
            ),
        )
    if place:
        recipe = replace(recipe, stages=(replace(recipe.stages[0], place=place),))
    piece = replace(resting(recipe, DAY, []), facts=facts, kg=0.25)
    look = look_of(piece, care_plan(piece, around(DAY)), 0.25, DAY, HOUSE)
    assert look.shape == shape


def test_what_the_hands_do_is_said_by_the_recipe_or_by_its_words():
    assert kind_of(Care(key="x", words="Rub it with 3 % brine", every_days=2)) == "wash"
    assert kind_of(Care(key="x", words="Turn it", every_days=2, kind="look")) == "look"
    assert kind_of(Care(key="x", words="Sing to it", every_days=2)) == "look"
    kinds = {kind_of(c) for recipe in RECIPES.values() for s in recipe.stages for c in s.cares}
    assert {"turn", "wash", "brush", "pierce", "weigh", "taste", "wrap", "foil", "bag"} <= kinds


def test_after_a_taste_a_firm_cheese_asks_for_its_plug_its_seal_and_a_look_at_it():
    tasted = [
        told(Sealed(label="1-1", how="wax", rind=3), on(3)),
        told(EarlyTaste(ripe="young"), on(20)),
    ]
    asked = [c for c in plan_of(LARDER, DAY, tasted, on(20)).cares if c.stage == "taste"]
    assert [(c.kind, c.due) for c in asked] == [("plug", on(20))]
    assert "into a new wax again" in asked[0].words
    assert how_late(asked[0], DAY, "wax", on(22)).level == "matters"
    plugged = [*tasted, told(Cared("taste", "plug"), on(21))]
    asked = [c for c in plan_of(LARDER, DAY, plugged, on(21)).cares if c.stage == "taste"]
    assert [(c.kind, c.due) for c in asked] == [("look", on(24))]
    looked = [*plugged, told(Cared("taste", "plug-look"), on(24))]
    assert not [c for c in plan_of(LARDER, DAY, looked, on(24)).cares if c.stage == "taste"]
    again = [*looked, told(EarlyTaste(ripe="right"), on(40))]
    assert [c.key for c in plan_of(LARDER, DAY, again, on(40)).cares if c.stage == "taste"] == [
        "plug"
    ]
    soft = [told(EarlyTaste(ripe="young"), on(8))]
    assert not [c for c in plan_of(DAPPLE, DAY, soft, on(8)).cares if c.stage == "taste"]


def test_soft_to_the_centre_under_a_bare_coat_is_wrapped_at_once():
    def now(*seen, day=9):
        signs = [told(Seen(*each), on(day), n) for n, each in enumerate(seen)]
        plan = plan_of(DAPPLE, DAY, signs, on(day))
        return [(c.kind, c.due) for c in plan.cares if c.key == "wrap-now"]

    assert now(("thumb", 3)) == now(("thumb", 4), ("bloom", 1)) == [("wrap", on(9))]
    assert now(("thumb", 3), ("bloom", 2)) == now(("thumb", 2)) == []
    done = [told(Seen("thumb", 3), on(9)), told(Cared("taste", "wrap-now"), on(9))]
    assert not [c for c in plan_of(DAPPLE, DAY, done, on(9)).cares if c.key == "wrap-now"]
