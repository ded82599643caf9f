"""Fat and protein: targets by powder, retentate, cream off, other milk; and what each costs."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.bench.standardise import Stream, Target, harsh, skimmings, suggest
from openpail.craft.milk.blend import pour
from openpail.craft.milk.density import mass_of
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.milk.slip import composition
from openpail.craft.sheet.target_costs import costs_of
from tests.support import HOUSE, RECIPES, one_pour

COW = Stream(
    key="cow",
    name="House cows",
    fat_pct=4.0,
    protein_pct=3.3,
    casein_pct=2.7,
    low_kg=30.0,
    high_kg=30.0,
    is_main=True,
    lactose_pct=4.7,
)
EWE = Stream(
    key="ewe",
    name="Ewes",
    fat_pct=7.0,
    protein_pct=5.5,
    casein_pct=4.45,
    low_kg=0.0,
    high_kg=20.0,
    species="sheep",
    lactose_pct=4.8,
)
SKIM = Stream(
    key="skim",
    name="Skim",
    fat_pct=0.05,
    protein_pct=3.4,
    casein_pct=2.78,
    low_kg=0.0,
    high_kg=40.0,
    kind="skim",
    lactose_pct=4.9,
)
CREAM = Stream(
    key="cream",
    name="Cream",
    fat_pct=36.0,
    protein_pct=2.0,
    casein_pct=1.6,
    low_kg=0.0,
    high_kg=5.0,
    kind="cream",
    lactose_pct=3.0,
)
POWDER = Stream(
    key="powder",
    name="Powder",
    fat_pct=0.8,
    protein_pct=33.3,
    casein_pct=27.4,
    low_kg=0.0,
    high_kg=3.0,
    kind="powder",
    lactose_pct=51.5,
)
CONCENTRATE = Stream(
    key="mpc",
    name="Concentrate 80",
    fat_pct=1.5,
    protein_pct=79.0,
    casein_pct=65.0,
    low_kg=0.0,
    high_kg=2.0,
    kind="concentrate",
    lactose_pct=5.0,
)
RETENTATE = Stream(
    key="uf",
    name="Retentate",
    fat_pct=0.3,
    protein_pct=12.0,
    casein_pct=9.8,
    low_kg=0.0,
    high_kg=10.0,
    kind="retentate",
    lactose_pct=4.4,
)


def wanted(fat=None, protein=None, casein=None, kg=None):
    told = {"fat": fat, "protein": protein, "casein": casein}
    found = [Target(kind, value, 0.02) for kind, value in told.items() if value]
    return found + ([Target("mass_kg", kg, 0.005)] if kg else [])


def free(stream):
    return Stream(**{**{f: getattr(stream, f) for f in stream.__slots__}, "low_kg": 0.0})


def test_the_missions_own_case_skim_cream_powder_and_ewes_milk_in_forty_litres():
    streams = [free(SKIM), CREAM, POWDER, free(EWE)]
    for mix in suggest(streams, wanted(3.6, 3.6, kg=41.2), "cheddared", house=HOUSE):
        assert not mix.missed
        assert mix.reached["fat"] == pytest.approx(3.6, abs=0.021)
        assert mix.reached["protein"] == pytest.approx(3.6, abs=0.021)
        assert mix.mass_kg == pytest.approx(41.2, rel=0.006)


def test_every_single_way_is_offered_and_the_gentlest_is_told():
    off = skimmings(COW, 30.0, 40.0, HOUSE, "cream")
    streams = [COW, POWDER, RETENTATE, CONCENTRATE, off, CREAM]
    mixes = suggest(streams, wanted(protein=3.8), "cheddared", house=HOUSE)
    ways = [mix.ways for mix in mixes]
    assert {frozenset({way}) for way in ("powder", "concentrate", "retentate")} <= set(ways)
    assert sum(mix.gentlest for mix in mixes) == 1
    gentle = next(mix for mix in mixes if mix.gentlest)
    assert all(harsh(gentle, HOUSE) <= harsh(mix, HOUSE) for mix in mixes)
    assert gentle.ways == {"retentate"}
    # of fat alone no way is spoken of
    assert not any(mix.gentlest for mix in suggest(streams, wanted(4.4), "cheddared", house=HOUSE))


def test_what_cannot_be_reached_is_named_with_the_nearest():
    (mix,) = suggest([COW, SKIM], wanted(protein=5.0), "cheddared", house=HOUSE, aims=("handling",))
    assert mix.missed == ("protein",) and mix.reached["protein"] == pytest.approx(3.3, abs=0.2)


@given(st.floats(3.35, 4.2), st.floats(3.0, 4.4))
def test_protein_and_fat_balance_by_mass(protein, fat):
    for mix in suggest([COW, SKIM, CREAM, RETENTATE], wanted(fat, protein), "alpine", house=HOUSE):
        if mix.missed:
            continue
        kg = sum(amount for _, amount in mix.amounts)
        for part in ("fat", "protein"):
            there = sum(amount * getattr(s, f"{part}_pct") for s, amount in mix.amounts)
            assert there / kg == pytest.approx(mix.reached[part])


def test_powder_brings_lactose_and_it_is_said():
    plain = pour((one_pour("cow_lowland", "flash", litres=30),), HOUSE)
    parts = composition("cow_lowland", MilkTest(), HOUSE, kind="powder")
    lot = replace(
        one_pour("cow_lowland", "flash"), mass=mass_of(1.0, 20.0, parts), milk=parts, kind="powder"
    )
    mix = suggest([COW, POWDER], wanted(protein=4.0), "cheddared", house=HOUSE, aims=("handling",))[
        0
    ]
    then = pour((one_pour("cow_lowland", "flash", litres=29), lot), HOUSE)
    costs = costs_of(RECIPES["threshing-cheddar"], plain, then, mix, HOUSE)
    assert costs.lactose_high == (costs.lactose_pct > 5.3)
    assert costs.lactose_pct == pytest.approx(mix.lactose_pct) and costs.lactose_pct > 4.9
    assert costs.cheese_per_100 > 0.5  # more casein, more cheese


@pytest.mark.parametrize(
    ("kind", "protein", "lactose"), [("concentrate", 80.0, 5), ("concentrate", 42.0, 46)]
)
def test_a_concentrate_is_taken_with_its_lactose_by_its_protein(kind, protein, lactose):
    test = MilkTest(protein_pct=protein, protein_kind="true")
    made_of = composition("cow_lowland", test, HOUSE, kind=kind)
    assert made_of.lactose.value == pytest.approx(lactose, abs=0.5)
    assert made_of.fat.value + made_of.solids_not_fat.value <= 97 + 1e-9
