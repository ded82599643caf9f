"""What a make is given and wants ready: press and moulds, heat, room to ripen, kit and products."""

from dataclasses import replace
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.cave.rooms import Full, Room, Stay, room_of, stays, taken_places, without_room
from openpail.craft.clock.gear import NO_OUTFIT, Gear, Outfit, needs, outfit
from openpail.craft.clock.heat import Heater, Warming, heating_minutes, power_of, warming
from openpail.craft.clock.lengths import InVat, steps_in, warmings
from openpail.craft.clock.ready import missing, ready
from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.figure import Figure, replay
from openpail.craft.recipe.steps import laid_out
from openpail.craft.sheet.adapt import adapt
from openpail.craft.stock.products import Product
from tests.support import HOUSE, MILK_RECIPES, RECIPES, job_for, one_pour

GEAR = (
    Gear(kind="press", name="lever"),
    Gear(kind="press", name="screw"),
    Gear(kind="mould", name="small", count=4, holds_kg=0.6),
    Gear(kind="mould", name="tall", count=2, holds_kg=1.9),
    Gear(kind="mould", name="hoop", count=8, holds_kg=0.3, follower=False),
)


def held(key):
    planned = laid_out(RECIPES[key])
    found = needs(planned)
    return [
        (
            each.step.kind,
            "".join(
                letter
                for letter, those in zip("vpm", (found.vat, found.press, found.mould), strict=True)
                if those[i]
            ),
        )
        for i, each in enumerate(planned)
    ]


def test_vat_press_and_moulds_are_held_while_they_are_wanted_and_no_longer():
    # worked out by hand, from the vat to the shelf
    assert held("larder-block")[-6:] == [
        ("salt", "v"),
        ("mould", "m"),
        ("press", "pm"),
        ("turn", "pm"),
        ("press", "pm"),
        ("dry", ""),
    ]
    # a weight on the curd under its whey stands in the vat; it stands in the mould after the press
    assert held("steading-wheel")[-7:] == [
        ("press", "v"),
        ("mould", "m"),
        ("press", "pm"),
        ("press", "pm"),
        ("hold", "m"),
        ("brine", ""),
        ("dry", ""),
    ]
    # the whey stays in the vat for the cooking, while the slab is pressed
    assert held("millrace-slab")[-7:] == [
        ("mould", "vm"),
        ("press", "vpm"),
        ("heat", "v"),
        ("cook in whey", "v"),
        ("salt", ""),
        ("cool", ""),
        ("dry", ""),
    ]
    assert held("flagstone-curd")[-3:] == [("salt", "v"), ("press", "p"), ("cool", "")]
    for key in RECIPES:
        assert held(key)[0][1] == "v" and held(key)[-1][1] in ("", "m")


@given(st.sampled_from(sorted(MILK_RECIPES)), st.floats(0.1, 3.6))
def test_the_moulds_hold_the_cheese_and_nothing_taken_is_given_while_another_is_free(key, kg):
    planned = laid_out(RECIPES[key])
    given_ = outfit(planned, kg, "vat", gear=GEAR, taken={})
    wants = needs(planned)
    assert bool(given_.press) == any(wants.press) and bool(given_.moulds) == any(wants.mould)
    if given_.moulds:
        by_name = {name: each for each in GEAR for name in each.each()}
        sorts = {by_name[name] for name in given_.moulds}
        assert len(sorts) == 1  # one sort, so that the pieces are alike
        sort = sorts.pop()
        assert sort.holds_kg * (len(given_.moulds) + 0.02) >= kg
        assert sort.follower or not given_.press
        assert len(set(given_.moulds)) == len(given_.moulds)
    taken = {name: [(0, 900)] for name in ("lever", "tall 1", "small 1", "hoop 1")}
    again = outfit(planned, kg, "vat", gear=GEAR, taken=taken)
    assert again.press in ("", "screw")
    assert "small 1" not in again.moulds or len(again.moulds) > 3 or kg > 1.9


def test_what_the_dairy_lacks_is_said_and_a_dairy_that_lists_nothing_misses_nothing():
    planned = laid_out(RECIPES["larder-block"])
    assert outfit(planned, 3.0, "vat", gear=(), taken={}) == Outfit(vat="vat")
    with pytest.raises(NotPossible, match="wants a press"):
        outfit(planned, 3.0, "vat", gear=GEAR[2:], taken={})
    with pytest.raises(NotPossible, match="the most that one sort here takes is 3.8 kg"):
        outfit(planned, 6.0, "vat", gear=GEAR, taken={})
    with pytest.raises(NotPossible, match="moulds with a follower for"):
        outfit(planned, 1.0, "vat", gear=(GEAR[0], GEAR[4]), taken={})
    assert (
        Outfit(vat="pot", press="screw", moulds=("tall 1", "tall 2")).words
        == "pot, screw, talls 1 and 2"
    )
    assert Outfit(vat="pot", press="", moulds=("tall 1",)).words == "pot, tall 1"


def test_a_vat_is_taken_at_what_it_showed_before_what_its_heater_says():
    told = Heater("plate", 2.0)
    assert power_of((), Heater(), HOUSE) is None
    by_label = power_of((), told, HOUSE)
    assert by_label.value == pytest.approx(1.3) and by_label.rests_on_assumed
    # 20 kg from 6 to 31 °C in 25 min: 20 × 3.93 × 25 / 1500 s
    shown = power_of([Warming(mass_kg=20, from_c=6, to_c=31, minutes=25)], told, HOUSE)
    assert shown.value == pytest.approx(1.31) and not shown.rests_on_assumed and shown.sd > 0
    short = Warming(
        mass_kg=20, from_c=30, to_c=32, minutes=30
    )  # the last two degrees teach nothing
    assert power_of([short], told, HOUSE) == by_label
    many = [Warming(mass_kg=20, from_c=6, to_c=31, minutes=m) for m in (25, 24, 26, 90, 25, 25, 1)]
    assert power_of(many, told, HOUSE).value == pytest.approx(1.31)  # one that was called away
    with pytest.raises(OutOfRange, match="over 0 kW"):
        heating_minutes(10, 20, 0, 0.5)
    assert heating_minutes(10, -3, 1, 0.5) == 0


@given(st.floats(1, 200), st.floats(2, 36), st.floats(41, 95), st.floats(0.2, 20))
def test_minutes_of_warming_explain_themselves_and_come_back_as_the_rate(kg, low, high, kw):
    power = Figure.start("kW", kw, "kW", "measured", sd=0.1 * kw)
    found = warming(Figure.start("milk", kg, "kg"), low, high, power)
    assert found.unit == "min" and replay(found.because) == pytest.approx(found.value)
    assert found.value == pytest.approx(heating_minutes(kg, high - low, kw, 1.0))
    assert found.sd == pytest.approx(0.1 * found.value)
    learnt = power_of(
        [Warming(mass_kg=kg, from_c=low, to_c=high, minutes=found.value)], Heater(), HOUSE
    )
    assert learnt.value == pytest.approx(kw)


def test_a_make_lasts_as_long_as_its_vat_takes_and_curd_is_cooked_at_the_recipes_pace():
    recipe = RECIPES["larder-block"]
    mass = Figure.start("milk", 25.75, "kg")
    power = Figure.start("kW", 2.0, "kW", "measured")
    warm = warmings(recipe, InVat(mass, 6.0, power))
    assert list(warm) == [recipe.steps[0].key]
    planned, plain = steps_in(recipe, None, warm), laid_out(recipe)
    assert planned[0].minutes == pytest.approx(25.75 * 3.93 * 26 / 120)
    assert [each.minutes for each in planned[1:]] == [each.minutes for each in plain[1:]]
    assert planned[1].start_min == pytest.approx(planned[0].minutes)
    assert warmings(recipe, InVat(mass, 6.0)) == {} == warmings(recipe, InVat(mass, 33.0, power))


def test_a_cheese_lies_where_its_recipe_says_and_a_full_room_is_named_on_its_day():
    rooms = (
        Room(name="cave", holds=4),
        Room(name="cool room", holds=2),
        Room(name="fridge", holds=1),
    )
    assert room_of("box in the cave", rooms).name == "cave"
    assert room_of("shelf in the cool room", rooms).name == "cool room"
    assert room_of("loft", rooms) is None
    day = date(2026, 3, 20)  # through the change to summer time: days are days
    mine = stays(RECIPES["larder-block"], day, HOUSE, pieces=2)
    assert [each.place for each in mine] == ["shelf in the cool room", "cave"]
    assert mine[0].begins == day and mine[0].ends == mine[1].begins and mine[1].ends is None
    cave = mine[1].begins
    assert without_room(mine, taken_places((), rooms)) is None
    full = (Stay(place="cave", begins=day, ends=None, pieces=3),)
    assert without_room(mine, taken_places(full, rooms)) == Full(rooms[0], cave, 3)
    gone = (
        Stay(place="cave", begins=day, ends=cave, pieces=3),
    )  # moved out on the day that mine comes
    assert without_room(mine, taken_places(gone, rooms)) is None
    later = (Stay(place="cave", begins=cave + timedelta(days=9), ends=None, pieces=3),)
    then = cave + timedelta(days=9)
    assert without_room(mine, taken_places(later, rooms)) == Full(rooms[0], then, 3)
    # Measured shelves go by size: where no fourth wheel goes in, a log still does.
    wheel, log = mine[1].floor_cm2, stays(RECIPES["wrenfold-log"], day, HOUSE)[0].floor_cm2
    assert log < wheel
    shelf = Room(name="cave", holds=3, shelves=1, width_cm=10, depth_cm=(3 * wheel + log) / 10)
    lies = taken_places([replace(full[0], floor_cm2=wheel)], [shelf])
    assert "shelves are full" in without_room(mine, lies).words
    small = Stay(place="cave", begins=day, ends=None, floor_cm2=log)
    assert without_room([small], lies) is None
    assert without_room([replace(small, pieces=2)], lies) == Full(shelf, day, 3)
    soft = stays(RECIPES["dapple"], day, HOUSE, raw=True)
    assert soft[0].ends < stays(RECIPES["dapple"], day, HOUSE)[0].ends


def asked(key, litres=25.0, breed="cow_lowland"):
    job = job_for(key, one_pour(breed, "raw", litres))
    return job.recipe, adapt(job, roughly=True)


def test_what_is_made_ready_comes_from_the_steps_the_doses_and_the_stock():
    recipe, sheet = asked("larder-block")
    at_home = {each.key: replace(each.product, lot=each.key) for each in recipe.ingredients}
    given_ = Outfit(vat="kettle", press="lever", moulds=("tall 1", "tall 2"))
    lacking = missing(recipe, sheet, at_home, {})
    assert lacking == ()
    found = {
        each.key: each
        for each in ready(
            recipe, sheet, 25.0, given=given_, lacking=lacking, frozen={}, house=HOUSE
        )
    }
    assert {
        "vat",
        "press",
        "moulds",
        "cloth",
        "thermometer",
        "watch",
        "knife",
        "scale",
        "water",
        "whey",
    } <= found.keys()
    assert "brine" not in found and "wash" not in found
    assert found["vat"].litres == 25
    assert found["whey"].litres == pytest.approx(sheet.whey.value / 1.025, rel=0.01)  # L, not kg
    assert found["moulds"].words == "Scalded: talls 1 and 2"
    assert all(each.days_before == 0 for each in found.values())


def test_milk_is_thawed_products_got_and_the_jar_fed_on_the_days_before():
    recipe, sheet = asked("larder-block")
    lacking = missing(recipe, sheet, {}, {})
    assert {each.line.kind for each in lacking} == {"culture", "rennet", "calcium"} & {
        line.kind for line in sheet.lines if line.figure.value > 0
    }
    rennet = next(each.key for each in recipe.ingredients if each.product.kind == "rennet")
    little = {rennet: replace(recipe.ingredient("rennet").product, lot="r")}
    short = next(e for e in missing(recipe, sheet, little, {"r": 0.5}) if e.line.kind == "rennet")
    assert short.left == 0.5 and "0.5 left" in short.words
    found = ready(
        recipe, sheet, 25, given=NO_OUTFIT, lacking=lacking, frozen={"lot": "Ewes"}, house=HOUSE
    )
    days = {each.key: each.days_before for each in found}
    assert days["thaw-lot"] == round(HOUSE.number("milk.thaw_days"))
    assert days[f"get-{rennet}"] == HOUSE.number("plan.buy_days")
    assert [each.days_before for each in found] == sorted(days.values(), reverse=True)
    culture = recipe.ingredient("culture")
    jar = Product(
        kind="culture", name="counter jar", sort="mild", form="jar", kept="fridge", lot="j"
    )
    fed = adapt(replace(job_for("larder-block"), bottles={culture.key: jar}), roughly=True)
    task = next(
        e
        for e in ready(recipe, fed, 20, given=NO_OUTFIT, lacking=(), frozen={}, house=HOUSE)
        if "Feed" in e.words
    )
    assert task.days_before == 1
    brined, sheet = asked("hatch")
    before = {
        e.key: e
        for e in ready(brined, sheet, 25, given=NO_OUTFIT, lacking=(), frozen={}, house=HOUSE)
    }
    assert before["brine"].days_before == 1 and "wash" in before
