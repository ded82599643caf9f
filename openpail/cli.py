"""The commands behind ./pail: migrate, the set-up token, the demo's data."""

from __future__ import annotations

import os
import secrets
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import TextIO

import click
from sqlalchemy import func, make_url, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from openpail.craft.house import House
from openpail.craft.units import System
from openpail.demo import load as demo
from openpail.formats.written.make import understand
from openpail.formats.written.told import as_json, as_lines
from openpail.records import everything
from openpail.records.backup import Backups
from openpail.records.dairy.models import Dairy
from openpail.records.errors import RecordError
from openpail.records.people import actions as people
from openpail.records.people.models import ROLES, Person
from openpail.records.safe import daily
from openpail.records.schema import create_database
from openpail.records.schema import migrate as migrate_to
from openpail.records.session import engine_for, sessions
from openpail.web.authority import own_names
from openpail.web.authority import papers as make_papers
from openpail.work import stream
from openpail.work.here import Here
from openpail.work.stream import Collected

_PASSWORD_BYTES = 12
_ASKED_EVERY_S, _COLLECTS = 5.0, 74_330_001


@click.group()
def main() -> None:
    """Open Pail's own commands; ./pail is the way in."""


def _url() -> str:
    url = os.environ.get("OPENPAIL_DATABASE_URL")
    if not url:
        raise click.ClickException("OPENPAIL_DATABASE_URL is not set; use ./pail.")
    return url


def make_database(url: str) -> None:
    """Create the database when it is not there yet, and say so."""
    if create_database(url):
        click.echo(f"· made the database {make_url(url).database}")


@main.command()
def migrate() -> None:
    """Bring the database up to today's tables."""
    make_database(_url())
    migrate_to(_url())
    click.echo("· the tables are up to date")


@main.command()
@click.argument("file", type=click.File(encoding="utf-8"))
@click.option("--json", "json_wanted", is_flag=True, help="As data, each line with its parts.")
@click.option("--system", type=click.Choice(["metric", "us", "imperial"]), default="metric")
def read(file: TextIO, json_wanted: bool, system: System) -> None:
    """Print what is understood of a recipe in a text file."""
    written = understand(file.read(), House(), system)
    click.echo(as_json(written) if json_wanted else as_lines(written))


@main.command()
@click.argument("folder", type=click.Path(path_type=Path))
@click.argument("host")
def papers(folder: Path, host: str) -> None:
    """Make the papers of https where there are none; print where each lies."""
    try:
        found = make_papers(folder, own_names(host), datetime.now(UTC))
    except ValueError as error:
        raise click.ClickException(str(error)) from error
    click.echo(f"{found.authority}\n{found.certificate}\n{found.key}")


@main.command("setup-token")
def setup_token() -> None:
    """Print the token that founds the first dairy, while there is none."""
    with sessions(_url())() as session:
        token = people.new_setup_token(session, datetime.now(UTC))
        session.commit()
    if token:
        click.echo(f"· no dairy yet. Open /set-up in the browser; the token is {token}")


@main.command("collect")
@click.option("--once", is_flag=True, help="Ask each probe once, and end.")
@click.option("--while-parent", is_flag=True, help="End with whoever started it.")
def collect(once: bool, while_parent: bool) -> None:
    """Ask the probes in the vats, again and again; one such process for a database."""
    with Session(engine_for(_url())) as lock:
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
        with sessions(_url()).begin() as session:
            if not daily.is_due(session, datetime.now(UTC)):
                return
            made = daily.make(session, _backups(), Path(folder), datetime.now(UTC))
            good = f"backed up to {Path(folder) / made.file} and seen to be whole"
            click.echo(f"· {made.words or good}")
    except SQLAlchemyError as error:
        click.echo(f"· no backup could be begun: {type(error).__name__}", err=True)


def _collected() -> list[Collected]:
    """What the probes of every dairy gave."""
    found: list[Collected] = []
    try:
        with sessions(_url()).begin() as session:
            for dairy in session.scalars(select(Dairy)).all():
                found += stream.collect(Here(session, dairy, datetime.now(UTC)))
    except SQLAlchemyError as error:  # a database that is being started again is asked again
        click.echo(f"· the database does not answer: {type(error).__name__}", err=True)
    return found


def _backups() -> Backups:
    return Backups(_url(), Path(os.environ.get("OPENPAIL_PG_PROGRAMS", "/usr/bin")))


@contextmanager
def _in_words() -> Iterator[None]:
    """What the records refuse, as the command's last line."""
    try:
        yield
    except RecordError as refused:
        raise click.ClickException(refused.words) from refused


@main.command()
@click.argument("file", type=click.Path(path_type=Path))
def backup(file: Path) -> None:
    """Write the dairy's data into one file."""
    with _in_words():
        rows = _backups().write(file, datetime.now(UTC))
    click.echo(f"· written: {file} ({rows} rows)")


@main.command()
@click.argument("file", type=click.Path(path_type=Path))
def restore(file: Path) -> None:
    """Put a backup in the dairy's place, once it is seen to be whole."""
    with _in_words():
        restored = _backups().restore(file, datetime.now(UTC))
    _told_kept(restored.kept)
    click.echo(f"· restored from {file}: {sum(restored.rows.values())} rows")


@main.command()
def kept() -> None:
    """List what restores have kept."""
    for name in _backups().kept() or ["nothing is kept"]:
        click.echo(f"· {name}")


@main.command("bring-back")
@click.argument("name")
def bring_back(name: str) -> None:
    """Put a kept database in the dairy's place."""
    with _in_words():
        now_kept = _backups().bring_back(name, datetime.now(UTC))
    _told_kept(now_kept)
    click.echo(f"· {name} is the dairy again")


def _told_kept(name: str | None) -> None:
    if name:
        click.echo(f"· what was there is kept; ./pail db bring-back {name} puts it back")


@main.group("everything")
def everything_group() -> None:
    """The whole dairy as one open file of CSV and pictures, and back in."""


@everything_group.command("out")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--dairy", default="", help="Where there are several, its name.")
def everything_out(file: Path, dairy: str) -> None:
    """Write the whole dairy into FILE."""
    part = file.with_name(f"{file.name}.part")
    try:
        with _at_the_dairy(dairy) as (session, found), part.open("wb") as out:
            part.chmod(0o600)
            rows = everything.write(session, found, out, datetime.now(UTC), _tell_table)
        part.replace(file)
    finally:
        part.unlink(missing_ok=True)
    click.echo(f"· written: {file} ({rows} rows)")


@everything_group.command("in")
@click.argument("file", type=click.Path(path_type=Path, exists=True, dir_okay=False))
def everything_in(file: Path) -> None:
    """Bring the dairy of FILE in, whole or not at all."""
    with _in_words(), sessions(_url()).begin() as session, file.open("rb") as source:
        found = everything.read(session, source, _tell_table)
        name = found.name
    click.echo(f"· {name} is here. Give everybody a password: ./pail people password LOGIN")


def _tell_table(name: str, rows: int) -> None:
    if rows:
        click.echo(f"· {name}: {rows}")


@main.group("people")
def people_group() -> None:
    """Who may get in; for the day that nobody can in the browser."""


@contextmanager
def _at_the_dairy(name: str = "") -> Iterator[tuple[Session, Dairy]]:
    """The dairy, or the one of that name, in a transaction of its own."""
    with sessions(_url()).begin() as session, _in_words():
        found = session.scalars(select(Dairy).order_by(Dairy.created_at)).all()
        mine = [each for each in found if not name or each.name == name]
        if len(mine) != 1:
            names = ", ".join(each.name for each in found) or "none yet"
            raise RecordError(f"Say which dairy, with --dairy NAME: {names}.")
        yield session, mine[0]


_which = click.option("--dairy", default="", help="Where there are several, its name.")


def _person(session: Session, dairy: Dairy, login: str) -> Person:
    for each in people.members(session, dairy):
        if each.person.login == login.lower() and each.ended_at is None:
            return each.person
    raise RecordError(f"Nobody here signs in as {login}. `people list` tells who does.")


@people_group.command("list")
@_which
def list_people(dairy: str) -> None:
    """Who signs in, as what."""
    with _at_the_dairy(dairy) as (session, found):
        for each in people.members(session, found):
            left = f", left {each.ended_at:%Y-%m-%d}" if each.ended_at else ""
            click.echo(f"· {each.person.login}: {each.person.name}, {each.role}{left}")


@people_group.command("add")
@click.argument("login")
@click.argument("role", type=click.Choice(ROLES))
@_which
def add_person(login: str, role: str, dairy: str) -> None:
    """Let somebody in, with a password that is printed once."""
    with _at_the_dairy(dairy) as (session, found):
        password = secrets.token_urlsafe(_PASSWORD_BYTES)
        people.add_person(session, found, login, login, password, role, datetime.now(UTC))
    click.echo(f"· {login} is in as {role}; the password is {password}")


@people_group.command("password")
@click.argument("login")
@_which
def new_password(login: str, dairy: str) -> None:
    """Give a new password, printed once; every device of theirs is signed out."""
    with _at_the_dairy(dairy) as (session, found):
        password = secrets.token_urlsafe(_PASSWORD_BYTES)
        people.set_password(session, _person(session, found, login), password)
    click.echo(f"· the password of {login} is {password}; every device is signed out")


@people_group.command("end")
@click.argument("login")
@_which
def end_person(login: str, dairy: str) -> None:
    """Somebody leaves; what they did stays under their name."""
    with _at_the_dairy(dairy) as (session, found):
        people.end(session, found, _person(session, found, login).id, datetime.now(UTC))
    click.echo(f"· {login} has left; no device gets in")


@main.command("demo")
@click.option("--fresh", is_flag=True, help="Throw the demo's changes away first.")
@click.option("--short", is_flag=True, help="Its last two months, without the year before.")
@click.option("--analyser", default="", help="Where the stand-in analyser will answer.")
@click.option("--logger", default="", help="Where the stand-in cave logger will answer.")
@click.option("--probe", default="", help="Where the stand-in probe will answer.")
@click.option("--scale", default="", help="Where the stand-in scale will answer.")
def demo_data(fresh: bool, short: bool, **devices: str) -> None:
    """Load the demo farm, or move it to today."""
    url = _url()
    if make_url(url).database not in demo.DATABASES:
        raise click.ClickException("The demo's data only go into the demo's own database.")
    if fresh:
        demo.drop(url)
        click.echo("· the old demo is gone")
    make_database(url)
    migrate_to(url)
    at = demo.Devices(**devices)
    click.echo(f"· {demo.ready(url, datetime.now(UTC), at, with_year=not short)}")


if __name__ == "__main__":
    main()
