"""Figures and moments by their names.

What is shown carries what it is: `make/104/brine/ends`. Two places that show one name show one
value, on paper and on a device too; a test walks all pages and holds them to it.
"""

from __future__ import annotations

from datetime import UTC, datetime

from flask import Flask
from markupsafe import Markup

from openpail.web.ui import show

_TIME = Markup('<time data-of="{}" datetime="{}">{}</time>')
_DATA = Markup('<data data-of="{}" value="{}">{}</data>')


def install(app: Flask) -> None:
    """Give the templates these words."""
    app.jinja_env.globals.update(named_at=named_at, named=named, of_step=of_step)


def of_step(make: int | None, step: str, what: str) -> str:
    """What something of a make's step is called, "" in a dry run, whose figures are told once.

    Parameters: make, its number; step, its key; what, of it.
    """
    return "" if make is None else f"make/{make}/{step}/{what}"


def named_at(name: str, moment: datetime, words: str = "") -> Markup:
    """A moment by its name: as the clock has it, or in these words."""
    words = words or show.clock(moment)
    if not name:
        return Markup("{}").format(words)
    exact = moment.astimezone(UTC).replace(second=0, microsecond=0, tzinfo=None)
    return _TIME.format(name, f"{exact.isoformat(timespec='minutes')}Z", words)


def named(name: str, words: str) -> Markup:
    """A figure by its name, as it is shown."""
    return _DATA.format(name, words, words) if name else Markup("{}").format(words)
