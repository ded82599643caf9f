"""A planned trial: what else differs is said, and the next make is drawn by lot in pairs."""

import uuid
from random import Random

from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.table.facts import MadeFact
from openpail.craft.table.trial import next_is_new, said


def make(chance, cut=30.0, fat=4.0, kg=3.0):
    return (
        MadeFact(
            key="cut",
            group="set",
            label="cut after",
            value=cut + chance.gauss(0, 0.5),
            unit="min",
            apart=3.0,
        ),
        MadeFact(
            key="fat",
            group="milk",
            label="fat",
            value=fat + chance.gauss(0, 0.05),
            unit="%",
            apart=0.3,
        ),
        MadeFact(key="animals", group="milk", label="animals", words="goat"),
        MadeFact(
            key="cheese-kg",
            group="cheese",
            label="weighed",
            value=kg + chance.gauss(0, 0.02),
            unit="kg",
            apart=0.15,
        ),
    )


def test_what_is_tried_how_it_came_out_and_what_else_differs_stand_apart():
    chance = Random(5)
    usual = [make(chance) for _ in range(4)]
    clean = said([make(chance, cut=40) for _ in range(4)], usual, "cut")
    assert clean.tried.differs and 9 < clean.tried.new - clean.tried.usual < 11
    assert clean.else_differs == () and not clean.outcomes[0].differs
    muddled = said([make(chance, cut=40, fat=4.8, kg=3.5) for _ in range(4)], usual, "cut")
    assert [each.fact.key for each in muddled.else_differs] == ["fat"]
    assert muddled.outcomes[0].differs and muddled.outcomes[0].to_tell >= 3
    words_only = said([make(chance, cut=40)], [make(chance)])
    assert words_only.tried is None
    assert [each.fact.key for each in words_only.else_differs] == ["cut"]
    assert words_only.else_differs[0].to_tell is None  # one of each tells nothing
    empty = said([], usual, "cut")
    assert empty.tried is None and empty.outcomes == empty.else_differs == ()


@given(st.uuids(), st.integers(0, 40))
def test_both_ways_are_made_as_often_in_every_pair(trial, count):
    sides = {}
    for number in range(count):
        sides[str(number)] = next_is_new(str(trial), sides)
        assert abs(2 * sum(sides.values()) - len(sides)) <= 1


def test_the_lot_falls_both_ways():
    firsts = {next_is_new(str(uuid.UUID(int=number)), {}) for number in range(40)}
    assert firsts == {True, False}
