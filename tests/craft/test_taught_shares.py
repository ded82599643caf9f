"""What a make teaches of its yield and of its culture, and what that does to the next sheet."""

from dataclasses import replace
from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.doses.culture import minutes_longer
from openpail.craft.make import frozen
from openpail.craft.make.frozen import freeze
from openpail.craft.make.taught import by_souring, by_yield, lessons
from openpail.craft.practice.world import World
from openpail.craft.sheet.adapt import adapt
from openpail.craft.stock.learning import Learnt, speed_learnt
from tests.support import HOUSE, RECIPES, job_for, one_pour
from tests.support.player import STARTED, goes

RECIPE = RECIPES["larder-block"]
CULTURE = RECIPE.ingredient("culture")
MILK = one_pour("cow_lowland", litres=20)
BOTTLES = {CULTURE.key: replace(CULTURE.product, lot="packet")}


@pytest.fixture(scope="module")
def made():
    """A make gone through by the book, sour to the minute: its sheet and where it stands."""
    job = job_for("larder-block", MILK, bottles=BOTTLES)
    sheet = freeze(job, adapt(job), (), document={})
    world = World(
        recipe=RECIPE,
        sheet=sheet,
        litres=20.0,
        celsius=6.0,
        power_kw=3.0,
        mishaps=frozenset(),
        seed=7,
    ).in_its_time()
    standing, sours = goes(world).standing, iter((6.5, 6.2, 5.9))
    read = [replace(e, ph=next(sours)) if e.ph else e for e in standing.readings]
    weighed = {"weighed": standing.done["out"], "pieces_kg": (2.1,)}
    return sheet, replace(standing, readings=tuple(read), **weighed)


def test_its_weight_teaches_its_yield_against_what_its_milk_brings(made):
    sheet, standing = made
    taught = by_yield(RECIPE, sheet, standing)
    assert taught.of == "larder-block" and taught.seen == pytest.approx(sum(standing.pieces_kg))
    assert taught.expected == pytest.approx(sheet.cheese.value)
    # what was learnt before is in what was expected: it is taken off, not learnt twice
    again = by_yield(RECIPE, replace(sheet, yield_learnt=0.8), standing)
    assert again.expected == pytest.approx(sheet.cheese.value / 0.8)
    assert by_yield(RECIPE, sheet, replace(standing, about=True)) is None
    assert by_yield(RECIPE, sheet, replace(standing, weighed=None)) is None


@given(st.floats(-0.9, 1.9))
def test_a_doubling_time_later_is_half_as_lively(made, doublings):
    sheet, standing = made
    (first,) = by_souring(RECIPE, sheet, standing)
    assert first.seen == pytest.approx(1, abs=0.05)
    bottle = sheet.bottles[CULTURE.key]
    by = timedelta(minutes=doublings * minutes_longer(0.5, bottle, HOUSE))
    later = tuple(
        replace(each, at=each.at + by) if each.ph is not None else each
        for each in standing.readings
    )
    begun = standing.culture_at
    if any(each.ph and each.at < begun for each in later):
        return
    (moved,) = by_souring(RECIPE, sheet, replace(standing, readings=later))
    assert moved.seen == pytest.approx(max(0.25, first.seen * 2**-doublings), rel=1e-6)
    assert moved.of == "packet" and moved.expected == 1


def test_where_it_cannot_be_told_nothing_is(made):
    sheet, standing = made
    unread = tuple(replace(each, ph=None) for each in standing.readings)
    assert by_souring(RECIPE, sheet, replace(standing, readings=unread)) == ()
    sour = [each for each in standing.readings if each.ph]
    flat = tuple(replace(e, ph=6.21 - 0.01 * n) for n, e in enumerate(sour))
    assert by_souring(RECIPE, sheet, replace(standing, readings=flat)) == ()
    far = (sour[0], replace(sour[-1], at=sour[0].at + timedelta(hours=9)))
    assert by_souring(RECIPE, sheet, replace(standing, readings=far)) == ()
    nameless = replace(sheet, lines=tuple(replace(line, lot="") for line in sheet.lines))
    assert by_souring(RECIPE, nameless, standing) == ()
    left_out = lessons(RECIPE, sheet, replace(standing, flocks_count=False), STARTED)
    assert left_out.yielded is None and left_out.soured == ()


@given(st.floats(0.6, 1.6))
def test_the_next_sheet_expects_and_gives_as_was_taught_and_says_so(factor):
    plain = adapt(job_for("larder-block", MILK, bottles=BOTTLES))
    job = job_for(
        "larder-block",
        MILK,
        bottles=BOTTLES,
        yield_learnt=Learnt(factor, 5),
        lively={"packet": Learnt(factor, 4)},
    )
    taught = adapt(job)
    assert taught.cheese.value == pytest.approx(factor * plain.cheese.value)
    assert taught.whey.value + taught.cheese.value == pytest.approx(
        plain.whey.value + plain.cheese.value
    )
    assert taught.line("culture").figure.value == pytest.approx(
        plain.line("culture").figure.value / factor
    )
    assert taught.line("rennet").figure.value == plain.line("rennet").figure.value
    if factor != 1:
        labels = [step.label for step in taught.cheese.because]
        assert "as 5 makes of it taught" in labels
    sheet = freeze(job, taught, (), document={})
    assert sheet.lively == {CULTURE.key: factor} and sheet.yield_learnt == factor
    again = frozen.read(frozen.to_json(sheet), frozen.VERSION)
    assert again.lively == sheet.lively and again.yield_learnt == factor


@given(st.lists(st.floats(0.25, 4), min_size=1, max_size=12))
def test_a_culture_counts_from_three_makes_on_and_a_lively_one_no_more_than_the_house_lets(shares):
    found = speed_learnt(shares, HOUSE)
    assert (found is None) == (len(shares) < 3)
    if found:
        assert min(1, *shares) - 1e-9 <= found.factor <= HOUSE.number("culture.liveliest")
