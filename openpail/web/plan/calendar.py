"""The days ahead: on a page, and as a calendar file that other programmes read."""

from __future__ import annotations

import secrets
from dataclasses import replace
from urllib.parse import urlsplit

from flask import (
    Blueprint,
    Response,
    abort,
    current_app,
    g,
    redirect,
    render_template,
    request,
    url_for,
)

from openpail.formats.calendar import write
from openpail.web.edge import Page, dairy, db, here, needs, public
from openpail.web.plan.show import ribbon
from openpail.web.ui import ours
from openpail.work.dairy import own as things
from openpail.work.plan import days as ahead

blueprint = Blueprint("calendar", __name__, template_folder="templates")


@blueprint.get("/days")
@needs("dairy.read")
def page() -> Page:
    """A ribbon for each of the next days, and what is due on it."""
    lanes = ahead.lanes(here())
    return render_template(
        "plan/days.html",
        days=[(each, ribbon(each.date, lanes)) for each in ahead.days(here())],
        planned=here().planned,
        moment=here().now,
        key=dairy().calendar_key,
        address=_address(),
    )


def _address() -> str:
    """Where this Open Pail is reached; "" when only the request says, which anybody may write."""
    told: str = current_app.extensions["config"].address
    here_alone = urlsplit(request.host_url).hostname in ("127.0.0.1", "localhost", "::1")
    return told or (request.host_url.rstrip("/") if here_alone else "")


@blueprint.get("/calendar.ics")
@needs("dairy.read")
def file() -> Page:
    """The calendar as a file."""
    return _file()


@blueprint.get("/calendar/<key>.ics")
@public
def feed(key: str) -> Page:
    """The calendar under its own secret address, for programmes that cannot sign in."""
    found = things.by_calendar_key(db(), key)
    if found is None:
        abort(404)
    g.dairy = found
    g.pop("here", None)
    return _file()


def _file() -> Response:
    entries = (
        replace(each, words=ours.ours(each.words), more=ours.ours(each.more))
        for each in ahead.entries(here())
    )
    body = write(dairy().name, entries, here().now)
    response = Response(body, mimetype="text/calendar")
    response.headers["Content-Disposition"] = 'attachment; filename="open-pail.ics"'
    response.headers["Cache-Control"] = "no-store"
    return response


@blueprint.post("/calendar/key")
@needs("dairy.write")
def set_key() -> Page:
    """Make the secret address, make it anew, or end it."""
    key = "" if "end" in request.form else secrets.token_urlsafe(24)
    things.set_calendar_key(here(), key)
    return redirect(url_for("calendar.page", _anchor="file"))
