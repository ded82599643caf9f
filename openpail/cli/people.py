"""Who may get in; for the day that nobody can in the browser."""

from __future__ import annotations

import secrets
from datetime import UTC, datetime

import click
from sqlalchemy.orm import Session

from openpail.cli.common import at_the_dairy, database_url
from openpail.craft.errors import RecordError
from openpail.records.dairy.models import Dairy
from openpail.records.people import actions as people
from openpail.records.people.models import Person
from openpail.records.people.roles import ROLES
from openpail.records.session import sessions

_PASSWORD_BYTES = 12


def told_setup_token() -> None:
    """Print the token that founds the first dairy, while there is none."""
    with sessions(database_url())() as session:
        token = people.new_setup_token(session, datetime.now(UTC))
        session.commit()
    if token:
        click.echo(f"· no dairy yet. Open /set-up in the browser; the token is {token}")


@click.group()
def group() -> None:
    """Who may get in; for the day that nobody can in the browser."""


_which = click.option("--dairy", default="", help="Where there are several, its name.")


def _person(session: Session, dairy: Dairy, login: str) -> Person:
    for each in people.members(session, dairy):
        if each.person.login == login.lower() and each.ended_at is None:
            return each.person
    raise RecordError(f"Nobody here signs in as {login}. `people list` tells who does.")


@group.command("list")
@_which
def list_people(dairy: str) -> None:
    """Who signs in, as what."""
    with at_the_dairy(dairy) as (session, found):
        for each in people.members(session, found):
            left = f", left {each.ended_at:%Y-%m-%d}" if each.ended_at else ""
            click.echo(f"· {each.person.login}: {each.person.name}, {each.role}{left}")


@group.command("add")
@click.argument("login")
@click.argument("role", type=click.Choice(ROLES))
@_which
def add_person(login: str, role: str, dairy: str) -> None:
    """Let somebody in, with a password that is printed once."""
    with at_the_dairy(dairy) as (session, found):
        password = secrets.token_urlsafe(_PASSWORD_BYTES)
        people.add_person(
            session, found, login, name=login, password=password, role=role, now=datetime.now(UTC)
        )
    click.echo(f"· {login} is in as {role}; the password is {password}")


@group.command("password")
@click.argument("login")
@_which
def new_password(login: str, dairy: str) -> None:
    """Give a new password, printed once; every device of theirs is signed out."""
    with at_the_dairy(dairy) as (session, found):
        password = secrets.token_urlsafe(_PASSWORD_BYTES)
        people.set_password(session, _person(session, found, login), password)
    click.echo(f"· the password of {login} is {password}; every device is signed out")


@group.command("end")
@click.argument("login")
@_which
def end_person(login: str, dairy: str) -> None:
    """Somebody leaves; what they did stays under their name."""
    with at_the_dairy(dairy) as (session, found):
        people.end(session, found, _person(session, found, login).id, datetime.now(UTC))
    click.echo(f"· {login} has left; no device gets in")
