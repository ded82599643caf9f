"""What comes out late of milk reaches all that was made of it; taken back, it goes everywhere."""

import uuid
from datetime import timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from openpail.craft.cave.deeds import Out, TastingBegun
from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.make.deeds import StepDone, Weighed, WheyKept
from openpail.craft.marks import MARK_KEYS, Mark, joined
from openpail.craft.milk.kinds import MilkTest
from openpail.records.makes import actions as makes
from openpail.records.milk import slips
from openpail.records.pieces import actions as pieces
from openpail.work.cave import piece
from openpail.work.logbook.came_late import came_late
from openpail.work.make import marks
from openpail.work.make.made import recipe_of
from openpail.work.milk import lots, noted
from openpail.work.table import labels
from openpail.work.table.labels import Wording
from tests.support.makes import begun, say

WEIGHED = 24 * 60.0


def make_of(here, key):
    return makes.make(here.session, here.dairy, key)


def done(farm, key):
    here = farm()
    steps = [
        StepDone(step=each.key, word="as it was") for each in recipe_of(make_of(here, key)).steps
    ]
    say(farm, key, 60.0, *steps)
    say(farm, key, WEIGHED, Weighed((2.0, 2.0), "as it was"))


@pytest.fixture
def finished(farm):
    key = begun(farm, "larder-block")
    done(farm, key)
    return key


def keys(here, key):
    return [each.key for each in marks.of_make(here, key)]


def lot_of(here, key):
    part = makes.milk_of(here.session, make_of(here, key))[0]
    return lots.find(here, part.lot_id)


def leave(here, row, where, minutes=0.0, why=""):
    at = here.now - timedelta(minutes=minutes)
    deed = Out(where=where, to="the inn", label=row.label, why=why)
    piece.tell(here, [piece.Telling(piece_id=row.id, deed=deed, id=uuid.uuid4(), at=at)])


def test_a_slip_that_comes_late_reaches_piece_label_today_and_sale_and_taken_back_none(
    farm, finished
):
    here = farm(WEIGHED + 60)
    sold, kept = pieces.of_make(here.session, make_of(here, finished))
    leave(here, sold, "sold", why="wanted young by the inn")
    assert keys(here, finished) == [] and came_late(here) == []
    here.session.commit()
    here = farm(WEIGHED + 120)
    lot = lot_of(here, finished)
    slips.add_test(here.session, lot, MilkTest(residue_found=True), now=here.now, house=here.house)
    here.session.commit()
    here = farm(WEIGHED + 121)
    assert keys(here, finished) == ["residue"]
    (late,) = came_late(here)
    assert [each.label for each in late.here] == [kept.label]
    assert [each.name for each in late.whom] == ["the inn"]
    wording = Wording()
    (label,) = labels.labels(here, [kept.id], wording, lambda *_: "", lambda kg: "")
    assert "RESIDUE" in label.cautions[0]
    kept = pieces.piece(here.session, here.dairy, kept.id)
    for way in ("sold", "eaten", "given"):
        with pytest.raises(NotPossible, match="residue was found"):
            leave(here, kept, way, why="a very good reason indeed")
    with pytest.raises(NotPossible, match="residue was found"):
        deed = TastingBegun(("maker",), word="a very good reason")
        piece.tell(here, [piece.Telling(piece_id=kept.id, deed=deed, id=uuid.uuid4())])
    with pytest.raises(OutOfRange, match="Write why"):
        leave(here, kept, "given", minutes=100)  # it has left: told as it was, with a word
    slip = lots.find(here, lot.id).tests[-1]
    noted.take_slip_back(here, lots.find(here, lot.id), slip.id, "it was the slip of another can")
    assert keys(here, finished) == [] and came_late(here) == []
    leave(here, kept, "sold", why="wanted young by the inn")


@pytest.mark.parametrize("fact", list(noted.WORDS))
def test_what_is_told_of_a_lot_later_is_on_its_cheese_until_it_is_taken_back(farm, finished, fact):
    here = farm(WEIGHED + 60)
    lot = lot_of(here, finished)
    noted.note(here, lot, fact, is_so=True, why="", deed_id=uuid.uuid4())
    assert len(keys(here, finished)) == 1 and len(came_late(here)) == 1
    with pytest.raises(NotPossible if fact != "off_smell" else OutOfRange):
        leave(here, pieces.of_make(here.session, make_of(here, finished))[0], "sold")
    noted.note(here, lot, fact, is_so=False, why="it was another can", deed_id=uuid.uuid4())
    assert keys(here, finished) == [] and len(noted.noted(here, lot)) == 2


def test_whey_and_its_cheese_have_what_their_milk_has_even_when_it_comes_late(farm):
    key = begun(farm, "larder-block")
    say(farm, key, 120.0, WheyKept(10.0))
    here = farm(130)
    noted.note(here, lot_of(here, key), "withdrawal", is_so=True, why="", deed_id=uuid.uuid4())
    here.session.commit()
    here = farm(131)
    whey = next(each for each in here.waiting if each.kind == "whey")
    fitness = lots.pail(here, whey).fitness
    assert fitness.verdict == "not for cheese" and fitness.reasons[0].hard
    assert "withdrawal" in fitness.reasons[0].words


MARKS = st.builds(
    Mark,
    key=st.sampled_from(MARK_KEYS),
    words=st.sampled_from(("a", "b")),
    of=st.sampled_from(("x", "y")),
)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.lists(MARKS, max_size=4), max_size=4), st.randoms())
def test_marks_are_only_ever_joined_in_whatever_order(parts, random):
    every = joined(*parts)
    assert {(m.key, m.of, m.words) for m in every} == {
        (m.key, m.of, m.words) for part in parts for m in part
    }
    turned = [list(part) for part in parts]
    random.shuffle(turned)
    assert joined(*turned) == every == joined(every, *parts)
