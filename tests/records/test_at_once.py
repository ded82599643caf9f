"""Two hands at one time, and two dairies in one database."""

import threading
import uuid
from datetime import timedelta

import pytest
from sqlalchemy import func, select

from openpail.craft.cave.deeds import Out
from openpail.craft.errors import NotHere, NotPossible, RecordError
from openpail.craft.make.deeds import ReadingTaken, Told
from openpail.formats import recipe_file
from openpail.records.bench import actions as benches
from openpail.records.climate import actions as climate
from openpail.records.dairy import actions as dairies
from openpail.records.line import counts
from openpail.records.log import actions as log
from openpail.records.log.models import DeedRow
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import MilkLot
from openpail.records.pieces import actions as pieces
from openpail.records.recipes import actions as recipes
from openpail.records.session import sessions
from openpail.records.stock import actions as stock
from openpail.work.cave import shelves as cave
from openpail.work.cave.piece import Telling
from openpail.work.cave.piece import tell as told
from openpail.work.here import Here
from openpail.work.make.log import tell
from tests.conftest import NOW
from tests.support import HOUSE


def at_once(work, count=6):
    """Run the same work in several threads; the results, or the first error."""
    results, errors = [], []
    barrier = threading.Barrier(count)

    def one():
        try:
            barrier.wait()
            results.append(work())
        except Exception as error:
            errors.append(error)

    threads = [threading.Thread(target=one) for _ in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    if errors:
        raise errors[0]
    return results


def test_two_hands_never_get_the_same_number(demo_url):
    def take():
        with sessions(demo_url).begin() as session:
            dairy = session.scalar(select(dairies.Dairy))
            return dairies.next_number(session, dairy, "lot")

    numbers = at_once(take)
    assert len(set(numbers)) == len(numbers)


def test_a_deed_delivered_by_six_hands_at_once_is_kept_once(demo_url):
    told = Told(id=str(uuid.uuid4()), deed=ReadingTaken(celsius=31.5), happened=NOW)

    def deliver():
        with sessions(demo_url).begin() as session:
            dairy = session.scalar(select(dairies.Dairy))
            make = makes.under_way(session, dairy)[0]
            return tell(Here(session, dairy, NOW), make.id, [told])[0].outcome

    assert sorted(at_once(deliver)) == ["kept", *["repeat"] * 5]
    with sessions(demo_url)() as session:
        kept = select(func.count()).select_from(DeedRow).where(DeedRow.id == uuid.UUID(told.id))
        assert session.scalar(kept) == 1


def test_six_hands_taking_from_one_pail_never_take_more_than_it_holds(demo_url):
    def take():
        with sessions(demo_url).begin() as session:
            dairy = session.scalar(select(dairies.Dairy))
            lot = next(x for x in milk.waiting(session, dairy) if x.name.startswith("House cows"))
            try:
                milk.send_elsewhere(session, lot, "fed", litres=4.0, now=NOW)
            except NotPossible:
                return False
            return True

    assert sorted(at_once(take)) == [False] * 2 + [True] * 4  # 19 L is four times 4 L
    with sessions(demo_url)() as session:
        lot = session.scalar(select(MilkLot).where(MilkLot.name.startswith("House cows")))
        assert sum(use.mass_kg for use in lot.uses) + lot.left_kg == pytest.approx(lot.mass_kg)


def test_two_hands_at_one_vat_stand_at_one_bench(demo_url):
    def begin():
        with sessions(demo_url).begin() as session:
            dairy = session.scalar(select(dairies.Dairy))
            pot = dairies.vats(session, dairy)[0]
            return benches.bench_of(session, dairy, pot, NOW).id

    assert len(set(at_once(begin))) == 1


def test_one_bench_starts_one_make(demo_url):
    with sessions(demo_url).begin() as session:
        dairy = session.scalar(select(dairies.Dairy))
        bench = benches.open_benches(session, dairy)[0]
        lots = {lot.id: lot for lot in milk.waiting(session, dairy)}
        real = {part.id: part.litres for part in bench.pours}
        benches.pour_really(session, bench, real, lots, NOW)
        sheet = makes.sheet_of(makes.under_way(session, dairy)[0])

    def start():
        with sessions(demo_url).begin() as session:
            dairy = session.scalar(select(dairies.Dairy))
            try:
                bench = benches.open_benches(session, dairy)[0]
                vat = dairies.vat(session, dairy, bench.vat_id)
                known = slips.known(session, dairy, NOW, HOUSE)
                draws = benches.standing(session, dairy, bench.pours, known).draws
                version = recipes.newest_of(session, dairy, "steading-wheel")
                makes.start(
                    session,
                    dairy,
                    version,
                    vat=vat,
                    draws=draws,
                    sheet=sheet,
                    house=HOUSE,
                    now=NOW,
                    bench=bench,
                )
            except (NotPossible, RecordError, IndexError):
                session.rollback()
                return False
            return True

    assert sorted(at_once(start, 3)) == [False, False, True]


@pytest.fixture
def two_dairies(demo_url):
    with sessions(demo_url)() as session:
        mine = session.scalar(select(dairies.Dairy))
        other = dairies.found(session, "Tarrowdale", "Europe/Dublin", NOW)
        yield session, mine, other


def test_nothing_of_one_dairy_is_reached_from_another(two_dairies):
    session, mine, other = two_dairies
    make = makes.under_way(session, mine)[0]
    piece = pieces.live(session, mine)[0]
    lot, bottle = milk.waiting(session, mine)[0], stock.bottles(session, mine)[0]
    vat = dairies.vats(session, mine)[0]
    for reach in (
        lambda: makes.make(session, other, make.id),
        lambda: pieces.piece(session, other, piece.id),
        lambda: cave.care_done(
            Here(session, other, NOW), [piece.id], "cave", key="turn", batch=uuid.uuid4()
        ),
        lambda: tell(Here(session, other, NOW), make.id, []),
        lambda: told(
            Here(session, other, NOW),
            [Telling(piece_id=piece.id, deed=Out(where="eaten"), id=uuid.uuid4())],
        ),
        lambda: milk.lot(session, other, lot.id),
        lambda: dairies.vat(session, other, vat.id),
        lambda: stock.end_bottle(session, other, bottle.id, NOW),
        lambda: recipes.newest_of(session, other, "larder-block"),
        lambda: slips.herd(session, other, slips.herds(session, mine)[0].id),
        lambda: benches.bench(session, other, benches.open_benches(session, mine)[0].id),
        lambda: benches.take_mix(session, other, None, uuid.uuid4(), None),
    ):
        with pytest.raises(NotHere):
            reach()
    for empty in (
        makes.all_makes(session, other),
        makes.under_way(session, other),
        pieces.live(session, other),
        climate.last(session, other),
        pieces.weighed_kg(session, other, [make.id]),
        makes.flocks_seen(session, other),
        makes.vats_and_warmings(session, other)[0],
        log.rows(session, other.id, make.id),
        counts(session, other)[2],
        milk.waiting(session, other),
        dairies.vats(session, other),
        stock.bottles(session, other),
        stock.lots(session, other, NOW, today=NOW.date(), house=HOUSE),
        recipes.newest_versions(session, other),
        slips.herds(session, other),
        slips.dated_tests(session, other),
        slips.all_slips(session, other),
        milk.all_lots(session, other),
        milk.lots_by_id(session, other, [lot.id]),
        milk.tasks(session, other, NOW.date() + timedelta(days=90)),
        benches.open_benches(session, other),
        benches.mixes(session, other),
        dairies.own_measures(session, other),
    ):
        assert not empty
    assert counts(session, other)[:2] == (0, 0)
    assert counts(session, mine)[1] == 35


def test_a_house_value_of_one_dairy_is_not_the_others(two_dairies):
    session, mine, other = two_dairies
    dairies.overrule(session, mine, "rennet.minutes", value=15.0, now=NOW)
    assert dairies.house_of(session, mine).number("rennet.minutes") == 15
    assert dairies.house_of(session, other).number("rennet.minutes") == 19


def test_milk_in_a_make_adds_up_with_what_is_left(demo_url):
    with sessions(demo_url)() as session:
        dairy = session.scalar(select(dairies.Dairy))
        for make in makes.all_makes(session, dairy):
            for part in makes.milk_of(session, make):
                lot = milk.lot(session, dairy, part.lot_id)
                went = sum(use.mass_kg for use in lot.uses)
                assert part.mass_kg + went + lot.left_kg == pytest.approx(lot.mass_kg)
                assert part.mass_kg == pytest.approx(make.milk_kg, rel=1e-6)


def test_a_draft_kept_by_six_hands_at_once_is_one_version(demo_url):
    with sessions(demo_url).begin() as session:
        dairy = session.scalar(select(dairies.Dairy))
        version = recipes.newest_of(session, dairy, "bench-curd")
        draft = recipes.begin_draft(session, dairy, {"name": ["x"]}, now=NOW, version=version).id
        document = {**version.document, "recipe": {**version.document["recipe"], "words": "New."}}

    def keep():
        with sessions(demo_url).begin() as session:
            dairy = session.scalar(select(dairies.Dairy))
            try:
                mine = recipes.draft(session, dairy, draft, to_change=True)
            except NotHere:
                return None
            recipe, checksum = recipe_file.read(document), recipe_file.checksum(document)
            return recipes.keep_draft(
                session,
                dairy,
                mine,
                recipe=recipe,
                document=document,
                checksum=checksum,
                now=NOW,
                why="once",
                person_id=None,
            ).number

    assert sorted(at_once(keep), key=str) == [2, None, None, None, None, None]
    with sessions(demo_url)() as session:
        dairy = session.scalar(select(dairies.Dairy))
        assert len(recipes.versions_of(session, dairy, "bench-curd")) == 2
        assert recipes.drafts(session, dairy) == []
