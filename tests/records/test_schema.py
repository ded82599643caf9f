"""Migrations: up from nothing, one step back, up again, and no drift from the models."""

from alembic import command
from sqlalchemy import create_engine, inspect, select

from openpail.demo.load import shift
from openpail.records.base import OfDairy
from openpail.records.dairy.models import Dairy
from openpail.records.makes.models import Make
from openpail.records.pieces.models import Care
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
