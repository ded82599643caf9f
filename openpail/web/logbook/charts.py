"""The charts over time: drawn, and the figures behind them as a file."""

from __future__ import annotations

import csv
import io
from datetime import UTC, datetime, timedelta

from flask import Blueprint, abort, render_template, request

from openpail.craft.table.over_time import QUARTERS, Spread
from openpail.formats.milk_csv import guarded
from openpail.web.edge import Page, csv_file, here, needs
from openpail.web.logbook.panels import drawn
from openpail.web.ui import show
from openpail.work.logbook.charts import CHARTS, LAST_MONTHS, TimeChart, chart

blueprint = Blueprint("charts", __name__, template_folder="templates")
_COUNTED = {"drying": "cheese", "milk-fat": "test", "milk-protein": "test", "vats": "warming"}


def _asked(key: str) -> TimeChart:
    if key not in CHARTS:
        abort(404)
    at = here()
    ever = request.args.get("span") == "all"
    return chart(at, key, None if ever else at.now - LAST_MONTHS)


@blueprint.get("/logbook/charts")
@needs("dairy.read")
def index() -> Page:
    """The first of the charts."""
    return page("yield")


@blueprint.get("/logbook/charts/<key>")
@needs("dairy.read")
def page(key: str) -> Page:
    """One chart."""
    found = _asked(key)
    only = request.args.get("of", "")
    return render_template(
        "logbook/charts.html",
        chart=found,
        drawn=drawn(found, only),
        only=only,
        charts=CHARTS,
        sort=CHARTS[key],
        quarters=QUARTERS,
        amount=lambda value: amount(found, value),
        spread=lambda spread: spread_words(found, spread),
        counted=_COUNTED.get(key, "make"),
    )


def amount(chart: TimeChart, value: float) -> str:
    """A value of a chart in the dairy's own units."""
    match chart.key:
        case "acid":
            return f"pH {show.number(value, 1)}"
        case "vats":
            return f"{show.number(value)} kW"
        case "cost":
            return show.per_mass(value)
    return f"{show.number(value, 0 if abs(value) >= 20 else 1)} %"


def spread_words(chart: TimeChart, spread: Spread) -> str:
    """The middle of some values and the band of most of them, in words."""
    words = amount(chart, spread.middle)
    if spread.low is None or spread.high is None:
        return words
    low, high = amount(chart, spread.low), amount(chart, spread.high)
    unit = high.partition(" ")[2]
    return words if low == high else f"{words} ({low.removesuffix(unit).strip()} to {high})"


@blueprint.get("/logbook/charts/<key>/figures.csv")
@needs("dairy.read")
def figures(key: str) -> Page:
    """The figures behind a chart: metric, whatever the page shows."""
    found = _asked(key)
    text = io.StringIO()
    out = csv.writer(text)
    out.writerow(("of", "when" if found.across == "day" else "hours", "value", "unit", "what"))
    for series in found.series:
        for each in series.points:
            when = (
                (datetime(1970, 1, 1, tzinfo=UTC) + timedelta(days=each.x)).isoformat(
                    "T", "minutes"
                )
                if found.across == "day"
                else f"{each.x:.2f}"
            )
            row = (series.name, when, f"{each.y:.4g}", found.unit, each.name)
            out.writerow([guarded(cell) for cell in row])
    return csv_file(text.getvalue(), f"{key}.csv")
