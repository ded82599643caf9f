"""The rules of the make day: order, clocks, coach, water, rooms, acid, holds, help, leaving."""

from dataclasses import replace
from datetime import timedelta
from itertools import pairwise, permutations
from math import exp, log

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from openpail.craft.errors import CraftError, NotPossible, OutOfRange, Unknown
from openpail.craft.figure import Figure, replay
from openpail.craft.make import (
    acid_curve,
    bands,
    checks,
    drain,
    help,
    leave,
    pasteurise,
    ramp,
    wash,
)
from openpail.craft.make.additions import acid_now, by_weight, from_another, one_part, rennet_share
from openpail.craft.make.day import lasting, on_the_clock
from openpail.craft.make.deeds import (
    AcidGiven,
    CalledAway,
    CameBack,
    CurdWeighed,
    Felt,
    FirstFlocks,
    HeatOff,
    HelpTaken,
    PortionGiven,
    ReadingTaken,
    SetLooked,
    StepAgain,
    StepBegun,
    StepDone,
    StepSkipped,
    Ticked,
    TimerSet,
    TimerStopped,
    WaterAdded,
    WheyOff,
)
from openpail.craft.make.ending import deviations
from openpail.craft.make.facts import Record, facts_of
from openpail.craft.make.fold import fold
from openpail.craft.make.order import is_free, portions_of, waits_for
from openpail.craft.make.set_talk import flocks_said
from openpail.craft.make.signs import LADDERS, asked_at, wanted
from openpail.craft.make.standing import MOST_TAPS, Standing, Tap, drawn, whey_off_l
from openpail.craft.make.taught import by_acid, by_flocks, by_heat_off
from openpail.craft.make.warm_clock import wants_it, warm_clock
from openpail.craft.recipe.steps import laid_out
from openpail.craft.sheet.moves import titled
from openpail.craft.stock.products import Product
from tests.craft.test_make import BEGAN, LARDER, at, bounds, sheet_of, told
from tests.support import HOUSE, RECIPES

KEYS = [step.key for step in LARDER.steps]
PLANNED = laid_out(LARDER, 12.0, 36.0)
minutes = st.floats(0, 400)


def day_of(*deeds, now=60.0, recipe=LARDER):
    planned = PLANNED if recipe is LARDER else laid_out(recipe, 12.0, 36.0)
    return on_the_clock(planned, BEGAN, fold(recipe, deeds), at(now), 3.0, 12.0)


def upto(key, each_min=10.0):
    """All steps before one, done one after the other."""
    return [told(StepDone(k), each_min * n, f"d{n}") for n, k in enumerate(KEYS[: KEYS.index(key)])]


def live(deed, kept=(), now=60.0, **more):
    """A deed told by somebody who stands there."""
    held = replace(
        bounds(*kept, now=now),
        recipe=LARDER,
        day=day_of(*kept, now=now),
        doses={"rennet": 4.0},
        milk_kg=20.6,
        cheese_kg=2.4,
        brim_l=30.0,
        **more,
    )
    checks.check(told(deed, now), held)


# ── order and clocks ──


@given(st.lists(st.sampled_from(KEYS), max_size=25), st.data())
def test_no_step_comes_before_what_it_waits_for_whatever_is_tapped(taps, data):
    kept = []
    for number, key in enumerate(taps):
        sort = data.draw(st.sampled_from([StepDone, StepBegun, StepAgain]))
        deed = sort(key, word="so it is") if sort is StepDone else sort(key)
        try:
            live(deed, kept, now=float(number))
        except CraftError:
            continue
        kept.append(told(deed, float(number), f"t{number}"))
    done = fold(LARDER, kept).done
    for key in done:
        assert {step.key for step in waits_for(LARDER, key)} <= set(done)


def test_calcium_may_go_in_while_it_ripens_and_rennet_waits_for_all():
    free = [step.key for step in LARDER.steps if is_free(LARDER, step)]
    assert free == ["calcium"]
    assert "calcium" in [step.key for step in waits_for(LARDER, "rennet")]
    day = day_of(*upto("ripen"), told(StepDone("calcium"), 25, "c"), now=26)
    assert day.current.planned.step.key == "ripen"
    assert [step.key for step in day.may_be_done(LARDER)] == []
    assert day_of(*upto("ripen"), now=26).may_be_done(LARDER)[0].key == "calcium"
    with pytest.raises(NotPossible, match="First comes"):
        live(StepDone("cut", word="so it is"), upto("set"))


@given(minutes, minutes, st.integers(0, len(KEYS) - 1))
def test_clocks_move_only_by_what_happened_and_never_run_backwards(first, later, count):
    early, late = sorted((first, later))
    done = [told(StepDone(k), 5.0 * n, f"d{n}") for n, k in enumerate(KEYS[:count])]
    before, after = day_of(*done, now=early + 200), day_of(*done, now=late + 200)
    for one, then in zip(before.steps, after.steps, strict=True):
        assert one.was_to_begin == then.was_to_begin
        assert one.begins <= then.begins and one.ends <= then.ends
    for one, then in pairwise(after.steps):
        assert one.begins <= one.ends and one.begins <= then.begins


def test_a_step_is_begun_late_left_out_done_again_and_ended_by_its_last_part():
    begun = day_of(*upto("ripen"), told(StepBegun("ripen"), 50, "b"), now=55)
    assert begun.current.begins == at(50)
    assert begun.current.ends - at(50) == timedelta(minutes=begun.current.planned.minutes)
    assert begun.late_min > 0
    skipped = day_of(*upto("ripen"), told(StepSkipped("ripen", "sour already"), 40, "s"), now=41)
    assert skipped.state("ripen").skipped == "sour already"
    assert fold(LARDER, upto("ripen")).culture_at and skipped.standing.culture_at
    left_out = fold(LARDER, [told(StepSkipped("rennet", "none left"), 9, "r")])
    assert left_out.rennet_at is None and "rennet" in left_out.done
    again = day_of(*upto("ripen"), told(StepAgain("culture"), 40, "a"), now=41)
    assert again.current.planned.step.key == "culture" and again.current.begins == at(40)
    with pytest.raises(NotPossible, match="came after it"):
        live(StepAgain("warm"), upto("ripen"))
    salted = RECIPES["threshing-cheddar"]
    assert portions_of(salted, "salt") == 3
    parts = [told(PortionGiven("salt"), n, f"p{n}") for n in range(3)]
    assert "salt" not in fold(salted, parts[:2]).done
    assert fold(salted, parts).done["salt"].at == at(2)
    with pytest.raises(OutOfRange, match="why it is left out"):
        live(StepSkipped("ripen", "no"), upto("ripen"))


def test_a_set_that_is_not_firm_waits_five_minutes_and_a_clean_break_ends_it():
    kept = [*upto("flocks"), told(FirstFlocks(), 70, "f")]
    soft = day_of(*kept, told(SetLooked("soft"), 140, "l"), now=140)
    assert soft.current.planned.step.key == "set" and soft.current.ends == at(145)
    clean = day_of(*kept, told(SetLooked("clean"), 146, "c"), now=146)
    assert clean.current.planned.step.key == "cut"
    with pytest.raises(NotPossible, match="no rennet in it"):
        live(SetLooked("clean"), upto("ripen"))


@pytest.mark.parametrize(
    ("deed", "words"),
    [
        (StepDone("ripen"), "lasts about"),
        (StepDone("ripen", {"rennet": 40.0}, word=""), "40 was given, where the sheet says 4"),
        (ReadingTaken(60.0), "within the last five minutes"),
        (CurdWeighed(12.0), "12.00 kg of curd"),
        (WaterAdded(5.0, 92.0), "seals the curd"),
        (WaterAdded(18.0, 60.0), "more than the vat’s 30 L"),
        (WaterAdded(9.5, 60.0), "washes bland"),
    ],
)
def test_what_is_far_from_expected_is_asked_then_kept_with_a_word(deed, words):
    kept = [*upto("ripen"), told(ReadingTaken(31.0), 19, "r")]
    with pytest.raises(OutOfRange, match=words) as asked:
        live(deed, kept, now=21.0)
    assert asked.value.about in ("word", "note")
    name = "note" if isinstance(deed, ReadingTaken) else "word"
    live(replace(deed, **{name: "it is so"}), kept, now=21.0)


def test_a_target_that_is_not_reached_is_asked_and_what_comes_late_is_kept_as_it_is():
    cold = [told(ReadingTaken(24.0), 19, "r")]
    with pytest.raises(OutOfRange, match="last read at 24.0 °C"):
        live(StepDone("warm"), cold, now=20.0)
    live(StepDone("warm"), [*cold, told(ReadingTaken(31.5), 25, "s")], now=25.5)
    away = replace(bounds(*cold, now=90), recipe=LARDER, day=day_of(*cold, now=90))
    checks.check(told(StepDone("warm"), 20.0), away)


@pytest.mark.parametrize(
    ("deed", "words"),
    [
        (StepDone("warm", {"sugar": 1.0}), "nothing called"),
        (StepDone("warm", {}, {"rennet": "x"}), "Say how much of the other bottle"),
        (PortionGiven("rennet"), "all at once"),
        (Felt("warm"), "Say what was felt"),
        (Felt("warm", "curd", "purple"), "no sign of this"),
        (TimerSet(0.0), "from a second to a week"),
        (TimerStopped("00000000-0000-4000-8000-000000000000"), "no such timer"),
        (WheyOff(99.0), "up to the 20.0 L"),
        (WaterAdded(2.0, 140.0), "between 0 and 100"),
        (AcidGiven(0.0), "how much acid"),
        (CurdWeighed(900.0), "less than the milk was"),
        (ReadingTaken(acid_pct=9.0), "at most 3"),
    ],
)
def test_what_cannot_be_is_refused_in_words(deed, words):
    with pytest.raises(CraftError, match=words):
        live(deed)


# ── warming ──


@given(
    st.floats(4, 30),
    st.floats(31, 40),
    st.floats(10, 60),
    st.lists(st.tuples(st.floats(0, 60), st.floats(2, 60)), max_size=6),
    st.none() | st.floats(1, 60),
    st.booleans(),
)
def test_the_coach_always_has_one_sentence_that_fits_the_reading(start, to, span, read, off, curd):
    read = sorted(read)
    now = (read[-1][0] if read else 0.0) + 1
    said = ramp.coach(ramp.WarmingNow(start, to, span, now, read, off, 1.5, curd), HOUSE)
    assert said.words.endswith(".") and said.look_min >= 2
    if not read:
        assert said.way == "unread"
    elif read[-1][1] > to + 1.5:
        assert said.way == "over" and "Over by" in said.words
    elif abs(read[-1][1] - to) < 0.5:
        assert said.way == "there"
    if said.way == "fast":
        assert said.ahead_min > 0 and ("skin" in said.words) == curd
    if said.way == "slow":
        assert said.ahead_min < 0


@given(st.floats(2, 100), st.floats(3.5, 7.5), st.booleans())
def test_a_reading_inside_its_band_is_never_spoken_of_and_outside_it_always(celsius, ph, early):
    for step in (s for s in LARDER.steps if s.kind not in ("warm", "heat", "add water")):
        said = bands.warmth_said(step, celsius)
        if step.celsius:
            assert bool(said) == (not step.celsius.low <= celsius <= step.celsius.high)
        said = bands.ph_said(step, ph, early)
        if step.ph:
            out = ph < step.ph.low or (ph > step.ph.high and not early)
            assert bool(said) == out
    rounds = [bands.round_seconds(LARDER.step("cut"), 0.5, is_soft=False)]
    stirs = next(s for s in LARDER.steps if s.kind == "stir")
    rounds += [bands.round_seconds(stirs, share, is_soft=True) for share in (0.1, 0.5, 0.9)]
    assert rounds == [None, 8.0, 6.0, 5.0]


def test_curd_that_came_to_its_warmth_too_soon_is_held_for_the_minutes_gained():
    early = ramp.WarmingNow(32, 38, 40, 20, [(0, 32.0), (20, 38.0)], None, 1.0, curd=True)
    assert "20 min early" in ramp.coach(early, HOUSE).words
    assert "for the 20 min that were gained" in ramp.coach(early, HOUSE).words
    in_time = replace(early, read=[(0, 32.0), (39, 38.0)])
    assert "early" not in ramp.coach(in_time, HOUSE).words


def test_a_vat_is_taught_by_one_reading_before_and_one_after_the_heat_is_off():
    def standing(*readings):
        every = [told(ReadingTaken(c), t, f"r{t}") for t, c in readings]
        return fold(LARDER, [*every, told(HeatOff(), 20, "off")])

    (taught,) = by_heat_off(standing((18, 30.0), (26, 31.8), (30, 31.6)))
    assert taught.over_c == pytest.approx(1.8)
    assert by_heat_off(standing((10, 30.0), (26, 31.8))) == ()
    assert by_heat_off(standing((18, 30.0), (80, 31.8))) == ()


# ── water and rooms ──

kilos = st.floats(2, 200)


@given(kilos, st.floats(25, 36), st.floats(0.5, 8), st.floats(46, 80))
def test_hot_water_balances_its_heat_and_the_figure_replays(kg, start, rise, hot):
    litres_room = 1000.0
    mass = Figure.start("in the vat", kg, "kg")
    found = wash.wash(mass, start, start + rise, hot, litres_room, HOUSE)
    water = wash.hot_water_kg(kg, start, start + rise, hot)
    mixed = (kg * 3.90 * start + water * 4.186 * hot) / (kg * 3.90 + water * 4.186)
    assert mixed == pytest.approx(start + rise, abs=1e-6)
    assert replay(found.litres.because) == pytest.approx(found.litres.value, rel=1e-9)
    assert ("wash bland" in " ".join(found.says)) == (water / kg > 0.45)
    hotter = wash.hot_water_kg(kg, start, start + rise, hot + 5)
    assert hotter < water
    assert "more go in" in " ".join(wash.wash(mass, start, start + rise, hot, 0.0, HOUSE).says)


def test_water_too_cool_to_warm_it_is_said_with_what_to_do():
    with pytest.raises(NotPossible, match="make it hotter, or warm the vat"):
        wash.hot_water_kg(40, 31, 38, 38)
    assert "seals" in wash.wash(Figure.start("", 40, "kg"), 31, 33, 88, 100, HOUSE).says[0]


def test_a_cold_room_takes_longer_and_a_room_the_recipe_names_takes_what_it_says():
    log = RECIPES["wrenfold-log"]
    drip = log.step("drip")
    assert drain.room_factor("lactic", drip, drip.celsius.target, HOUSE) == 1.0
    colder = [drain.room_factor("lactic", drip, c, HOUSE) for c in (14, 17, 20, 24)]
    assert colder == sorted(colder, reverse=True)
    assert drain.room_factor("lactic", log.step("sour"), 16, HOUSE) > 1.5
    assert drain.room_factor("alpine", LARDER.step("cut"), 10, HOUSE) == 1.0
    with pytest.raises(OutOfRange, match="A room is"):
        drain.drain_hours(8, 60)
    longer = lasting(PLANNED, {"ripen": 99.0})
    assert [e.start_min for e in longer] == [e.start_min for e in PLANNED]


def test_whey_that_nobody_measured_is_what_the_recipe_takes_off():
    hatch = RECIPES["hatch"]
    done = fold(hatch, [told(StepDone("whey-off"), 5)])
    assert whey_off_l(hatch, done, 30.0) == pytest.approx(0.33 * 30)
    said = fold(hatch, [told(StepDone("whey-off"), 5, "a"), told(WheyOff(7.0), 4, "b")])
    assert whey_off_l(hatch, said, 30.0) == 7.0


# ── acid ──


@given(st.floats(1, 8), st.floats(0.6, 2.5), st.integers(2, 5))
def test_a_forecast_comes_with_a_band_that_holds_the_truth(half, rate, count):
    truth = acid_curve.Expected(6.6, 4.6, half, rate)
    assert acid_curve.ph_at(0.0, truth) == pytest.approx(6.6)
    hours = [half * 0.5 * (n + 1) / count for n in range(count)]
    read = [(0.0, 6.6), *((h, acid_curve.ph_at(h, truth)) for h in hours)]
    target = 5.4
    real = acid_curve.reached(truth, target)
    assume(read[-1][1] > target + 0.05 and 6.6 - read[-1][1] > 0.05)
    found = acid_curve.forecast(read, truth, target)
    assert found is not None and found.early <= found.hours <= found.late
    assert found.hours == pytest.approx(real, rel=0.15)
    assert found.early >= read[-1][0]


def test_nothing_is_forecast_of_one_reading_or_of_a_milk_that_stands_still():
    goes = acid_curve.expected_of(laid_out(RECIPES["slow-skein"]), 45, 6.6)
    assert goes is not None and goes.end_ph < 5.15
    assert acid_curve.forecast([(1.0, 6.4)], goes, 5.2) is None
    assert acid_curve.forecast([(0.0, 6.6), (2.0, 6.6)], goes, 5.2) is None
    assert acid_curve.expected_of(laid_out(RECIPES["bench-curd"]), 0, 5.0) is None


def test_acid_goes_in_three_quarters_first_then_by_tenths_and_is_learnt():
    curd, frozen = RECIPES["bench-curd"], sheet_of("bench-curd")
    line = frozen.line("acid")
    first = acid_now(line, fold(curd, []), HOUSE)
    assert first.next.value == pytest.approx(0.75 * line.figure.value) and not first.begun
    part = [told(AcidGiven(0.5 * line.figure.value), 1, "a")]
    assert acid_now(line, fold(curd, part), HOUSE).next.value == pytest.approx(
        0.25 * line.figure.value
    )
    most = [*part, told(AcidGiven(0.4 * line.figure.value), 2, "b")]
    assert acid_now(line, fold(curd, most), HOUSE).next.value == pytest.approx(
        0.1 * line.figure.value
    )
    assert by_acid(curd, frozen, fold(curd, most)) is None  # not ended: it may want more
    taught = by_acid(curd, frozen, fold(curd, [*most, told(StepDone("acid"), 3, "c")]))
    assert taught.used / taught.expected == pytest.approx(0.9)


# ── doses at hand ──


def test_salt_follows_the_curd_that_was_really_weighed_and_goes_in_parts():
    cheddar, frozen = RECIPES["threshing-cheddar"], sheet_of("threshing-cheddar")
    line = frozen.line("salt")
    curd = Tap("a", BEGAN, CurdWeighed(2.0 * frozen.cheese.value))
    found = by_weight(line, cheddar, frozen, Standing({}, taps=(curd,)))
    assert found.value == pytest.approx(2000 * frozen.cheese.value * 0.026)  # 2.6 % of the curd
    weighed = Standing({}, taps=(curd,))
    assert by_weight(frozen.line("rennet"), cheddar, frozen, weighed).value == (
        frozen.line("rennet").figure.value
    )
    part, parts = one_part(found, cheddar, "salt")
    assert parts == 3 and part.value * 3 == pytest.approx(found.value)


def test_another_bottle_is_dosed_by_what_works_in_it_or_refused():
    frozen = sheet_of()
    line, weak = frozen.line("rennet"), Product("rennet", "weak", 100.0)
    ours = next(each.product for each in LARDER.ingredients if each.key == "rennet")
    found = from_another(line.figure, ours, weak, LARDER, HOUSE)
    assert found.value == pytest.approx(line.figure.value * ours.strength / 100)
    flakes = Product("calcium", "flakes", 77.0, counts="dihydrate", per="dry")  # anhydrous, truly
    solution = Product("calcium", "solution", 33.0, counts="anhydrous", per="w/v")
    ml = Figure.start("the sheet", 10.0, "mL")  # 3.3 g of the salt
    assert from_another(ml, solution, flakes, LARDER, HOUSE).value == pytest.approx(3.3 / 0.77)
    with pytest.raises(NotPossible, match="is no rennet"):
        from_another(line.figure, ours, Product("salt", "salt"), LARDER, HOUSE)
    half = fold(LARDER, [told(StepDone("rennet", {"rennet": line.figure.value / 2}), 5)])
    assert rennet_share(LARDER, frozen, half) == pytest.approx(0.5)
    assert rennet_share(LARDER, frozen, fold(LARDER, [])) == 1.0
    # a dose that was halved says nothing of the bottle: twice the time was due
    due = 2 * frozen.set.flocculation.value
    seen = [told(ReadingTaken(32.0), 1, "r"), told(FirstFlocks(), 5 + due, "f")]
    kept = [told(StepDone("rennet", {"rennet": line.figure.value / 2}), 5, "h"), *seen]
    frozen = replace(frozen, rennet="lot 1")
    taught = by_flocks(LARDER, frozen, fold(LARDER, kept))
    assert taught.observed_min == pytest.approx(taught.expected_min)
    assert "As expected" in flocks_said(LARDER, frozen, fold(LARDER, kept)).words
    lot = {"rennet": "00000000-0000-4000-8000-000000000001"}
    other = [told(StepDone("rennet", {"rennet": 3.0}, lot), 5, "h"), *seen]
    assert by_flocks(LARDER, frozen, fold(LARDER, other)) is None


def test_a_title_says_this_milks_figure_and_leaves_all_others():
    frozen = sheet_of()
    moves = [replace(m, left=False) for m in frozen.moved.moves if m.part == "cut_mm"]
    assert moves
    new = f"{moves[0].figure.value:.0f} mm"
    assert titled("Cut to 13 mm, in 8 min", moves) == f"Cut to {new}, in 8 min"
    assert titled("Cut to 20 mm", moves) == "Cut to 20 mm"


# ── pasteurising ──

COW = pasteurise.Milk(4.0, 12.6)


def record(*pairs, unit="C", checked=True, milk=COW, **more):
    told = [pasteurise.HeatReading(at, value) for at, value in pairs]
    return pasteurise.hold(told, milk, unit, checked, **more)


@given(
    st.lists(
        st.tuples(st.integers(0, 90), st.floats(60, 68)), max_size=40, unique_by=lambda p: p[0]
    )
)
def test_a_record_meets_only_what_every_reading_of_half_an_hour_shows(pairs):
    found = record(*pairs)
    told = sorted(pairs)
    meets = any(
        all(value >= 63 for _, value in told[i : j + 1])
        and all(b[0] - a[0] <= 5 for a, b in pairwise(told[i : j + 1]))
        and told[j][0] - told[i][0] >= 30
        for i in range(len(told))
        for j in range(i, len(told))
    )
    assert found.meets == meets
    assert ("does not meet" in found.words) == (not meets)
    assert not any(word in found.words for word in ("safe", "proven", "passed"))


def test_a_hold_runs_live_breaks_at_a_dip_and_wants_more_of_rich_milk_or_an_untried_thermometer():
    steady = [(4 * n, 63.4) for n in range(4)]
    assert record(*steady, now_min=13.0).running_min == 12
    assert record(*steady, now_min=18.0).running_min == 0
    assert "62.9 °C was read" in record(*steady, (16, 62.9), now_min=16.0).broken
    assert "6 min without a reading" in record(*steady, (18, 63.5), now_min=18.0).broken
    assert pasteurise.wanted(pasteurise.Milk(10.0, 20.0), "F", True) == 150
    assert pasteurise.wanted(pasteurise.Milk(7.0, 17.6, solids_measured=False), "C", True) == 66
    assert pasteurise.wanted(pasteurise.Milk(7.0, 17.6), "C", False) == pytest.approx(63.5)
    long = [(4 * n, 63.4) for n in range(9)]
    assert not record(*long, checked=False).meets and record(*long).is_logged
    lacking = record(*long, stirred=False, coldest=False, with_air=True)
    assert lacking.meets and not lacking.is_logged and len(lacking.lacking) == 3
    assert "does not show" in lacking.words


def test_the_air_under_the_lid_is_shown_at_both_ends():
    milk = [pasteurise.HeatReading(4 * n, 63.6) for n in range(9)]
    air = [pasteurise.HeatReading(t, 66.5, of_air=True) for t in (1, 31)]
    assert pasteurise.hold([*milk, *air], COW, "C", True, with_air=True).is_logged
    assert not pasteurise.hold([*milk, air[0]], COW, "C", True, with_air=True).is_logged
    cold = [air[0], replace(air[1], value=65.0)]
    assert not pasteurise.hold([*milk, *cold], COW, "C", True, with_air=True).is_logged


@given(st.floats(2, 100), st.floats(40, 70), st.floats(5, 30), st.floats(0.05, 2))
def test_cooling_told_by_its_own_readings_is_what_the_law_says(kg, start, to, ua):
    per_min = ua * 60 / (kg * 3.93)  # Newton's law, ua in kW/K
    whole = log((start - 3) / (to - 3)) / per_min
    half = 3 + (start - 3) * exp(-per_min * whole / 2)
    told = pasteurise.still_to_cool([(0.0, start), (whole / 2, half)], to, 3.0)
    assert told == pytest.approx(whole / 2, rel=0.01)


def test_a_thermometer_is_tried_in_ice_and_at_the_boiling_point_of_its_place():
    assert pasteurise.is_true(0.2, 99.1, 300) and not pasteurise.is_true(0.5, 99.1, 300)
    assert not pasteurise.is_true(0.0, 100.0, 900)
    with pytest.raises(OutOfRange):
        pasteurise.is_true(0, 100, 99_000)


# ── leaving, warm clock, signs, help ──


@pytest.mark.parametrize(
    ("said", "minutes"),
    [
        ("Not now: cold ones crack.", 0),
        ("Up to 5 min; then it scorches.", 5),
        ("Until three minutes before its time.", 17),
        ("Until the cut; ten minutes late it splits.", 20),
        ("Any time; four hours more only make it sourer.", 20),
        ("Half an hour.", 30),
        ("Up to 20 min more.", 40),
        ("Within the hour.", 60),
        ("Up to 2 h.", 120),
        ("2 min at most.", 2),
        ("", 20),
    ],
)
def test_how_long_a_step_may_be_left_in_minutes_and_consequence(said, minutes):
    state = day_of(*upto("ripen"), now=20).current
    step = replace(state.planned.step, leave=said, may_stretch_minutes=0.0, minutes=20.0)
    state = replace(state, planned=replace(state.planned, step=step), begins=at(20), ends=at(40))
    found = leave.may_be_left(state, at(20))
    assert found.minutes == minutes and found.words
    assert (found.until is None) == (minutes == 0)


def test_coming_back_says_what_was_missed_and_what_can_still_be_saved():
    stirring = next(step.key for step in LARDER.steps if step.kind == "stir")
    kept = [*upto(stirring, 5.0), told(CalledAway(), 130, "go"), told(CameBack(), 155, "back")]
    day = day_of(*kept, now=155)
    assert day.standing.last_away == (at(130), at(155)) and day.standing.away_since is None
    found = leave.missed(day, *day.standing.last_away)
    assert found.minutes == 25 and "break it up" in found.now
    assert "Nothing is lost" in leave.missed(day, at(154.5), at(155)).now


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
    return Record(book, sheet_of(recipe), day.standing, day, at(now), **more)


def test_the_record_itself_says_what_may_be_behind_a_fault():
    cold = [told(ReadingTaken(27.0), 41, "r"), told(ReadingTaken(31.5), 3, "q")]
    kept = [*upto("cut"), *cold]
    found = facts_of(looked_at(*kept))
    assert "27.0 °C was read" in found["cold_set"] and "no_rennet" not in found
    assert "no_rennet" in facts_of(looked_at(*upto("ripen"), now=60))
    stirring = next(step.key for step in LARDER.steps if step.kind == "stir")
    gone = [*upto(stirring, 5.0), told(CalledAway(), 130, "go"), told(CameBack(), 155, "back")]
    assert "25 min" in facts_of(looked_at(*gone, now=156))["unstirred"]
    less = told(StepDone("rennet", {"rennet": 0.5}), 40, "less")
    assert "of the rennet was given" in facts_of(looked_at(*upto("rennet"), less))["less_rennet"]
    told_of = looked_at(milk_says={"warm_milk": "stood warm"}, acid_slow="slow", now=5)
    assert {"warm_milk", "slow_acid"} <= set(facts_of(told_of))


def test_every_fact_that_help_asks_for_is_one_that_a_record_can_hold():
    """A cause whose fact nothing ever says would never come first."""
    import inspect

    from openpail.craft.make import facts
    from openpail.work import record

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
        told(ReadingTaken(42.0), 118, "hot"),
        told(StepDone(stirring, word="called away"), 190, "s"),
        told(StepSkipped(KEYS[KEYS.index(stirring) + 1], "no need of it"), 191, "k"),
    ]
    found = deviations(looked_at(*kept, now=200))
    assert any(each.word == "called away" and "drier" in each.means for each in found)
    assert any(each.happened == "left out" and each.word == "no need of it" for each in found)
    planned = looked_at(now=1.0)
    assert deviations(planned) == ()


def test_late_flocks_say_what_of_the_bottle_and_move_the_cut():
    frozen = sheet_of()
    expected = frozen.set.flocculation.value
    kept = [*upto("flocks"), told(FirstFlocks(), 40 + 1.35 * expected, "f")]
    said = flocks_said(LARDER, frozen, fold(LARDER, kept))
    assert "35 % later" in said.words and "clean break" in said.words
    assert said.cut_at > at(40) + timedelta(minutes=frozen.set.cut.value)
    early = [*upto("flocks"), told(FirstFlocks(), 40 + 0.7 * expected, "f")]
    assert "sooner" in flocks_said(LARDER, frozen, fold(LARDER, early)).words


def test_deeds_of_the_vat_come_to_the_same_in_any_order_of_arrival():
    day = [
        told(StepDone("warm"), 10, "a"),
        told(StepAgain("warm"), 12, "b"),
        told(StepDone("warm"), 20, "c"),
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
