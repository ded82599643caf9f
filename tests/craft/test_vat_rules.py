"""The rules of the make day: order, clocks, coach, water, rooms, acid, holds, help, leaving."""

from dataclasses import replace
from datetime import timedelta
from itertools import pairwise

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from openpail.craft.errors import CraftError, NotPossible, OutOfRange
from openpail.craft.figure import Figure, replay
from openpail.craft.make import (
    acid_curve,
    bands,
    checks,
    drain,
    ramp,
    wash,
)
from openpail.craft.make.additions import acid_now, by_weight, from_another, one_part, rennet_share
from openpail.craft.make.by_sheet import day_by
from openpail.craft.make.day import lasting, on_the_clock
from openpail.craft.make.deeds import (
    AcidGiven,
    Counted,
    CurdWeighed,
    Felt,
    FirstFlocks,
    HeatOff,
    PortionGiven,
    ReadingTaken,
    SetLooked,
    StepAgain,
    StepBegun,
    StepDone,
    StepSkipped,
    TimerSet,
    TimerStopped,
    WaterAdded,
    WheyOff,
)
from openpail.craft.make.fold import fold
from openpail.craft.make.order import is_free, portions_of, waits_for
from openpail.craft.make.set_talk import flocks_said
from openpail.craft.make.standing import Reading, Standing, Tap, whey_off_l
from openpail.craft.make.taught import by_acid, by_flocks, by_heat_off
from openpail.craft.recipe.steps import laid_out
from openpail.craft.sheet import washed
from openpail.craft.sheet.moves import titled
from openpail.craft.stock.products import Product
from tests.craft.test_make import BEGAN, LARDER, at, bounds, sheet_of, told
from tests.support import HOUSE, RECIPES

KEYS = [step.key for step in LARDER.steps]
FROZEN = sheet_of()
PLANNED = laid_out(LARDER, 12.0, 36.0)
minutes = st.floats(0, 400)


def day_of(*deeds, now=60.0, recipe=LARDER):
    planned = PLANNED if recipe is LARDER else laid_out(recipe, 12.0, 36.0)
    standing = fold(recipe, deeds)
    return on_the_clock(planned, standing, started=BEGAN, now=at(now), cut_multiplier=3.0)


def clock_of(frozen, deeds, now=600.0):
    return day_by(LARDER, frozen, fold(LARDER, deeds), started=BEGAN, now=at(now))


def upto(key, each_min=10.0):
    """All steps before one, done one after the other."""
    return [
        told(StepDone(step=k), each_min * n, f"d{n}") for n, k in enumerate(KEYS[: KEYS.index(key)])
    ]


def live(deed, kept=(), now=60.0, **more):
    """A deed told by somebody who stands there."""
    held = replace(
        bounds(*kept, now=now),
        recipe=LARDER,
        day=day_of(*kept, now=now),
        doses={"rennet": 4.0},
        sheet=FROZEN,
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
        deed = StepDone(step=key, word="so it is") if sort is StepDone else sort(key)
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
    day = day_of(*upto("ripen"), told(StepDone(step="calcium"), 25, "c"), now=26)
    assert day.current.planned.step.key == "ripen"
    assert [step.key for step in day.may_be_done(LARDER)] == []
    assert day_of(*upto("ripen"), now=26).may_be_done(LARDER)[0].key == "calcium"
    with pytest.raises(NotPossible, match="First comes"):
        live(StepDone(step="cut", word="so it is"), upto("set"))


@given(minutes, minutes, st.integers(0, len(KEYS) - 1))
def test_clocks_move_only_by_what_happened_and_never_run_backwards(first, later, count):
    early, late = sorted((first, later))
    done = [told(StepDone(step=k), 5.0 * n, f"d{n}") for n, k in enumerate(KEYS[:count])]
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
        (StepDone(step="ripen"), "lasts about"),
        (
            StepDone(step="ripen", gave={"rennet": 40.0}, word=""),
            "40.0 mL of calf rennet, 200 IMCU/mL went in, where the sheet says 3.20 mL",
        ),
        (ReadingTaken(celsius=60.0), "within the last five minutes"),
        (CurdWeighed(12.0), "12.00 kg of curd"),
        (WaterAdded(5.0, 92.0), "seals the curd"),
        (WaterAdded(18.0, 60.0), "more than the vat’s 30 L"),
        (WaterAdded(9.5, 60.0), "washes bland"),
    ],
)
def test_what_is_far_from_expected_is_asked_then_kept_with_a_word(deed, words):
    kept = [*upto("ripen"), told(ReadingTaken(celsius=31.0), 19, "r")]
    with pytest.raises(OutOfRange, match=words) as asked:
        live(deed, kept, now=21.0)
    assert asked.value.about in ("word", "note")
    name = "note" if isinstance(deed, ReadingTaken) else "word"
    live(replace(deed, **{name: "it is so"}), kept, now=21.0)


def test_a_target_that_is_not_reached_is_asked_and_what_comes_late_is_kept_as_it_is():
    cold = [told(ReadingTaken(celsius=24.0), 19, "r")]
    with pytest.raises(OutOfRange, match="last read at 24.0 °C"):
        live(StepDone(step="warm"), cold, now=20.0)
    live(StepDone(step="warm"), [*cold, told(ReadingTaken(celsius=31.5), 25, "s")], now=25.5)
    away = replace(bounds(*cold, now=90), recipe=LARDER, day=day_of(*cold, now=90))
    checks.check(told(StepDone(step="warm"), 20.0), away)


@pytest.mark.parametrize(
    ("deed", "words"),
    [
        (StepDone(step="warm", gave={"sugar": 1.0}), "nothing called"),
        (
            StepDone(step="warm", gave={}, bottles={"rennet": "x"}),
            "Say how much of the other bottle",
        ),
        (PortionGiven("rennet"), "all at once"),
        (Felt(step="warm"), "Say what was felt"),
        (Felt(step="warm", of="curd", sign="purple"), "no sign of this"),
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
    said = ramp.coach(
        ramp.WarmingNow(
            start_c=start,
            target_c=to,
            minutes=span,
            now_min=now,
            read=read,
            heat_off_min=off,
            overshoot_c=1.5,
            curd=curd,
        ),
        HOUSE,
    )
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
    early = ramp.WarmingNow(
        start_c=32,
        target_c=38,
        minutes=40,
        now_min=20,
        read=[(0, 32.0), (20, 38.0)],
        heat_off_min=None,
        overshoot_c=1.0,
        curd=True,
    )
    assert "20 min early" in ramp.coach(early, HOUSE).words
    assert "for the 20 min that were gained" in ramp.coach(early, HOUSE).words
    in_time = replace(early, read=[(0, 32.0), (39, 38.0)])
    assert "early" not in ramp.coach(in_time, HOUSE).words


def test_a_vat_is_taught_by_one_reading_before_and_one_after_the_heat_is_off():
    def standing(*readings):
        every = [told(ReadingTaken(celsius=c), t, f"r{t}") for t, c in readings]
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
    found = wash.wash(mass, start, start + rise, water_c=hot, room_l=litres_room, house=HOUSE)
    water = washed.hot_water_kg(kg, start, start + rise, hot)
    mixed = (kg * 3.90 * start + water * 4.186 * hot) / (kg * 3.90 + water * 4.186)
    assert mixed == pytest.approx(start + rise, abs=1e-6)
    assert replay(found.litres.because) == pytest.approx(found.litres.value, rel=1e-9)
    assert ("wash bland" in " ".join(found.says)) == (water / kg > 0.45)
    hotter = washed.hot_water_kg(kg, start, start + rise, hot + 5)
    assert hotter < water
    assert "more go in" in " ".join(
        wash.wash(mass, start, start + rise, water_c=hot, room_l=0.0, house=HOUSE).says
    )


def test_water_too_cool_to_warm_it_is_said_with_what_to_do():
    with pytest.raises(NotPossible, match="make it hotter, or warm the vat"):
        washed.hot_water_kg(40, 31, 38, 38)
    assert (
        "seals"
        in wash.wash(Figure.start("", 40, "kg"), 31, 33, water_c=88, room_l=100, house=HOUSE).says[
            0
        ]
    )


def test_a_cold_room_takes_longer_and_a_room_the_recipe_names_takes_what_it_says():
    log = RECIPES["wrenfold-log"]
    drip = log.step("drip")
    assert drain.room_factor("lactic", drip, drip.celsius.target, HOUSE) == 1.0
    colder = [drain.room_factor("lactic", drip, c, HOUSE) for c in (14, 17, 20, 24)]
    assert colder == sorted(colder, reverse=True)
    assert drain.room_factor("lactic", log.step("sour"), 16, HOUSE) > 1.5
    assert drain.room_factor("alpine", LARDER.step("cut"), 10, HOUSE) == 1.0
    with pytest.raises(OutOfRange, match="A room is"):
        drain.room_factor("lactic", log.step("sour"), 60, HOUSE)
    longer = lasting(PLANNED, {"ripen": 99.0})
    assert [e.start_min for e in longer] == [e.start_min for e in PLANNED]


def test_whey_that_nobody_measured_is_what_the_recipe_takes_off():
    hatch = RECIPES["hatch"]
    done = fold(hatch, [told(StepDone(step="whey-off"), 5)])
    assert whey_off_l(hatch, done, 30.0) == pytest.approx(0.33 * 30)
    said = fold(hatch, [told(StepDone(step="whey-off"), 5, "a"), told(WheyOff(7.0), 4, "b")])
    assert whey_off_l(hatch, said, 30.0) == 7.0


# ── acid ──


@given(st.floats(1, 8), st.floats(0.6, 2.5), st.integers(2, 5))
def test_a_forecast_comes_with_a_band_that_holds_the_truth(half, rate, count):
    truth = acid_curve.Expected(start_ph=6.6, end_ph=4.6, half_hours=half, rate=rate)
    assert acid_curve.ph_at(0.0, truth) == pytest.approx(6.6)
    hours = [half * 0.5 * (n + 1) / count for n in range(count)]
    read = [(0.0, 6.6), *((h, acid_curve.ph_at(h, truth)) for h in hours)]
    target = 5.4
    real = acid_curve.reached(truth, target)
    assume(read[-1][1] > target + 0.05 and 6.6 - read[-1][1] > 0.05)
    found = acid_curve.forecast(tuple(read), truth, target)
    assert found is not None and found.early <= found.hours <= found.late
    assert found.hours == pytest.approx(real, rel=0.15)
    assert found.early >= read[-1][0]


def test_nothing_is_forecast_of_one_reading_or_of_a_milk_that_stands_still():
    goes = acid_curve.expected_of(laid_out(RECIPES["slow-skein"]), 45, 6.6)
    assert goes is not None and goes.end_ph < 5.15
    assert acid_curve.forecast(((1.0, 6.4),), goes, 5.2) is None
    assert acid_curve.forecast(((0.0, 6.6), (2.0, 6.6)), goes, 5.2) is None
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
    taught = by_acid(curd, frozen, fold(curd, [*most, told(StepDone(step="acid"), 3, "c")]))
    assert taught.used / taught.expected == pytest.approx(0.9)


# ── doses at hand ──


def test_salt_follows_the_curd_that_was_really_weighed_and_goes_in_parts():
    cheddar, frozen = RECIPES["threshing-cheddar"], sheet_of("threshing-cheddar")
    line = frozen.line("salt")
    curd = Tap("a", BEGAN, CurdWeighed(2.0 * frozen.cheese.value))
    found = by_weight(line, cheddar, frozen, Standing(done={}, taps=(curd,)))
    assert found.value == pytest.approx(2000 * frozen.cheese.value * 0.026)  # 2.6 % of the curd
    weighed = Standing(done={}, taps=(curd,))
    assert by_weight(frozen.line("rennet"), cheddar, frozen, weighed).value == (
        frozen.line("rennet").figure.value
    )
    part, parts = one_part(found, cheddar, "salt")
    assert parts == 3 and part.value * 3 == pytest.approx(found.value)


def test_another_bottle_is_dosed_by_what_works_in_it_or_refused():
    frozen = sheet_of()
    line, weak = frozen.line("rennet"), Product(kind="rennet", name="weak", strength=100.0)
    ours = next(each.product for each in LARDER.ingredients if each.key == "rennet")
    found = from_another(line.figure, ours, weak, LARDER, HOUSE)
    assert found.value == pytest.approx(line.figure.value * ours.strength / 100)
    flakes = Product(
        kind="calcium", name="flakes", strength=77.0, counts="dihydrate", per="dry"
    )  # anhydrous, truly
    solution = Product(
        kind="calcium", name="solution", strength=33.0, counts="anhydrous", per="w/v"
    )
    ml = Figure.start("the sheet", 10.0, "mL")  # 3.3 g of the salt
    assert from_another(ml, solution, flakes, LARDER, HOUSE).value == pytest.approx(3.3 / 0.77)
    with pytest.raises(NotPossible, match="is no rennet"):
        from_another(line.figure, ours, Product(kind="salt", name="salt"), LARDER, HOUSE)
    half = fold(LARDER, [told(StepDone(step="rennet", gave={"rennet": line.figure.value / 2}), 5)])
    assert rennet_share(LARDER, frozen, half) == pytest.approx(0.5)
    assert rennet_share(LARDER, frozen, fold(LARDER, [])) == 1.0
    # a dose that was halved says nothing of the bottle: twice the time was due
    due = 2 * frozen.set.flocculation.value
    seen = [told(ReadingTaken(celsius=32.0), 1, "r"), told(FirstFlocks(), 5 + due, "f")]
    kept = [told(StepDone(step="rennet", gave={"rennet": line.figure.value / 2}), 5, "h"), *seen]
    frozen = replace(frozen, rennet="lot 1")
    taught = by_flocks(LARDER, frozen, fold(LARDER, kept))
    assert taught.observed_min == pytest.approx(taught.expected_min)
    assert "As expected" in flocks_said(LARDER, frozen, clock_of(frozen, kept)).words
    # left out of the learning it is as expected all the same, and cut when the clock says so
    left_out = [*kept, told(Counted(False), 6 + due, "out")]
    day = clock_of(frozen, left_out)
    said = flocks_said(LARDER, frozen, day)
    assert "As expected" in said.words
    assert said.cut_at == day.cut_at == clock_of(frozen, kept).cut_at
    assert said.cut_at == day.state("set").ends > at(5 + due)
    lot = {"rennet": "00000000-0000-4000-8000-000000000001"}
    other = [told(StepDone(step="rennet", gave={"rennet": 3.0}, bottles=lot), 5, "h"), *seen]
    assert by_flocks(LARDER, frozen, fold(LARDER, other)) is None


def test_a_title_says_this_milks_figure_and_leaves_all_others():
    frozen = sheet_of()
    moves = [replace(m, left=False) for m in frozen.moved.moves if m.part == "cut_mm"]
    assert moves
    new = f"{moves[0].figure.value:.0f} mm"
    assert titled("Cut to 13 mm, in 8 min", moves) == f"Cut to {new}, in 8 min"
    assert titled("Cut to 20 mm", moves) == "Cut to 20 mm"


def souring(read, stream=(), now=None):
    """A stretched cheese that sours: what it waits for, by hand and by the probe."""
    recipe = RECIPES["slow-skein"]
    keys = [step.key for step in recipe.steps]
    done = [
        told(StepDone(step=key), 10.0 * n, f"d{n}")
        for n, key in enumerate(keys[: keys.index("sour")])
    ]
    hand = [told(ReadingTaken(ph=ph), minute, f"r{minute}") for minute, ph in read]
    probe = [Reading(id="", at=at(minute), celsius=38.0, ph=ph) for minute, ph in stream]
    return day_by(
        recipe,
        sheet_of("slow-skein"),
        fold(recipe, [*done, *hand]),
        started=BEGAN,
        now=at(now or max([minute for minute, _ in (*read, *stream)], default=100)),
        stream=probe,
    )


def test_hand_and_probe_tell_one_forecast_and_the_newest_says_most():
    by_hand = souring([(100, 6.3), (160, 6.0)])
    assert by_hand.acid.at and by_hand.current.ends == by_hand.acid.at
    faster = souring([(100, 6.3), (160, 6.0)], [(190, 5.6), (220, 5.3)])
    assert faster.acid.last.ph == 5.3 and faster.acid.at < by_hand.acid.at
    assert faster.current.decides == "acid" and faster.acid.early <= faster.acid.at
    probe_alone = souring([], [(100, 6.3), (160, 6.0), (220, 5.3)])
    assert abs(probe_alone.acid.at - faster.acid.at) < timedelta(minutes=30)
    there = souring([(100, 6.3)], [(200, 5.3), (240, 5.14)])
    assert there.acid.passed == at(240) and there.current.ends == at(240)
    assert there.acid.words == "" and souring([(100, 6.3)]).acid.words


def test_a_reading_moves_what_is_waited_for_and_the_clock_alone_does_not():
    read = [(100, 6.3), (160, 6.0)]
    ends = {souring(read, now=minute).current.ends for minute in (160, 175, 200)}
    assert len(ends) == 1
    assert souring([*read, (200, 5.5)]).current.ends not in ends
