"""When hands come back to a cheese that stands: turns spread over a step, a screw tightened."""

from dataclasses import replace
from datetime import timedelta
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.make.day import StepState
from openpail.craft.make.deeds import InBrine, Loaded, Tightened, TurnedOver
from openpail.craft.make.standing import Standing, Tap
from openpail.craft.make.turns import next_tightening, next_turn
from openpail.craft.recipe.steps import PlannedStep
from tests.craft.test_make import BEGAN
from tests.support import RECIPES


def standing(*taps):
    return Standing(done={}, taps=tuple(Tap(f"{n}", at, deed) for n, (at, deed) in enumerate(taps)))


def state(recipe, key, minutes):
    planned = PlannedStep(RECIPES[recipe].step(key), minutes, 0.0)
    ends = BEGAN + timedelta(minutes=minutes)
    return StepState(planned=planned, was_to_begin=BEGAN, begins=BEGAN, ends=ends, by_clock=ends)


@given(st.integers(1, 12), st.floats(10, 900))
def test_turns_come_evenly_in_their_step_and_end_with_the_last(times, minutes):
    at = state("dapple", "turn-often", minutes)
    step = replace(at.planned.step, times=times, turns_min=())
    at = replace(at, planned=replace(at.planned, step=step))
    told, found = [], []
    while (turn := next_turn(at, standing(*told))) is not None:
        found.append(turn.at)
        assert (turn.done, turn.of) == (len(told), times)
        told.append((turn.at, TurnedOver("turn-often")))
    assert len(found) == (times if times > 1 else 0)
    assert all(BEGAN < moment < at.ends for moment in found)
    apart = {round((b - a).total_seconds(), 3) for a, b in pairwise(found)}
    assert len(apart) <= 2 and (not apart or max(apart) - min(apart) < 0.01)


@pytest.mark.parametrize(
    "recipe, after",
    [
        ("gatepost", [15, 30, 60, 120, 240]),
        ("dapple", [30, 90, 180, 300]),
        ("tarrow-blue", [10, 20, 40, 80, 150]),
        ("fold-white", [60, 120, 180]),
    ],
)
def test_turns_come_when_the_recipe_says(recipe, after):
    at = state(recipe, "turn-often", RECIPES[recipe].step("turn-often").minutes)
    told = []
    while (turn := next_turn(at, standing(*told))) is not None:
        told.append((turn.at, TurnedOver("turn-often")))
    assert [(moment - BEGAN).total_seconds() / 60 for moment, _ in told] == after


def test_brine_is_turned_half_way_once_and_only_when_something_lies_in_it():
    at = state("hatch", "brine", 600)
    assert next_turn(at, standing()) is None
    lies = (BEGAN, InBrine(step="brine", tub="t"))
    turn = next_turn(at, standing(lies))
    assert turn.at == BEGAN + timedelta(minutes=300)
    turned = (turn.at, TurnedOver("brine"))
    assert next_turn(at, standing(lies, turned)) is None


def test_a_screw_is_turned_down_at_five_fifteen_and_thirty_minutes_and_then_holds():
    at = state("thatch", "press-light", 60)
    on = (BEGAN, Loaded(step="press-light"))
    assert next_tightening(at, standing(), has_screw=True) is None
    assert next_tightening(at, standing(on), has_screw=False) is None
    told = [on]
    for minutes in (5, 15, 30):
        due = next_tightening(at, standing(*told), has_screw=True)
        assert due.at == BEGAN + timedelta(minutes=minutes)
        told.append((due.at, Tightened("press-light")))
    assert next_tightening(at, standing(*told), has_screw=True) is None


@pytest.mark.parametrize(
    ("recipe", "times"), [("dapple", 4), ("tarrow-blue", 5), ("fold-white", 3), ("gatepost", 5)]
)
def test_the_library_says_how_often_its_hoops_are_turned(recipe, times):
    turned = [step for step in RECIPES[recipe].steps if step.times > 1]
    assert [step.times for step in turned] == [times]
    words = ("three", "four", "five")
    assert words[times - 3] in turned[0].title
