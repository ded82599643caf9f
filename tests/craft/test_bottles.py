"""Bottles: one in place of another, small amounts, how each goes in, and what the stock says."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from openpail.craft.doses import acid, culture
from openpail.craft.doses.asked import Ways
from openpail.craft.doses.how_to_add import manner
from openpail.craft.doses.notices import notices, own_solution, short_by
from openpail.craft.doses.spoons import SPOONS, in_hand, in_its_unit
from openpail.craft.doses.swap import stand_in
from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.figure import replay
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.recipe.recipe import Band, Ingredient
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.cautions import for_sheet
from openpail.craft.sheet.what_if import ranges
from openpail.craft.stock.jar import Feeding, health
from openpail.craft.stock.products import FORMS, KINDS, Product, g_per_tsp, rennet_strength, vigour
from tests.support import HOUSE, RECIPES, job_for, one_pour, vat_milk

LARDER, CURD = RECIPES["larder-block"], RECIPES["bench-curd"]
VINEGAR = Product(kind="acid", name="vinegar", strength=5, sort="acetic", form="liquid")
ACIDS = {
    "vinegar": VINEGAR,
    "strong vinegar": replace(VINEGAR, strength=10),
    "citric": Product(
        kind="acid", name="citric", sort="citric_anhydrous", form="powder", per="dry"
    ),
    "monohydrate": Product(
        kind="acid", name="mono", sort="citric_monohydrate", form="powder", per="dry"
    ),
    "lemon": Product(kind="acid", name="lemon", sort="lemon_fresh", form="liquid"),
    "bottled": Product(kind="acid", name="bottled", sort="lemon_bottled", form="liquid"),
    "lactic": Product(kind="acid", name="lactic", strength=80, sort="lactic", form="liquid"),
}
QUICK = replace(
    CURD,
    key="skillet",
    family="stretched_quick",
    acid_target_ph=None,
    ingredients=(
        Ingredient(
            key="acid", product=ACIDS["citric"], amount=16.86, unit="g", acid="citric_anhydrous"
        ),
    ),
)


def line(recipe, key, bottle=None, *pours, **more):
    bottles = {key: bottle} if bottle else {}
    job = job_for("larder-block", *pours, bottles=bottles, **more)
    return next(each for each in adapt(replace(job, recipe=recipe)).lines if each.key == key)


def with_ingredients(*ingredients, **more):
    rest = tuple(each for each in LARDER.ingredients if each.key in ("rennet", "salt"))
    return replace(LARDER, ingredients=(*ingredients, *rest), **more)


names = st.sampled_from(sorted(ACIDS))


@given(
    names, names, names, st.floats(5.3, 6.0), st.sampled_from(["acid_heat_soft", "stretched_quick"])
)
def test_acids_stand_in_for_each_other_and_a_chain_is_as_good_as_a_step(a, b, c, written, family):
    def ratio(one, other):
        mine, theirs = (acid.acid_in(ACIDS[each]) for each in (one, other))
        targets = [acid.target_ph(family, each, written, HOUSE) for each in (mine, theirs)]
        need = acid.need_meq(6.65, targets[1], 2.7, 1, HOUSE) / acid.need_meq(
            6.65, targets[0], 2.7, 1, HOUSE
        )
        steps = acid.acid_for_acid(
            ACIDS[one], mine, targets[0], bottle=ACIDS[other], target=targets[1], house=HOUSE
        )
        return need * replay(steps)

    assert ratio(a, b) * ratio(b, c) == pytest.approx(ratio(a, c), rel=1e-9)
    assert ratio(a, a) == pytest.approx(1)


def test_lemon_for_citric_acid_is_what_kitchens_know():
    milk = one_pour("cow_lowland", "flash", litres=3.785, test=MilkTest(ph=6.65))
    lemon = line(QUICK, "acid", ACIDS["lemon"], milk)
    assert lemon.figure.unit == "mL" and lemon.figure.value == pytest.approx(165, rel=0.03)
    assert lemon.figure.rests_on_assumed and "sure stretch" in lemon.notes[0]
    vinegar = line(QUICK, "acid", VINEGAR, milk)
    assert "pH 6.65 to 5.35, this acid’s own; the recipe’s 5.60" in str(vinegar.figure.because)
    assert "lower pH to stretch" in vinegar.notes[0]
    assert line(QUICK, "acid", ACIDS["bottled"], milk).figure.value == pytest.approx(
        lemon.figure.value * 4.8 / 3.8
    )
    with pytest.raises(NotPossible, match="strength in per cent"):
        line(
            QUICK,
            "acid",
            Product(kind="acid", name="some vinegar", sort="acetic", form="liquid"),
            milk,
        )


@pytest.mark.parametrize(
    ("bottle", "unit", "imcu"),
    [
        (
            Product(kind="rennet", name="powder", strength=2000, form="powder", kept="room"),
            "g",
            2000,
        ),
        (Product(kind="rennet", name="tablets", strength=800, form="tablet"), "tablet", 800),
        (Product(kind="rennet", name="paste", strength=150, form="paste", sort="calf"), "g", 150),
        (Product(kind="rennet", name="1 : 15 000", strength=15000, scale="soxhlet"), "mL", 202.5),
        (
            Product(kind="rennet", name="half a year shut", strength=200, months_shut=6),
            "mL",
            200 * 0.995**6,
        ),
        (
            Product(kind="rennet", name="warm", strength=200, kept="room", months_open=3),
            "mL",
            200 * 0.94**3,
        ),
        (
            Product(kind="rennet", name="old tablets", strength=800, form="tablet", months_open=10),
            "tablet",
            800 * 0.997**10,
        ),
    ],
)
def test_every_rennet_gives_the_same_strength_in_its_own_unit(bottle, unit, imcu):
    plain, other = line(LARDER, "rennet"), line(LARDER, "rennet", bottle)
    assert replay(rennet_strength(bottle, HOUSE)) == pytest.approx(imcu)
    assert other.figure.unit == unit
    assert other.active.value == pytest.approx(plain.active.value)
    assert other.figure.value == pytest.approx(plain.active.value / imcu)
    assert replay(other.figure.because) == pytest.approx(other.figure.value)


mild = Product(kind="culture", name="mild", sort="mild", form="freeze-dried")


@pytest.mark.parametrize(
    ("bottle", "expected", "unit"),
    [
        (
            Product(kind="culture", name="by the unit", form="units", sort="mild"),
            0.62 * 30 / 10,
            "unit",
        ),
        (
            Product(kind="culture", name="mother", form="mother", sort="mild"),
            0.62 * 30 / 0.065,
            "g",
        ),
        (
            Product(kind="culture", name="cubes", form="cubes", size_ml=30, sort="mild"),
            0.62 * 30 / (0.065 * 30),
            "cube",
        ),
        (Product(kind="culture", name="jar", form="jar", sort="mild"), 0.62 * 30 / 0.05, "g"),
        (Product(kind="culture", name="strong", form="freeze-dried", serves_l=60), 0.62, "g"),
        (
            Product(kind="culture", name="packet", form="packet", serves_l=4, sort="mild"),
            0.62 * 30 / 4,
            "packet",
        ),
    ],
)
def test_every_culture_sets_the_milk_it_is_for(bottle, expected, unit):
    milk = one_pour("cow_lowland", "flash", litres=25)
    found = line(LARDER, "culture", bottle, milk)
    assert found.figure.unit == unit
    assert found.figure.value == pytest.approx(expected, rel=1e-3)


def test_what_cannot_stand_in_says_why_and_what_can_what_to_expect():
    hot = Product(kind="culture", name="hot", sort="hot", form="freeze-dried")
    packet = Product(kind="culture", name="all in one", form="one-packet", serves_l=4)
    want = {each.key: each for each in LARDER.ingredients}
    cold_vat = replace(LARDER, steps=LARDER.steps[:3], renneting_c=30.0)
    assert "hardly at all under 33" in stand_in(want["culture"], hot, cold_vat, HOUSE).words[0]
    scald = replace(LARDER.steps[1], key="scald", celsius=Band(52, 51, 53))
    cooked = replace(LARDER, steps=(*LARDER.steps, scald))
    asks_hot = replace(want["culture"], product=hot)
    assert "spent over 39" in stand_in(asks_hot, mild, cooked, HOUSE).words[0]
    assert "rennet in it" in stand_in(want["culture"], packet, LARDER, HOUSE).words[0]
    assert (
        "has none"
        in stand_in(replace(want["culture"], product=packet), mild, LARDER, HOUSE).words[0]
    )
    with pytest.raises(NotPossible, match="all in one: it has rennet in it"):
        line(LARDER, "culture", packet)
    raw_jar = Product(kind="culture", name="jar", form="jar", raw=True, sort="mild")
    assert (
        "whole batch counts as raw" in stand_in(want["culture"], raw_jar, LARDER, HOUSE).words[-1]
    )
    aged = replace(LARDER, stages=tuple(replace(s, days=200) for s in LARDER.stages))
    plant = Product(kind="rennet", name="thistle", strength=100, sort="plant")
    assert "three months" in stand_in(want["rennet"], plant, aged, HOUSE).words[0]
    assert (
        "faint bitterness"
        in stand_in(want["rennet"], plant, replace(aged, stages=()), HOUSE).words[0]
    )
    blue = Ingredient(
        key="mould", product=Product(kind="mould", name="blue", sort="blue"), amount=0.1, unit="g"
    )
    white = Product(kind="mould", name="white", sort="white")
    assert not stand_in(blue, white, LARDER, HOUSE).can
    assert not stand_in(blue, plant, LARDER, HOUSE).can
    kid = Ingredient(
        key="lipase", product=Product(kind="lipase", name="calf", sort="calf"), amount=1, unit="g"
    )
    sharper = stand_in(kid, Product(kind="lipase", name="lamb", sort="lamb"), LARDER, HOUSE)
    assert sharper.can and "sharp" in sharper.words[0]


def test_a_packet_with_rennet_goes_whole_and_the_clock_moves():
    packet = Product(kind="culture", name="bag packet", form="one-packet", serves_l=4)
    bag = replace(LARDER, family="lactic", renneting_c=22.0, cut_multiplier=None)
    wanted = replace(LARDER.ingredients[1], product=packet, amount=6, unit="packet")
    own = replace(bag, ingredients=(wanted,))
    found = line(own, wanted.key, None, one_pour("goat", litres=6.0))
    assert found.figure.value == 1 and found.figure.unit == "packet"
    assert "the set comes later" in found.notes[-1]
    swapped = adapt(replace(job_for("larder-block", bottles={"culture": packet}), recipe=bag))
    assert swapped.line("rennet").figure.value == 0
    assert swapped.line("rennet").in_words == "None: the culture’s packet has its own."
    assert swapped.line("culture").figure.value == int(swapped.line("culture").figure.value)


def test_moulds_and_the_like_go_by_the_milk_and_their_age_alone():
    eyes = Ingredient(
        key="eyes",
        product=Product(kind="propionic", name="eyes", serves_l=80),
        amount=0.3,
        unit="g",
    )
    recipe = with_ingredients(eyes)
    raw, flash = (one_pour("sheep", heat) for heat in ("raw", "flash"))
    mass = raw.mass.value / adapt(job_for()).line("rennet").written.value  # only that it scales
    assert mass > 0
    amounts = [line(recipe, "eyes", None, each).figure.value for each in (raw, flash)]
    assert amounts[0] == pytest.approx(amounts[1])
    old = Product(kind="propionic", name="old eyes", serves_l=80, months_past=3)
    assert line(recipe, "eyes", old, raw).figure.value == pytest.approx(amounts[0] / 0.85**3)
    gone = replace(old, months_past=8)
    sheet = adapt(replace(job_for(bottles={"eyes": gone}), recipe=recipe))
    assert "the taste may come without the holes" in sheet.warnings[0]


def test_lipase_follows_the_fat_within_its_bounds_and_colour_tells_the_curd():
    lipase = Ingredient(
        key="lipase", product=Product(kind="lipase", name="kid", sort="kid"), amount=2.0, unit="g"
    )
    colour = Ingredient(
        key="colour",
        product=Product(kind="colour", name="annatto", serves_l=8),
        amount=3.0,
        unit="mL",
    )
    recipe = with_ingredients(lipase, colour)
    lean, rich = (
        one_pour("cow_lowland", test=MilkTest(fat_pct=fat, protein_pct=3.3, protein_kind="true"))
        for fat in (1.0, 12.0)
    )
    reference = line(recipe, "lipase", None, one_pour("cow_lowland", litres=25)).figure.value
    per_l = reference / 25
    assert line(recipe, "lipase", None, lean).figure.value / 21.5 == pytest.approx(
        0.7 * per_l, rel=0.02
    )
    assert line(recipe, "lipase", None, rich).figure.value / 21.5 == pytest.approx(
        1.5 * per_l, rel=0.02
    )
    assert "white by itself: the colour shows" in line(recipe, "colour").notes[0]
    sheet = adapt(replace(job_for("larder-block", one_pour("cow_lowland")), recipe=recipe))
    assert "straw to yellow" in sheet.curd
    assert "Mixed" in adapt(job_for("larder-block", one_pour("cow_lowland"), one_pour())).curd


def test_salt_in_the_milk_slows_the_set_and_is_cautioned():
    salt = Ingredient(
        key="milk-salt",
        product=Product(kind="salt", name="coarse", sort="coarse"),
        amount=4.0,
        unit="%",
        basis="percent_of_milk",
    )
    first = replace(LARDER.steps[0], key="salt-it", adds=("milk-salt",))
    white = replace(
        LARDER,
        family="white_brined",
        steps=(first, *LARDER.steps),
        ingredients=(salt, *LARDER.ingredients),
    )
    sheet = adapt(replace(job_for(), recipe=white))
    found = next(each for each in sheet.lines if each.key == "milk-salt")
    assert found.figure.value == pytest.approx(0.04 * 1000 * one_pour().mass.value)
    assert any("most cultures all but stop" in words for words in sheet.warnings)
    plain = adapt(job_for())
    assert sheet.set.flocculation.value == pytest.approx(
        plain.set.flocculation.value * 2.718281828 ** (0.18 * 4), rel=1e-3
    )
    less = adapt(replace(job_for(own={"milk-salt": 0.0}), recipe=white))
    assert less.line("rennet").figure.value < sheet.line("rennet").figure.value
    said = for_sheet(white, job_for().milk, (), products=(), made_on=date(2026, 5, 4), house=HOUSE)
    hold = next(each for each in said if each.key == "warm-hold")
    assert (
        hold.level == "strong caution" and "at most 6 h" in hold.words and "60 days" in hold.words
    )
    quick = for_sheet(
        QUICK,
        job_for("larder-block", one_pour(treatment="flash")).milk,
        (),
        products=(),
        made_on=date(2026, 5, 4),
        house=HOUSE,
    )
    assert "No culture makes acid here" in str(quick) and "60 days in a brine" not in str(quick)


def test_a_raw_jar_makes_the_batch_raw_and_an_unfit_one_asks():
    jar = Product(
        kind="culture", name="counter jar", form="jar", raw=True, sort="mild", unfit="it smelt off."
    )
    job = job_for("larder-block", one_pour(treatment="flash"), bottles={"culture": jar})
    assert job.is_raw() and not job_for("larder-block", one_pour(treatment="flash")).is_raw()
    assert "counter jar is not fit for use: it smelt off." in adapt(job).asks
    keys = {
        each.key
        for each in for_sheet(
            LARDER, job.milk, (), products=[jar], made_on=date(2026, 5, 4), house=HOUSE
        )
    }
    assert {"raw-jar", "raw"} <= keys


amounts = st.floats(0.01, 40)


@given(amounts, st.sets(st.sampled_from([name for name, _ in SPOONS]), min_size=1))
def test_the_spoons_in_the_drawer_are_the_only_ones_named(grams, drawer):
    ways = Ways(spoons=tuple(drawer))
    hand = in_hand(grams, mild, ways, HOUSE)
    for name, _ in SPOONS:
        if name not in drawer:
            assert f" {name}" not in f" {hand.words}".replace("× ", " ")
    if abs(hand.error) > 0.1:
        assert "better weigh" in hand.advice and "use now" in hand.advice


@pytest.mark.parametrize(
    ("amount", "bottle", "ways", "words"),
    [
        (0.18, mild, Ways(small="scale", scale_g=0.01), "weigh 0.18 g"),
        (
            0.18,
            mild,
            Ways(small="dilution"),
            "dissolve 1 g in 100 mL of boiled, cooled water, give 18 mL, use now",
        ),
        (0.02, mild, Ways(small="scale", scale_g=0.1), "1/64 tsp, level"),
        (400.0, Product(kind="salt", name="salt"), Ways(), "weigh 400 g"),
        (300.0, VINEGAR, Ways(), "by the jug"),
        (0.7, Product(kind="rennet", name="t", strength=1, form="tablet"), Ways(), "¾ tablet"),
        (2.26, Product(kind="rennet", name="t", strength=1, form="tablet"), Ways(), "2 ¼ tablets"),
        (1.4, Product(kind="culture", name="c", form="cubes", size_ml=20), Ways(), "1 ½ cubes"),
        (0.1, Product(kind="culture", name="p", form="packet", serves_l=9), Ways(), "¼ packet"),
        (12.0, Product(kind="herb", name="thyme"), Ways(), "by the scale"),
    ],
)
def test_small_amounts_by_the_dairys_own_way(amount, bottle, ways, words):
    hand = in_hand(amount, bottle, ways, HOUSE)
    assert hand.words == words
    assert bool(hand.advice) == (abs(hand.error) > 0.1 or ways.small == "dilution")


def test_a_spoonful_is_the_makers_own_or_the_kinds():
    assert g_per_tsp(replace(mild, g_per_tsp=3.1), HOUSE) == 3.1
    assert g_per_tsp(Product(kind="salt", name="flakes", sort="flaked"), HOUSE) == 3.0
    assert g_per_tsp(Product(kind="culture", name="j", form="jar"), HOUSE) == 5.1
    assert g_per_tsp(Product(kind="ware", name="cloth"), HOUSE) is None


def test_the_makers_own_amount_and_a_factor_left_out_are_marked_and_carry_on():
    plan = adapt(job_for())
    own = adapt(job_for(own={"rennet": 2.0, "culture": 0.1}))
    rennet = own.line("rennet")
    assert rennet.figure.known == "overruled" and rennet.in_words == "The maker’s own."
    assert replay(rennet.figure.because) == 2.0
    ratio = plan.line("rennet").figure.value / 2.0
    assert own.set.flocculation.value == pytest.approx(plan.set.flocculation.value * ratio)
    assert "ripen about" in own.line("culture").notes[-1]
    left = adapt(job_for(left_out=frozenset({("rennet", "rennet.species_goat")})))
    assert left.line("rennet").figure.value == pytest.approx(plan.line("rennet").figure.value / 0.8)
    assert left.line("rennet").figure.known == "overruled"
    assert "left out" in str(left.line("rennet").figure.because)
    with pytest.raises(OutOfRange, match="legal ceiling is 0.2"):
        adapt(job_for(own={"calcium": 60.0}))
    with pytest.raises(OutOfRange, match="under nothing"):
        adapt(job_for(own={"rennet": -1.0}))
    assert plan.set.holds and not adapt(job_for(renneting_ph=5.6)).set.holds
    sour = adapt(job_for(renneting_ph=6.2))
    assert sour.line("rennet").figure.value < plan.line("rennet").figure.value
    assert "Without culture no acid" in adapt(job_for(own={"culture": 0})).line("culture").notes[0]


def test_a_what_if_slides_no_further_than_the_rules_reach():
    job = job_for("larder-block", one_pour(test=MilkTest(ph=6.6)), own={"rennet": 1.0})
    sheet = adapt(job)
    found = ranges(job, sheet)
    assert (found["at"].low, found["at"].high, found["at"].plan) == (20, 45, 32)
    assert found["ph"].plan == pytest.approx(6.5)
    rennet, calcium = found["own-rennet"], found["own-calcium"]
    assert rennet.plan == pytest.approx(adapt(replace(job, own={})).line("rennet").figure.value)
    assert rennet.high == pytest.approx(2 * rennet.plan, rel=0.03)
    for share, passes in ((1.0, True), (1.03, False)):
        tried = replace(job, own={"calcium": calcium.high * share})
        if passes:
            assert adapt(tried).line("calcium").active.value > 0
        else:
            with pytest.raises(OutOfRange, match="legal ceiling"):
                adapt(tried)
    assert ranges(job_for("bench-curd"), None) == {}


def test_the_top_line_says_it_in_plain_words_and_the_order_is_the_vats():
    strong = Product(kind="rennet", name="new bottle", strength=300)
    sheet = adapt(job_for("larder-block", one_pour(litres=12), bottles={"rennet": strong}))
    assert sheet.in_words.startswith("47 % less rennet for this milk: ")
    assert "this bottle is stronger" in sheet.in_words and "batch" not in sheet.in_words
    rennet = sheet.line("rennet")  # three columns: the last step alone is told in per cent
    assert rennet.scaled.value == pytest.approx(rennet.written.value * 12 / 25, rel=1e-2)
    assert rennet.change == pytest.approx(rennet.figure.value / rennet.scaled.value - 1)
    order = [line.kind for line in sheet.in_order()]
    assert order == ["culture", "rennet", "salt"]  # the goats’ 0.008 g/kg of calcium is none
    assert adapt(job_for("larder-block", one_pour("cow_lowland", "flash", 25.0))).in_words == ""
    late = adapt(job_for(own={"rennet": 1.0}))
    assert "later than in the recipe" in late.clock


@pytest.mark.parametrize("kind", KINDS)
def test_everything_has_a_manner_of_going_in(kind):
    for form in ("", *FORMS[kind]):
        told = manner(Product(kind=kind, name="it", form=form), "cheddared")
        assert told.when and told.order
    assert "12 °C" in manner(VINEGAR, "stretched_quick").when
    assert "hot" in manner(VINEGAR, "acid_heat_soft").when
    assert manner(Product(kind="salt", name="s"), "cheddared", "percent_of_curd").order == 90
    rind = manner(Product(kind="salt", name="s"), "tomme", "percent_of_cheese")
    assert rind.order == 92 and "rind" in rind.when


@given(st.floats(0.2, 5), st.sampled_from(["mild", "hot"]))
def test_time_stands_in_for_dose_by_doublings(share, sort):
    bottle = replace(mild, sort=sort)
    each = 45 if sort == "hot" else 75
    assert culture.minutes_longer(share, bottle, HOUSE) == pytest.approx(
        -culture.minutes_longer(1 / share, bottle, HOUSE), abs=1e-9
    )
    assert culture.minutes_longer(0.5, bottle, HOUSE) == pytest.approx(each)


NOW = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)


def fed(*told):
    return [
        Feeding(at=NOW - timedelta(days=ago), set_hours=hours, smell=smell, ph=ph)
        for ago, hours, smell, ph in told
    ]


@pytest.mark.parametrize(
    ("log", "fit", "words"),
    [
        ([(8, 14, "clean", 4.5), (2, 15, "clean", None)], True, "Lively"),
        ([(15, 14, "clean", 4.5), (8, 15, "clean", None)], True, "Hungry: feed it today"),
        ([(2, 30, "clean", 4.5)], False, "took 30 h to set"),
        ([(2, 14, "off", 4.5)], False, "smelt foul"),
        ([(2, 14, "clean", 4.9)], False, "pH 4.90"),
        ([(0.5, None, "clean", None)], False, "Fed: write"),
        ([(2, None, "clean", None)], False, "not been seen to set"),
        ([(30, 14, "clean", 4.5)], False, "rested 30 days"),
        ([(40, 14, "clean", 4.5), (2, 15, "clean", 4.5)], False, "coming back: 1 good feeding,"),
        ([(40, 14, "clean", 4.5), (3, 15, "clean", 4.5), (1, 14, "clean", 4.4)], True, "Lively"),
        ([(9, 14, "yeasty", None), (2, 14, "clean", None)], False, "coming back"),
        ([], False, "Feed it"),
    ],
)
def test_a_fed_jar_is_fit_when_it_set_in_time_clean_and_sour(log, fit, words):
    found = health(fed(*log), "fridge", NOW - timedelta(days=60), NOW, HOUSE)
    assert found.fit == fit and words in found.words
    assert found.feed_by <= NOW + timedelta(days=7)


TODAY = NOW.date()


@pytest.mark.parametrize(
    ("bottle", "before", "left", "usual", "grave", "words"),
    [
        (
            Product(kind="culture", name="c", months_past=8),
            None,
            None,
            None,
            "stop",
            "acid may fail",
        ),
        (
            Product(kind="culture", name="c", kept="freezer", months_past=3),
            None,
            None,
            None,
            "caution",
            "91 %",
        ),
        (
            Product(kind="rennet", name="r", strength=200, months_open=30),
            None,
            None,
            None,
            "caution",
            "at home",
        ),
        (Product(kind="lipase", name="l", months_past=1), None, None, None, "caution", "smell it"),
        (
            Product(kind="acid", name="a", strength=5),
            TODAY + timedelta(days=9),
            None,
            None,
            "note",
            "9 more days",
        ),
        (Product(kind="acid", name="a", strength=5), None, 0.0, None, "stop", "None left"),
        (
            Product(kind="rennet", name="r", strength=200),
            None,
            6.0,
            4.0,
            "caution",
            "about 1.5 makes",
        ),
        (
            Product(kind="rennet", name="r", strength=200),
            None,
            20.0,
            None,
            "caution",
            "20 of 250 mL",
        ),
        (
            Product(kind="culture", name="j", form="jar", unfit="off."),
            None,
            None,
            None,
            "stop",
            "off",
        ),
    ],
)
def test_what_the_stock_says_before_it_hurts(bottle, before, left, usual, grave, words):
    first = notices(bottle, before, TODAY, left=left, bought=250.0, usual=usual, house=HOUSE)[0]
    assert (first.grave, words in first.words) == (grave, True)


def test_what_is_well_is_not_spoken_of():
    assert (
        notices(
            Product(kind="rennet", name="r", strength=200),
            None,
            TODAY,
            left=240.0,
            bought=250.0,
            usual=4.0,
            house=HOUSE,
        )
        == ()
    )
    assert short_by(3.0, None, "mL", "r") == "" == short_by(3.0, 3.0, "mL", "r")
    assert "1.2 mL left, and this wants 3" in short_by(3.0, 1.2, "mL", "r")


@settings(max_examples=40)
@given(
    st.sampled_from(["anhydrous", "dihydrate", "hexahydrate"]),
    st.floats(60, 100),
    st.floats(10, 40),
    st.floats(10, 1000),
)
def test_a_solution_of_ones_own_holds_what_it_says(counts, pure, wanted, ml):
    made = own_solution(counts, pure, wanted, ml)
    fraction = {"anhydrous": 1.0, "dihydrate": 110.98 / 147.01, "hexahydrate": 110.98 / 219.08}
    active = 1.0 if 70 <= pure <= 97 else fraction[counts]  # such labels count anhydrous already
    assert made.flakes_g.value * active * pure / 100 == pytest.approx(wanted * ml / 100)
    assert replay(made.flakes_g.because) == pytest.approx(made.flakes_g.value)
    assert (made.product.strength, made.product.counts) == (wanted, "anhydrous")
    with pytest.raises(OutOfRange, match="5 to 40"):
        own_solution(counts, pure, 60, ml)


def test_a_label_that_says_too_little_is_refused_where_it_matters():
    with pytest.raises(NotPossible, match="how many litres one packet"):
        line(LARDER, "culture", Product(kind="culture", name="packet", form="packet", sort="mild"))
    with pytest.raises(OutOfRange, match="IMCU/tablet"):
        rennet_strength(Product(kind="rennet", name="t", strength=None, form="tablet"), HOUSE)
    assert vigour(Product(kind="mould", name="m"), HOUSE) == 1.0
    assert acid.buffering(6.6, 5.6, HOUSE) > 0 and vat_milk().casein_pct == 2.7


def test_drops_are_those_of_the_bottles_own_dropper():
    bottle = Product(kind="rennet", name="dropper", form="liquid", strength=200.0)
    counted = replace(bottle, drops_per_ml=28.0)
    assert in_its_unit("14 drops", bottle, HOUSE) == pytest.approx(0.7)
    assert in_its_unit("14 drops", counted, HOUSE) == pytest.approx(0.5)
    ways = Ways(small="spoons", spoons=("1 tsp",))
    words = [in_hand(ml, e, ways, HOUSE).words for ml, e in ((0.1, bottle), (1 / 14, counted))]
    assert words == ["2 drops", "2 drops"]
