"""Migrations: up from nothing, one step back, up again, and no drift from the models."""

import pytest
from alembic import command
from sqlalchemy import create_engine, inspect, select

from openpail.demo.load import shift
from openpail.records.base import OfDairy
from openpail.records.dairy.models import Dairy
from openpail.records.makes.models import Make
from openpail.records.milk.models import MilkLot
from openpail.records.pieces.models import Care
from openpail.records.plans.models import PlannedMake
from openpail.records.schema import METADATA, alembic_config, migrate
from openpail.records.session import sessions


def tables(url):
    engine = create_engine(url)
    names = set(inspect(engine).get_table_names()) - {"alembic_version"}
    engine.dispose()
    return names


def test_migrations_go_up_one_back_and_up_again_without_drift(database_url):
    assert tables(database_url) == set(METADATA.tables)
    command.check(alembic_config(database_url))
    command.downgrade(alembic_config(database_url), "-1")
    assert tables(database_url) != set(METADATA.tables)
    migrate(database_url)
    assert tables(database_url) == set(METADATA.tables)


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
            )  # fmt: skip
    engine.dispose()
    migrate(database_url)
    with sessions(database_url)() as session:
        whole, gone = session.scalars(select(MilkLot).order_by(MilkLot.number))
        assert [use.mass_kg for use in whole.uses] == [pytest.approx(0.6)]
        assert gone.uses[0].mass_kg == pytest.approx(20.6) and gone.thawed_at == gone.collected_at
        assert whole.kind == "milk" and whole.thawed_at is None


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
        before, due = session.scalars(query).all(), session.scalar(select(Care.due))
        shift(session, 12)
        after, due_after = session.scalars(query).all(), session.scalar(select(Care.due))
    assert {(b - a).days for a, b in zip(before, after, strict=True)} == {12}
    assert (due_after - due).days == 12


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
