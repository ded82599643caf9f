"""The edge of a request: its database session, its dairy, its clock, its permission.

A request is one transaction: committed when the view returned, rolled back when it did not.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable
from datetime import UTC, date, datetime
from functools import wraps
from typing import Any
from zoneinfo import ZoneInfo

from flask import (
    Flask,
    Response,
    abort,
    current_app,
    g,
    make_response,
    redirect,
    request,
    url_for,
)
from flask_login import current_user
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker
from werkzeug.wrappers import Response as BaseResponse

from openpail.craft.house import House
from openpail.web import seal
from openpail.web.config import Config
from openpail.work import store
from openpail.work.dairy.own import Dairy
from openpail.work.dairy.people import ROLES
from openpail.work.here import Here

Page = str | Response | BaseResponse | tuple[str, int]


def install(app: Flask, config: Config, factory: sessionmaker[Session]) -> None:
    """Give every request a session and close it well."""
    app.extensions["config"] = config
    app.extensions["sessions"] = factory

    @app.teardown_request
    def close(error: BaseException | None) -> None:
        session: Session | None = g.pop("db", None)
        if session is not None:
            session.rollback()
            session.close()

    @app.before_request
    def look_at_what_was_sent() -> None:
        """No text that anybody types has a nought in it, and no database takes it."""
        texts = (request.path, *request.args.values(), *request.form.values())
        if any("\x00" in text for text in texts):
            abort(400, "There is a sign in it that cannot be kept: take it out.")


def install_commit(app: Flask) -> None:
    """Commit what a view did, before anything else is done to its answer: if that fails, the answer
    says so. To be installed last."""

    @app.after_request
    def commit(response: Response) -> Response:
        session: Session | None = g.get("db")
        if session is None or response.status_code >= 400 or g.get("refused"):
            return response
        try:
            session.commit()
        except SQLAlchemyError as error:
            return app.make_response(app.handle_user_exception(error))
        return response


def let_go() -> None:
    """Drop the session of a database that does not answer."""
    g.refused = True
    session: Session | None = g.pop("db", None)
    if session is not None:
        session.invalidate()
    g.pop("here", None)


def db() -> Session:
    """This request's database session."""
    if "db" not in g:
        g.db = current_app.extensions["sessions"]()
    session: Session = g.db
    return session


def refuse() -> None:
    """Drop what this request has done so far; the page that follows shows why."""
    g.refused = True
    db().rollback()
    g.pop("own_values", None)
    g.pop("here", None)


def now() -> datetime:
    """The moment, in UTC; stopped when the settings say so."""
    config: Config = current_app.extensions["config"]
    return config.frozen_now or datetime.now(UTC)


def here() -> Here:
    """Where this request asks and does: its session, dairy, moment and person."""
    if "here" not in g:
        person = current_user.person.id if current_user.is_authenticated else None
        g.here = Here(db(), g.dairy, now(), person, g.get("own_values"))
    found: Here = g.here
    return found


def dairy() -> Dairy:
    """The dairy of whoever is signed in."""
    return here().dairy


def zone() -> ZoneInfo:
    """The dairy's time zone."""
    return here().zone


def local(moment: datetime) -> datetime:
    """A moment on the dairy's own clock."""
    return here().local(moment)


def today() -> date:
    """The date at the dairy."""
    return here().today


def house() -> House:
    """The house values in force in this dairy, read once a request."""
    return here().house


def jars() -> dict[str, float]:
    """The dairy's own jars and buckets, read once a request."""
    return here().jars


def person_id() -> uuid.UUID:
    """Who is signed in."""
    found: uuid.UUID = current_user.person.id
    return found


def csv_file(body: str, name: str) -> Response:
    """A table as a file of lines, to be kept."""
    response = Response(body, mimetype="text/csv")
    response.headers["Content-Disposition"] = f"attachment; filename={name}"
    return response


def form_id(name: str) -> uuid.UUID:
    """An id that the page's own form carries; 400 when it is not one."""
    try:
        return uuid.UUID(request.form[name])
    except ValueError:
        abort(400, "This page was not sent whole. Go back, load it again, and send once more.")


def may(permission: str) -> bool:
    """Whether the signed-in person's role holds a permission."""
    return permission in ROLES.get(g.get("role", ""), frozenset())


View = Callable[..., Page]


def needs(permission: str) -> Callable[[View], View]:
    """Name the permission of an endpoint; signed out goes to sign in, without it gets 403."""

    def wrap(view: View) -> View:
        @wraps(view)
        def guarded(*args: Any, **kwargs: Any) -> Page:
            if not current_user.is_authenticated:
                return redirect(url_for("account.sign_in", next=request.full_path))
            if not may(permission):
                abort(403)
            return _once(lambda: view(*args, **kwargs))

        guarded.permission = permission  # type: ignore[attr-defined]
        return guarded

    return wrap


def _once(work: Callable[[], Page]) -> Page:
    """What `work` answers, done no more than once for a form that is sealed with an id."""
    form = seal.identity()
    if form is None or "dairy" not in g:
        return work()
    before = store.answer_begun(here(), form)
    if before:
        return redirect(before)
    answer = make_response(work())
    if not g.get("refused"):  # else the form went with all else that was rolled back
        leads_to = answer.location if answer.status_code in (302, 303) else None
        store.answer_ended(here(), form, leads_to)
    return answer


def public(view: View) -> View:
    """Mark an endpoint that asks for nobody to be signed in."""
    view.permission = "public"  # type: ignore[attr-defined]
    return view
