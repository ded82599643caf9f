"""The commands behind ./pail: migrate, the set-up token, the demo's data."""

from __future__ import annotations

import os
from datetime import UTC, datetime

import click
from sqlalchemy import make_url

from openpail.demo import load as demo
from openpail.records.people import actions as people
from openpail.records.schema import create_database
from openpail.records.schema import migrate as migrate_to
from openpail.records.session import sessions


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


@main.command("setup-token")
def setup_token() -> None:
    """Print the token that founds the first dairy, while there is none."""
    with sessions(_url())() as session:
        token = people.new_setup_token(session, datetime.now(UTC))
        session.commit()
    if token:
        click.echo(f"· no dairy yet. Open /set-up in the browser; the token is {token}")


@main.command("demo")
@click.option("--fresh", is_flag=True, help="Throw the demo's changes away first.")
@click.option("--analyser", default="", help="Where the stand-in analyser will answer.")
def demo_data(fresh: bool, analyser: str) -> None:
    """Load the demo farm, or move it to today."""
    url = _url()
    if make_url(url).database not in demo.DATABASES:
        raise click.ClickException("The demo's data only go into the demo's own database.")
    if fresh:
        demo.drop(url)
        click.echo("· the old demo is gone")
    make_database(url)
    migrate_to(url)
    click.echo(f"· {demo.ready(url, datetime.now(UTC), analyser)}")


if __name__ == "__main__":
    main()
