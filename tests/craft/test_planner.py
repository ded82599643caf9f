"""The planner of the day: against every way there is, and through the change of the clocks."""

import random
from datetime import UTC, date, datetime, time, timedelta
from itertools import pairwise, product
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.clock.gear import Outfit
from openpail.craft.clock.one import (
    Course,
    Part,
    as_it_comes,
    begun_at,
    course_of,
    earliest,
    good_begins,
    hands_in,
    latest,
)
from openpail.craft.clock.several import make_way, place
from openpail.craft.clock.spans import HANDS, gaps, handy, minute_of, moment_of, quiet_spans
from openpail.craft.errors import OutOfRange
from openpail.craft.recipe.steps import laid_out as planned_of
from tests.support import RECIPES

DUBLIN = ZoneInfo("Europe/Dublin")


def free(spans, a, b):
    return a == b or all(b <= x or y <= a for x, y in spans)


def every_way(course, taken, end):
    """All placings of one make by trying each start and each stretch, the earliest first."""
    for start in range(course.earliest, end + 1):
        for more in product(*(range(part.stretch + 1) for part in course.parts)):
            at, begins, fine = start, [], True
            for part, longer in zip(course.parts, more, strict=True):
                ends = at + part.minutes + longer
                fine = fine and free(taken.get(HANDS, ()), at, at + part.hands)
                fine = fine and all(free(taken.get(t, ()), at, ends) for t in part.holds)
                begins.append(at)
                at = ends
            if fine and at <= course.latest_end:
                yield (*begins, at)


def by_trying(courses, taken, end):
    if not courses:
        return []
    for way in every_way(courses[0], taken, end):
        more = {thing: list(spans) for thing, spans in taken.items()}
        for part, (a, b) in zip(courses[0].parts, pairwise(way), strict=True):
            if part.hands:
                more.setdefault(HANDS, []).append((a, a + part.hands))
            for thing in part.holds:
                more.setdefault(thing, []).append((a, b))
        rest = by_trying(courses[1:], more, end)
        if rest is not None:
            return [way, *rest]
    return None


def random_part(dice):
    minutes = dice.randint(1, 4)
    return Part(
        minutes=minutes,
        hands=dice.randint(0, minutes),
        stretch=dice.choice((0, 0, 0, 1, 2)),
        holds=frozenset(dice.sample(("vat", "press"), dice.randint(0, 1))),
    )


def random_case(dice):
    end = dice.randint(7, 15)
    courses = [
        Course(tuple(random_part(dice) for _ in range(dice.randint(1, 3))), dice.randint(0, 3), end)
        for _ in range(dice.randint(1, 3))
    ]
    taken = {}
    for thing in (HANDS, "vat", "press"):
        for _ in range(dice.randint(0, 2)):
            a = dice.randint(0, end)
            taken.setdefault(thing, []).append((a, a + dice.randint(1, 3)))
    return courses, taken, end


def ways_of(makes):
    return [(*make.begins, make.ends) for make in makes]


def test_no_earlier_plan_is_missed_and_nothing_is_taken_twice():
    dice, without = random.Random(1848), 0
    for number in range(400):
        courses, taken, end = random_case(dice)
        found, tried = place(courses, taken), by_trying(courses, taken, end)
        assert (found is None) == (tried is None), number
        if tried is None:
            without += 1
            continue
        assert found.looked_at_all
        assert [way[0] for way in ways_of(found.makes)] == [way[0] for way in tried], number
        used = {thing: list(spans) for thing, spans in taken.items()}
        for make in found.makes:
            assert make.ends <= make.course.latest_end
            edges = [*make.begins, make.ends]
            for part, (a, b) in zip(make.course.parts, pairwise(edges), strict=True):
                assert part.minutes <= b - a <= part.minutes + part.stretch
            for thing, spans in make.taken().items():
                for a, b in spans:
                    assert free(used.get(thing, ()), a, b), number
                    used.setdefault(thing, []).append((a, b))
    assert 400 / 3 <= without <= 2 * 400 / 3


def test_every_good_start_of_one_make_is_known_and_no_other():
    dice = random.Random(7)
    for _ in range(300):
        courses, taken, end = random_case(dice)
        course = courses[0]
        tried = {way[0]: way[-1] for way in reversed(list(every_way(course, taken, end)))}
        spans = good_begins(course, taken)[0]
        assert {t for a, b in spans for t in range(a, b + 1)} == set(tried)
        first, last = earliest(course, taken), latest(course, taken)
        assert (first and first.begins[0]) == min(tried, default=None)
        assert (last and last.begins[0]) == max(tried, default=None)
        for start in range(end):
            made = begun_at(course, start, taken)
            assert (made is not None) == (start in tried)
            assert made is None or made.ends == tried[start]  # stretched no more than it must


spans = st.lists(st.tuples(st.integers(-50, 50), st.integers(1, 20)), max_size=6).map(
    lambda pairs: [(a, a + long) for a, long in pairs]
)


@given(spans, st.integers(-80, 80))
def test_a_moment_is_taken_or_free_and_never_both(taken, moment):
    is_free = any(a <= moment < b for a, b in gaps(taken, -80, 81))
    assert is_free != any(a <= moment < b for a, b in taken)


@pytest.mark.parametrize("key", sorted(RECIPES))
def test_a_whole_recipe_finds_a_start_that_leaves_the_night_alone(key):
    recipe = RECIPES[key]
    now = minute_of(datetime(2026, 5, 4, 9, 30, tzinfo=UTC))
    quiet = quiet_spans(date(2026, 5, 4), 6, time(22, 30), time(6, 30), DUBLIN)
    course = course_of(planned_of(recipe), now, Outfit(vat="vat"))
    assert len(course.parts) == len(recipe.steps)
    assert course.parts[0].holds == {"vat"} and not course.parts[-1].holds
    found = earliest(course, {HANDS: quiet})
    assert found, "some start within a week must do"
    assert hands_in(found, quiet) == []
    straight = as_it_comes(course, found.begins[0])
    assert straight.ends <= found.ends
    night = as_it_comes(course, minute_of(datetime(2026, 5, 5, 1, 0, tzinfo=UTC)))
    assert hands_in(night, quiet)[0][0] == 0
    late = Course(course.parts, now, found.ends)
    assert latest(late, {HANDS: quiet}).begins[0] >= found.begins[0]


def test_two_makes_share_one_pair_of_hands_a_vat_and_a_press():
    now = minute_of(datetime(2026, 5, 4, 7, 0, tzinfo=UTC))
    quiet = quiet_spans(date(2026, 5, 4), 5, time(22, 30), time(6, 30), DUBLIN)
    wheel, skillet, curd = (
        course_of(planned_of(RECIPES[key]), now, Outfit(vat=vat, press="press"))
        for key, vat in (("thatch", "kettle"), ("skillet", "pot"), ("bench-curd", "pot"))
    )
    day = place([wheel, skillet, curd], {HANDS: quiet}, step=5)
    assert day and day.looked_at_all
    used = list(quiet)
    for make in day.makes:
        for a, b in make.taken()[HANDS]:
            assert free(used, a, b)
            used.append((a, b))
    pot = [day.makes[1].taken()["pot"], day.makes[2].taken()["pot"]]
    assert pot[0][-1][1] <= pot[1][0][0] or pot[1][-1][1] <= pot[0][0][0]
    assert place([Course(wheel.parts, now, now + 60)], {HANDS: quiet}) is None
    few = place([wheel, wheel, wheel, wheel], {HANDS: quiet}, step=5, effort=3)
    assert few is None or not few.looked_at_all
    with pytest.raises(OutOfRange, match="by when"):
        latest(wheel)


@pytest.mark.parametrize(
    ("night", "hours"), [(date(2026, 3, 28), 7), (date(2026, 10, 24), 9), (date(2026, 5, 4), 8)]
)
def test_quiet_hours_follow_the_dairys_clock_and_waits_keep_their_length(night, hours):
    quiet = quiet_spans(night, 1, time(22, 30), time(6, 30), DUBLIN)
    begins, ends = next(
        (moment_of(a).astimezone(DUBLIN), moment_of(b).astimezone(DUBLIN))
        for a, b in quiet
        if moment_of(a).astimezone(DUBLIN).date() == night
    )
    assert (begins.time(), ends.time()) == (time(22, 30), time(6, 30))
    assert ends.timestamp() - begins.timestamp() == hours * 3600
    start = minute_of(datetime.combine(night, time(20, 0), DUBLIN))
    course = Course(
        (Part(minutes=10, hands=10), Part(minutes=600), Part(minutes=15, hands=15)), start
    )
    found = earliest(course, {HANDS: quiet})
    assert found.begins[2] - found.begins[1] == 600  # the same ten hours on every clock
    assert hands_in(found, quiet) == []
    out = moment_of(found.begins[2]).astimezone(DUBLIN)
    assert out == datetime.combine(night + timedelta(days=1), time(6, 30), DUBLIN) or hours == 7
    assert quiet_spans(night, 1, time(6, 0), time(6, 0), DUBLIN) == []
    noon = quiet_spans(night, 0, time(12, 0), time(13, 30), DUBLIN)
    assert {b - a for a, b in noon} == {90}


@given(st.sampled_from(sorted(RECIPES)), st.integers(0, 7 * 1440), st.integers(0, 20))
def test_a_recipe_is_stretched_within_its_bounds_and_no_more_than_it_must(key, later, opens):
    now = minute_of(datetime(2026, 3, 25, 0, 0, tzinfo=UTC)) + later
    quiet = quiet_spans(date(2026, 3, 24), 18, time(20, 0), time(6, opens), DUBLIN)
    course = course_of(planned_of(RECIPES[key]), now, Outfit(vat="vat"))
    found = earliest(course, {HANDS: quiet})
    if found is None:
        assert good_begins(course, {HANDS: quiet})[0] == ()
        return
    assert found.begins[0] >= now and hands_in(found, quiet) == []
    edges = [*found.begins, found.ends]
    for number, (part, (a, b)) in enumerate(zip(course.parts, pairwise(edges), strict=True)):
        longer = b - a - part.minutes
        assert 0 <= longer <= part.stretch
        if longer:  # a minute less and some later pair of hands would be wanted at night
            shorter = Course(course.parts[number + 1 :], b - 1, b - 1 + 10 * 1440)
            assert begun_at(shorter, b - 1, {HANDS: quiet}) is None


@given(spans, st.integers(-80, 80), st.sampled_from([1, 5, 15]))
def test_a_handy_start_is_a_good_one_and_on_the_mark_when_any_is(taken, moment, every):
    good = [(a, b - 1) for a, b in gaps(taken, -80, 81)]
    starts = [t for a, b in good for t in range(max(a, moment), b + 1)]
    found = handy(good, moment, every, patience=30)
    plain = [t for t in starts if t % every == 0 and t <= min(starts) + 30]
    assert found == (min(plain) if plain else min(starts, default=None))


def test_makes_in_the_way_of_one_that_was_begun_move_on_and_no_other_does():
    dice = random.Random(31)
    moved_at_all = kept_at_all = 0
    for number in range(300):
        quiet = [(20, 28)]
        wanted = [
            (Course(tuple(random_part(dice) for _ in range(3)), 0), dice.randint(0, 16))
            for _ in range(dice.randint(1, 3))
        ]
        begun = as_it_comes(
            Course(
                (Part(minutes=dice.randint(1, 6), hands=2, stretch=0, holds=frozenset({"vat"})),), 0
            ),
            0,
        )
        there = begun.taken()
        found = make_way(wanted, there, quiet)
        for (course, start), made in zip(wanted, found, strict=True):
            before = as_it_comes(course, start).taken()
            clear = all(free(there.get(t, ()), a, b) for t, s in before.items() for a, b in s)
            if clear:
                assert made.begins[0] == start, number
                kept_at_all += 1
            else:
                moved_at_all += 1
                assert made.begins[0] > start or made.ends > start, number
                for thing, spans in made.taken().items():
                    assert all(free(there.get(thing, ()), a, b) for a, b in spans), number
                assert hands_in(made, quiet) == []
            for thing, spans in made.taken().items():
                there.setdefault(thing, []).extend(spans)
    assert moved_at_all > 100 and kept_at_all > 100


def test_two_makes_of_one_press_and_mould_wait_for_each_other():
    now = minute_of(datetime(2026, 5, 4, 7, 0, tzinfo=UTC))
    given_ = (
        Outfit(vat="pot", press="press", moulds=("mould 1",)),
        Outfit(vat="kettle", press="press", moulds=("mould 2",)),
    )
    courses = [course_of(planned_of(RECIPES["thatch"]), now, each) for each in given_]
    day = place(courses, {}, step=5)
    one, other = (make.taken()["press"] for make in day.makes)
    assert one[-1][1] <= other[0][0] or other[-1][1] <= one[0][0]
    shared = [
        course_of(
            planned_of(RECIPES["thatch"]), now, Outfit(vat=vat, press=press, moulds=("mould",))
        )
        for vat, press in (("pot", "press 1"), ("kettle", "press 2"))
    ]
    one, other = (make.taken()["mould"] for make in place(shared, {}, step=5).makes)
    assert one[-1][1] <= other[0][0]
