"""Doses: what the rules promise, over milks of every kind."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from openpail.craft.doses import rennet
from openpail.craft.doses.asked import Ways
from openpail.craft.doses.calcium import g_per_kg
from openpail.craft.doses.setting import Setting, by_species, flocculation_minutes
from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.figure import Figure, replay
from openpail.craft.house import House
from openpail.craft.milk.blend import pour
from openpail.craft.milk.kinds import BREEDS, MilkTest
from openpail.craft.sheet.adapt import adapt
from openpail.craft.stock.products import Product
from tests.support import HOUSE, MILK_RECIPES, job_for, one_pour, vat_milk

heated = st.sampled_from(["raw", "thermised", "batch", "flash", "high_heat", "high_pressure"])
slips = st.builds(
    MilkTest,
    fat_pct=st.none() | st.floats(2, 9),
    protein_pct=st.none() | st.floats(2.4, 6.5),
    protein_kind=st.sampled_from(["true", "crude", "unknown"]),
    ph=st.none() | st.floats(6.2, 6.85),
)
pours = st.builds(
    one_pour,
    breed=st.sampled_from(sorted(BREEDS)),
    treatment=heated,
    litres=st.floats(2, 120),
    test=slips,
    homogenised=st.booleans(),
    frozen=st.booleans(),
    hours_cold=st.floats(0, 90),
)
ways = st.builds(
    Ways,
    raw_calcium=st.sampled_from(["table", "never", "if_weak", "always"]),
    rennet=st.sampled_from(["keep_clock", "keep_dose"]),
    raw_culture_less=st.booleans(),
)


def figures_of(job):
    sheet = adapt(job)
    yield from (each for line in sheet.lines for each in (line.written, line.figure, line.active))
    yield from (sheet.cheese, sheet.whey, job.milk.mass, job.milk.fat, job.milk.casein)
    if job.milk.ph:
        yield job.milk.ph
    if sheet.set:
        yield from (sheet.set.flocculation, sheet.set.cut, sheet.set.imcu_per_kg)


@settings(max_examples=80)
@given(st.lists(pours, min_size=1, max_size=3), ways, st.sampled_from(sorted(MILK_RECIPES)))
def test_every_because_replays_to_its_value_and_survives_json(lots, house_ways, recipe):
    for figure in figures_of(job_for(recipe, *lots, ways=house_ways)):
        assert replay(figure.because) == pytest.approx(figure.value, rel=1e-9, abs=1e-12)
        assert Figure.from_json(figure.to_json()) == figure


@given(pours, st.floats(1.1, 6))
def test_doses_scale_exactly_with_the_mass_of_milk(lot, times):
    larger = replace(lot, mass=lot.mass.times("more", times))
    small, large = adapt(job_for("larder-block", lot)), adapt(job_for("larder-block", larger))
    for a, b in zip(small.lines, large.lines, strict=True):
        assert b.figure.value == pytest.approx(a.figure.value * times, rel=1e-9)
    assert large.set.flocculation.value == pytest.approx(small.set.flocculation.value)


@given(
    st.floats(20, 45),
    st.floats(6.0, 6.85),
    st.sampled_from(["cow", "goat", "sheep", "buffalo"]),
    st.floats(0, 4),
)
def test_keeping_the_clock_gives_the_recipes_flocculation_back(celsius, ph, species, salt):
    recipe = Setting(milk=vat_milk("cow"), celsius=32, ph=6.6, calcium_g_per_kg=0.0)
    this = Setting(
        milk=vat_milk(species, salt_pct=salt), celsius=celsius, ph=ph, calcium_g_per_kg=0.0
    )
    dose = 35 * rennet.ratio(this, recipe, HOUSE)
    there = flocculation_minutes(dose, this, HOUSE)
    assert there == pytest.approx(flocculation_minutes(35, recipe, HOUSE), rel=1e-3)


@given(
    st.floats(0, 0.2), st.floats(0, 0.1), st.floats(20, 41), st.floats(0, 1), st.floats(5.9, 6.8)
)
def test_more_calcium_acid_or_warmth_never_lengthen_the_set(calcium, more, celsius, warmer, ph):
    def minutes(c, t, p):
        return flocculation_minutes(
            35, Setting(milk=vat_milk(), celsius=t, ph=p, calcium_g_per_kg=c), HOUSE
        )

    base = minutes(calcium, celsius, ph)
    assert minutes(calcium + more, celsius, ph) <= base
    assert minutes(calcium, celsius + warmer, ph) <= base + 1e-9
    assert minutes(calcium, celsius, ph - more) <= base


@given(pours, st.floats(0, 0.15))
def test_calcium_and_heating_never_earn_a_smaller_dose(lot, added):
    milk = pour((lot,), HOUSE).numbers
    recipe = Setting(milk=vat_milk("cow", "flash"), celsius=32, ph=None, calcium_g_per_kg=0.1)
    with_it = rennet.ratio(
        Setting(milk=milk, celsius=32, ph=None, calcium_g_per_kg=added), recipe, HOUSE
    )
    shares = milk.casein_shares()
    assert with_it >= by_species(shares, "rennet.species", HOUSE) - 1e-9


def test_a_ph_that_only_confirms_the_table_changes_nothing():
    unmeasured = adapt(job_for("larder-block", one_pour("cow_lowland")))
    confirmed = adapt(job_for("larder-block", one_pour("cow_lowland", test=MilkTest(ph=6.65))))
    for a, b in zip(unmeasured.lines, confirmed.lines, strict=True):
        assert a.figure.value == pytest.approx(b.figure.value)
    assert unmeasured.line("rennet").figure.rests_on_assumed
    assert not confirmed.line("rennet").figure.rests_on_assumed


def test_a_measurement_that_would_help_is_named_and_then_it_helps():
    blind = adapt(job_for("larder-block", one_pour()))
    tested = adapt(job_for("larder-block", one_pour(test=MilkTest(fat_pct=3.8, ph=6.6))))
    slip = one_pour(test=MilkTest(fat_pct=3.8, protein_pct=3.1, protein_kind="true"))
    assert "A protein test would narrow most: the calcium chloride" in blind.narrow
    by_clock = {"ways": Ways(ripen="by_clock")}
    assert "A pH reading" in adapt(job_for("larder-block", slip, **by_clock)).narrow
    assert not adapt(job_for("larder-block", slip)).narrow  # ripened to its pH, it is dosed for it
    assert tested.cheese.sd < blind.cheese.sd
    assert tested.set.band < blind.set.band


@pytest.mark.parametrize(("stage", "wider"), [("", 0), ("mid", 0), ("early", 5), ("late", 5)])
def test_early_and_late_lactation_widen_the_band_of_the_set(stage, wider):
    tested = adapt(job_for("larder-block", one_pour(test=MilkTest(ph=6.6), stage=stage)))
    untested = adapt(job_for("larder-block", one_pour(stage=stage)))
    assert 100 * tested.set.band == pytest.approx(20 + wider)
    assert 100 * untested.set.band == pytest.approx(30 + wider)


def test_the_slips_kind_of_protein_changes_the_calcium():
    true = adapt(
        job_for(
            "larder-block",
            one_pour(test=MilkTest(fat_pct=4.1, protein_pct=3.3, protein_kind="true")),
        )
    )
    crude = adapt(
        job_for(
            "larder-block",
            one_pour(test=MilkTest(fat_pct=4.1, protein_pct=3.3, protein_kind="crude")),
        )
    )
    assert true.line("calcium").figure.value == pytest.approx(0, abs=1e-9)
    assert crude.line("calcium").active.value == pytest.approx(0.0132 * 22.11, rel=0.02)
    steps = str(crude.line("calcium").figure.to_json())
    assert "casein is low" in steps


def test_a_sourer_milk_gets_less_rennet_and_raw_milk_less_culture_by_the_house_way_only():
    sour = adapt(job_for("larder-block", one_pour(test=MilkTest(ph=6.45))))
    sweet = adapt(job_for("larder-block", one_pour(test=MilkTest(ph=6.65))))
    assert sour.line("rennet").figure.value < sweet.line("rennet").figure.value
    flash = adapt(job_for("larder-block", one_pour(treatment="flash")))
    raw = adapt(job_for("larder-block", one_pour()))
    culture_g = raw.line("culture").figure.value
    assert flash.line("culture").figure.value == pytest.approx(culture_g)
    less = Ways(raw_culture_less=True)
    for hours, share in ((20.0, 0.75), (30.0, 1.0)):
        fresh = adapt(job_for("larder-block", one_pour(hours_cold=hours), ways=less))
        assert fresh.line("culture").figure.value == pytest.approx(share * culture_g)
    assert flash.line("calcium").figure.value > raw.line("calcium").figure.value


@given(st.floats(0, 0.5), heated, st.floats(1.5, 4), st.booleans())
def test_calcium_stays_between_nothing_and_the_ceiling(own, treatment, casein, homogenised):
    milk = vat_milk("goat", treatment, casein, homogenised=homogenised)
    dose = g_per_kg(Figure.start("own", own, "g/kg"), milk, vat_milk("cow", "flash"), house=HOUSE)
    assert 0 <= dose.value <= 0.20
    assert replay(dose.because) == pytest.approx(dose.value)


def test_a_weaker_bottle_earns_more_of_it_and_an_old_culture_too():
    fresh = Product(kind="rennet", name="new bottle", strength=200)
    old = replace(fresh, months_open=12)
    by_age = [
        adapt(job_for("larder-block", bottles={"rennet": bottle})).line("rennet")
        for bottle in (fresh, old)
    ]
    assert by_age[1].figure.value == pytest.approx(by_age[0].figure.value / 0.985**12)
    assert by_age[1].active.value == pytest.approx(by_age[0].active.value)
    stale = Product(kind="culture", name="old packet", kept="fridge", months_past=8)
    sheet = adapt(job_for("larder-block", bottles={"culture": stale}))
    assert any("do not rely on it" in words for words in sheet.warnings)


def test_keep_the_dose_moves_the_clock_instead():
    kept = adapt(job_for("larder-block", ways=Ways(rennet="keep_dose")))
    clock = adapt(job_for("larder-block"))
    assert kept.line("rennet").figure.value > clock.line("rennet").figure.value
    assert kept.set.flocculation.value < clock.set.flocculation.value


def test_ultra_heated_milk_and_cold_rennet_are_refused_in_words():
    with pytest.raises(NotPossible, match="no culture mends it"):
        adapt(job_for("larder-block", one_pour(treatment="ultra_heated")))
    assert adapt(job_for("bench-curd", one_pour(treatment="ultra_heated"))).cheese.value > 0
    with pytest.raises(OutOfRange, match="between 20 and 45"):
        adapt(job_for("larder-block", renneting_c=12.0))


@given(st.lists(pours, min_size=1, max_size=4))
def test_a_blend_balances_mass_and_every_component(lots):
    blend = pour(lots, HOUSE)
    assert blend.mass.value == pytest.approx(sum(lot.mass.value for lot in lots), rel=1e-9)
    for part in ("fat", "protein", "casein"):
        inside = sum(lot.mass.value * getattr(lot.milk, part).value for lot in lots)
        assert getattr(blend, part).value * blend.mass.value == pytest.approx(inside, rel=1e-9)
    assert sum(blend.numbers.casein_shares().values()) == pytest.approx(1)


def test_an_overruled_house_value_moves_the_dose_and_says_whose_it_is():
    mine = replace(job_for("larder-block"), house=House({"rennet.species_goat": 0.9}))
    line = adapt(mine).line("rennet")
    assert line.figure.value > adapt(job_for("larder-block")).line("rennet").figure.value
    assert "the dairy’s own value" in {step.source for step in line.figure.because}
    with pytest.raises(OutOfRange, match="outside"):
        House({"rennet.species_goat": 9.0})
