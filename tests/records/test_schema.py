"""Migrations: up from nothing, one step back, up again, and no drift from the models."""

import gzip
import uuid
from datetime import date, timedelta
from pathlib import Path

import pytest
from alembic import command
from sqlalchemy import create_engine, func, inspect, select, text

from openpail.craft.make.deeds import StepDone, Told
from openpail.demo.moved import fold_anew, shift
from openpail.records.base import OfDairy
from openpail.records.bench.models import Bench, KeptMix
from openpail.records.climate.models import AirReading
from openpail.records.dairy import gear as gears
from openpail.records.dairy.models import Dairy
from openpail.records.log.models import DeedRow
from openpail.records.makes.models import FlocksLesson, Make, WarmingLesson
from openpail.records.milk import actions as milk
from openpail.records.milk.models import MilkLot
from openpail.records.people import actions as people
from openpail.records.pieces.models import Piece, PieceOut
from openpail.records.plans import actions as plans
from openpail.records.plans.models import PlannedMake
from openpail.records.schema import METADATA, alembic_config, migrate
from openpail.records.session import sessions
from openpail.web.app import create_app
from openpail.web.config import Config
from openpail.work.here import Here
from openpail.work.make.log import tell
from tests.conftest import NOW, SECRET, token_in


def tables(url):
    engine = create_engine(url)
    names = set(inspect(engine).get_table_names()) - {"alembic_version"}
    engine.dispose()
    return names


def test_migrations_go_up_five_back_and_up_again_without_drift(database_url):
    assert tables(database_url) == set(METADATA.tables)
    command.check(alembic_config(database_url))
    command.downgrade(alembic_config(database_url), "-7")
    later = {"signed_in", "backup_made"}
    assert set(METADATA.tables) - tables(database_url) == later
    migrate(database_url)
    assert tables(database_url) == set(METADATA.tables)


def test_what_flocks_taught_is_carried_over_to_the_later_base(demo_url):
    def expected():
        engine = create_engine(demo_url)
        with engine.begin() as there:
            rows = there.exec_driver_sql("select id, expected_min from flocks_lesson order by id")
            found = dict(map(tuple, rows))
        engine.dispose()
        return found

    now = expected()
    command.downgrade(alembic_config(demo_url), "0022")
    before = expected()
    assert before and all(now[key] / before[key] == pytest.approx(19 / 13) for key in before)
    migrate(demo_url)
    assert expected() == pytest.approx(now)


def test_a_dairys_milk_of_before_comes_through_with_all_its_kilograms(database_url):
    config = alembic_config(database_url)
    command.downgrade(config, "0001")
    engine = create_engine(database_url)
    with engine.begin() as old:
        old.exec_driver_sql(
            "insert into dairy (id, name, zone, volume_system, mass_system, degrees, quiet_from, "
            "quiet_until, ways, created_at) values ('10000000-0000-4000-8000-000000000000', 'Hill',"
            " 'Europe/Dublin', 'metric', 'metric', 'C', '22:30', '06:30', '{}', now())"
        )
        for i, (left, frozen) in enumerate(((20.0, "false"), (0.0, "true")), start=1):
            old.exec_driver_sql(
                "insert into milk_lot (dairy_id, id, number, name, breed, treatment, homogenised, "
                "frozen, bought, typed, typed_unit, volume_l, mass_kg, left_kg, collected_at, "
                "holding, off_smell, colostrum_or_sick, withdrawal, created_at) values "
                "('10000000-0000-4000-8000-000000000000', gen_random_uuid(), "
                f"{i}, 'Goats', 'goat', 'raw', false, {frozen}, false, '20 L', 'L', 20, 20.6, "
                f"{left}, now(), 'cold', false, false, false, now())"
            )
    engine.dispose()
    migrate(database_url)
    with sessions(database_url)() as session:
        whole, gone = session.scalars(select(MilkLot).order_by(MilkLot.number))
        assert [use.mass_kg for use in whole.uses] == [pytest.approx(0.6)]
        assert gone.uses[0].mass_kg == pytest.approx(20.6) and gone.thawed_at == gone.collected_at
        assert whole.kind == "milk" and whole.thawed_at is None


def test_days_that_nobody_means_and_values_twice_in_force_are_mended_on_the_way(demo_url):
    engine = create_engine(demo_url)
    command.downgrade(alembic_config(demo_url), "0008")
    with engine.begin() as old:
        old.execute(text("update milk_lot set best_before = '9999-12-31'"))
        old.execute(text("update planned_make set day = '0001-01-01'"))
        twice = """insert into house_override (dairy_id, id, key, value, why, at)
            select id, gen_random_uuid(), 'milk.thaw_days', n, '', now() + n * interval '1 h'
            from dairy, generate_series(1, 3) n"""
        old.execute(text(twice))
    migrate(demo_url)
    with engine.begin() as new:
        far = "select count(*) from milk_lot where best_before is not null"
        assert new.scalar(text(far)) == new.scalar(text("select count(*) from planned_make")) == 0
        assert new.scalars(text("select value from house_override where until is null")).all() == [
            3
        ]
    engine.dispose()


def test_every_row_of_a_dairy_carries_it_in_key_and_foreign_keys():
    for mapper in Dairy.registry.mappers:
        if issubclass(mapper.class_, OfDairy):
            table = mapper.local_table
            assert next(column.name for column in table.primary_key) == "dairy_id"
            for key in table.foreign_key_constraints:
                assert "dairy_id" in key.column_keys


def test_the_demo_moves_by_whole_days(demo_url):
    with sessions(demo_url)() as session:
        query = select(Make.started_at).order_by(Make.number)
        before = session.scalars(query).all()
        resting = select(Piece).order_by(Piece.label)
        lain = [row.course["lain"][-1][2] for row in session.scalars(resting)]
        read = session.scalar(select(func.max(AirReading.at)))
        shift(session, 12)
        fold_anew(session, session.scalar(select(Dairy)), NOW + timedelta(days=12), 12)
        after = session.scalars(query).all()
        now = [row.course["lain"][-1][2] for row in session.scalars(resting)]
        assert session.scalar(select(func.max(AirReading.at))) - read == timedelta(days=12)
    assert {(b - a).days for a, b in zip(before, after, strict=True)} == {12}
    moved = [date.fromisoformat(b) - date.fromisoformat(a) for a, b in zip(lain, now, strict=True)]
    assert set(moved) == {timedelta(days=12)}


def test_a_make_planned_before_comes_through_with_its_milk(demo_url):
    with sessions(demo_url)() as session:
        lots = session.scalars(select(PlannedMake)).one().lots
    command.downgrade(alembic_config(demo_url), "0005")
    engine = create_engine(demo_url)
    with engine.connect() as old:
        kept = old.exec_driver_sql("select lots from planned_make").scalar()
        assert kept == [str(lot) for lot in lots]
    engine.dispose()
    migrate(demo_url)
    with sessions(demo_url)() as session:
        row = session.scalars(select(PlannedMake)).one()
        assert row.lots == lots == dict.fromkeys(lots)
        assert (row.gear, row.ready, row.make_id, row.moved_from) == ([], {}, None, None)


@pytest.fixture
def dairy_of_before(database_url):
    """A small dairy as the tables of 0006 held it, with something in each of them."""
    command.downgrade(alembic_config(database_url), "0006")
    rows = gzip.decompress((Path(__file__).parent / "dairy_of_0006.sql.gz").read_bytes()).decode()
    engine = create_engine(database_url)
    with engine.begin() as old:
        old.exec_driver_sql("set session_replication_role = replica")  # in any order
        for line in rows.splitlines():
            old.exec_driver_sql(line.replace("%", "%%"))
        old.exec_driver_sql("set session_replication_role = origin")
        events = old.exec_driver_sql("select id, kind, payload, amends from make_event").all()
        plan = old.exec_driver_sql(
            "select lots, given from planned_make where given->>'press' <> ''"
        ).one()
    engine.dispose()
    migrate(database_url)
    return database_url, events, plan


def test_a_dairy_of_before_comes_through_without_loss(dairy_of_before):
    url, events, (lots, given) = dairy_of_before
    with sessions(url).begin() as session:
        dairy = session.scalar(select(Dairy))
        deeds = {row.id: row for row in session.scalars(select(DeedRow))}
        outs = {row.id for row in session.scalars(select(PieceOut))}
        assert set(deeds) == {row.id for row in events} | outs
        assert all(deeds[row.id].amends == row.amends for row in events)
        flocks = [e for e in events if e.kind == "flocks" and e.payload]
        warmed = [e for e in events if "warmed" in e.payload]
        assert len(session.scalars(select(FlocksLesson)).all()) == len(flocks) > 0
        found = session.execute(select(WarmingLesson.to_c, WarmingLesson.minutes)).all()
        assert sorted(tuple(row) for row in found) == sorted(
            (e.payload["warmed"]["to_c"], e.payload["warmed"]["minutes"]) for e in warmed
        )
        row = session.scalar(select(PlannedMake).where(PlannedMake.parts.any(litres=4.5)))
        assert {str(lot): litres for lot, litres in row.lots.items()} == lots
        (mine,) = [p for p in plans.planned(session, dairy) if p.row.id == row.id]
        outfit = mine.given(gears.gear_of(session, dairy))
        assert outfit.name(outfit.press) == given["press"]
        assert [outfit.name(each) for each in outfit.moulds] == given["moulds"]
        bench = session.scalar(select(Bench).where(Bench.state == "poured"))
        assert [part.litres for part in bench.pours] == [8.6, -0.4]
        assert [part.litres for part in bench.planned] == [8, -0.5]
        assert session.scalar(select(KeptMix)).parts[0].litres == 8
        cream = session.scalar(select(MilkLot).where(MilkLot.name.startswith("Cream off")))
        assert milk.part_of(session, cream).name == "House cows, this morning"
        laid = session.scalars(select(Piece)).all()
        assert laid and all(each.course["lain"] and each.laid_at for each in laid)
        done = [each for each in laid if each.course.get("done")]
        assert done and all(
            date.fromisoformat(day) >= each.made_on
            for each in done
            for day, _ in each.course["done"].values()
        )
        gone = [each for each in laid if each.ended_at is not None]
        out = {row.piece_id: row.mass_kg for row in session.scalars(select(PieceOut))}
        assert out == {piece.id: piece.mass_kg for piece in gone}
        people.add_person(
            session, dairy, "maker", name="maker", password="a long password", role="maker", now=NOW
        )
    client = create_app(
        Config(database_url=url, secret=SECRET, mode="demo", frozen_now=NOW)
    ).test_client()
    client.post("/demo", data={"csrf_token": token_in(client.get("/sign-in").text)})
    make = client.get("/vat").headers["Location"]
    page = client.get(make).text
    assert "31.0 °C" in page and "amended" in page and "pH 5.00" not in page
    for address in (
        "/",
        "/milk",
        "/bench",
        "/which",
        "/days",
        "/cave",
        "/table",
        "/stock",
        "/dairy/house",
        make.replace("/vat/", "/table/"),
    ):
        assert client.get(address, follow_redirects=True).status_code == 200, address
    sheet = client.get(make.replace("/vat/", "/makes/") + "/sheet").text
    assert "make 12 · begun" in sheet and "calf rennet" in sheet
    with sessions(url).begin() as session:  # it goes on as any other make does
        here = Here(session, session.scalar(select(Dairy)), NOW)
        told = Told(id=str(uuid.uuid4()), deed=StepDone(step="set"), happened=NOW)
        assert tell(here, uuid.UUID(make.split("/")[-1]), [told])[0].outcome == "kept"
