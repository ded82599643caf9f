"""The demo farm, served with stand-ins for its devices."""

from __future__ import annotations

import os
from datetime import UTC, datetime

import click
from sqlalchemy import make_url

from openpail.cli import state
from openpail.cli.cluster import free_port
from openpail.cli.common import database_url, make_database
from openpail.cli.serve import beside, serve_on
from openpail.demo import load as farm
from openpail.records.schema import migrate as migrate_to

_HOST, _PORT = "127.0.0.1", 8080
# What stands in for each device of the farm, and the port that it is looked for at first.
STAND_INS = {"analyser": 7431, "logger": 7432, "probe": 7433, "scale": 7434}


def module_of(device: str) -> str:
    """The module that stands in for a device."""
    return f"openpail.instruments.{device}.stand_in"


_fresh = click.option("--fresh", is_flag=True, help="Throw the demo's changes away first.")
_short = click.option("--short", is_flag=True, help="Its last two months, without the year before.")


@click.command(context_settings={"help_option_names": ["-h", "--help"]})
@_fresh
@_short
@click.option("--port", type=int, help=f"{_PORT}, or the next one that is free.")
@click.option("--no-serve", is_flag=True, help="Load its data, and no more.")
@click.option("--host", default=_HOST, hidden=True)
def demo(*, fresh: bool, short: bool, port: int | None, no_serve: bool, host: str) -> None:
    """The demo farm, in your browser: its data loaded or moved to today, then served."""
    if host != _HOST:
        words = "The demo is served on this machine only. ./pail serve has --host."
        raise click.ClickException(words)
    os.environ["OPENPAIL_DATABASE_URL"] = url = state.running().url(farm.OF_DEMO)
    ports = {device: free_port(first) for device, first in STAND_INS.items()}
    at = {device: f"{_HOST}:{found}" for device, found in ports.items()}
    _load(url, fresh=fresh, short=short, at=farm.Devices(**at))
    if no_serve:
        return
    for device, found in ports.items():
        # the milk of the make under way, as warm as its step wants it
        milk = farm.milk_in_the_vat(url).split() if device == "probe" else []
        beside(module_of(device), "--while-parent", "--port", str(found), *milk, nice=True)
    serve_on(_HOST, port or free_port(_PORT), "demo")


@click.command(hidden=True)
@_fresh
@_short
@click.option("--analyser", default="", help="Where the stand-in analyser will answer.")
def demo_data(*, fresh: bool, short: bool, analyser: str) -> None:
    """Load the demo farm, or move it to today, in a database of the demo's own."""
    _load(database_url(), fresh=fresh, short=short, at=farm.Devices(analyser=analyser))


def _load(url: str, *, fresh: bool, short: bool, at: farm.Devices) -> None:
    if make_url(url).database not in farm.DATABASES:
        raise click.ClickException("The demo's data only go into the demo's own database.")
    if fresh:
        farm.drop(url)
        click.echo("· the old demo is gone")
    make_database(url)
    migrate_to(url)
    click.echo(f"· {farm.ready(url, datetime.now(UTC), at, with_year=not short)}")
