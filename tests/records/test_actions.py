"""The operations over the records, on PostgreSQL."""

from datetime import timedelta

import pytest
from sqlalchemy import select

from openpail.craft.errors import NotHere, NotPossible, OutOfRange, RecordError
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.units import parse_amount
from openpail.formats import recipe_file
from openpail.records.dairy import actions as dairies
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.actions import NewMilk
from openpail.records.people import actions as people
from openpail.records.recipes import actions as recipes
from openpail.records.session import sessions
from tests.conftest import NOW
from tests.support import HOUSE, RECIPES


@pytest.fixture
def dairy(session):
    return dairies.found(session, "Wrenfold Steading", "Europe/Dublin", NOW)


@pytest.fixture
def farm(demo_url):
    with sessions(demo_url)() as session:
        yield session, session.scalar(select(dairies.Dairy))


def goat(amount="21.5 L", **more):
    return NewMilk(
        name="Goats",
        breed="goat",
        treatment="raw",
        amount=parse_amount(amount, "volume"),
        collected_at=NOW,
        celsius=20.0,
        **more,
    )


def test_a_lot_keeps_what_was_typed_and_weighs_by_its_test(session, dairy):
    lot = milk.take_in(session, dairy, goat(), now=NOW, house=HOUSE)
    assert (lot.typed, lot.typed_unit, lot.volume_l, lot.number) == ("21.5 L", "L", 21.5, 1)
    untested = lot.mass_kg
    slips.add_test(
        session,
        lot,
        MilkTest(fat_pct=6.5, protein_pct=3.3, protein_kind="true"),
        now=NOW,
        house=HOUSE,
    )
    assert lot.mass_kg < untested  # fat is lighter
    assert slips.slip_of(lot).fat_pct == 6.5
    slips.add_test(session, lot, MilkTest(ph=6.58), now=NOW + timedelta(hours=1), house=HOUSE)
    slip = slips.slip_of(lot)
    assert (slip.fat_pct, slip.ph, slip.protein_kind) == (6.5, 6.58, "true")


def test_milk_from_the_future_and_slips_no_milk_has_are_refused(session, dairy):
    with pytest.raises(RecordError, match="not been milked yet"):
        later = NewMilk(
            name="x",
            breed="goat",
            treatment="raw",
            amount=parse_amount("3 L", "volume"),
            collected_at=NOW + timedelta(hours=1),
        )
        milk.take_in(session, dairy, later, now=NOW, house=HOUSE)
    with pytest.raises(OutOfRange, match="Fat 75"):
        milk.take_in(session, dairy, goat(), now=NOW, house=HOUSE, test=MilkTest(fat_pct=75))
    assert milk.waiting(session, dairy) == []


def test_one_dairys_rows_are_not_found_from_another(session, dairy):
    lot = milk.take_in(session, dairy, goat(), now=NOW, house=HOUSE)
    other = dairies.found(session, "Tarrowdale", "Europe/Dublin", NOW)
    with pytest.raises(NotHere):
        milk.lot(session, other, lot.id)
    assert milk.take_in(session, other, goat(), now=NOW, house=HOUSE).number == 1


def test_a_vat_holds_one_make_and_no_more_than_its_head_room(farm):
    session, dairy = farm
    running = makes.under_way(session, dairy)[0]
    kettle = dairies.vat(session, dairy, running.vat_id)
    version = recipes.newest_of(session, dairy, "bench-curd")
    lot = milk.take_in(session, dairy, goat("9 L"), now=NOW, house=HOUSE)
    sheet = makes.sheet_of(running)
    with pytest.raises(RecordError, match="in use"):
        makes.start(
            session,
            dairy,
            version,
            vat=kettle,
            draws=[milk.all_of(lot)],
            sheet=sheet,
            house=HOUSE,
            now=NOW,
        )
    big = milk.take_in(session, dairy, goat("13 L"), now=NOW, house=HOUSE)
    pot = dairies.vats(session, dairy)[0]
    with pytest.raises(NotPossible, match="with head room it takes 11.9 L"):
        makes.start(
            session,
            dairy,
            version,
            vat=pot,
            draws=[milk.all_of(big)],
            sheet=sheet,
            house=HOUSE,
            now=NOW,
        )
    assert big.left_kg == big.mass_kg


def test_a_house_value_is_overruled_by_rows_and_comes_back(session, dairy):
    dairies.overrule(
        session, dairy, "rennet.minutes", value=15.0, now=NOW, why="always slower here"
    )
    assert dairies.house_of(session, dairy).number("rennet.minutes") == 15.0
    dairies.overrule(session, dairy, "rennet.minutes", value=14.0, now=NOW + timedelta(days=1))
    assert dairies.house_of(session, dairy).number("rennet.minutes") == 14.0
    dairies.end_override(session, dairy, "rennet.minutes", NOW + timedelta(days=2))
    assert dairies.house_of(session, dairy).number("rennet.minutes") == 19.0
    with pytest.raises(OutOfRange):
        dairies.overrule(session, dairy, "rennet.minutes", value=99.0, now=NOW)


def test_a_recipe_changed_is_a_new_version_and_unchanged_is_none(session, dairy):
    recipe = RECIPES["bench-curd"]
    document = recipe_file.write(recipe)
    first = recipes.keep(
        session, dairy, recipe, document=document, checksum=recipe_file.checksum(document), now=NOW
    )
    again = recipes.keep(
        session, dairy, recipe, document=document, checksum=recipe_file.checksum(document), now=NOW
    )
    document["recipe"]["words"] = "softer"
    next_one = recipes.keep(
        session, dairy, recipe, document=document, checksum=recipe_file.checksum(document), now=NOW
    )
    assert (first.id, next_one.number) == (again.id, 2)


def test_wrong_passwords_are_counted_and_time_forgives(session, dairy):
    people.add_person(
        session, dairy, "Maker", name="maker", password="a long password", role="maker", now=NOW
    )
    assert people.sign_in(session, "maker ", "a long password", "10.0.0.1", NOW)
    for _ in range(people.MOST_TRIES):
        assert people.sign_in(session, "maker", "wrong", "10.0.0.1", NOW) is None
    with pytest.raises(RecordError, match="Too many"):
        people.sign_in(session, "maker", "a long password", "10.0.0.1", NOW)
    assert people.sign_in(session, "maker", "a long password", "10.0.0.2", NOW)
    later = NOW + people.WINDOW + timedelta(seconds=1)
    assert people.sign_in(session, "maker", "a long password", "10.0.0.1", later)
    for number in range(people.MOST_OF_AN_ADDRESS):
        people.sign_in(session, f"guess {number}", "wrong", "10.0.0.3", later)
    with pytest.raises(RecordError, match="Too many"):
        people.sign_in(session, "maker", "a long password", "10.0.0.3", later)


def test_the_set_up_token_works_once_and_only_before_the_first_dairy(session):
    token = people.new_setup_token(session, NOW)
    with pytest.raises(RecordError, match="not the token"):
        people.use_setup_token(session, "guess", NOW)
    people.use_setup_token(session, token, NOW)
    with pytest.raises(RecordError, match="not the token"):
        people.use_setup_token(session, token, NOW)
    dairies.found(session, "Wrenfold Steading", "Europe/Dublin", NOW)
    assert people.new_setup_token(session, NOW) is None
    with pytest.raises(RecordError, match="not a time zone"):
        dairies.found(session, "x", "Mars/Base", NOW)
