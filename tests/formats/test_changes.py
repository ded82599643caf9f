"""Changes between recipes: made, they give the other; on a newer parent they find their place."""

from copy import deepcopy

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.formats.changes import Change, applied, between, both_changed
from openpail.formats.recipe_file import library, write
from openpail.formats.recipe_file import plain as plain_of
from tests.support import RECIPES

values = st.none() | st.booleans() | st.integers(0, 9) | st.text("ab", max_size=3)
keys = st.lists(st.sampled_from("abcdefgh"), max_size=7, unique=True)
parts = st.builds(
    lambda names, told: [{"key": name, **each} for name, each in zip(names, told, strict=False)],
    keys,
    st.lists(st.dictionaries(st.sampled_from(("title", "minutes", "ph")), values), min_size=8),
)
bodies = st.builds(
    lambda top, steps, stages: {**top, "steps": steps, "stages": stages},
    st.dictionaries(st.sampled_from(("name", "words", "eat")), values),
    parts,
    parts,
)


def plain(body):
    """A body without what says nothing: a part that is null is as good as not there."""
    if isinstance(body, dict):
        return {k: plain(v) for k, v in body.items() if v is not None}
    return [plain(each) for each in body] if isinstance(body, list) else body


@given(bodies, bodies)
def test_the_changes_between_two_make_the_one_into_the_other(old, new):
    before = deepcopy(old)
    changes = between(old, new)
    made = applied(old, changes)
    assert old == before
    assert plain(made.body) == plain(new) and made.missed == ()
    assert between(new, deepcopy(new)) == []
    in_file = [Change(**each.to_json()) for each in changes]
    assert plain(applied(old, in_file).body) == plain(new)


@given(parts, st.data())
def test_one_part_moved_is_one_change(steps, data):
    moved = data.draw(st.permutations(steps).filter(lambda each: len(each) > 1) | st.just(steps))
    at = data.draw(st.integers(0, max(0, len(steps) - 1)))
    to = data.draw(st.integers(0, max(0, len(steps) - 1)))
    one = list(steps)
    if one:
        one.insert(to, one.pop(at))
    assert len(between({"steps": steps}, {"steps": one})) <= abs(to - at)
    assert applied({"steps": steps}, between({"steps": steps}, {"steps": moved})).body == {
        "steps": list(moved)
    }


def test_a_daughter_keeps_what_is_its_own_when_its_parent_changes():
    parent = write(RECIPES["threshing-cheddar"])["recipe"]
    daughter = write(RECIPES["threshing-herbs"])["recipe"]
    mine = between(parent, daughter)
    later = deepcopy(parent)
    later["steps"][10]["celsius"] = {"target": 38, "low": 37, "high": 39}
    later["steps"].insert(
        1, {"key": "rest", "kind": "wait", "title": "Rest", "minutes": 9, "hands_on_minutes": 0}
    )
    later["eat_by_days"] = 600
    made = applied(later, mine)
    steps = [step["key"] for step in made.body["steps"]]
    assert steps.index("rest") == 1 and steps.index("herbs") == steps.index("mill") + 1
    assert made.body["steps"][steps.index("heat")]["celsius"]["target"] == 38
    assert made.body["eat_by_days"] == 300 and not made.missed
    both = both_changed(mine, between(parent, later))
    assert [each.at for each in both] == ["eat_by_days"]

    later["steps"] = [step for step in later["steps"] if step["key"] != "mill"]
    later["stages"] = []
    made = applied(later, mine)
    assert made.body["steps"][-1]["key"] == "herbs"  # the one it stood behind is gone
    assert {change.at for change, _ in made.missed} >= {"stages/cave/days"}
    assert all("has no" in words for _, words in made.missed)


@pytest.mark.parametrize("key", [r.key for r, document in library() if "parent" in document])
def test_a_shipped_daughter_says_no_more_than_what_she_changes(key):
    document = next(document for recipe, document in library() if recipe.key == key)
    parent = next(d for r, d in library() if r.key == document["parent"]["key"])
    again = between(plain_of(parent), plain_of(document))
    assert [each.to_json() for each in again] == document["changes"]
    assert 5 < len(again) < 30


def test_a_change_that_is_no_place_is_missed_in_words():
    body = write(RECIPES["bench-curd"])["recipe"]
    for change in (
        Change(at="steps/nowhere/minutes", now=3),
        Change(at="steps/nowhere", gone=True),
        Change(at="steps/nowhere", after=""),
        Change(at="name/first", now="x"),
        Change(at="words", now="x", after="y"),
        Change(at="steps/new", now={"key": "other"}, after=""),
        Change(at="reference/cow/volume_l", now=3),
    ):
        made = applied(body, [change])
        assert made.body == body and len(made.missed) == 1, change
