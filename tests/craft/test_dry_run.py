"""A dry run: by the book it goes well, whatever is wrong on that day; by the clock it does not."""

from dataclasses import replace
from datetime import timedelta
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from openpail.craft.doses.asked import Job
from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.make.frozen import freeze
from openpail.craft.milk.blend import pour
from openpail.craft.practice.judged import judge
from openpail.craft.practice.run import AtMinute, begun, from_json, to_json
from openpail.craft.practice.world import MISHAP_WORDS, World
from openpail.craft.recipe.recipe import reference_pours
from openpail.craft.sheet.adapt import adapt
from tests.support import HOUSE, RECIPES
from tests.support.player import STARTED, goes

WHATS = ("done", "read", "blade", "set", "heat", "turned", "wait", "go")


def world_of(key, *mishaps, seed=7, litres=None):
    recipe = RECIPES[key]
    job = Job(recipe=recipe, milk=pour(reference_pours(recipe, HOUSE), HOUSE), house=HOUSE)
    litres = litres or sum(part.volume_l for part in recipe.reference)
    sheet = freeze(job, adapt(job), (), document={})
    kw = 2 + 0.05 * litres
    return World(
        recipe=recipe,
        sheet=sheet,
        litres=litres,
        celsius=6.0,
        power_kw=kw,
        mishaps=frozenset(mishaps),
        seed=seed,
    ).in_its_time()


def faults(at):
    return {(step.key, fault.how): fault.words for step in judge(at).steps for fault in step.faults}


LARDER = world_of("larder-block")


@pytest.mark.parametrize(
    "key", ["bench-curd", "dapple", "drystone", "larder-block", "skillet", "second-pot"]
)
def test_by_the_book_nothing_is_to_be_said_of_an_ordinary_day(key):
    at = goes(world_of(key))
    assert faults(at) == {}
    assert judge(at).counts == {"well": len(at.day.steps)}


@pytest.mark.parametrize("mishap", [*MISHAP_WORDS])
@pytest.mark.parametrize("key", ["larder-block", "gatepost"])
def test_by_the_book_every_mishap_is_got_the_better_of(key, mishap):
    assert faults(goes(world_of(key, mishap))) == {}


def test_by_the_clock_an_old_bottle_is_cut_before_it_is_firm():
    found = faults(goes(world_of("larder-block", "old_bottle"), by_clock=True))
    assert "before a clean break" in found["set", "early"]
    assert "not looked for" in found["flocks", "missed"]
    sound = faults(goes(LARDER, by_clock=True))
    assert ("set", "early") not in sound
    assert ("flocks", "missed") in sound


def test_a_vat_left_on_its_heat_runs_away_while_its_maker_is_called_away():
    days = [world_of("larder-block", "called_away", seed=seed) for seed in (1, 7, 9, 12)]
    careless = [faults(goes(world, leaves_heat_on=True)) for world in days]
    careful = [faults(goes(world)) for world in days]
    ran_away = [how for each in careless for _, how in each if how == "off"]
    assert ran_away and not any(how == "off" for each in careful for _, how in each)
    at = goes(days[0])
    gone, back = at.standing.last_away
    assert (back - gone).total_seconds() / 60 == days[0].away[1] - days[0].away[0]


def test_a_cold_room_is_colder_and_slower_and_a_hot_hob_faster():
    usual, cold, hot = (world_of("larder-block", *m) for m in ((), ("cold_room",), ("hot_hob",)))

    def after(world, minutes, share):
        run = AtMinute(world, begun(world), STARTED, 0).does("heat", share)
        return AtMinute(world, run, STARTED, minutes).state.vat.celsius

    assert after(cold, 20, 0.5) < after(usual, 20, 0.5) < after(hot, 20, 0.5)
    assert after(usual, 60, 0.0) > after(cold, 60, 0.0)
    assert after(usual, 60, -1.0) < 12


@pytest.mark.parametrize("seed", range(4))
def test_the_same_day_is_the_same_once_more_and_another_seed_is_another(seed):
    one, two = (world_of("gatepost", "called_away", "old_bottle", seed=seed) for _ in range(2))
    assert (one.flocks_min, one.away) == (two.flocks_min, two.away)
    other = world_of("gatepost", "called_away", "old_bottle", seed=seed + 100)
    assert one.flocks_min != other.flocks_min
    assert 1.3 < one.flocks_min / one.sheet.set.flocculation.value < 2


CALLED = world_of("larder-block", "called_away", "cold_room")


@settings(max_examples=60)
@given(st.lists(st.tuples(st.sampled_from(WHATS), st.floats(0, 90), st.floats(-2, 2)), max_size=25))
def test_whatever_hands_do_time_goes_on_and_what_is_kept_comes_back(deeds):
    run, minute, minutes = begun(CALLED), 0.0, [0.0]
    for what, later, share in deeds:
        minute = run.state.minute + later
        try:
            run = AtMinute(CALLED, run, STARTED, minute).does(what, share)
        except NotPossible as refused:
            assert refused.words.endswith(".")
        again = from_json(to_json(run))
        assert again.told == run.told and again.trace == run.trace
        there, here = (AtMinute(CALLED, each, STARTED, minute + 7) for each in (run, again))
        assert there.state.vat.celsius == pytest.approx(here.state.vat.celsius)
        assert -1 < there.state.vat.celsius < 101
        minutes.append(run.state.minute)
    assert all(before <= after for before, after in pairwise(minutes))
    judged = judge(AtMinute(CALLED, run, STARTED, minute))
    assert sum(step.hows == ("well",) for step in judged.steps) == judged.counts.get("well", 0)


def test_nobody_acts_while_away_and_time_stands_until_they_went():
    world = CALLED
    at = AtMinute(world, begun(world), STARTED, 10_000)
    assert at.minute == world.away[0] and at.away == world.away
    with pytest.raises(NotPossible, match="called away"):
        at.does("heat", 0)
    back = at.does("go")
    assert back.state.minute == world.away[1] and back.said.startswith("Back.")
    soon = AtMinute(world, begun(world), STARTED, world.away[0] - 2)
    assert soon.called_in == 2 and soon.away is None


@pytest.mark.parametrize(
    ("what", "words"),
    [("blade", "first flocks"), ("set", "no set"), ("turned", "Nothing is turned")],
)
def test_what_cannot_be_done_at_a_step_says_so(what, words):
    with pytest.raises(NotPossible, match=words):
        AtMinute(LARDER, begun(LARDER), STARTED, 3).does(what)
    with pytest.raises(NotPossible, match="between none and all"):
        AtMinute(LARDER, begun(LARDER), STARTED, 3).does("heat", 9)
    with pytest.raises(OutOfRange):
        world_of("larder-block", litres=9_000)


def test_the_last_step_leaves_nothing_to_do_and_nothing_to_heat():
    at = goes(LARDER)
    assert at.step is None and not at.in_vat
    with pytest.raises(NotPossible, match="All is done"):
        at.does("done")
    with pytest.raises(NotPossible, match="out of the vat"):
        at.does("heat", 1)


def without(told, *kinds):
    """The same run, of which some deeds were never done."""
    return tuple(each for each in told if each.deed.kind not in kinds)


def later(told, key, minutes):
    """The same run, with a step ended so much later and all behind it moved on."""
    at = next(
        e.at for e in told if getattr(e.deed, "step", "") == key and e.deed.kind == "step_done"
    )
    by = timedelta(minutes=minutes)
    return tuple(replace(e, happened=e.happened + by) if e.at >= at else e for e in told)


@pytest.mark.parametrize(
    ("key", "change", "step", "how", "words"),
    [
        ("larder-block", lambda t: without(t, "reading"), "warm", "missed", "warmth was not read"),
        ("larder-block", lambda t: without(t, "reading"), "stir", "missed", "pH was not read"),
        ("larder-block", lambda t: later(t, "cut", 30), "cut", "late", "over its"),
        ("larder-block", lambda t: later(t, "heal", -4), "heal", "early", "after"),
        ("gatepost", lambda t: without(t, "turned"), None, "missed", "0 of 5 told"),
    ],
)
def test_each_fault_is_told_of_its_own_step(key, change, step, how, words):
    at = goes(world_of(key))
    run = replace(at.run, told=change(at.run.told))
    found = faults(AtMinute(at.world, run, STARTED, at.minute + 60))
    told = {of: text for (of, way), text in found.items() if way == how}
    assert words in (told[step] if step else " ".join(told.values())), found
    sound = faults(at)
    assert sound == {}


def test_rennet_in_cold_milk_is_no_step_that_went_well():
    at = AtMinute(LARDER, begun(LARDER), STARTED, 1)
    while at.step.planned.step.key != "flocks":
        at = AtMinute(LARDER, at.does("done"), STARTED, at.minute + 1)
    assert "°C, where 31 to 33 °C is wanted" in faults(at)["rennet", "off"]
