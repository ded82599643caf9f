"""The frame of every page: the line with its stations and what is on it, and the places."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from flask import Blueprint, Flask, current_app, g, url_for
from flask_login import current_user
from markupsafe import Markup
from werkzeug.local import LocalProxy

from openpail.web.clock import MachineClock
from openpail.web.edge import here, may
from openpail.web.ui import draw
from openpail.work import store

blueprint = Blueprint("ui", __name__, template_folder="templates")


@dataclass(frozen=True, slots=True)
class Vessel:
    """Something that sits on the line: a make, or the cheeses at rest."""

    kind: str
    words: str
    href: str


@dataclass(frozen=True, slots=True)
class Station:
    """A station of the line, and what is on it now."""

    name: str
    href: str
    vessels: tuple[Vessel, ...] = ()


def install(app: Flask) -> None:
    """Give every page its shell."""
    app.jinja_env.globals["draw"] = draw
    app.jinja_env.globals["posts"] = _posts
    app.extensions["machine_clock"] = MachineClock()

    @app.context_processor
    def shell() -> dict[str, object]:
        config = current_app.extensions["config"]
        common = {
            "demo": config.mode == "demo",
            "may": may,
            "line": (),
            "frozen_now": config.frozen_now,
        }
        if "dairy" not in g or not current_user.is_authenticated:
            return common
        return common | {
            "line": LocalProxy(_line_once),
            "dairy": g.dairy,
            "clock_words": "" if config.frozen_now else _clock_words(),
        }


def _clock_words() -> str:
    """What whoever works here is told of this machine's clock."""
    clock: MachineClock = current_app.extensions["machine_clock"]
    clock.look()
    return clock.words if may("make.write") else ""


def _posts(endpoint: str, **values: Any) -> Markup:
    """Where a form is sent to, for whoever may; to everybody else it is only to be read."""
    view: Any = current_app.view_functions[endpoint]
    if not may(view.permission):
        return Markup()
    return Markup('method="post" action="{}"').format(url_for(endpoint, **values))


def _line_once() -> tuple[Station, ...]:
    """The line, asked for only by a page that draws it."""
    if "line" not in g:
        g.line = line()
    found: tuple[Station, ...] = g.line
    return found


def line() -> tuple[Station, ...]:
    """The stations in the order of the work, with what is on them now."""
    waiting, resting, running = store.on_the_line(here())
    at_vat, at_press = (
        tuple(
            Vessel(kind, name, url_for("vat.page", make_id=make_id))
            for make_id, name, at in running
            if at == station
        )
        for station, kind in (("vat", "vat"), ("press", "cheese"))
    )
    on_bench = tuple(
        Vessel(
            "vat",
            "poured" if each.state == "poured" else "to pour",
            url_for("bench.vat", vat_id=each.vat_id),
        )
        for each in here().benches
        if each.pours
    )
    on_shelf = (Vessel("pail", f"{waiting} waiting", url_for("milk.page")),) if waiting else ()
    plural = "s" if resting != 1 else ""
    words = f"{resting} cheese{plural}"
    at_rest = (Vessel("cheese", words, url_for("cave.page")),) if resting else ()
    return (
        Station("Milk", url_for("milk.page"), on_shelf),
        Station("Bench", url_for("bench.page"), on_bench),
        Station("Sheet", url_for("sheet.page")),
        Station("Vat", url_for("vat.index"), at_vat),
        Station("Press & salt", url_for("press.page"), at_press),
        Station("Cave", url_for("cave.page"), at_rest),
        Station("Table", url_for("table.index")),
    )
