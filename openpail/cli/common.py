"""What the commands share: the database they speak of, and refusals in words."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager

import click
from sqlalchemy import make_url, select
from sqlalchemy.orm import Session

from openpail.cli import state
from openpail.cli.cluster import programs
from openpail.craft.errors import RecordError
from openpail.records.backup import Backups
from openpail.records.dairy.models import Dairy
from openpail.records.schema import create_database
from openpail.records.session import sessions


def database_url() -> str:
    """The address of the dairy's database: as the environment has it, else of our own PostgreSQL,
    started where it did not run."""
    return os.environ.get("OPENPAIL_DATABASE_URL") or state.running().url("openpail")


def make_database(url: str) -> None:
    """Create the database when it is not there yet, and say so."""
    if create_database(url):
        click.echo(f"· made the database {make_url(url).database}")


def backups() -> Backups:
    """The backups of the database."""
    return Backups(database_url(), programs())


@contextmanager
def in_words() -> Iterator[None]:
    """What the records refuse, as the command's last line."""
    try:
        yield
    except RecordError as refused:
        raise click.ClickException(refused.words) from refused


@contextmanager
def at_the_dairy(name: str = "") -> Iterator[tuple[Session, Dairy]]:
    """The dairy, or the one of that name, in a transaction of its own."""
    with sessions(database_url()).begin() as session, in_words():
        found = session.scalars(select(Dairy).order_by(Dairy.created_at)).all()
        mine = [each for each in found if not name or each.name == name]
        if len(mine) != 1:
            names = ", ".join(each.name for each in found) or "none yet"
            raise RecordError(f"Say which dairy, with --dairy NAME: {names}.")
        yield session, mine[0]
