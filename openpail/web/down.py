"""The database does not answer: a page that needs none; what was typed stays, to be sent again."""

from __future__ import annotations

import logging
import secrets

from flask import Flask, current_app, g, render_template, request
from sqlalchemy.exc import DBAPIError, OperationalError, TimeoutError

from openpail.web import edge
from openpail.web.seal import SEALS

_log = logging.getLogger("openpail")
# What PostgreSQL says is wrong (its SQLSTATE), in words that help.
_WORDS = {
    "53100": "The disk of the machine that runs Open Pail is full. Make room on it.",
    "53300": "Too many at one time. Wait a little.",
    "57P03": "The database is just starting.",
}
_SILENT = "The database does not answer. It is most likely being started again."
_SECRET = ("password",)


def install(app: Flask) -> None:
    """Answer for a database that is away, or full."""
    app.register_error_handler(OperationalError, _page)
    app.register_error_handler(TimeoutError, _page)


def _page(error: OperationalError | TimeoutError) -> tuple[str, int]:
    number = secrets.token_hex(4)
    _log.error("no database, %s at %s %s: %s", number, request.method, request.path, error)
    edge.let_go()
    g.pop("dairy", None)
    # Whoever it is: to ask would need the database.
    g._login_user = current_app.login_manager.anonymous_user()  # type: ignore[attr-defined]
    state = getattr(error.orig, "sqlstate", "") if isinstance(error, DBAPIError) else "53300"
    kept = [
        (name, value)
        for name, value in request.form.items(multi=True)
        if name not in SEALS and not any(each in name for each in _SECRET)
    ]
    html = render_template(
        "ui/down.html",
        words=_WORDS.get(state or "", _SILENT),
        number=number,
        sent=request.method == "POST" and not request.is_json,
        action=request.full_path.rstrip("?"),
        kept=kept,
        once=request.form.get("once", ""),
        files=[name for name, file in request.files.items(multi=True) if file.filename],
    )
    return html, 503
