"""What comes out late of milk reaches all that was made of it; taken back, it goes everywhere."""

import uuid
from dataclasses import dataclass, field
from datetime import timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from openpail.craft.cave.deeds import Out, TastingBegun
from openpail.craft.cave.label import allergens
from openpail.craft.errors import NotPossible, OutOfRange, RecordError
from openpail.craft.make.deeds import ReadingTaken, StepDone, Weighed, WheyKept
from openpail.craft.marks import MARK_KEYS, Mark, joined
from openpail.craft.milk.kinds import MilkTest, species_of
from openpail.records.inherited import FLAGS, animals
from openpail.records.makes import actions as makes
from openpail.records.makes.models import MakeMilk
from openpail.records.milk import slips
from openpail.records.milk.models import Heating, LotPart
from openpail.records.pieces import actions as pieces
from openpail.work.cave import piece
from openpail.work.logbook.came_late import came_late
from openpail.work.make import marks
from openpail.work.make.made import recipe_of
from openpail.work.make.matter import matter_of
from openpail.work.milk import lots, noted
from openpail.work.sheet import sheet as sheets
from openpail.work.table import labels
from openpail.work.table.labels import Wording
from tests.support.makes import begun, say

WEIGHED = 24 * 60.0
BREEDS = ("goat", "sheep", "cow_lowland", "buffalo")


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
    lot.name = f"make {make_of(here, finished).number}"  # a name hides nothing
    noted.note(here, lot, fact, is_so=True, why="", deed_id=uuid.uuid4())
    assert len(keys(here, finished)) == 1 and len(came_late(here)) == 1
    with pytest.raises(NotPossible if fact != "off_smell" else OutOfRange):
        leave(here, pieces.of_make(here.session, make_of(here, finished))[0], "sold")
    noted.note(here, lot, fact, is_so=False, why="it was another can", deed_id=uuid.uuid4())
    assert keys(here, finished) == [] and len(noted.noted(here, lot)) == 2


def mixed(farm):
    """A make of cow's and goat's milk that stand free on the shelf."""
    here = farm()
    free = {species_of(lot.breed): lot for lot in here.free if lot.kind == "milk"}
    lots_in = tuple(free[animal].id for animal in ("cow", "goat"))
    vat = here.free_vats[-1]
    asked = sheets.ask(here, lots=lots_in, recipe_key="larder-block", vat_id=vat.id)
    make = sheets.start(here, asked, "to try its whey")
    here.session.commit()
    return make.id


def whey_at(farm, make, minutes):
    here = farm(minutes)
    here.session.expire_all()
    return here, next(e for e in here.waiting if e.kind == "whey" and e.make_id == make)


def test_whey_has_the_animals_the_acid_and_the_marks_of_its_make_and_so_its_cheese(farm):
    make = mixed(farm)
    say(farm, make, 100.0, ReadingTaken(celsius=36.0, ph=6.35))
    say(farm, make, 120.0, WheyKept(10.0))
    here, whey = whey_at(farm, make, 130)
    pour = lots.pour(here, whey)
    assert set(pour.animals) == {"cow", "goat"} and sum(pour.animals.values()) == pytest.approx(1)
    assert lots.pail(here, whey).fitness.verdict == "fit" and whey.celsius == 36.0
    vat = here.free_vats[-1]
    asked = sheets.ask(here, lots=(whey.id,), recipe_key="second-pot", vat_id=vat.id)
    said = next(c for c in sheets.work_out(here, asked).cautions if c.key == "allergens")
    assert "milk (cow, goat)" in said.words.casefold()
    second = sheets.start(here, asked, "to try its cheese")
    here.session.commit()
    matter = matter_of(here, second, raw=False)
    assert allergens(matter).startswith("milk (cow, goat)")
    fact = {"is_so": True, "why": "", "deed_id": uuid.uuid4()}
    noted.note(here, lot_of(here, make), "withdrawal", **fact)
    assert keys(here, make) == keys(here, second.id) == ["withdrawal"]


@pytest.mark.parametrize(
    ("ph", "verdict", "words"),
    [(6.1, "fit", ""), (5.8, "fit with a caution", "grittier"), (5.4, "not for cheese", "sandy")],
)
def test_whey_is_judged_as_whey_by_the_acid_of_its_vat(farm, ph, verdict, words):
    make = mixed(farm)
    say(farm, make, 100.0, ReadingTaken(ph=ph))
    say(farm, make, 120.0, WheyKept(12.0))
    here, whey = whey_at(farm, make, 130)
    fitness = lots.pail(here, whey).fitness
    assert fitness.verdict == verdict and words in " ".join(e.words for e in fitness.reasons)
    assert "soured" not in " ".join(e.words for e in fitness.reasons)


def test_whey_lasts_four_hours_warm_and_a_day_cold_and_no_start_is_offered_after(farm):
    make = mixed(farm)
    say(farm, make, 120.0, WheyKept(12.0))
    here, whey = whey_at(farm, make, 120 + 230)
    assert lots.pail(here, whey).fitness.verdict == "fit"
    asked = sheets.ask(here, lots=(whey.id,), recipe_key="second-pot", vat_id=here.free_vats[-1].id)
    worked = sheets.work_out(here, asked)
    over = here.now + timedelta(minutes=10)
    starts = sheets.when(here, worked, asked.vat, None).starts
    assert all(until <= over + timedelta(minutes=1) for _, until in starts)
    late, whey = whey_at(farm, make, 120 + 250)
    assert lots.pail(late, whey).fitness.verdict == "not for cheese"
    with pytest.raises(RecordError, match="the cold does not mend that"):
        noted.cooled(late, whey, uuid.uuid4())
    soon, whey = whey_at(farm, make, 120 + 60)
    noted.cooled(soon, whey, uuid.uuid4())
    soon.session.commit()
    for hours, verdict in ((23, "fit"), (25, "not for cheese")):
        here, whey = whey_at(farm, make, 120 + 60 * hours)
        assert lots.pail(here, whey).fitness.verdict == verdict


def test_a_stop_of_a_make_under_way_reaches_its_whey_and_what_was_made_of_it(farm):
    make = begun(farm, "larder-block")
    steps = [StepDone(step=e.key, word="as it was") for e in recipe_of(make_of(farm(), make)).steps]
    say(farm, make, 20.0, *steps[:4])
    say(farm, make, 60.0, WheyKept(10.0))
    here, whey = whey_at(farm, make, 61)
    noted.cooled(here, whey, uuid.uuid4())
    here.session.commit()
    asked = sheets.ask(here, lots=(whey.id,), recipe_key="second-pot", vat_id=here.free_vats[-1].id)
    second = sheets.start(here, asked, "while it was sweet").id
    here.session.commit()
    assert keys(farm(62), second) == []
    say(farm, make, 10 * 60.0, ReadingTaken(celsius=30.0, ph=6.4))
    here = farm(10 * 60 + 1)
    assert keys(here, make) == keys(here, second) == ["slow-acid"]


def test_whey_and_its_cheese_have_what_their_milk_has_even_when_it_comes_late(farm):
    key = begun(farm, "larder-block")
    say(farm, key, 120.0, WheyKept(10.0))
    here = farm(130)
    noted.note(here, lot_of(here, key), "withdrawal", is_so=True, why="", deed_id=uuid.uuid4())
    here.session.commit()
    here, whey = whey_at(farm, key, 131)
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


@dataclass
class Went:
    """What was built, told in Python: of each lot and make, what it came of."""

    of_lot: dict = field(default_factory=dict)
    of_make: dict = field(default_factory=dict)
    flags: dict = field(default_factory=dict)
    own: dict = field(default_factory=dict)
    breed: dict = field(default_factory=dict)
    poured: dict = field(default_factory=dict)

    def marks(self, make, seen=()):
        """All that stays on a make, by walking back from it by hand."""
        found = {(key, f"make {make}") for key in self.own[make]}
        todo, done = [(lot, self.poured[make]) for lot in self.of_make[make]], set()
        while todo:
            lot, until = todo.pop()
            if (lot, until) in done:
                continue
            done.add((lot, until))
            found |= {(FLAGS[flag], lot) for flag in self.flags[lot]}
            for sort, of, at in self.of_lot[lot]:
                if sort == "lot" or (sort == "pot" and at <= until):
                    todo.append((of, at))
                elif sort == "make" and of not in seen:
                    found |= {e for e in self.marks(of, (*seen, make)) if e[0] != "raw-soft"}
        return found

    def animals(self, make):
        """The animals of a make by their share, by hand: whey is the milk that it ran off."""
        found = {}
        for lot in self.of_make[make]:
            of = [of for sort, of, _ in self.of_lot[lot] if sort == "make"]
            each = self.animals(of[0]) if of else {species_of(self.breed[lot]): 1.0}
            for name, share in each.items():
                found[name] = found.get(name, 0.0) + share / len(self.of_make[make])
        return found


class Built:
    """Milk that is poured, skimmed, heated and run off, straight into the tables."""

    def __init__(self, here):
        self.here, self.went = here, Went()
        self.lot = here.waiting[0]
        self.make = makes.all_makes(here.session, here.dairy, 1, 0)[0]
        self.lots, self.made, self.at = [], [], here.now

    def next(self):
        """What is done next is done a minute later."""
        self.at += timedelta(minutes=1)
        return self.at

    def copy(self, row, **other):
        values = {c.key: getattr(row, c.key) for c in type(row).__table__.columns}
        new = type(row)(**{**values, "id": uuid.uuid4(), **other})
        self.here.session.add(new)
        return new

    def milk(self, flags, **other):
        name, breed = f"L{len(self.lots)}", BREEDS[len(self.lots) % len(BREEDS)]
        self.went.breed[name] = breed
        plain = dict.fromkeys(FLAGS, False) | dict.fromkeys(flags, True)
        lot = self.copy(
            self.lot,
            name=name,
            breed=breed,
            number=9000 + len(self.lots),
            holding="cold",
            treatment="raw",
            heating_id=None,
            heated_at=None,
            best_before=None,
            collected_at=self.here.now,
            created_at=self.here.now,
            **{"kind": "milk", "make_id": None, **plain, **other},
        )
        self.lots.append(lot)
        self.went.of_lot[name], self.went.flags[name] = [], set(flags)
        self.here.session.flush()
        return lot

    def cream(self, of):
        lot, at = self.milk((), kind="cream"), self.next()
        self.add(LotPart, lot_id=lot.id, of_lot_id=of.id, mass_kg=1.0, at=at)
        self.went.of_lot[lot.name].append(("lot", of.name, at))

    def heat(self, these):
        vat, at = self.here.vats[0], self.next()
        row = self.add(
            Heating,
            vat_id=vat.id,
            unit="C",
            fat_pct=4.0,
            solids_pct=12.0,
            solids_measured=True,
            thermometer_checked=True,
            started_at=at,
            ended_at=at,
        )
        for lot in these:
            lot.heating_id = row.id
            self.went.of_lot[lot.name] += [("pot", o.name, at) for o in these if o is not lot]
        self.here.session.flush()

    def vat(self, these, own):
        number, at = 9000 + len(self.made), self.next()
        kept = [{"key": key, "words": "x"} for key in own]
        make = self.copy(self.make, number=number, marks=kept, started_at=at)
        self.here.session.flush()
        for lot in these:
            self.add(MakeMilk, make_id=make.id, lot_id=lot.id, mass_kg=1.0, volume_l=1.0)
        self.made.append(make)
        self.went.poured[number] = at
        self.went.of_make[number], self.went.own[number] = [e.name for e in these], set(own)
        return make

    def whey(self, of):
        lot = self.milk((), kind="whey", make_id=of.id, made_of={})
        self.went.of_lot[lot.name].append(("make", of.number, self.next()))

    def add(self, table, **values):
        row = table(dairy_id=self.here.dairy.id, id=uuid.uuid4(), **values)
        self.here.session.add(row)
        self.here.session.flush()
        return row


@settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
@given(st.data())
def test_the_marks_of_a_make_are_those_of_all_that_went_into_it_none_less_none_more(farm, data):
    here = farm()
    with here.session.begin_nested() as undone:
        built = Built(here)
        some = st.sets(st.sampled_from(sorted(FLAGS)), max_size=2)
        for _ in range(data.draw(st.integers(1, 3))):
            built.milk(data.draw(some))
        for act in data.draw(
            st.lists(st.sampled_from(("cream", "heat", "vat", "whey")), max_size=7)
        ):
            these = data.draw(
                st.lists(st.sampled_from(built.lots), min_size=1, max_size=3, unique=True)
            )
            if act == "cream":
                built.cream(these[0])
            elif act == "heat":
                built.heat([each for each in these if each.heating_id is None])
            elif act == "vat":
                built.vat(these, data.draw(st.sets(st.sampled_from(("slow-acid", "raw-soft")))))
            elif built.made:
                built.whey(data.draw(st.sampled_from(built.made)))
        built.vat([data.draw(st.sampled_from(built.lots))], ())
        turned = data.draw(
            st.sampled_from(built.lots)
        )  # and told back, or told late, on one of them
        for flag in FLAGS:
            setattr(turned, flag, not getattr(turned, flag))
        built.went.flags[turned.name] ^= set(FLAGS)
        here.session.flush()
        here.worked.clear()
        for make in built.made:
            found = {(each.key, each.of) for each in marks.of_make(here, make.id)}
            assert found == built.went.marks(make.number)
            shares = animals(here.session, here.dairy.id, make.id)
            assert shares == pytest.approx(built.went.animals(make.number))
        undone.rollback()
    here.session.expire_all()
    here.forget()


@pytest.mark.parametrize("first", ["cream", "heat"])
def test_cream_has_the_marks_of_a_pot_that_its_milk_stood_in_before_it_was_skimmed(farm, first):
    here = farm()
    with here.session.begin_nested() as undone:
        built = Built(here)
        own, other = built.milk(()), built.milk({"withdrawal"})
        for act in sorted(("cream", "heat"), reverse=first == "heat"):
            if act == "cream":
                built.cream(own)
            else:
                built.heat([own, other])
        make = built.vat([each for each in built.lots if each.kind == "cream"], ())
        here.worked.clear()
        found = {each.of for each in marks.of_make(here, make.id)}
        assert found == ({other.name} if first == "heat" else set())
        undone.rollback()
    here.forget()
