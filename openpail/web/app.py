"""The application factory."""

from __future__ import annotations

import logging
import secrets
from datetime import timedelta
from urllib.parse import urlsplit

from flask import Flask, Response, g, render_template, request
from flask_compress import Compress
from flask_wtf import CSRFProtect
from flask_wtf.csrf import CSRFError
from sqlalchemy import text
from sqlalchemy.exc import DataError, IntegrityError
from werkzeug.exceptions import HTTPException, SecurityError
from werkzeug.middleware.proxy_fix import ProxyFix

from openpail.craft.errors import CraftError, NotHere, RecordError
from openpail.web import assets, down, edge, seal
from openpail.web.account import sign_in
from openpail.web.account.views import blueprint as account
from openpail.web.bench.views import blueprint as bench
from openpail.web.cave import blueprint as cave
from openpail.web.config import Config, from_environment
from openpail.web.first.views import blueprint as first
from openpail.web.heat.views import blueprint as heat
from openpail.web.logbook.charts import blueprint as charts
from openpail.web.logbook.learnt import blueprint as learnt
from openpail.web.logbook.trials import blueprint as trials
from openpail.web.logbook.views import blueprint as logbook
from openpail.web.milk.book import blueprint as book
from openpail.web.milk.views import blueprint as milk
from openpail.web.people.views import blueprint as people
from openpail.web.plan.calendar import blueprint as calendar
from openpail.web.plan.views import blueprint as plan
from openpail.web.practice.views import blueprint as practice
from openpail.web.press.views import blueprint as press
from openpail.web.recipes.bringing import blueprint as bringing
from openpail.web.recipes.views import blueprint as recipes
from openpail.web.recipes.writing import blueprint as writing
from openpail.web.settings.house import blueprint as house
from openpail.web.settings.instruments import blueprint as instruments
from openpail.web.settings.strength import blueprint as strength
from openpail.web.settings.views import blueprint as settings
from openpail.web.sheet.views import blueprint as sheet
from openpail.web.stock.views import blueprint as stock
from openpail.web.table.tasting import blueprint as tasting
from openpail.web.table.views import blueprint as table
from openpail.web.today.views import blueprint as today
from openpail.web.trace.views import blueprint as trace
from openpail.web.trust.views import blueprint as trust
from openpail.web.ui import named, ours, shell, show
from openpail.web.ui.sent import MOST_FILE_MB, MOST_SENT_BYTES
from openpail.web.ui.shell import blueprint as ui
from openpail.web.vat.views import blueprint as vat
from openpail.web.which.views import blueprint as which
from openpail.work.store import sessions

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; "
    "media-src 'self'; font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; "
    "frame-ancestors 'none'"
)
_log = logging.getLogger("openpail")


def create_app(config: Config | None = None) -> Flask:
    """Build the application. Raises BadConfig when the environment will not do."""
    config = config or from_environment()
    app = Flask(__name__, static_folder=None)
    app.config.update(
        SECRET_KEY=config.secret,
        WTF_CSRF_TIME_LIMIT=None,
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_SECURE=config.secure_cookies or bool(config.authority),
        SESSION_COOKIE_NAME=f"openpail_{config.mode}",
        PERMANENT_SESSION_LIFETIME=timedelta(days=30),
        MAX_CONTENT_LENGTH=MOST_SENT_BYTES,
        MAX_FORM_MEMORY_SIZE=MOST_SENT_BYTES,
        MAX_FORM_PARTS=6000,  # a long recipe is one form
        COMPRESS_MIN_SIZE=400,
        TRUSTED_HOSTS=_hosts(config),
    )
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(levelname)s %(message)s")
    if config.secure_cookies:
        app.wsgi_app = ProxyFix(app.wsgi_app)  # type: ignore[method-assign]
    Compress(app)
    edge.install(app, config, sessions(config.database_url))
    CSRFProtect(app)
    seal.install(app)
    app.jinja_env.globals["most_file_mb"] = MOST_FILE_MB
    sign_in.install(app)
    assets.install(app)
    show.install(app)
    named.install(app)
    ours.install(app)
    shell.install(app)
    for blueprint in (
        ui,
        account,
        people,
        first,
        today,
        milk,
        book,
        bench,
        sheet,
        vat,
        practice,
        press,
        heat,
        cave,
        table,
        tasting,
        logbook,
        learnt,
        charts,
        trials,
        trace,
        recipes,
        writing,
        bringing,
        which,
        plan,
        calendar,
        settings,
        house,
        strength,
        instruments,
        stock,
        trust,
    ):
        app.register_blueprint(blueprint)
    _headers(app)
    _errors(app)
    down.install(app)
    edge.install_commit(app)
    return app


def _hosts(config: Config) -> list[str] | None:
    """Whom a request may ask for, where it was said how we are reached."""
    if not config.address:
        return None
    return [urlsplit(config.address).hostname or "", "127.0.0.1", "localhost", "[::1]"]


def _headers(app: Flask) -> None:
    @app.after_request
    def add(response):  # type: ignore[no-untyped-def]  # noqa: ANN001, ANN202
        response.headers.setdefault("Content-Security-Policy", POLICY)
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "same-origin")
        response.headers.setdefault(
            "Permissions-Policy", "geolocation=(), camera=(), microphone=()"
        )
        response.headers.setdefault("Cross-Origin-Opener-Policy", "same-origin")
        if response.mimetype == "text/html":
            response.headers.setdefault("Cache-Control", "no-store")
        return response


def _errors(app: Flask) -> None:
    def page(status: int, title: str, words: str, number: str = "") -> tuple[str, int]:
        html = render_template("ui/error.html", title=title, words=words, number=number)
        return html, status

    @app.errorhandler(CSRFError)
    def stale(error: CSRFError) -> tuple[str, int]:
        return page(400, "This page was old.", "Go back, load it again, and send once more.")

    @app.errorhandler(CraftError)
    @app.errorhandler(RecordError)
    def refused(error: CraftError | RecordError) -> tuple[str, int]:
        edge.refuse()
        return page(422, "That does not work.", error.words)

    @app.errorhandler(IntegrityError)
    def met(error: IntegrityError) -> tuple[str, int]:
        edge.refuse()
        _log.warning("refused by the database at %s: %s", request.path, error.orig)
        words = "The same was just kept by another hand, or is no more. Go back and look again."
        return page(409, "Two at one time.", words)

    @app.errorhandler(DataError)
    def unkept(error: DataError) -> tuple[str, int]:
        edge.refuse()
        _log.warning("not to be kept, at %s: %s", request.path, error.orig)
        return page(422, "That does not work.", "A figure in it is more than can be kept.")

    @app.errorhandler(NotHere)
    def missing(error: NotHere) -> tuple[str, int]:
        return page(404, "There is nothing here.", "It was moved, or it never was.")

    @app.errorhandler(SecurityError)
    def not_us(error: SecurityError) -> Response:
        """Asked for under another name: there is not even an address to draw a page with."""
        return Response("This dairy does not answer to that name.\n", 400, mimetype="text/plain")

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> tuple[str, int]:
        known = {
            403: ("This is not yours to do.", "Ask the maker of this dairy."),
            404: ("There is nothing here.", "It was moved, or it never was."),
            405: ("Not like this.", "Go back and use the button on the page."),
            413: (
                "That is too large.",
                f"At most {MOST_FILE_MB} MB of text, 5 of a picture, at a time.",
            ),
        }
        title, words = known.get(error.code or 500, (error.name, error.description or ""))
        return page(error.code or 500, title, words)

    @app.errorhandler(Exception)
    def bug(error: Exception) -> tuple[str, int]:
        number = secrets.token_hex(4)
        _log.exception("bug %s at %s %s", number, request.method, request.path)
        edge.refuse()
        g.pop("role", None)
        words = "This is our fault, not yours. Nothing was saved. The log has it by this number."
        return page(500, "Something broke.", words, number)

    @app.get("/health")
    @edge.public
    def health() -> tuple[str, int]:
        """Whether the database answers."""
        edge.db().execute(text("select 1"))
        return "ok\n", 200
