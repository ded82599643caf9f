"""The clock and the cave by properties: whatever the day brings, the plan stays a plan."""

import itertools
import random
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.make.day import hours_since, on_the_clock
from openpail.craft.make.deeds import StepDone, Told, Undone
from openpail.craft.make.fold import fold
from openpail.craft.recipe.steps import laid_out
from tests.support import RECIPES

T0 = datetime(2026, 5, 4, 7, 0, tzinfo=UTC)
DAY = date(2026, 3, 1)
recipes = st.sampled_from(sorted(RECIPES)).map(RECIPES.__getitem__)


@st.composite
def days(draw):
    """A recipe, and how long each of its first steps really took."""
    recipe = draw(recipes)
    count = draw(st.integers(0, len(recipe.steps)))
    took = draw(st.lists(st.floats(0.5, 200), min_size=count, max_size=count))
    events, at = [], T0
    for i, minutes in enumerate(took):
        at += timedelta(minutes=minutes)
        events.append(Told(id=str(i), deed=StepDone(step=recipe.steps[i].key), happened=at))
    return recipe, events, at + timedelta(minutes=draw(st.floats(0, 90)))


def day_of(recipe, events, now):
    return on_the_clock(laid_out(recipe, 12.0, 36.0), fold(recipe, events), started=T0, now=now)


@given(days())
def test_steps_never_overlap_and_what_is_to_come_is_not_in_the_past(day):
    recipe, events, now = day
    state = day_of(recipe, events, now)
    for before, after in itertools.pairwise(state.steps):
        assert after.begins >= before.ends or before.done_at is None
    for step in state.steps:
        assert step.ends >= step.begins
    later = state.steps[len(events) + 1 :]
    assert all(step.begins >= now for step in later)
    assert (state.current is None) == (len(events) == len(recipe.steps))


@given(days(), st.randoms(use_true_random=False))
def test_the_order_in_which_the_record_arrives_changes_nothing(day, chance: random.Random):
    recipe, events, now = day
    shuffled = chance.sample(events * 2, len(events * 2))
    assert day_of(recipe, events, now) == day_of(recipe, shuffled, now)


@given(days())
def test_undoing_the_last_step_gives_the_day_before_it(day):
    recipe, events, now = day
    if not events:
        assert day_of(recipe, [], now).current.planned.step is recipe.steps[0]
        return
    undo = Told(id="u", deed=Undone(), happened=now, amends=events[-1].id)
    assert day_of(recipe, [*events, undo], now) == day_of(recipe, events[:-1], now)


@given(recipes, st.floats(1, 60), st.floats(1, 4))
def test_the_sets_own_minutes_are_in_the_plan(recipe, flocks, times):
    by_key = {each.step.key: each for each in laid_out(recipe, flocks, flocks * times)}
    if "flocks" in by_key:
        assert by_key["flocks"].minutes == pytest.approx(flocks)
        assert by_key["set"].minutes == pytest.approx(flocks * times - flocks)
    total = sum(each.minutes for each in by_key.values())
    assert laid_out(recipe, flocks, flocks * times)[-1].end_min == pytest.approx(total)


def test_hours_since_nothing_are_none():
    assert hours_since(None, T0) == 0
    assert hours_since(T0, T0 + timedelta(minutes=90)) == 1.5
