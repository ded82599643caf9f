"""What goes on while it is served: the probes are asked, and a backup a day is made."""

from __future__ import annotations

import os
import time
from datetime import UTC, datetime
from pathlib import Path

import click
from sqlalchemy import func, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from openpail.cli.common import backups, database_url
from openpail.records.dairy.models import Dairy
from openpail.records.safe import daily
from openpail.records.session import engine_for, sessions
from openpail.work.here import Here
from openpail.work.vat import stream
from openpail.work.vat.stream import Collected

_ASKED_EVERY_S, _COLLECTS = 5.0, 74_330_001


@click.command()
@click.option("--once", is_flag=True, help="Ask each probe once, and end.")
@click.option("--while-parent", is_flag=True, help="End with whoever started it.")
def collect(once: bool, while_parent: bool) -> None:
    """Ask the probes in the vats, again and again; one such process for a database."""
    with Session(engine_for(database_url())) as lock:
        while not lock.scalar(select(func.pg_try_advisory_lock(_COLLECTS))):
            if once:
                raise click.ClickException("Another process asks the probes already.")
            time.sleep(_ASKED_EVERY_S)
        told: dict[object, str] = {}
        parent = os.getppid()
        while not while_parent or os.getppid() == parent:
            _back_up_daily()
            for each in _collected():
                if told.get(each.make.id) != each.words:  # said once, and once it is well again
                    told[each.make.id] = each.words
                    click.echo(f"· {each.make.name}: {each.words or 'its probe speaks'}")
            if once:
                return
            time.sleep(_ASKED_EVERY_S)


def _back_up_daily() -> None:
    """A backup a day, where a folder for them is named; once it is made, what came of it."""
    folder = os.environ.get("OPENPAIL_BACKUPS")
    if not folder:
        return
    try:
        with sessions(database_url()).begin() as session:
            if not daily.is_due(session, datetime.now(UTC)):
                return
            made = daily.make(session, backups(), Path(folder), datetime.now(UTC))
            good = f"backed up to {Path(folder) / made.file} and seen to be whole"
            click.echo(f"· {made.words or good}")
    except SQLAlchemyError as error:
        click.echo(f"· no backup could be begun: {type(error).__name__}", err=True)


def _collected() -> list[Collected]:
    """What the probes of every dairy gave."""
    found: list[Collected] = []
    try:
        with sessions(database_url()).begin() as session:
            for dairy in session.scalars(select(Dairy)).all():
                found += stream.collect(Here(session, dairy, datetime.now(UTC)))
    except SQLAlchemyError as error:  # a database that is being started again is asked again
        click.echo(f"· the database does not answer: {type(error).__name__}", err=True)
    return found
