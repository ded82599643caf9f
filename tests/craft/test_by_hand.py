"""Two routes to one answer: figures worked out here by plain arithmetic, against the craft's."""

from math import exp

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from openpail.craft.doses import acid, culture
from openpail.craft.doses.setting import Setting, edge_words, flocculation_minutes
from openpail.craft.errors import NotPossible, OutOfRange, Unknown
from openpail.craft.figure import Figure, Step, replay
from openpail.craft.house import House
from openpail.craft.milk.kinds import BREEDS, MilkTest, species_of
from openpail.craft.milk.slip import composition
from openpail.craft.recipe import yields
from openpail.craft.sheet.adapt import adapt
from openpail.craft.stock.products import Product, calcium_solution_ml, vigour
from openpail.craft.uncertainty import spread
from tests.support import HOUSE, job_for, one_pour, vat_milk

SLIP = MilkTest(
    fat_pct=4.1, protein_pct=3.3, protein_kind="true", casein_pct=None, ph=6.58, ph_sample_c=20.0
)
DENSITY_GOAT = 100 / (4.1 / 0.930 + 8.7 / 1.608 + 87.2 / 0.998)
DENSITY_COW = 100 / (4.0 / 0.930 + 8.92 / 1.608 + 87.08 / 0.998)
MASS = 21.5 * DENSITY_GOAT
MASS_RATIO = MASS / (25.0 * DENSITY_COW)
STORY = adapt(job_for("larder-block", one_pour(test=SLIP)))


def test_the_storys_rennet_by_hand():
    by_ph = 10 ** (0.75 * ((6.5 - 6.60) - (6.5 - 6.65)))  # both ripened to the step's 6.5
    expected = 5.0 * MASS_RATIO * by_ph * 0.80  # raw against heated: heat and calcium count as 1
    line = STORY.line("rennet")
    assert line.figure.value == pytest.approx(expected, rel=2e-4)
    assert line.water.value == pytest.approx(20 * line.figure.value)
    assert replay(line.water.because) == pytest.approx(line.water.value)
    assert STORY.line("culture").water is None


def test_the_storys_culture_by_hand():
    buffering = (0.25 + 0.75 * 2.64 / 2.7) / (0.25 + 0.75 * 2.7 / 2.7)
    expected = 0.62 * MASS_RATIO * buffering
    assert STORY.line("culture").figure.value == pytest.approx(expected, rel=1e-6)


def test_the_storys_calcium_by_hand_for_every_kind_of_slip_and_heat():
    for kind, protein in (("true", 3.3), ("crude", 3.3 - 0.27), ("unknown", 3.3 - 0.27)):
        lacking = min(1.0, max(0.0, (2.6 - 0.80 * protein) / 0.4))
        for treatment, own in (("raw", 0.0), ("batch", 0.15), ("high_heat", 0.20)):
            pour = one_pour(
                treatment=treatment, test=MilkTest(fat_pct=4.1, protein_pct=3.3, protein_kind=kind)
            )
            line = adapt(job_for("larder-block", pour)).line("calcium")
            written = 7.8 * 0.33 / (25 * DENSITY_COW)
            per_kg = min(0.20, max(0.0, written + own + 0.03 * lacking - 0.10))
            assert line.active.value == pytest.approx(per_kg * pour.mass.value, abs=2e-6)


def test_the_storys_set_by_hand():
    per_kg = STORY.line("rennet").figure.value * 200 / MASS
    factor = 10 ** (0.75 * (6.50 - 6.60)) * 0.80
    expected = 19 * 35 / per_kg * factor
    assert STORY.set.flocculation.value == pytest.approx(expected, rel=1e-6)
    assert STORY.set.cut.value == pytest.approx(3 * expected, rel=1e-6)
    assert STORY.set.band == 0.20


def test_the_storys_cheese_and_salt_by_hand():
    fat, solids = 0.93 * 4.1, (0.93 * 4.1 + 2.64 - 0.1) * 1.09
    usual_fat = 0.93 * 2.7 / 0.70
    usual = (usual_fat + 2.7 - 0.1) * 1.09
    fat_free = 0.37 / (1 - usual_fat * 0.63 / usual)
    fat_free *= ((fat / solids) / (usual_fat / usual)) ** 0.05
    cheese = (solids - fat_free * fat) / (1 - fat_free) * MASS / 100
    assert STORY.cheese.value == pytest.approx(cheese, rel=1e-9)
    assert STORY.line("salt").figure.value == pytest.approx(cheese * 1.12 * 24, rel=1e-9)
    assert STORY.whey.value == pytest.approx(MASS - cheese, rel=1e-9)


def test_the_storys_firmness_by_hand():
    def firm(end, floc, cut, pace):
        return end * (1 - exp(-(cut - floc) / (floc * pace)))

    floc = STORY.set.flocculation.value
    goat = firm(100 * (2.64 / 2.7) ** 1.5 * 0.65, floc, 3 * floc, 1.5)
    recipe = STORY.set.written_flocculation.value
    cow = firm(100 * (1 + 0.75 * 0.1), recipe, 3 * recipe, 1.6)
    assert STORY.firmness.against == pytest.approx(goat / cow, rel=1e-3)
    assert "About two thirds as firm" in STORY.firmness.words


def test_every_dose_of_the_story_carries_its_whole_chain():
    for line in STORY.lines:
        first = line.figure.because[0]
        labels = " · ".join(step.label for step in line.figure.because)
        if line.kind != "salt":
            assert first.label.startswith("as written") and first.source == "the recipe"
            assert "22.1 kg of milk" in labels or "22.12 kg of milk" in labels
        assert all(step.label for step in line.figure.because)
        factors = [step.value for step in line.figure.because if step.op == "times"]
        assert 1.0 not in factors
        assert line.figure.value == 0 or line.hand.words
        assert line.active.unit in ("g", "IMCU")
    because = str(STORY.line("rennet").figure.because)
    assert "goat milk sets at its own pace, against the recipe’s cow" in because
    assert "pH 6.50 at renneting" in because


def test_bench_curds_vinegar_by_hand_and_by_the_bottle():
    curd = adapt(job_for("bench-curd", one_pour(test=SLIP)))
    cow_kg = 8.0 * DENSITY_COW

    def drop(start):  # from 5.8 up, over the points at 6.2, 6.6 and 6.8
        areas = (25 + 18.5) / 2 * 0.4 + (18.5 + 14.5) / 2 * (min(start, 6.6) - 6.2)
        if start < 6.6:
            beta = 18.5 + (14.5 - 18.5) * (start - 6.2) / 0.4
            return (25 + 18.5) / 2 * 0.4 + (18.5 + beta) / 2 * (start - 6.2)
        beta = 14.5 + (13 - 14.5) * (start - 6.6) / 0.2
        return areas + (14.5 + beta) / 2 * (start - 6.6)

    buffering = 0.25 + 0.75 * 2.64 / 2.7
    expected = 172 * MASS / cow_kg * buffering * drop(6.58) / drop(6.65)
    assert curd.line("acid").figure.value == pytest.approx(expected, rel=1e-6)
    strong = {"acid": Product(kind="acid", name="strong vinegar", strength=10)}
    halved = adapt(job_for("bench-curd", one_pour(test=SLIP), bottles=strong))
    assert halved.line("acid").figure.value == pytest.approx(expected / 2, rel=1e-6)
    nameless = {"acid": Product(kind="acid", name="no label")}
    with pytest.raises(NotPossible, match="strength in per cent"):
        adapt(job_for("bench-curd", bottles=nameless))


def test_a_homogenised_or_high_heat_milk_waits_longer_for_a_weaker_set():
    plain = adapt(job_for("larder-block", one_pour("cow_lowland", "flash")))
    homogenised = adapt(job_for("larder-block", one_pour("cow_lowland", "flash", homogenised=True)))
    high = adapt(job_for("larder-block", one_pour("cow_lowland", "high_heat")))
    for weak, wait in ((homogenised, 1.15), (high, 1.25)):
        assert weak.set.multiplier.value == pytest.approx(3 * wait)
        assert weak.firmness.against < plain.firmness.against
        assert weak.line("rennet").figure.value > plain.line("rennet").figure.value
    assert plain.line("rennet").figure.value == pytest.approx(
        5.0 * plain.whey.because[0].value / (25 * DENSITY_COW), rel=1e-3
    )


@given(st.floats(2.0, 8.0), st.floats(1.5, 5.0), st.sampled_from(["washed_curd", "alpine", "blue"]))
def test_yield_rises_with_fat_and_casein_and_the_dry_matter_adds_up(fat, casein, family):
    def made(f, c):
        pair = (Figure.start("fat", f, "%"), Figure.start("casein", c, "%"))
        return yields.per_100kg(family, *pair, house=HOUSE).value

    assert made(fat + 0.1, casein) > made(fat, casein) < made(fat, casein + 0.1)
    fdm = yields.fat_in_dry_matter(family, fat, casein, HOUSE)
    dry = made(fat, casein) * (1 - yields.own_moisture(family, fat, casein, house=HOUSE))
    assert fdm * dry == pytest.approx(HOUSE.number(f"yield.{family}.rf") * fat)


@given(st.floats(4.6, 6.3), st.floats(0.01, 0.4), st.floats(1.5, 5))
def test_acid_adds_up_and_a_stronger_buffer_asks_for_more(target, step, casein):
    middle, start = target + step, target + 2 * step
    whole = acid.need_meq(start, target, casein, 10, HOUSE)
    parts = acid.need_meq(start, middle, casein, 10, HOUSE) + acid.need_meq(
        middle, target, casein, 10, HOUSE
    )
    assert whole == pytest.approx(parts)
    assert acid.need_meq(start, target, casein + 0.1, 10, HOUSE) > whole
    with pytest.raises(OutOfRange, match="only takes pH down"):
        acid.need_meq(target, start, casein, 10, HOUSE)


@given(st.floats(3.5, 6.5))
def test_an_acid_gives_more_the_higher_the_ph_and_never_over_its_protons(ph):
    for name, constants in acid.ACIDS.items():
        given_now = acid.equivalents_per_mol(name, ph)
        assert given_now < acid.equivalents_per_mol(name, ph + 0.1) <= len(constants.pka)
    with pytest.raises(Unknown, match="not an acid"):
        acid.equivalents_per_mol("phosphoric", 5.0)


@given(st.floats(1, 6), st.floats(1, 6))
def test_buffering_stays_within_the_house_bounds(this, recipe):
    ratio = culture.buffer_ratio(vat_milk(casein=this), vat_milk(casein=recipe), HOUSE)
    assert 0.8 <= ratio <= 1.6
    if this > recipe:
        assert ratio >= 1


@given(st.floats(0.1, 100), st.sampled_from(["anhydrous", "dihydrate", "hexahydrate"]))
def test_calcium_bottles_agree_with_their_salt(grams, salt):
    flakes = calcium_solution_ml(grams, salt, 100, "dry")
    per_litre = calcium_solution_ml(grams, salt, 30, "w/v")
    assert per_litre * 0.30 == pytest.approx(flakes)
    assert calcium_solution_ml(grams, salt, 30, "w/w") < per_litre  # a heavy solution
    with pytest.raises(OutOfRange, match="not one we know"):
        calcium_solution_ml(grams, salt, 0, "w/v")


def test_vigour_fades_by_the_month_and_by_the_place():
    fresh = Product(kind="culture", name="packet", kept="freezer")
    assert vigour(fresh, HOUSE) == 1
    ages = [
        vigour(Product(kind="culture", name="p", kept="fridge", months_past=m), HOUSE)
        for m in (1, 6)
    ]
    assert ages == pytest.approx([0.9, 0.9**6])


@given(st.floats(-3, 3), st.floats(0.01, 2), st.floats(0.01, 2))
def test_the_spread_of_a_sum_is_the_root_of_squares(slope, sd_a, sd_b):
    def rule(name, by):
        return [slope * by if name == "a" else 2 * by]

    totals, parts = spread(rule, {"a": sd_a, "b": sd_b, "never": 0.0})
    assert totals == pytest.approx([((slope * sd_a) ** 2 + (2 * sd_b) ** 2) ** 0.5])
    assert parts["a"] == pytest.approx([abs(slope) * sd_a])
    assert "never" not in parts


steps = st.lists(
    st.tuples(
        st.sampled_from(["times", "plus", "minus", "at_least", "at_most", "choose"]),
        st.floats(-1e3, 1e3),
    ).map(lambda told: Step(told[0], "step", told[1])),
    max_size=8,
)


@settings(max_examples=60)
@given(st.floats(-1e3, 1e3), steps)
def test_any_chain_of_steps_is_what_it_replays_to(start, chain):
    figure = Figure.start("start", start, "g")
    for step in chain:
        figure = figure.then(step.op, step.label, step.value)
    assert replay(figure.because) == figure.value
    assert figure.running()[-1][1] == figure.value
    nested = Figure.start("one", 1.0, "g").times("all of it", figure.value, of=figure.because)
    assert replay(nested.because) == pytest.approx(figure.value)


def test_a_because_must_begin_and_an_overruled_figure_keeps_both():
    with pytest.raises(ValueError, match="begins with a start"):
        replay([Step("times", "x", 2.0)])
    with pytest.raises(ValueError, match="empty"):
        replay([])
    mine = Figure.start("ours", 3.2, "mL", "assumed").overruled(2.8, "by feel")
    assert (mine.value, mine.known, mine.rests_on_assumed) == (2.8, "overruled", False)
    assert [step.value for step in mine.because] == [3.2, 2.8]
    with pytest.raises(ValueError, match="version 2"):
        Figure.from_json({"v": 2})


@pytest.mark.parametrize("breed", sorted(BREEDS))
def test_an_untested_milk_is_the_table_and_says_about(breed):
    milk = composition(breed, MilkTest(), HOUSE)
    for part in (milk.fat, milk.protein, milk.casein):
        assert part.known == "assumed" and part.rests_on_assumed and part.sd > 0
        assert part.because[0].house_key.startswith(f"milk.{breed}")
    assert milk.ph is None
    assert species_of(breed) in ("cow", "goat", "sheep", "buffalo")
    measured = composition(
        breed,
        MilkTest(
            fat_pct=4.0,
            protein_pct=3.5,
            protein_kind="true",
            casein_pct=2.8,
            ph=6.6,
            ph_sample_c=37.0,
        ),
        HOUSE,
    )
    assert measured.casein.known == "measured"
    assert measured.ph.value == pytest.approx(6.72)


def test_a_milk_at_the_edge_of_the_model_is_held_there():
    def minutes(ph):
        return flocculation_minutes(
            35, Setting(milk=vat_milk(), celsius=32, ph=ph, calcium_g_per_kg=0), HOUSE
        )

    assert minutes(5.5) == minutes(5.9) and minutes(7.2) == minutes(6.9)
    for ph, words in ((5.7, "judge by the break"), (7.1, "measure again"), (6.5, None)):
        said = edge_words(Setting(milk=vat_milk(), celsius=32, ph=ph, calcium_g_per_kg=0), HOUSE)
        assert said is None if words is None else words in said
    with pytest.raises(OutOfRange, match="Without rennet"):
        flocculation_minutes(
            0, Setting(milk=vat_milk(), celsius=32, ph=6.6, calcium_g_per_kg=0), HOUSE
        )


def test_house_overrides_reach_every_rule_that_uses_them():
    plain, mine = job_for("larder-block"), House({"rennet.species_goat": 0.9, "yield.band": 0.2})
    job = job_for("larder-block")
    object.__setattr__(job, "house", mine)
    assert adapt(job).line("rennet").figure.value > adapt(plain).line("rennet").figure.value
    assert adapt(job).cheese.sd > adapt(plain).cheese.sd
