"""A dairy with a hidden truth: what its makes teach comes near it, as docs/learning.md says."""

from dataclasses import replace
from itertools import pairwise
from math import exp
from pathlib import Path
from random import Random
from statistics import quantiles

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.house import along
from openpail.craft.make.deeds import FirstFlocks, ReadingTaken, StepDone
from openpail.craft.make.fold import fold
from openpail.craft.make.taught import by_flocks
from openpail.craft.stock.learning import FlocksSeen, learn, share_learnt
from openpail.demo import hidden
from tests.craft.test_make import LARDER, sheet_of, told
from tests.support import HOUSE

DOC = Path(__file__).parents[2] / "docs" / "learning.md"


def test_after_three_makes_nine_of_ten_dairies_are_foretold_within_a_tenth_and_five_minutes():
    three = hidden.foretold(3, HOUSE)
    assert three.flocks_worst <= 10
    assert three.cut_worst <= 5
    rows = [hidden.foretold(makes, HOUSE, 120) for makes in (0, 1, 3, 8)]
    for before, after in pairwise(rows):
        assert after.flocks_median < before.flocks_median
        assert after.cut_worst < before.cut_worst


def test_the_page_of_docs_says_what_is_so():
    assert hidden.table() in DOC.read_text("utf-8")


@given(st.integers(0, 10**6), st.integers(1, 12), st.integers(0, 11))
def test_a_make_left_out_gives_back_exactly_what_stood_before(seed, count, which):
    chance = Random(seed)
    seen = [
        FlocksSeen(
            herd=chance.choice("ab"),
            bottle=chance.choice("xy"),
            observed_min=12 * exp(chance.gauss(0, 0.2)),
            expected_min=12,
        )
        for _ in range(count)
    ]
    before = learn(seen, HOUSE)
    more = FlocksSeen(herd="a", bottle="x", observed_min=30.0, expected_min=12.0)
    with_it = [*seen[: which % (count + 1)], more, *seen[which % (count + 1) :]]
    assert learn(with_it, HOUSE) != before
    assert learn([each for each in with_it if each is not more], HOUSE) == before


@given(st.floats(0.5, 2), st.integers(1, 40))
def test_an_acids_true_share_is_come_nearer_with_every_make_and_never_passed(share, count):
    fewer, more = (share_learnt([share] * n, HOUSE).factor for n in (count, count + 1))
    assert abs(more - share) <= abs(fewer - share) + 1e-12
    low, high = sorted((1.0, share))
    assert low - 1e-9 <= more <= high + 1e-9
    assert share_learnt([], HOUSE).factor == 1.0 == pytest.approx(share_learnt([1.0], HOUSE).factor)


LOT = "00000000-0000-4000-8000-000000000002"


def seen_in(chance, frozen, truth, slip):
    """What one make teaches of a bottle, told as a maker with cold milk, a late tap or another
    bottle tells it; truth, how long its flocks take against the sheet."""
    warmth = 28.0 if slip in ("cold", "cold, unread") else 32.0
    slower = along(HOUSE.curve("rennet.temperature"), warmth)
    minutes = frozen.set.flocculation.value * truth * slower * exp(chance.gauss(0, hidden.NOISE))
    keys = [step.key for step in LARDER.steps]
    other = {"gave": {"rennet": 3.0}, "bottles": {"rennet": LOT}}
    deeds = [
        told(StepDone(step=key, **(other if (key, slip) == ("rennet", "bottle") else {})), at, key)
        for at, key in zip((30, 40, 60, 65, 70), keys, strict=False)
    ]
    if slip != "cold, unread":
        deeds.append(told(ReadingTaken(celsius=warmth), 66, "read"))
    late = 2.0 if slip == "late tap" else 0.0
    deeds.append(told(FirstFlocks(), 70 + minutes + late, "flocks"))
    found = by_flocks(LARDER, frozen, fold(LARDER, deeds))
    return found and FlocksSeen(
        herd="herd",
        bottle="bottle",
        observed_min=found.observed_min,
        expected_min=found.expected_min,
    )


def test_a_third_of_makes_that_went_otherwise_cannot_fool_what_is_learnt():
    frozen = replace(sheet_of(), rennet="bottle")
    slips = ("cold", "cold, unread", "late tap", "bottle")
    off, worse = [], []
    for seed in range(150):
        chance = Random(seed)
        strength, herd = chance.uniform(*hidden.BOTTLES), chance.uniform(*hidden.HERDS)
        wrong = set(chance.sample(range(5), chance.choice((1, 2))))
        made = [
            seen_in(chance, frozen, herd / strength, chance.choice(slips) if n in wrong else "")
            for n in range(5)
        ]
        known = learn([each for each in made if each], HOUSE)
        said = known.herds["herd"].factor / known.bottles["bottle"].factor
        off.append(abs(said * strength / herd - 1))
        worse.append(abs(said * strength / herd - 1) > abs(strength / herd - 1) + 2 * hidden.NOISE)
    assert quantiles(off, n=10)[-1] <= 0.10
    assert sum(worse) == 0
