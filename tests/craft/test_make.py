"""The make in the core: deeds there and back, their fold, the frozen sheet, the slow acid."""

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.clock.gear import Outfit
from openpail.craft.deed import to_payload
from openpail.craft.errors import CraftError, NotPossible, OutOfRange, Unknown
from openpail.craft.figure import replay
from openpail.craft.house import House, shipped
from openpail.craft.make import checks, deeds, fold, frozen, plain
from openpail.craft.make import standing as stands
from openpail.craft.make.additions import expected_flocks
from openpail.craft.make.bounds import Bounds
from openpail.craft.make.day import on_the_clock
from openpail.craft.make.deeds import (
    BECAME_WORDS,
    Amended,
    FirstFlocks,
    GivenUp,
    ReadingTaken,
    StepDone,
    Told,
    Undone,
    Weighed,
    WheyKept,
)
from openpail.craft.make.may_start import check_start
from openpail.craft.make.slow_acid import AcidReading, limits, slow_acid
from openpail.craft.make.taught import by_flocks, by_warmings, lessons
from openpail.craft.recipe.steps import laid_out
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.cautions import Caution
from openpail.formats.recipe_file import write
from tests.support import HOUSE, MILK_RECIPES, RECIPES, job_for, one_pour

BEGAN = datetime(2026, 5, 4, 6, 0, tzinfo=UTC)
LARDER = RECIPES["larder-block"]
# what a database can keep: no nought, no half of a sign
TEXT = st.text(st.characters(exclude_characters="\0", exclude_categories=["Cs"]), max_size=20).map(
    str.strip
)
NUMBERS = st.floats(0.1, 60, allow_nan=False)
any_deed = st.one_of(
    st.builds(StepDone, step=st.sampled_from([step.key for step in LARDER.steps])),
    st.builds(
        ReadingTaken,
        celsius=st.none() | st.floats(-2, 105),
        ph=st.none() | st.floats(3, 9),
        note=TEXT,
    ),
    st.builds(FirstFlocks, TEXT, st.none() | st.booleans()),
    st.builds(Weighed, st.lists(NUMBERS, min_size=1, max_size=5).map(tuple)),
    NUMBERS.map(WheyKept),
    st.builds(deeds.StepSkipped, st.sampled_from([step.key for step in LARDER.steps]), TEXT),
    st.sampled_from([step.key for step in LARDER.steps]).flatmap(
        lambda key: st.sampled_from(
            [deeds.StepBegun(key), deeds.StepAgain(key), deeds.PortionGiven(key)]
        )
    ),
    st.builds(
        StepDone,
        step=st.sampled_from([step.key for step in LARDER.steps]),
        gave=st.dictionaries(st.sampled_from(["rennet", "culture"]), NUMBERS, max_size=2),
        bottles=st.dictionaries(st.just("rennet"), st.uuids().map(str), max_size=1),
        word=TEXT,
    ),
    st.sampled_from(["liquid", "soft", "clean", "over"]).map(deeds.SetLooked),
    st.builds(deeds.Felt, step=st.just("cut"), of=st.just("curd"), sign=st.just("soft"), note=TEXT),
    st.builds(deeds.WaterAdded, NUMBERS, NUMBERS, TEXT),
    st.builds(deeds.TimerSet, NUMBERS, TEXT),
    st.sampled_from([deeds.CalledAway(), deeds.CameBack(), deeds.HeatOff()]),
    st.builds(deeds.Ticked, st.just("vat"), st.booleans()),
    st.builds(deeds.CurdWeighed, NUMBERS),
    st.builds(
        deeds.Moulded,
        step=st.just("mould"),
        count=st.integers(1, 9),
        mould=TEXT,
        stacked=st.booleans(),
    ),
    st.builds(deeds.Loaded, step=st.just("press-light"), load_kg=st.none() | NUMBERS, press=TEXT),
    st.builds(deeds.OutOfMould, st.lists(NUMBERS, min_size=1, max_size=4).map(tuple)),
    st.builds(deeds.InBrine, step=st.just("out"), tub=st.uuids().map(str)),
    st.sampled_from([deeds.TurnedOver("press-light"), deeds.Tightened("press-light")]),
    st.builds(deeds.WheyWent, NUMBERS, st.sampled_from(list(deeds.WHEY_WORDS)), TEXT),
    st.one_of(st.builds(deeds.Trimmed, NUMBERS), st.builds(deeds.WheyRan, NUMBERS)),
    st.builds(deeds.AcidGiven, NUMBERS),
    st.builds(deeds.Counted, st.none() | st.booleans()),
    st.builds(GivenUp, st.sampled_from(list(BECAME_WORDS)), TEXT),
)


def at(minutes):
    return BEGAN + timedelta(minutes=minutes)


def told(deed, minutes=0.0, key="", amends=None, **more):
    return Told(id=key or f"{minutes}", deed=deed, happened=at(minutes), amends=amends, **more)


def bounds(*kept, now=60.0, rested=None):
    keys = {step.key for step in LARDER.steps}
    return Bounds(
        house=HOUSE,
        steps=keys,
        started=BEGAN,
        milk_l=20.0,
        now=at(now),
        rested_at=None if rested is None else at(rested),
        told={each.id: each for each in kept},
    )


def sheet_of(recipe="larder-block", **more):
    job = job_for(recipe, one_pour(litres=20.0), **more)
    sheet = adapt(job)
    return frozen.freeze(job, sheet, (), document=write(job.recipe), asks=sheet.asks)


@given(any_deed)
def test_a_deed_is_the_same_after_it_was_kept_as_plain_data(deed):
    payload = json.loads(json.dumps(to_payload(deed)))
    assert plain.read(deed.kind, payload) == deed


@given(
    st.sampled_from(sorted(deeds.DEEDS)),
    st.dictionaries(
        st.sampled_from(["celsius", "ph", "note", "step", "litres", "pieces_kg", "change", "x"]),
        st.none() | st.booleans() | st.floats() | TEXT | st.lists(st.floats(), max_size=2),
        max_size=3,
    ),
)
def test_no_payload_whatever_breaks_the_door(kind, payload):
    """It is a deed, or it is refused in words with its field: never anything else."""
    try:
        deed = plain.read(kind, payload)
        checks.check(told(deed, 1.0), bounds())
    except CraftError as error:
        assert error.words.endswith((".", "?")) and error.words[0].isupper() | (
            error.words[0] == "“"
        )


@given(st.lists(any_deed, max_size=8), st.randoms(use_true_random=False))
def test_a_standing_is_the_same_in_any_order_and_after_it_was_kept(day, chance):
    every = [told(deed, 2.0 * n, str(n)) for n, deed in enumerate(day)]
    standing = fold.fold(LARDER, every)
    shuffled = chance.sample(every, len(every)) + every[:2]
    assert fold.fold(LARDER, shuffled) == standing
    assert stands.from_json(json.loads(json.dumps(stands.to_json(standing)))) == standing
    assert standing.count == len(standing.readings)
    assert all(one.at <= other.at for one, other in pairwise(standing.readings))


def test_an_undo_and_an_amendment_hold_whichever_comes_first():
    read = told(ReadingTaken(celsius=31.0, note="near the wall"), 5, "r")
    mend = told(Amended({"celsius": 32.0}), 6, "m", "r")
    later = told(Amended({"celsius": 33.0, "note": None}), 7, "n", "r")
    for order in ((read, mend, later), (later, mend, read)):
        (found,) = fold.fold(LARDER, order).readings
        assert (found.celsius, found.note, found.amended) == (33.0, "", True)
    back = told(Undone(), 8, "u", "n")
    (found,) = fold.fold(LARDER, (back, later, mend, read)).readings
    assert (found.celsius, found.note) == (32.0, "near the wall")
    assert fold.fold(LARDER, (told(Undone(), 9, "v", "r"), read, mend)).readings == ()


def test_a_slow_clock_is_set_right_before_anything_is_ordered():
    slow = told(StepDone(step="warm"), 10, "a", offset=timedelta(minutes=45), device="phone")
    right = told(StepDone(step="warm"), 30, "b", device="tablet")
    standing = fold.fold(LARDER, (slow, right))
    assert standing.done["warm"].id == "b" and standing.met == ("a",)


def test_the_first_flocks_move_the_cut_and_every_later_step():
    planned = laid_out(LARDER)
    keys = [each.step.key for each in planned]
    upto = [
        told(StepDone(step=key), 10.0 * n, key)
        for n, key in enumerate(keys[: keys.index("flocks")])
    ]
    rennet = next(each for each in upto if each.deed.step == "rennet").happened
    flocks = Told(id="f", deed=FirstFlocks(), happened=rennet + timedelta(minutes=20))
    now = flocks.happened
    standing = fold.fold(LARDER, (*upto, flocks))
    day = on_the_clock(planned, standing, started=BEGAN, now=now, cut_multiplier=3.0)
    assert day.cut_min == pytest.approx(60)
    cut = next(each for each in day.steps if each.planned.step.clock == "cut")
    assert cut.ends == rennet + timedelta(minutes=60)
    for one, other in pairwise(day.steps):
        assert other.begins >= one.ends or one.done_at
    assert day.current.done_at is None and day.current.planned.step.key == keys[day.number - 1]


@given(st.lists(st.floats(4, 60), min_size=3, max_size=400), st.integers(3, 96))
def test_a_drawn_curve_keeps_its_ends_and_its_highest_point(values, most):
    readings = [
        stands.Reading(id=str(n), at=at(n), celsius=value) for n, value in enumerate(values)
    ]
    drawn = stands.thinned(readings, most)
    assert len(drawn) == min(most, len(values))
    assert (drawn[0], drawn[-1]) == (readings[0], readings[-1])
    assert [each.at for each in drawn] == sorted(each.at for each in drawn)
    spike = [
        *readings[: len(readings) // 2],
        stands.Reading(id="s", at=at(len(readings) // 2 - 0.5), celsius=200.0),
        *readings[len(readings) // 2 :],
    ]
    assert 200.0 in [each.celsius for each in stands.thinned(spike, most)]


@pytest.mark.parametrize(
    ("deed", "minutes", "field"),
    [
        (StepDone(step="sing"), 1, "step"),
        (ReadingTaken(celsius=-2.1), 1, "celsius"),
        (ReadingTaken(celsius=105.1), 1, "celsius"),
        (ReadingTaken(ph=2.99), 1, "ph"),
        (WheyKept(0.0), 1, "litres"),
        (WheyKept(40.1), 1, "litres"),
        (Weighed((1.0, 0.0)), 1, "weight"),
        (Weighed((41.0,)), 1, "weight"),
        (StepDone(step="warm"), 62.1, "happened"),
        (StepDone(step="warm"), -60.1, "happened"),
    ],
)
def test_each_limit_names_the_field_it_speaks_of(deed, minutes, field):
    with pytest.raises(CraftError) as refused:
        checks.check(told(deed, minutes), bounds())
    assert refused.value.about == field


@pytest.mark.parametrize(
    ("deed", "minutes"),
    [
        (ReadingTaken(celsius=-2.0), 1),
        (ReadingTaken(celsius=105.0, ph=3.0), 1),
        (ReadingTaken(ph=9.0, note="x" * 500), 1),
        (WheyKept(40.0), 1),
        (Weighed((40.0,)), 1),
        (StepDone(step="warm"), 62.0),
        (StepDone(step="warm"), -60.0),
    ],
)
def test_what_lies_on_a_limit_is_taken(deed, minutes):
    checks.check(told(deed, minutes), bounds())


def test_nothing_is_added_to_a_make_at_rest_but_what_happened_before():
    checks.check(told(ReadingTaken(celsius=30.0), 20), bounds(rested=30))
    with pytest.raises(NotPossible, match="at rest"):
        checks.check(told(ReadingTaken(celsius=30.0), 31), bounds(rested=30))
    read = told(ReadingTaken(celsius=30.0), 20, "r", arrived=at(20))
    checks.check(told(Amended({"ph": 6.2}), 50, "m", "r"), bounds(read, rested=30))
    with pytest.raises(OutOfRange, match="no vat|No vat"):
        checks.check(told(Amended({"celsius": 300.0}), 50, "m", "r"), bounds(read))


# ── the frozen sheet ──


@pytest.mark.parametrize("key", sorted(MILK_RECIPES))
def test_a_frozen_sheet_is_the_same_after_it_was_kept(key):
    job = job_for(key, one_pour("cow_lowland", litres=24.0))
    sheet = adapt(job)
    kept = frozen.freeze(
        job,
        sheet,
        (Caution(key="x", level="note", title="A word.", words="More words."),),
        document=write(job.recipe),
        given=Outfit(
            vat="vat 1", press="press 1", moulds=("m 1", "m 2"), names={"vat 1": "kettle"}
        ),
        warm={"warm": sheet.cheese},
        asks=sheet.asks,
    )
    data = json.loads(json.dumps(frozen.to_json(kept)))
    again = frozen.read(data, frozen.VERSION)
    assert frozen.to_json(again) == frozen.to_json(kept)
    assert again == replace(kept, house=again.house)
    assert again.given.names == kept.given.names
    for line in sheet.lines:
        assert replay(again.line(line.key).figure.because) == pytest.approx(
            line.figure.value, abs=1e-9
        )
    assert again.house.number("slow_acid.stirred_curd.hours") == HOUSE.number(
        "slow_acid.stirred_curd.hours"
    )


def test_a_sheet_of_a_version_to_come_is_refused_in_words():
    with pytest.raises(Unknown, match="newer Open Pail"):
        frozen.read(frozen.to_json(sheet_of()), 3)


def test_what_goes_with_the_rennet_is_what_no_step_gives():
    sheet = sheet_of()
    assert [line.kind for line in sheet.given_by(("rennet",))] == ["rennet"]  # a step gives it
    document = json.loads(json.dumps(sheet.recipe))
    for step in document["recipe"]["steps"]:
        step["adds"] = [each for each in step.get("adds", ()) if each != "calcium"]
    bare = frozen.read(frozen.to_json(sheet) | {"recipe": document}, frozen.VERSION)
    assert [line.kind for line in bare.given_by(("rennet",))] == ["rennet", "calcium"]
    assert bare.given_by(("culture",)) == sheet.given_by(("culture",))


# ── stops, lessons ──


@pytest.mark.parametrize(
    ("level", "hard", "note", "starts"),
    [
        ("stop", True, "I know what I am doing", False),
        ("stop", False, "", False),
        ("stop", False, "    short    ", False),
        ("stop", False, "the vet has been and let it go", True),
        ("caution", False, "", True),
        ("note", False, "", True),
    ],
)
def test_what_may_start_is_the_cores_to_say(level, hard, note, starts):
    kept = sheet_of()
    plain = frozen.to_json(kept) | {
        "asks": [],
        "cautions": [
            {"key": "k", "level": level, "title": "Stop.", "words": "A word.", "hard": hard}
        ],
    }
    sheet = frozen.read(plain, frozen.VERSION)
    if starts:
        check_start(sheet, note)
    else:
        with pytest.raises(NotPossible):
            check_start(sheet, note)


FAMILIES = sorted({key.split(".")[1] for key in shipped() if key.startswith("slow_acid.")})


@given(
    st.sampled_from(FAMILIES), st.floats(4.0, 7.0), st.floats(0.0, 72.0), st.sampled_from([22, 31])
)
def test_slow_acid_stops_when_it_must_and_only_then(family, ph, hours, celsius):
    """The caution must not be missing at and beyond its limits, nor be there short of them."""
    recipe = replace(LARDER, family=family, renneting_c=celsius)
    wanted = [(each.ph, each.hours) for each in limits(recipe, HOUSE)]
    late = any(ph >= most_ph and hours >= most_h for most_ph, most_h in wanted)
    found = slow_acid(recipe, [AcidReading(6.6, 0.0), AcidReading(ph, hours)], HOUSE)
    assert (found is not None) == late
    # what comes later takes nothing back, nor makes a stop of what was in time
    after = [AcidReading(ph, hours), AcidReading(4.5, hours + 20)]
    assert (slow_acid(recipe, after, HOUSE) is not None) == late
    assert found is None or (found.level == "stop" and "toxin survives cooking" in found.words)


def test_lessons_come_of_the_standing_and_of_nothing_else():
    planned = laid_out(LARDER)
    keys = [each.step.key for each in planned]
    day = [
        told(StepDone(step=key), 10.0 * n + 30, key)
        for n, key in enumerate(keys[: keys.index("flocks")])
    ]
    warm = [
        told(ReadingTaken(celsius=celsius), minute, f"t{minute}")
        for minute, celsius in ((2, 8.0), (15, 20.0), (28, 31.5))
    ]
    flocks = told(FirstFlocks(), 90, "f")
    sheet = frozen.read(
        frozen.to_json(sheet_of()) | {"rennet": {"bottle": "lot 1", "learnt": 1.0}}, frozen.VERSION
    )
    stale = fold.fold(LARDER, (*day, *warm, flocks))
    assert by_flocks(LARDER, sheet, stale) is None
    assert "20 min before the rennet" in lessons(LARDER, sheet, stale, BEGAN).nothing
    read = told(ReadingTaken(celsius=32.0), 65, "t65")
    standing = fold.fold(LARDER, (*day, *warm, read, flocks))
    seen = by_flocks(LARDER, sheet, standing)
    assert seen.observed_min == standing.flocks_min and seen.bottle == "lot 1"
    assert (
        by_flocks(LARDER, sheet, fold.fold(LARDER, (*day, flocks))) is None
    )  # no temperature was read
    shown = by_warmings(LARDER, sheet, standing, BEGAN)["warm"]
    assert (shown.from_c, shown.to_c, shown.minutes) == (8.0, 31.5, 26.0)
    cold = fold.fold(LARDER, (*day, *warm, told(ReadingTaken(celsius=28.0), 65, "c"), flocks))
    assert by_flocks(LARDER, sheet, cold).expected_min == pytest.approx(1.45 * seen.expected_min)
    assert expected_flocks(LARDER, sheet, cold) == pytest.approx(
        1.45 * expected_flocks(LARDER, sheet, standing)
    )
    # a sheet of before the base moved teaches against the base of now; a dairy's own stays its own
    told_then = HOUSE.to_json()
    told_then["values"]["rennet.minutes"] = 13.0
    minutes = sheet.set.flocculation.times("as it was reckoned then", 13 / 19)
    before = replace(sheet, set=replace(sheet.set, flocculation=minutes))
    for house, share in (
        (House.from_json(told_then), 1.0),
        (House({"rennet.minutes": 13}), 13 / 19),
    ):
        taught = by_flocks(LARDER, replace(before, house=house), standing)
        assert taught.expected_min == pytest.approx(share * seen.expected_min)
    sour = fold.fold(LARDER, (*day, read, told(ReadingTaken(ph=6.4), 66, "p"), flocks))
    asked = replace(sheet, renneting_ph=6.5)
    assert by_flocks(LARDER, asked, sour).expected_min < seen.expected_min
    ended = told(deeds.GivenUp("thrown", "it broke"), 99, "g")
    given_up = fold.fold(LARDER, (*day, read, flocks, ended))
    assert lessons(LARDER, sheet, given_up, BEGAN).flocks is None
    hasty = [replace(e, happened=BEGAN + (e.at - BEGAN) / 20) for e in (*day, read, flocks)]
    taught = lessons(LARDER, sheet, fold.fold(LARDER, hasty), BEGAN)
    assert taught.flocks is None and "quicker than hands" in taught.nothing
    without = fold.fold(LARDER, (*day, *warm, told(Undone(), 95, "u", "t28"), flocks))
    assert by_warmings(LARDER, sheet, without, BEGAN)["warm"].to_c == 20.0
