"""The papers of https."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

import click

from openpail.web.authority import own_names
from openpail.web.authority import papers as make_papers


@click.command()
@click.argument("folder", type=click.Path(path_type=Path))
@click.argument("host")
def papers(folder: Path, host: str) -> None:
    """Make the papers of https where there are none; print where each lies."""
    try:
        found = make_papers(folder, own_names(host), datetime.now(UTC))
    except ValueError as error:
        raise click.ClickException(str(error)) from error
    click.echo(f"{found.authority}\n{found.certificate}\n{found.key}")
