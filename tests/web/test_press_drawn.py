"""Presses and tubs drawn to scale: what is drawn is what was measured."""

import uuid
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.make.pressing import InMoulds
from openpail.craft.press.moulds import Mould
from openpail.craft.press.presses import Lever, Press
from openpail.craft.press.weights import Thing, nearest
from openpail.craft.salt import tub as brine
from openpail.craft.salt import tub_deeds as told_of
from openpail.records.brine.models import Brining, Tub
from openpail.records.makes.models import Make
from openpail.web.press.draw import TUB_HEIGHT, TUB_WIDTH, WIDTH, press_drawn, tub_drawn
from tests.support import HOUSE

AT = datetime(2026, 5, 4, 8, 0, tzinfo=UTC)
MOULDS = st.builds(
    InMoulds,
    st.builds(
        Mould, sort=st.just("pressing"), across_cm=st.floats(8, 30), height_cm=st.floats(5, 16)
    ),
    st.integers(1, 7),
    st.booleans(),
)
LEVERS = st.lists(
    st.tuples(st.floats(6, 20), st.floats(2, 5)).map(
        lambda t: Lever(weight_cm=t[0] * t[1], follower_cm=t[0], own_kg=0.4)
    ),
    min_size=1,
    max_size=3,
).map(tuple)


@given(LEVERS, MOULDS, st.floats(0.5, 40))
def test_levers_are_drawn_with_their_arms_and_nothing_leaves_the_picture(levers, at, wanted):
    pile = nearest(
        wanted,
        (
            Thing(name="brick", kg=2.6, count=6, height_cm=6.5),
            Thing(name="jug", kg=0.2, count=2, holds_l=5.0, height_cm=30),
        ),
    )
    drawn = press_drawn(Press(sort="lever", levers=levers, follower_kg=1.0), at, 6.0, pile)
    assert len(drawn.beams) == len(levers)
    for beam, lever in zip(drawn.beams, reversed(levers), strict=True):
        to_follower, to_weight = beam.presses - beam.pivot, beam.right - beam.pivot
        assert to_weight / to_follower == pytest.approx(lever.gain)
    for low, high in zip(drawn.beams, drawn.beams[1:], strict=False):
        assert high.presses == pytest.approx(low.right) and high.y < low.y
    assert drawn.beams[0].presses == pytest.approx(drawn.board.mid_x)
    for box in (*drawn.moulds, *drawn.curd, drawn.board):
        assert box.x >= -1 and box.x + box.width <= WIDTH + 1
    assert all(beam.left >= -1 and beam.right <= WIDTH + 27 for beam in drawn.beams)
    assert len(drawn.moulds) + drawn.more == at.count


@given(MOULDS, st.floats(1, 20))
def test_curd_stands_in_its_mould_as_high_as_it_is(at, high):
    drawn = press_drawn(None, at, high, None)
    for mould, curd in zip(drawn.moulds, drawn.curd, strict=True):
        share = min(1.0, high / at.mould.height_cm)
        assert curd.height == pytest.approx(share * mould.height)
        assert curd.y + curd.height == pytest.approx(mould.y + mould.height)
        assert mould.width / mould.height == pytest.approx(at.mould.across_cm / at.mould.height_cm)


def test_a_stack_a_spring_and_a_screw_are_drawn_as_what_they_are():
    at = InMoulds(Mould(sort="pressing", across_cm=16.0, height_cm=11.0), 1, stacked=True)
    bricks = nearest(10.4, (Thing(name="brick", kg=2.6, count=6, height_cm=6.5),))
    stack = press_drawn(Press(sort="stack", levers=(), follower_kg=0.8), at, 8.0, bricks)
    assert len(stack.things) == 4 and not stack.beams
    tops = [each.y for each in stack.things]
    assert tops == sorted(tops, reverse=True) and tops[0] < stack.board.y
    assert press_drawn(Press(sort="screw"), at, 8.0, None).screw is not None
    spring = Press(sort="spring", marks=((0.0, 1.0), (9.0, 9.0)))
    assert press_drawn(spring, at, 8.0, None).spring is not None
    assert press_drawn(None, InMoulds(None, 2, stacked=False), None, None).moulds


@given(st.floats(20, 90), st.none() | st.floats(20, 60), st.floats(10, 50), st.floats(0.1, 1))
def test_a_tub_is_filled_to_its_level_and_its_wheels_lie_inside(across, side, high, share):
    tub = Tub(name="tub", across_cm=across, side_cm=side, height_cm=high, goal_pct=18.0)
    litres = share * tub.size.volume_l
    made = told_of.TubTold(id="a", deed=told_of.Made(litres, 18.0), at=AT)
    standing = brine.fold([made], (), HOUSE)
    stay = Brining(id=uuid.uuid4(), pieces=11, kg=20.0, in_at=AT)
    drawn = tub_drawn(tub, standing, [(stay, Make(number=7, name="Hatch"))])
    assert drawn.brine.height / drawn.wall.height == pytest.approx(share)
    assert drawn.wall.width <= TUB_WIDTH + 1 and drawn.wall.y >= 0
    assert drawn.wall.y + drawn.wall.height == pytest.approx(TUB_HEIGHT)
    assert len(drawn.wheels) == 8 and drawn.wheels[0].words == "7-1"
    assert drawn.wheels[-1].words == "+4"
    for wheel in drawn.wheels:
        assert drawn.wall.x <= wheel.x and wheel.x + wheel.width <= drawn.wall.x + drawn.wall.width
    assert tub_drawn(tub, brine.NEW, []).brine is None
