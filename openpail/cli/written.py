"""A recipe in a text file, read."""

from __future__ import annotations

from typing import TextIO

import click

from openpail.craft.house import House
from openpail.craft.units import System
from openpail.formats.written.make import understand
from openpail.formats.written.told import as_json, as_lines, as_recipe


@click.command()
@click.argument("file", type=click.File(encoding="utf-8"))
@click.option("--json", "json_wanted", is_flag=True, help="As data, each line with its parts.")
@click.option("--recipe", "recipe_wanted", is_flag=True, help="As an open recipe file.")
@click.option("--system", type=click.Choice(["metric", "us", "imperial"]), default="metric")
def read(file: TextIO, json_wanted: bool, recipe_wanted: bool, system: System) -> None:
    """Print what is understood of a recipe in a text file."""
    written = understand(file.read(), House(), system)
    told = as_recipe if recipe_wanted else as_json if json_wanted else as_lines
    click.echo(told(written))
