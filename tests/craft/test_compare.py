"""Facts of makes beside each other: what differs is bright, what scatters is not called different,
and how many makes would tell."""

from dataclasses import replace
from random import Random
from statistics import fmean

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.make.by_sheet import day_by
from openpail.craft.table.compare import compared, different, makes_to_tell
from openpail.craft.table.facts import (
    GROUPS,
    BrineStay,
    MadeFact,
    facts_of_make,
    from_plain,
    to_plain,
)
from tests.craft.test_dry_run import world_of
from tests.support.player import STARTED, goes


@pytest.fixture(scope="module")
def whole():
    """A make gone through to its end, with its facts."""
    at = goes(world_of("larder-block"))
    brined = (BrineStay(20, 12.0),)
    day = day_by(at.world.recipe, at.world.sheet, at.standing, started=STARTED, now=at.now)
    return facts_of_make(at.world.recipe, at.world.sheet, at.standing, day, brined)


def test_the_facts_of_a_whole_make_are_there_in_the_order_of_the_work_and_come_back(whole):
    keys = {each.key: each for each in whole}
    assert len(keys) == len(whole)
    for wanted in ("animals", "fat", "casein", "flocks", "cut", "brine-h", "min-ripen", "ph-stir"):
        assert wanted in keys, wanted
    assert keys["brine-h"].value == 12
    assert 25 < keys["cut"].value < 40 and keys["flocks"].value < keys["cut"].value
    assert {each.group for each in whole} <= set(GROUPS)
    assert all(each.value is not None or each.words for each in whole)
    assert from_plain(to_plain(whole)) == whole


def test_a_reading_at_a_steps_end_is_that_steps_alone(whole):
    sour = [each for each in whole if each.group == "acid"]
    assert len({each.key for each in sour}) == len(sour) >= 2
    assert len({(each.value, each.label) for each in sour}) == len(sour)


def test_only_what_lies_apart_by_more_than_counts_differs(whole):
    same = compared([whole, whole, whole])
    assert not any(row.differs for row in same)
    for number, fact in enumerate(whole):
        if fact.value is None:
            other = replace(fact, words="otherwise")
        else:
            near = replace(fact, value=fact.value + 0.9 * fact.apart)
            rows = compared([whole, (*whole[:number], near, *whole[number + 1 :])])
            assert not any(row.differs for row in rows), fact
            other = replace(fact, value=fact.value + 1.1 * fact.apart + 1e-9)
        rows = compared([whole, (*whole[:number], other, *whole[number + 1 :])])
        assert [row.key for row in rows if row.differs] == [fact.key]
    lacks = compared([whole, whole[1:]])
    assert [row.key for row in lacks if row.differs] == [whole[0].key]


def made(chance, **shifts):
    """Facts of one make of a cheese whose makes scatter."""
    usual = {"min-stir": (30, 3), "ph-drain": (6.2, 0.05), "warm-heat": (38, 0.6), "fat": (4, 0.2)}
    groups = {"min-stir": "time", "ph-drain": "acid", "warm-heat": "warmth", "fat": "milk"}
    return tuple(
        MadeFact(
            key=k,
            group=groups[k],
            label=k,
            value=chance.gauss(mean + shifts.get(k, 0), sd),
            unit="",
            apart=0.5 * sd,
        )
        for k, (mean, sd) in usual.items()
    )


@pytest.mark.parametrize("seed", range(6))
def test_what_the_good_ones_really_had_otherwise_is_found_first_and_chance_seldom(seed):
    chance = Random(seed)
    good = [made(chance, **{"ph-drain": -0.25}) for _ in range(8)]
    others = [made(chance) for _ in range(8)]
    rows = different(good, others)
    assert rows[0].fact.key == "ph-drain" and rows[0].best < rows[0].others
    assert rows[0].best == pytest.approx(
        fmean({f.key: f.value for f in m}["ph-drain"] for m in good)
    )
    assert rows[0].to_tell is not None and rows[0].to_tell <= 8
    assert len(rows) <= 2
    assert different(good[:2], others) == different(good, others[:2]) == ()


def test_what_it_weighed_is_an_outcome_and_no_cause():
    chance = Random(1)

    def with_yield(value):
        return (
            *made(chance),
            MadeFact(key="yield", group="cheese", label="yield", value=value, unit="kg", apart=0.1),
        )

    rows = different([with_yield(14) for _ in range(4)], [with_yield(9) for _ in range(4)])
    assert "yield" not in {row.fact.key for row in rows}


@given(st.floats(0.01, 100), st.floats(0.01, 100), st.floats(1.05, 3))
def test_more_scatter_or_a_smaller_gap_never_takes_fewer_makes(spread, gap, more):
    few = makes_to_tell(spread, gap)
    for many in (makes_to_tell(spread * more, gap), makes_to_tell(spread, gap / more)):
        assert many is None or (few is not None and many >= few)
    assert makes_to_tell(spread, -gap) == few and makes_to_tell(spread, 0) is None
    assert makes_to_tell(0, gap) == 3
