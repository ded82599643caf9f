"""The demo farm's data."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

import click
from sqlalchemy import make_url

from openpail.cli.common import database_url, make_database
from openpail.demo import load as farm
from openpail.records.schema import migrate as migrate_to


@click.command()
@click.option("--fresh", is_flag=True, help="Throw the demo's changes away first.")
@click.option("--short", is_flag=True, help="Its last two months, without the year before.")
@click.option("--analyser", default="", help="Where the stand-in analyser will answer.")
@click.option("--logger", default="", help="Where the stand-in cave logger will answer.")
@click.option("--probe", default="", help="Where the stand-in probe will answer.")
@click.option("--scale", default="", help="Where the stand-in scale will answer.")
@click.option("--milk", help="The file that says how warm and sour the stand-in's milk is.")
def demo(fresh: bool, short: bool, milk: str | None, **devices: str) -> None:
    """Load the demo farm, or move it to today."""
    url = database_url()
    if make_url(url).database not in farm.DATABASES:
        raise click.ClickException("The demo's data only go into the demo's own database.")
    if fresh:
        farm.drop(url)
        click.echo("· the old demo is gone")
    make_database(url)
    migrate_to(url)
    at = farm.Devices(**devices)
    click.echo(f"· {farm.ready(url, datetime.now(UTC), at, with_year=not short)}")
    if milk:
        Path(milk).write_text(farm.milk_in_the_vat(url), "utf-8")
