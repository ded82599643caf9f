"""The plan of a piece: out of its stages and what happened to it, and to no other."""

from dataclasses import replace
from datetime import date, datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from openpail.craft.cave.care import EAT, MOVE, care_plan
from openpail.craft.cave.checks import Guarded, PieceBounds, check
from openpail.craft.cave.course import from_json, later, to_json
from openpail.craft.cave.deeds import (
    PIECE_DEEDS,
    Cared,
    CutUp,
    EarlyTaste,
    MovedTo,
    Opened,
    Out,
    PieceAmended,
    PieceUndone,
    Sealed,
    Seen,
    WeighedAgain,
    read_deed,
    to_payload,
)
from openpail.craft.cave.fold import fold, parts_begun
from openpail.craft.cave.hours import called_at
from openpail.craft.cave.keep import Facts, eat_by
from openpail.craft.cave.late import how_late
from openpail.craft.cave.look import look_of
from openpail.craft.cave.piece import aged_days, counts_raw
from openpail.craft.cave.ready import why_ready
from openpail.craft.cave.run import stages_run
from openpail.craft.cave.seal import gate
from openpail.craft.cave.signs import SIGN_WORDS, SIGNS
from openpail.craft.cave.warmth import RoomDay
from openpail.craft.errors import CraftError, NotPossible, OutOfRange
from openpail.craft.figure import replay
from openpail.craft.recipe.cares import kind_of
from openpail.craft.recipe.recipe import Care, Recipe
from openpail.craft.recipe.ripening import OfPiece
from tests.support import HOUSE, RECIPES
from tests.support.resting import ZONE, around, begun, plan_of, resting, told

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
    stage = replace(LARDER.stages[0], cares=(Care("x", "look at it", every, start),), sign=None)
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
    deeds = [told(MovedTo("1-1", "cave", 0, stage), on(4))]
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
    early = [told(MovedTo("9-1", "warm cupboard", 0, "warm"), on(8))]
    sooner = plan_of(HATCH, DAY, early, on(8))
    assert next(c for c in sooner.cares if c.kind == MOVE).due == plan.ran[1].ends - timedelta(4)
    assert (plan.ready_from - sooner.ready_from).days in (3, 4)
    why = why_ready(HATCH, HOUSE, OfPiece(), sooner.ran, DAY, sooner.ready)
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
        cares=(Care("w", "look", every, start, "weekly"), Care("d", "turn", 1, 1)),
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
    seal = [told(Sealed("1-1", "bag", 3), on(6))]
    plan = plan_of(LARDER, DAY, seal, on(6))
    assert [c.due for c in plan.cares if c.kind == "recheck"] == [on(7), on(13)]
    looked = [*seal, told(Seen("bag", 0), on(7))]
    assert [c.due for c in plan_of(LARDER, DAY, looked, on(7)).cares if c.kind == "recheck"] == [
        on(13)
    ]
    opened = [*seal, told(Opened("1-1"), on(8))]
    assert not any(c.kind == "recheck" for c in plan_of(LARDER, DAY, opened, on(8)).cares)
    washed = plan_of(GATEPOST, DAY, [told(Sealed("1-1", "wax", 3), on(3))], on(3))
    assert not any(c.kind == "wash" for c in washed.cares if c.stage == "wash")


def test_weighing_tasting_and_wrapping_do_the_cares_that_ask_for_them():
    stage = LARDER.stages[1].key
    move = told(MovedTo("1-1", "cave", 0, stage), on(4))
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
    assert "hens" in next(c for c in plan_of(RECIPES["skillet"], DAY).cares if c.key == EAT).words


# ── ready, and how long it keeps ──


def test_a_raw_soft_cheese_ripens_faster_and_others_do_not():
    assert plan_of(DAPPLE, DAY, raw=True).ready_from < plan_of(DAPPLE, DAY).ready_from
    assert plan_of(LARDER, DAY, raw=True).ready_from == plan_of(LARDER, DAY).ready_from


@given(st.floats(4, 22), st.floats(0.5, 8))
def test_a_warmer_cave_ripens_sooner_and_its_reason_says_so(celsius, warmer):
    def ready(c):
        warm = {"cave": [RoomDay(on(n), c) for n in range(61)]}
        deeds = [told(MovedTo("1-1", "cave", 0, "cave"), on(4))]
        return plan_of(LARDER, DAY, deeds, on(60), warm=warm)

    cool, hot = ready(celsius), ready(celsius + warmer)
    assert hot.ran[1].ends <= cool.ran[1].ends
    for plan in (cool, hot):
        why = why_ready(LARDER, HOUSE, OfPiece(), plan.ran, DAY, plan.ready)
        assert replay(why.because) == pytest.approx(why.value)
        assert why.value == pytest.approx((plan.ran[-1].ends - DAY).days)


def test_a_place_as_warm_as_the_recipe_says_changes_nothing():
    warm = {"cave": [RoomDay(on(n), 12.0) for n in range(70)]}
    deeds = [told(MovedTo("1-1", "cave", 0, "cave"), on(4))]
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
    labels = [step.label for step in why_ready(DAPPLE, HOUSE, of, ran, DAY, window).because]
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
    moved = [told(MovedTo("1-1", "fridge", 0, "wrap"), on(12))]
    plain = plan_of(DAPPLE, DAY, moved, on(20))
    felt = plan_of(DAPPLE, DAY, [*moved, told(deed, on(20))], on(20))
    assert words in felt.ready.moved
    assert (felt.ready_from <= on(20)) == sooner
    if later is not None:
        assert (felt.ready_until < plain.ready_until) == later
    why = why_ready(DAPPLE, HOUSE, OfPiece(), felt.ran, DAY, felt.ready)
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
    last, why = eat_by(recipe, DAY, until, resting(recipe, DAY).course, facts, HOUSE)
    assert (last - DAY).days == days and replay(why.because) == pytest.approx(days)


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
    course = resting(LARDER, DAY, [told(Sealed("1-1", how, 3), on(10))]).course
    last, _ = eat_by(LARDER, DAY, on(80), course, facts, HOUSE)
    assert (last - DAY).days == days


def test_only_days_at_35_f_or_above_age_a_raw_cheese_and_none_in_a_freezer():
    lain = [told(MovedTo("1-1", "fridge"), on(20)), told(MovedTo("1-1", "freezer"), on(40))]
    course = resting(LARDER, DAY, lain).course
    cold = {"fridge": [RoomDay(on(n), 1.2 if n < 30 else 4.0) for n in range(20, 40)]}
    assert aged_days(course, around(on(70), warm=cold), on(70)) == 30
    assert aged_days(course, around(on(70)), on(70)) == 40
    assert counts_raw("cheddared", True, {}) and not counts_raw("cheddared", False, {})
    assert not counts_raw("acid_heat_soft", True, {})
    assert counts_raw("acid_heat_soft", True, {"raw-soft": ""})


@pytest.mark.parametrize(
    ("guard", "where", "words"),
    [
        (Guarded(True, 0), "sold", "day 0 of 60"),
        (Guarded(True, 59), "eaten", "day 59 of 60"),
        (Guarded(True, 60), "sold", ""),
        (Guarded(False, 0), "sold", ""),
        (Guarded(True, 0), "thrown", ""),
        (Guarded(True, 90, ("raw-soft",)), "sold", "law that allows"),
        (Guarded(False, 90, ("slow-acid",)), "given", "acid was slow"),
        (Guarded(False, 0, ("slow-acid",)), "thrown", ""),
    ],
)
def test_what_speaks_against_a_piece_leaving_asks_for_a_word(guard, where, words):
    said = guard.words(where)
    assert (words in said) if words else said == ""
    out = Out(where, "a neighbour", label="37-2")
    if words:
        with pytest.raises(OutOfRange, match="Write why"):
            refuse(out, guard=guard)
        refuse(replace(out, why="the inspector allows it"), guard=guard)
    else:
        refuse(out, guard=guard)


# ── the door of the craft ──


def bounds(recipe=LARDER, deeds=(), today=DAY, label="37-2", **more):
    begin = begun(recipe, DAY)
    standing = fold(deeds, begin)
    piece = resting(recipe, DAY, deeds)
    of = around(today)
    now = datetime.combine(today, time(18), ZONE)
    laid = datetime.combine(DAY, time(8), ZONE)
    guard = more.pop("guard", Guarded(False, 99))
    plan = care_plan(piece, of)
    return PieceBounds(label, recipe.name, piece, plan, standing, of, now, laid, guard, **more)


def refuse(deed, recipe=LARDER, deeds=(), today=DAY, amends=None, at=None, **more):
    """Raises what the craft says against a deed."""
    held = bounds(recipe, deeds, today, **more)
    check(deed, at or held.now, amends, held)


def said_of(deed, **more):
    with pytest.raises(CraftError) as refused:
        refuse(deed, **more)
    return refused.value


NAMED = (
    MovedTo("36-2", "cave", 0, "cave"),
    Sealed("36-2", "wrap"),
    Opened("36-2"),
    CutUp("36-2", (1.0, 1.0), ("fridge", "fridge")),
    Out("sold", label="36-2"),
)


@pytest.mark.parametrize("deed", NAMED)
def test_another_cheeses_number_is_refused_and_told_whose_it_is(deed):
    found = said_of(deed, whose=lambda label: "a Hatch, in warm cupboard")
    assert found.about == "label" and "36-2 is a Hatch" in found.words and "37-2" in found.words
    assert "No cheese is called" in said_of(replace(deed, label="99-9")).words
    assert "Read the number" in said_of(replace(deed, label=" ")).words


def moved(stage="cave", place="cave", word="", label="37-2"):
    return MovedTo(label, place, 0, stage, "typed", word)


@pytest.mark.parametrize(
    ("deed", "more", "words"),
    [
        (moved(), {"today": on(1)}, "3 days early"),
        (moved(), {"today": on(4)}, ""),
        (moved(), {"today": on(9)}, "5 days late"),
        (moved(place="warm cupboard"), {"today": on(4)}, "has it in cave"),
        (moved("", "fridge"), {"today": on(2)}, "has it in cool room until"),
        (moved(), {"today": on(4), "left": lambda place: 0}, "no room left in cave"),
        (moved("", "freezer"), {"today": on(2)}, "crumbling"),
        (moved("warm", "warm cupboard"), {"recipe": HATCH, "today": on(12)}, ""),
        (moved("cave"), {"recipe": HATCH, "today": on(12)}, "warm cupboard before that"),
        (moved(), {"deeds": [told(Seen("dry", 3), on(1))], "today": on(1)}, ""),
        (moved(), {"deeds": [told(Seen("dry", 1), on(2))], "today": on(4)}, "was “damp"),
    ],
)
def test_a_move_that_is_early_late_or_another_is_asked_before_and_kept_with_a_word(
    deed, more, words
):
    if not words:
        refuse(deed, **more)
        return
    found = said_of(deed, **more)
    assert found.about == "word" and words in found.words
    refuse(replace(deed, word="the maker of it said so"), **more)


@pytest.mark.parametrize(
    ("deed", "words"),
    [
        (moved("nowhere"), "no stage of this cheese"),
        (moved("dry"), "in that stage already"),
        (moved("", "cool room"), "lies there already"),
        (moved("", " "), "Say where"),
        (replace(moved("", "cave"), shelf=9), "has 3 shelves"),
        (Cared("cave", "polish"), "no care of this piece"),
        (Seen("moon", 1), "no sign"),
        (Seen("bloom", 9), "pictures"),
        (WeighedAgain(0.0), "Write what is there"),
        (Opened("37-2"), "not sealed"),
        (CutUp("37-2", (1.0,), ("cave",)), "two or more"),
        (CutUp("37-2", (1.5, 1.5), ("cave", "cave")), "there are 2.00 kg"),
        (CutUp("37-2", (1.0, 0.0), ("cave", "cave")), "a weight and a place"),
        (Out("lost", label="37-2"), "Choose what became"),
        (Out("sold", kg=2.5, label="37-2"), "up to 2.00 kg"),
        (Out("sold", "x" * 400, label="37-2"), "At most 300"),
        (Sealed("37-2", "oil", 3), "No oil on this cheese"),
    ],
)
def test_what_cannot_be_is_refused_and_no_word_gets_around_it(deed, words):
    assert words in said_of(deed, today=on(2)).words
    if hasattr(deed, "word"):
        again = replace(deed, word="it is so, the maker says")
        assert words in said_of(again, today=on(2)).words


@pytest.mark.parametrize(
    ("deed", "more", "words"),
    [
        (Sealed("37-2", "bag", 2), {}, "tacky"),
        (Sealed("37-2", "wax", 1), {}, "damp"),
        (Sealed("37-2", "bag"), {}, "Feel the rind first"),
        (Sealed("37-2", "bag", 3), {}, "7 days, at 3 °C (37 °F)"),
        (Sealed("37-2", "wrap"), {}, ""),
        (Sealed("37-2", "wax", 3), {"recipe": DAPPLE}, "rind lives"),
        (Sealed("37-2", "foil"), {"recipe": DAPPLE}, ""),
        (Sealed("37-2", "wax", 3), {"recipe": HATCH, "today": on(3)}, "warm room is not over"),
        (WeighedAgain(2.1), {}, "does not grow heavier"),
        (WeighedAgain(1.2), {}, "40 % less"),
        (WeighedAgain(1.6), {"expects_kg": 2.4}, "About 2.40 kg"),
        (WeighedAgain(1.9), {"expects_kg": 1.95}, ""),
        (CutUp("37-2", (0.9, 0.9), ("cave", "cave")), {}, "10 % of it"),
        (CutUp("37-2", (1.0, 0.98), ("cave", "cave")), {}, ""),
        (Seen("bag", 2), {}, "Gas"),
        (Seen("strange", 3), {}, "discard"),
        (Seen("strange", 1), {}, ""),
        (
            Cared("cave", "pierce"),
            {"recipe": BLUE, "deeds": [told(Seen("blue", 0), on(1))], "today": on(2)},
            "No blue",
        ),
        (Cared("cave", "taste"), {"today": on(2)}, "Its plan has that on"),
        (Cared("dry", "turn-dry"), {"today": on(2)}, ""),
    ],
)
def test_what_is_far_from_expected_is_asked_and_kept_with_a_word(deed, more, words):
    if not words:
        refuse(deed, **more)
        return
    assert words in said_of(deed, **more).words
    refuse(replace(deed, word="looked at twice, it is so"), **more)


def test_a_seal_is_no_care_to_tick_off_so_that_nobody_walks_around_the_gate():
    wheel, more = RECIPES["steading-wheel"], {"today": on(63)}
    bag = Cared("keep", "bag", "it was dry, I am sure")
    assert "on its own page" in said_of(bag, recipe=wheel, **more).words
    assert "on its own page" in said_of(Cared("wrap", "wrap"), recipe=DAPPLE, **more).words


def test_nothing_happens_to_a_piece_that_is_gone_ahead_of_time_or_before_it_was_there():
    gone = [told(Out("eaten"), on(3))]
    assert "gone already" in said_of(WeighedAgain(1.0), deeds=gone, today=on(4)).words
    late = AT + timedelta(days=30)
    assert "not happened yet" in said_of(WeighedAgain(1.9), at=late).words
    early = AT - timedelta(days=2)
    assert "not laid down" in said_of(WeighedAgain(1.9), at=early).words


def test_a_slip_is_taken_back_at_once_and_what_is_long_told_with_a_word():
    done = told(Out("eaten"), on(3), name="x")
    held = {"deeds": [done], "amends": "x"}
    refuse(
        PieceUndone(),
        **held,
        today=on(3),
        told_at={"x": datetime.combine(on(3), time(17, 55), ZONE)},
    )
    assert "more than ten minutes" in said_of(PieceUndone(), **held, today=on(4)).words
    refuse(PieceUndone("it was the wheel beside it"), **held, today=on(4))
    assert "not in the record" in said_of(PieceUndone(), amends="y").words
    mend = PieceAmended({"at": (AT + timedelta(days=1)).isoformat()})
    refuse(mend, deeds=[told(WeighedAgain(1.9), on(3), name="w")], amends="w", today=on(3))
    far = PieceAmended({"at": (AT + timedelta(days=9)).isoformat()})
    assert (
        "Look at the time"
        in said_of(
            far, deeds=[told(WeighedAgain(1.9), on(3), name="w")], amends="w", today=on(3)
        ).words
    )


@pytest.mark.parametrize("rind", [None, 0, 1, 2])
@pytest.mark.parametrize("how", ["bag", "wax", "cloth"])
def test_the_gate_never_misses_a_rind_that_is_not_touch_dry(how, rind):
    known = Facts(ph=4.4, moisture=0.4)
    assert gate(how, rind, LARDER, 1, known, has_bloom=False).asks
    assert not gate(how, 3, LARDER, 1, known, has_bloom=False).asks
    told_of = gate("wax", 3, LARDER, 1, known, has_bloom=False).cautions
    assert "no water on burning wax" in " ".join(told_of)
    with pytest.raises(NotPossible):
        gate("oil", 3, LARDER, 1, Facts(ph=5.0, moisture=0.6), has_bloom=False)
    assert "4 days" in " ".join(gate("oil", 3, LARDER, 1, known, has_bloom=False).cautions)


# ── folding ──

DEEDS = st.one_of(
    st.builds(Cared, st.sampled_from(["dry", "cave"]), st.sampled_from(["turn-dry", "taste"])),
    st.builds(Seen, st.sampled_from(sorted(SIGNS)), st.integers(0, 2)),
    st.builds(WeighedAgain, st.floats(0.5, 1.9)),
    st.builds(MovedTo, st.just("1-1"), st.sampled_from(["cave", "fridge"]), st.integers(0, 3)),
    st.builds(MovedTo, st.just("1-1"), st.just("cave"), st.just(0), st.just("cave")),
    st.builds(Sealed, st.just("1-1"), st.sampled_from(["bag", "wrap"])),
    st.builds(Opened, st.just("1-1")),
    st.builds(EarlyTaste, st.sampled_from(["young", "right", "past"])),
    st.builds(Out, st.just("sold"), st.just("the inn"), st.floats(0.01, 0.4)),
    st.just(CutUp("1-1", (0.3, 0.2), ("cave", "fridge"))),
)


@given(st.lists(DEEDS, max_size=12), st.randoms(), st.data())
def test_deeds_in_any_order_with_repeats_come_to_the_same_and_weights_add_up(deeds, chance, data):
    story = [told(deed, on(n), n, name=f"d{n}") for n, deed in enumerate(deeds)]
    for number in data.draw(st.sets(st.integers(0, 11), max_size=3)):
        if number < len(deeds):
            story.append(told(PieceUndone("x"), on(20), number, f"d{number}", f"u{number}"))
    mixed = story * 2
    chance.shuffle(mixed)
    begin = begun(LARDER, DAY)
    at = fold(story, begin)
    assert fold(mixed, begin) == at
    assert from_json(to_json(at.course)) == at.course
    assert later(later(at.course, 9), -9) == at.course
    gone = sum(each.kg for each in at.gone)
    assert at.left_kg + gone + at.dried_kg + at.cut_kg == pytest.approx(2.0)
    for each in at.told:
        assert read_deed(each.deed.kind, to_payload(each.deed)) == each.deed


@pytest.mark.parametrize("kind", sorted(PIECE_DEEDS))
def test_a_deed_from_plain_data_is_read_whole_or_refused(kind):
    with pytest.raises(CraftError):
        read_deed(kind, {"strange": 1})
    for payload in ({"kg": "much"}, {"by": "chance"}, {"how": "string"}, {"step": True}):
        with pytest.raises(CraftError):
            read_deed(kind, payload)
    with pytest.raises(CraftError, match="no deed"):
        read_deed("eaten", {})


def test_a_mended_time_moves_the_deed_and_what_hangs_on_it():
    move = told(MovedTo("9-1", "warm cupboard", 0, "warm"), on(9), name="m")
    change = told(PieceAmended({"at": told(move.deed, on(12)).at.isoformat()}), on(13), 1, "m")
    assert resting(HATCH, DAY, [move, change]).course.begins(1) == on(12)
    undone = told(PieceUndone(), on(14), 2, change.id)
    assert resting(HATCH, DAY, [move, change, undone]).course.begins(1) == on(9)


def test_the_parts_of_a_wheel_go_on_in_its_stage_each_in_its_own_place():
    move = told(MovedTo("1-1", "cave", 0, "cave"), on(4))
    cut = told(CutUp("1-1", (1.2, 0.7), ("cave", "fridge")), on(90), name="c")
    whole = fold([move, cut], begun(LARDER, DAY))
    parts = parts_begun(cut, whole, ZONE)
    assert [kg for kg, _ in parts] == [1.2, 0.7] and whole.left_kg == 0 and whole.ended_at
    assert [course.now.place for _, course in parts] == ["cave", "fridge"]
    assert all(course.stage == 1 and course.cut_on == on(90) for _, course in parts)
    piece = replace(resting(LARDER, DAY), course=parts[1][1])
    assert care_plan(piece, around(on(90))).eat_by == on(90 + 21)


# ── no cheese on another's calendar ──


class Shelf(RuleBasedStateMachine):
    """Three sisters; whatever is done to one, the plans of the others stay as they were."""

    @initialize(recipe=recipes)
    def lay_down(self, recipe):
        self.recipe: Recipe = recipe
        self.deeds = {label: [] for label in ("5-1", "5-2", "5-3")}
        self.today, self.number = DAY, 0

    def plans(self):
        of = around(self.today)
        return {k: care_plan(resting(self.recipe, DAY, d), of) for k, d in self.deeds.items()}

    @rule(days=st.integers(1, 15))
    def time_goes_on(self, days):
        self.today += timedelta(days=days)

    @rule(label=st.sampled_from(["5-1", "5-2", "5-3"]), deed=DEEDS, told_as=st.booleans())
    def something_is_done(self, label, deed, told_as):
        stages = [stage.key for stage in self.recipe.stages]
        course = resting(self.recipe, DAY, self.deeds[label]).course
        if isinstance(deed, MovedTo) and deed.stage:
            assume(course.stage + 1 < len(stages))
            deed = replace(deed, stage=stages[course.stage + 1], place="cave")
        before = self.plans()
        said = label if told_as else "9-9"
        if hasattr(deed, "label"):
            deed = replace(deed, label=said)
        if hasattr(deed, "word"):
            deed = replace(deed, word="it is so, and told")
        held = bounds(self.recipe, self.deeds[label], self.today, label)
        self.number += 1
        try:
            check(deed, held.now, None, held)
        except CraftError:
            assert self.plans() == before  # what is refused leaves no trace
            return
        assert not hasattr(deed, "label") or deed.label == label
        self.deeds[label].append(told(deed, self.today, self.number))
        after = self.plans()
        assert all(after[other] == before[other] for other in self.deeds if other != label)

    @invariant()
    def nothing_is_due_before_there_is_a_cheese_or_after_it_is_eaten(self):
        for plan in self.plans().values():
            assert all(care.due >= DAY for care in plan.cares)
            assert all(care.due <= max(plan.eat_by, self.today) for care in plan.cares)
            assert plan.ready_from <= plan.ready_until


TestShelf = Shelf.TestCase
TestShelf.settings = settings(max_examples=25, stateful_step_count=12, deadline=None)


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
        return look_of(piece, care_plan(piece, around(today)), 2.0, today)

    bare, white = look(DAPPLE, [], DAY), look(DAPPLE, [told(Seen("bloom", 3), on(9))], on(9))
    assert (bare.rind, bare.step, white.step) == ("bloom", 0, 3) and "white all over" in white.words
    assert look(LARDER, [], on(70)).step > look(LARDER, [], on(5)).step
    assert look(LARDER, [], DAY).shape == "brick" and look(BLUE, [], DAY).shape == "wheel"
    waxed = look(LARDER, [told(Sealed("1-1", "wax", 3), on(9))], on(9))
    assert waxed.sealed == "wax" and "wax" in waxed.words
    assert look(BLUE, [told(Cared("cave", "pierce"), on(9))], on(9)).holes


def test_what_the_hands_do_is_said_by_the_recipe_or_by_its_words():
    assert kind_of(Care("x", "Rub it with 3 % brine", 2)) == "wash"
    assert kind_of(Care("x", "Turn it", 2, kind="look")) == "look"
    assert kind_of(Care("x", "Sing to it", 2)) == "look"
    kinds = {kind_of(c) for recipe in RECIPES.values() for s in recipe.stages for c in s.cares}
    assert {"turn", "wash", "brush", "pierce", "weigh", "taste", "wrap", "foil", "bag"} <= kinds
