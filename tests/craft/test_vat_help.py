"""Leaving the vat, the warm clock, signs, help and what the end of a make says."""

from dataclasses import replace
from datetime import timedelta
from itertools import permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.errors import Unknown
from openpail.craft.figure import Figure
from openpail.craft.make import (
    help,
    leave,
)
from openpail.craft.make.deeds import (
    CalledAway,
    CameBack,
    FirstFlocks,
    HelpTaken,
    ReadingTaken,
    SetLooked,
    StepAgain,
    StepBegun,
    StepDone,
    StepSkipped,
    Ticked,
    TimerSet,
    TimerStopped,
    WheyOff,
)
from openpail.craft.make.ending import deviations
from openpail.craft.make.facts import Record, facts_of
from openpail.craft.make.fold import fold
from openpail.craft.make.set_talk import flocks_said
from openpail.craft.make.signs import LADDERS, asked_at, wanted
from openpail.craft.make.standing import MOST_TAPS, drawn
from openpail.craft.make.taught import by_flocks
from openpail.craft.make.warm_clock import wants_it, warm_clock
from openpail.craft.sheet.moves import Move, Moved
from openpail.formats.leave_text import leave_of, leave_words
from tests.craft.test_make import BEGAN, LARDER, at, sheet_of, told
from tests.craft.test_vat_rules import KEYS, clock_of, day_of, upto
from tests.support import HOUSE, RECIPES


@pytest.mark.parametrize(
    ("said", "until", "at_a_time"),
    [
        ("Not now: cold ones crack.", None, 0),
        ("Up to 5 min; then it scorches.", None, 5),
        ("Until three minutes before its time.", 37, 0),
        ("Until the cut; ten minutes late it splits.", 40, 0),
        ("Any time; four hours more only make it sourer.", 40, 0),
        ("Half an hour.", 50, 0),
        ("Up to 20 min more.", 60, 0),
        ("Within the hour.", 80, 0),
        ("Up to 2 h.", 140, 0),
        ("2 min at most.", None, 2),
        ("", 40, 0),
    ],
)
def test_how_long_a_step_may_be_left_stands_still_while_the_clock_runs(said, until, at_a_time):
    state = day_of(*upto("ripen"), now=20).current
    leave_it = leave_of(said)
    assert leave_of(leave_words(leave_it)) == leave_it
    step = replace(state.planned.step, leave=leave_it, may_stretch_minutes=0.0, minutes=20.0)
    state = replace(state, planned=replace(state.planned, step=step), begins=at(20), ends=at(40))
    for now in (20, 25, 36):
        found = leave.may_be_left(state, at(now))
        assert found.at_a_time_min == at_a_time and found.words
        assert found.until == (None if until is None else at(until))
    over = leave.may_be_left(state, at(200))
    assert over.until is None and over.may_be == bool(at_a_time)


def test_coming_back_says_what_was_missed_and_what_can_still_be_saved():
    stirring = next(step.key for step in LARDER.steps if step.kind == "stir")
    kept = [*upto(stirring, 5.0), told(CalledAway(), 130, "go"), told(CameBack(), 155, "back")]
    day, went = day_of(*kept, now=155), day_of(*kept, now=130)
    assert day.standing.last_away == (at(130), at(155)) and day.standing.away_since is None
    found = leave.missed(day, went, since=at(130), until=at(155))
    assert found.minutes == 25 and "break it up" in found.now
    nothing = leave.missed(day, went, since=at(154.5), until=at(155))
    assert "Nothing is lost" in nothing.now
    # by the clock as it stood when they went, not by the first plan of the morning
    late = [*upto("ripen"), told(CalledAway(), 400, "go")]
    day, went = day_of(*late, now=404), day_of(*late, now=400)
    assert leave.missed(day, went, since=at(400), until=at(404)).due == ()


@given(st.lists(st.tuples(st.floats(0, 300), st.floats(2, 60)), max_size=8))
def test_the_warm_clock_counts_no_more_than_the_time_and_stops_in_the_cold(pairs):
    read = [(at(t), c) for t, c in sorted(pairs)]
    clock = warm_clock(read, BEGAN, at(300), 0.0, HOUSE)
    assert 0 <= clock.minutes <= 300 + 1e-6
    assert warm_clock(read, BEGAN, at(300), 30.0, HOUSE).minutes == pytest.approx(
        clock.minutes + 30
    )
    if read and read[-1][1] <= 7:
        assert clock.is_cold
        assert warm_clock(read, BEGAN, at(900), 0.0, HOUSE).minutes == pytest.approx(clock.minutes)


def test_the_warm_clock_is_for_makes_without_a_working_culture():
    asks = {key for key, recipe in RECIPES.items() if wants_it(recipe)}
    assert {"skillet", "millrace-slab", "pond-white"} <= asks
    assert not {"bench-curd", "second-pot", "larder-block", "slow-skein"} & asks


@pytest.mark.parametrize("recipe", RECIPES.values(), ids=lambda r: r.key)
def test_every_sign_asked_for_has_its_rungs_and_its_aim_is_one_of_them(recipe):
    for step in recipe.steps:
        for ladder in asked_at(recipe, step):
            aim = wanted(recipe, step, ladder.of)
            assert ladder is LADDERS[ladder.of]
            assert aim is None or aim in dict(ladder.rungs)


def test_help_walks_from_every_sign_to_every_end_each_with_one_thing_to_do():
    ends = 0
    for sign in help.signs().values():
        assert sign.ask.endswith("?") and len(sign.answers) > 0
        keys = [cause.key for answer in sign.answers for cause in answer.ends]
        assert len(keys) == len(set(keys))
        for answer in sign.answers:
            for found in help.likely(answer.ends, {}):
                help.check_help(sign.key, found.cause.key)
                assert found.cause.now.endswith(".") and found.cause.next.endswith(".")
                ends += 1
    assert len(help.signs()) == 16 and ends > 40
    with pytest.raises(Unknown):
        help.check_help("no_set", "moonlight")


def test_the_ends_change_their_order_with_the_record():
    branch = help.signs()["no_set"].answers[0]
    plain = [each.cause.key for each in help.likely(branch.ends, {})]
    for fact in ("cold_set", "old_rennet", "high_heat"):
        first = help.likely(branch.ends, {fact: "so it is"})[0]
        assert first.because == ("so it is",) and fact in first.cause.facts
    assert plain == [each.key for each in branch.ends]
    offered = [help.offered(kind)[0].key for kind in ("test", "stretch", "hang")]
    assert len(set(offered)) == 3


def looked_at(*deeds, now=200.0, recipe="larder-block", **more):
    book = RECIPES[recipe]
    day = day_of(*deeds, now=now, recipe=book)
    return Record(
        recipe=book, sheet=sheet_of(recipe), standing=day.standing, day=day, now=at(now), **more
    )


def test_the_record_itself_says_what_may_be_behind_a_fault():
    cold = [told(ReadingTaken(celsius=27.0), 41, "r"), told(ReadingTaken(celsius=31.5), 3, "q")]
    kept = [*upto("cut"), *cold]
    found = facts_of(looked_at(*kept))
    assert "27.0 °C was read" in found["cold_set"] and "no_rennet" not in found
    assert "no_rennet" in facts_of(looked_at(*upto("ripen"), now=60))
    stirring = next(step.key for step in LARDER.steps if step.kind == "stir")
    gone = [*upto(stirring, 5.0), told(CalledAway(), 130, "go"), told(CameBack(), 155, "back")]
    assert "25 min" in facts_of(looked_at(*gone, now=156))["unstirred"]
    less = told(StepDone(step="rennet", gave={"rennet": 0.5}), 40, "less")
    assert "of the rennet was given" in facts_of(looked_at(*upto("rennet"), less))["less_rennet"]
    told_of = looked_at(milk_says={"warm_milk": "stood warm"}, acid_slow="slow", now=5)
    assert {"warm_milk", "slow_acid"} <= set(facts_of(told_of))


def test_every_fact_that_help_asks_for_is_one_that_a_record_can_hold():
    """A cause whose fact nothing ever says would never come first."""
    import inspect

    from openpail.craft.make import facts
    from openpail.work.make import record

    source = inspect.getsource(facts) + inspect.getsource(record)
    for sign in help.signs().values():
        for answer in sign.answers:
            for cause in answer.ends:
                for fact in cause.facts:
                    way, _, kind = fact.partition("_")
                    assert f'"{fact}"' in source or (way in ("less", "more") and kind)


def test_at_the_end_what_went_otherwise_stands_with_what_it_may_mean():
    stirring = next(step.key for step in LARDER.steps if step.kind == "stir")
    kept = [
        *upto(stirring, 5.0),
        told(ReadingTaken(celsius=42.0), 118, "hot"),
        told(StepDone(step=stirring, word="called away"), 190, "s"),
        told(StepSkipped(KEYS[KEYS.index(stirring) + 1], "no need of it"), 191, "k"),
    ]
    found = deviations(looked_at(*kept, now=200))
    assert any(each.word == "called away" and "drier" in each.means for each in found)
    assert any(each.happened == "left out" and each.word == "no need of it" for each in found)
    planned = looked_at(now=1.0)
    assert deviations(planned) == ()


@pytest.mark.parametrize(
    ("left", "planned", "happened"),
    [(False, "10 mm as written", "9 mm"), (True, "9 mm for this milk", "10 mm, left as written")],
)
def test_a_cut_that_this_milk_moves_stands_as_it_was_made(left, planned, happened):
    cut = next(step for step in LARDER.steps if step.cut_mm)
    as_written = Figure.start("as written", 10.0, "mm", source="the recipe")
    here = as_written.times("ewes’ milk: its set", 0.9, source="a house value")
    move = Move(
        step=cut.key, part="cut_mm", title=cut.title, written=as_written, figure=here, left=left
    )
    record = looked_at(*upto(KEYS[KEYS.index(cut.key) + 1], 5.0))

    def told_of(*moves):
        kept = replace(record, sheet=replace(record.sheet, moved=Moved(moves)))
        return {(each.step, each.planned, each.happened) for each in deviations(kept)}

    assert told_of(move) - told_of() == {(cut.title, planned, happened)}


def test_late_flocks_say_what_of_the_bottle_and_move_the_cut():
    frozen = sheet_of()
    expected = frozen.set.flocculation.value
    kept = [*upto("flocks"), told(FirstFlocks(), 40 + 1.35 * expected, "f")]
    said = flocks_said(LARDER, frozen, clock_of(frozen, kept))
    assert "35 % later" in said.words and "clean break" in said.words
    assert said.cut_at > at(40) + timedelta(minutes=frozen.set.cut.value)
    early = [*upto("flocks"), told(FirstFlocks(), 40 + 0.7 * expected, "f")]
    assert "sooner" in flocks_said(LARDER, frozen, clock_of(frozen, early)).words


def test_flocks_far_from_what_was_expected_move_the_cut_and_teach_nothing():
    frozen = replace(sheet_of(), rennet="lot 1")
    for minutes in (45.0, 0.2 * frozen.set.flocculation.value):
        kept = [*upto("flocks"), told(FirstFlocks("it was so"), 40 + minutes, "f")]
        day = clock_of(frozen, kept)
        said = flocks_said(LARDER, frozen, day)
        rennet = day.standing.rennet_at
        cut = rennet + timedelta(minutes=said.seen_min * frozen.set.multiplier.value)
        assert said.cut_at == day.cut_at == day.state("set").ends == cut
        assert day.standing.flocks.at < said.cut_at and "nothing is learnt" in said.words
        assert by_flocks(LARDER, frozen, day.standing) is None
        # the clean break has the last word, whatever the clock says
        soft = [*kept, told(SetLooked("soft"), 40 + 3 * minutes, "soft")]
        assert clock_of(frozen, soft).cut_at >= at(40 + 3 * minutes + 5)


def test_deeds_of_the_vat_come_to_the_same_in_any_order_of_arrival():
    day = [
        told(StepDone(step="warm"), 10, "a"),
        told(StepAgain("warm"), 12, "b"),
        told(StepDone(step="warm"), 20, "c"),
        told(StepSkipped("culture", "raw milk"), 21, "d"),
        told(StepBegun("ripen"), 30, "e"),
    ]
    found = {repr(fold(LARDER, order)) for order in permutations(day)}
    assert len(found) == 1


def test_what_is_kept_beside_a_make_does_not_grow_with_what_is_tapped():
    day = []
    for n in range(600):
        day.append(told(Ticked("vat", off=bool(n % 2)), n, f"t{n}"))
        day.append(told(TimerSet(5.0, "towel"), n, f"s{n}"))
        day.append(told(TimerStopped(f"s{n}"), n + 0.5, f"x{n}"))
        day.append(told(HelpTaken("gas", "coliform_gas"), n, f"h{n}"))
    day.append(told(WheyOff(3.0), 0, "w"))
    kept = drawn(fold(LARDER, day))
    assert len(kept.taps) <= MOST_TAPS + 2
    assert kept.of(WheyOff) and kept.of(HelpTaken) and kept.ticked == frozenset()
    running = {tap.id for tap, _ in kept.of(TimerSet)}
    assert running <= {deed.timer for _, deed in kept.of(TimerStopped)}  # none comes back to life
