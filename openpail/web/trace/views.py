"""Trace: what hangs together with a lot, a bottle, a brine, a make or a piece; and its recall."""

from __future__ import annotations

import csv
import io
import uuid

from flask import Blueprint, abort, redirect, render_template, request, url_for

from openpail.craft.cave.deeds import OUTS
from openpail.craft.errors import RecordError
from openpail.formats.milk_csv import guarded
from openpail.web.edge import Page, csv_file, here, needs, refuse
from openpail.work.logbook import trace
from openpail.work.logbook.trace import NOBODY, SORTS, TraceSort

blueprint = Blueprint("trace", __name__, template_folder="templates")
_MOST_TOLD = 120  # of each on the page; the file has them all
_COLUMNS = ("way", "what", "number", "name", "when", "kg", "of_or_to")


def _sort(text: str) -> TraceSort:
    found = next((each for each in SORTS if each == text), None)
    if found is None:
        abort(404)
    return found


@blueprint.get("/trace/<sort>/<uuid:key>")
@needs("dairy.read")
def page(sort: str, key: uuid.UUID) -> Page:
    """All that hangs together with something, on one page that prints."""
    return _page(sort, key)


def _page(sort: str, key: uuid.UUID, error: str = "") -> str:
    traced = trace.trace(here(), _sort(sort), key, _MOST_TOLD)
    return render_template(
        "trace/page.html",
        traced=traced,
        sorts=SORTS,
        outs=OUTS,
        nobody=NOBODY,
        most=_MOST_TOLD,
        recalls=trace.recalls(here(), traced),
        longest_min=trace.LONGEST_RECALL.total_seconds() / 60,
        error=error,
    )


@blueprint.get("/trace/<sort>/<uuid:key>/lines.csv")
@needs("dairy.read")
def lines(sort: str, key: uuid.UUID) -> Page:
    """The same as lines of a file."""
    traced = trace.trace(here(), _sort(sort), key)
    text = io.StringIO()
    out = csv.writer(text)
    out.writerow(_COLUMNS)
    out.writerows([guarded(each) for each in row] for row in trace.as_rows(traced))
    return csv_file(text.getvalue(), "trace.csv")


@blueprint.post("/trace/<sort>/<uuid:key>/recall")
@needs("care.write")
def begin(sort: str, key: uuid.UUID) -> Page:
    """A recall is begun, tried out or real."""
    try:
        trace.begin(here(), _sort(sort), key, real=request.form.get("real") == "y")
    except RecordError as error:
        refuse()
        return _page(sort, key, error.words), 422
    return _back(sort, key)


def _back(sort: str, key: uuid.UUID) -> Page:
    return redirect(url_for("trace.page", sort=sort, key=key, _anchor="recall"))


@blueprint.post("/recall/<uuid:drill_id>/reached")
@needs("care.write")
def reached(drill_id: uuid.UUID) -> Page:
    """Somebody who has cheese of it was reached."""
    row = trace.reach(here(), drill_id, request.form.get("whom", ""))
    return _back(row.sort, row.subject_id)


@blueprint.post("/recall/<uuid:drill_id>/end")
@needs("care.write")
def end(drill_id: uuid.UUID) -> Page:
    """A recall is at its end."""
    row = trace.end(here(), drill_id)
    return _back(row.sort, row.subject_id)
