"""A recipe in a text file, read."""

from __future__ import annotations

from typing import TextIO

import click

from openpail.craft.house import House
from openpail.craft.units import System
from openpail.formats.written.make import understand
from openpail.formats.written.told import as_json, as_lines


@click.command()
@click.argument("file", type=click.File(encoding="utf-8"))
@click.option("--json", "json_wanted", is_flag=True, help="As data, each line with its parts.")
@click.option("--system", type=click.Choice(["metric", "us", "imperial"]), default="metric")
def read(file: TextIO, json_wanted: bool, system: System) -> None:
    """Print what is understood of a recipe in a text file."""
    written = understand(file.read(), House(), system)
    click.echo(as_json(written) if json_wanted else as_lines(written))
