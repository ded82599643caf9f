"""The make as it is drawn, and a change as it is told."""

from dataclasses import replace
from itertools import pairwise

import pytest
from flask import g
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from openpail.craft.recipe.recipe import Band, RecipeStep
from openpail.craft.recipe.steps import PlannedStep, laid_out
from openpail.formats.changes import Change, applied, between
from openpail.formats.recipe_file import plain, write
from openpail.records.dairy.models import Dairy
from openpail.web.recipes.words import ChangeInWords, told
from openpail.web.ui.path import HEIGHT, WIDTH, make_path
from tests.support import RECIPES

KINDS = ("warm", "add", "wait", "cut", "heat", "press", "cool")


@pytest.fixture
def metric(app):
    with app.test_request_context():
        g.dairy = Dairy(volume_system="metric", mass_system="metric", degrees="C", currency="")
        yield


def check_drawn(path, planned):
    assert [each.key for each in path.steps] == [each.step.key for each in planned]
    for one, then in pairwise(path.steps):
        assert one.end == pytest.approx(then.x, abs=0.2)
    for each, drawn in zip(planned, path.steps, strict=True):
        assert drawn.width > 0 and 0 <= drawn.hands <= drawn.width + 0.1
        assert drawn.x < drawn.mid < drawn.end <= WIDTH
        assert 0 < drawn.y < HEIGHT and drawn.adds_y < drawn.y
        assert each.step.title in drawn.words
    marks = [x for x, _ in path.clock]
    assert all(b - a > 20 for a, b in pairwise(marks))
    longest = max(planned, key=lambda each: each.minutes)
    widest = max(path.steps, key=lambda each: each.width)
    assert widest.width == pytest.approx(path.steps[planned.index(longest)].width)


@pytest.mark.parametrize("key", sorted(RECIPES))
def test_every_step_of_a_recipe_is_on_its_drawing(metric, key):
    recipe = RECIPES[key]
    planned = laid_out(recipe)
    path = make_path(planned, recipe.ingredients)
    check_drawn(path, planned)
    assert sum(bool(each.adds) for each in path.steps) == sum(bool(s.adds) for s in recipe.steps)
    assert path.told.startswith("M") or not any(step.celsius for step in recipe.steps)


steps = st.builds(
    lambda kind, minutes, hands, warm: RecipeStep(
        key="",
        kind=kind,
        title="Do it",
        minutes=minutes,
        hands_on_minutes=min(hands, minutes),
        celsius=None if warm is None else Band(warm, warm - 1, warm + 1),
    ),
    st.sampled_from(KINDS),
    st.floats(0, 20_160),
    st.floats(0, 500),
    st.none() | st.floats(-30, 110),
)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(steps, min_size=1, max_size=40))
def test_whatever_is_being_written_can_be_drawn(metric, made):
    at, planned = 0.0, []
    for number, each in enumerate(made):
        step = replace(each, key=f"s{number}")
        planned.append(PlannedStep(step, at, step.minutes))
        at += step.minutes
    check_drawn(make_path(planned, ()), planned)


CHEDDAR = plain(write(RECIPES["threshing-cheddar"]))


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (Change(at="eat_by_days", now=300), ("eat within, days", "540", "300")),
        (Change(at="family", now="tomme"), ("family", "cheddared", "natural-rind tomme")),
        (Change(at="renneting_c", now=32.5), ("rennet goes in at", "31.0 °C", "32.5 °C")),
        (
            Change(at="steps/heat/celsius", now={"target": 40, "low": 39, "high": 41}),
            (
                "“Warm the curd to 39 °C, stirring”, warmth",
                "39.0 °C (38.0 °C to 39.5 °C)",
                "40.0 °C (39.0 °C to 41.0 °C)",
            ),
        ),
        (
            Change(at="steps/stir/ph", now={"target": 6.1, "low": 6, "high": 6.2}),
            ("“Stir at 39 °C”, pH", "6.2 (6.1 to 6.3)", "6.1 (6.0 to 6.2)"),
        ),
        (
            Change(at="steps/cheddar/minutes", now=90),
            ("“Cut slabs, turn and stack them”, takes", "2 h", "1 h 30"),
        ),
        (
            Change(at="steps/press-hard/load_kg", now=70),
            ("“Press a day and a night”, weight on it", "60.0 kg", "70.0 kg"),
        ),
        (
            Change(at="steps/heat/asks", now=["ph"]),
            ("“Warm the curd to 39 °C, stirring”, asks for", "temperature", "ph"),
        ),
        (
            Change(at="steps/heat/leave", gone=True),
            (
                "“Warm the curd to 39 °C, stirring”, may be left",
                "Up to 3 min at a time",
                "taken out",
            ),
        ),
        (
            Change(at="ingredients/colour", gone=True),
            ("“annatto in water”", "annatto in water", "taken out"),
        ),
        (
            Change(at="steps/colour", after="ripen"),
            ("“Stir in the colour”", "", "moved: behind “Leave it to ripen, lid on”"),
        ),
        (
            Change(at="stages/cave/cares/taste/from_day", now=90),
            ("“cave”, “Core it and taste”, from day", "120", "90"),
        ),
        (
            Change(at="reference", now=[{"breed": "goat", "treatment": "raw", "volume_l": 20}]),
            ("written for", "30.0 L of flash cow lowland milk", "20.0 L of raw goat milk"),
        ),
    ],
    ids=lambda value: getattr(value, "at", ""),
)
def test_a_change_is_told_where_it_is_what_was_and_what_is(metric, change, said):
    after = applied(CHEDDAR, [change]).body
    assert told([change], CHEDDAR, after) == [ChangeInWords(*said)]


def test_a_new_step_is_told_by_its_name_and_its_place(metric):
    herbs = plain(write(RECIPES["threshing-herbs"]))
    lines = told(between(CHEDDAR, herbs), CHEDDAR, herbs)
    new = next(each for each in lines if each.where == "“Toss in the herbs”")
    assert new.now == "new, behind “Mill it”: Toss in the herbs"
    assert all(each.where and (each.was or each.now) for each in lines)
