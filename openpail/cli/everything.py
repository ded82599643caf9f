"""The whole dairy as one open file of CSV and pictures, and back in."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

import click

from openpail.cli.common import at_the_dairy, database_url, in_words
from openpail.records import everything
from openpail.records.session import sessions


@click.group()
def group() -> None:
    """The whole dairy as one open file of CSV and pictures, and back in."""


@group.command("out")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--dairy", default="", help="Where there are several, its name.")
def everything_out(file: Path, dairy: str) -> None:
    """Write the whole dairy into FILE."""
    part = file.with_name(f"{file.name}.part")
    try:
        with at_the_dairy(dairy) as (session, found), part.open("wb") as out:
            part.chmod(0o600)
            rows = everything.write(session, found, out, datetime.now(UTC), _tell_table)
        part.replace(file)
    finally:
        part.unlink(missing_ok=True)
    click.echo(f"· written: {file} ({rows} rows)")


@group.command("in")
@click.argument("file", type=click.Path(path_type=Path, exists=True, dir_okay=False))
def everything_in(file: Path) -> None:
    """Bring the dairy of FILE in, whole or not at all."""
    with in_words(), sessions(database_url()).begin() as session, file.open("rb") as source:
        found = everything.read(session, source, _tell_table)
        name = found.name
    click.echo(f"· {name} is here. Give everybody a password: ./pail people password LOGIN")


def _tell_table(name: str, rows: int) -> None:
    if rows:
        click.echo(f"· {name}: {rows}")
