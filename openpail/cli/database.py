"""The database: our own PostgreSQL, its tables, its backups and what restores have kept."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

import click

from openpail.cli import state
from openpail.cli.common import backups, database_url, in_words, make_database
from openpail.records.schema import migrate as migrate_to


@click.group()
def group() -> None:
    """The dairy's database: our own PostgreSQL, or the one that OPENPAIL_DATABASE_URL names."""


@group.command()
def start() -> None:
    """Start our own PostgreSQL."""
    click.echo(f"· PostgreSQL runs on 127.0.0.1:{state.running().port}")


@group.command()
def stop() -> None:
    """Stop our own PostgreSQL."""
    state.cluster().stop()
    click.echo("· PostgreSQL is stopped")


@group.command()
def status() -> None:
    """Where all that is kept lies, and whether our own PostgreSQL runs."""
    own = state.cluster()
    click.echo(f"· state: {state.folder()}")
    runs = f"runs on 127.0.0.1:{own.port}" if own.is_running() else "is not running"
    click.echo(f"· PostgreSQL {runs}")


@group.command()
def migrate() -> None:
    """Bring the database up to today's tables."""
    brought_up_to_date()


def brought_up_to_date() -> None:
    """The database made where it is not yet, with today's tables."""
    make_database(database_url())
    migrate_to(database_url())
    click.echo("· the tables are up to date")


@group.command()
@click.argument("file", type=click.Path(path_type=Path))
def backup(file: Path) -> None:
    """Write the dairy's data into one file."""
    with in_words():
        rows = backups().write(file, datetime.now(UTC))
    click.echo(f"· written: {file} ({rows} rows)")


@group.command()
@click.argument("file", type=click.Path(path_type=Path, exists=True, dir_okay=False))
def restore(file: Path) -> None:
    """Put a backup in the dairy's place, once it is seen to be whole."""
    with in_words():
        restored = backups().restore(file, datetime.now(UTC))
    _told_kept(restored.kept)
    click.echo(f"· restored from {file}: {sum(restored.rows.values())} rows")


@group.command()
def kept() -> None:
    """List what restores have kept."""
    for name in backups().kept() or ["nothing is kept"]:
        click.echo(f"· {name}")


@group.command("bring-back")
@click.argument("name")
def bring_back(name: str) -> None:
    """Put a kept database in the dairy's place."""
    with in_words():
        now_kept = backups().bring_back(name, datetime.now(UTC))
    _told_kept(now_kept)
    click.echo(f"· {name} is the dairy again")


def _told_kept(name: str | None) -> None:
    if name:
        click.echo(f"· what was there is kept; ./pail db bring-back {name} puts it back")
