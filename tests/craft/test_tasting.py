"""Tastings: blind until all have, once each, never averaged; what may not be on the tongue is
asked."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.cave.checks import Guarded
from openpail.craft.cave.deeds import (
    ASPECTS,
    FAULTS,
    MARKS,
    PieceTold,
    PieceUndone,
    Tasted,
    TastingBegun,
    TastingClosed,
    read_deed,
)
from openpail.craft.cave.fold import counting
from openpail.craft.cave.tasting import check_tasting, tastings
from openpail.craft.deed import to_payload
from openpail.craft.errors import CraftError, NotPossible, OutOfRange
from openpail.craft.marks import Mark

NOW = datetime(2026, 5, 4, 12, tzinfo=UTC)
NAMES = ("maker", "helper", "visitor")


def told(*deeds):
    return [
        PieceTold(id=f"d{n}", deed=deed, at=NOW + timedelta(minutes=n))
        for n, deed in enumerate(deeds)
    ]


def by(taster, **more):
    return Tasted(tasting="d0", taster=taster, **{"taste": "good", **more})


marks = st.sampled_from(["", *MARKS])
words = st.builds(
    Tasted,
    tasting=st.just("d0"),
    taster=st.sampled_from(NAMES),
    **dict.fromkeys(ASPECTS, marks),
    faults=st.lists(st.sampled_from([*FAULTS]), unique=True).map(tuple),
    again=st.sampled_from(["", "yes", "changed", "no"]),
    next_time=st.text(
        st.characters(exclude_characters="\0", exclude_categories=["Cs"]), max_size=30
    ),
)


@given(st.lists(words, max_size=6), st.booleans())
def test_nothing_is_seen_before_all_have_tasted_and_a_first_word_stands(tastes, closed):
    deeds = [TastingBegun(NAMES), *tastes, *([TastingClosed("d0")] if closed else [])]
    (at,) = tastings(told(*deeds))
    first = {}
    for each in tastes:
        first.setdefault(each.taster, each)
    assert {each.taster: each for each in at.tastes} == first
    assert at.is_blind == (not closed and set(first) != set(NAMES))
    assert (at.outcome is None) == (at.is_blind or not first)
    for ladder in at.ladders:
        for name, mark in ladder.said:
            assert getattr(first[name], ladder.aspect) == mark
        steps = [MARKS.index(mark) for _, mark in ladder.said]
        assert ladder.apart == (max(steps) - min(steps) >= 2)
    assert {name for _, who in at.faults for name in who} == {
        name for name, each in first.items() if each.faults
    }
    for each in tastes:
        assert read_deed("tasted", to_payload(each)) == each


def test_any_order_of_arrival_comes_to_the_same_tasting_and_an_undone_one_never_was():
    every = told(TastingBegun(NAMES[:2]), by("maker"), by("helper", taste="poor"))
    found = {tastings(counting(order)) for order in permutations(every)}
    assert len(found) == 1 and next(iter(found))[0].outcome == "poor"
    gone = PieceTold(id="u", deed=PieceUndone(), at=NOW + timedelta(hours=1), amends="d0")
    assert tastings(counting([*every, gone])) == ()


@pytest.mark.parametrize(
    ("tastes", "outcome"),
    [
        ([{}], "good"),
        ([{"taste": "fine", "again": "yes"}, {"again": "yes"}], "good"),
        ([{"again": "changed"}], "mixed"),
        ([{"taste": "fair", "again": "yes"}], "mixed"),
        ([{"again": "yes"}, {"again": "no"}], "poor"),
        ([{"taste": "poor", "again": "yes"}, {"taste": "fine"}], "poor"),
    ],
)
def test_one_bad_word_is_not_averaged_away(tastes, outcome):
    names = NAMES[: len(tastes)]
    said = [by(name, **each) for name, each in zip(names, tastes, strict=True)]
    assert tastings(told(TastingBegun(names), *said))[0].outcome == outcome


BEGUN = told(TastingBegun(NAMES[:2]), by("maker"))


@pytest.mark.parametrize(
    ("deed", "words"),
    [
        (TastingBegun(("maker",)), "being tasted already"),
        (Tasted(tasting="nothing", taster="maker", taste="good"), "was not begun"),
        (by("stranger"), "one of those"),
        (by("maker"), "maker has tasted already"),
        (by("helper", taste=""), "at least how it tastes"),
        (by("helper", faults=("loud",)), "faults of those"),
        (TastingClosed("nothing"), "was not begun"),
    ],
)
def test_a_tasting_that_cannot_be_is_refused_in_words(deed, words):
    with pytest.raises(CraftError, match=words):
        check_tasting(deed, BEGUN)


def test_who_tastes_is_told_apart_and_a_closed_tasting_takes_no_late_word():
    for names in ((), ("",), ("Maker", "maker "), ("x" * 41,), tuple(str(n) for n in range(13))):
        with pytest.raises(OutOfRange):
            check_tasting(TastingBegun(names), ())
    check_tasting(TastingClosed("d0"), BEGUN)
    closed = [*BEGUN, PieceTold(id="c", deed=TastingClosed("d0"), at=NOW + timedelta(hours=1))]
    with pytest.raises(NotPossible, match="would not be blind"):
        check_tasting(by("helper"), closed)
    with pytest.raises(NotPossible, match="open to all already"):
        check_tasting(TastingClosed("d0"), closed)
    with pytest.raises(NotPossible, match="Nobody has tasted"):
        check_tasting(TastingClosed("d0"), BEGUN[:1])


SLOW = Mark(key="slow-acid", words="pH 6.3 at 9 h")


def test_what_may_hold_a_toxin_is_asked_before_it_is_tasted_and_a_young_raw_cheese_is_not():
    assert "toxin" in Guarded(False, 90, (SLOW,)).on_the_tongue()
    assert (
        "no age clears it" in Guarded(True, 90, (Mark(key="raw-soft", words="x"),)).on_the_tongue()
    )
    young = Guarded(True, 12)
    assert young.on_the_tongue() == "" and young.words("eaten")
    assert replace(young, marks=(SLOW,)).on_the_tongue()
