"""Static files under names that carry their hash, so that a browser may keep them for ever."""

from __future__ import annotations

import hashlib
import mimetypes
from collections.abc import Iterator
from pathlib import Path

from flask import Blueprint, Flask, Response, abort, current_app

from openpail.web.edge import Page, public

WEB = Path(__file__).parent
STATIC = WEB / "static"
# One sheet for every page: the tokens, what all pages share, then each station's, then paper.
_STYLES = (
    "ui/tokens",
    "ui/shell",
    "milk/milk",
    "bench/bench",
    "sheet/sheet",
    "today/today",
    "plan/plan",
    "which/which",
    "cave/cave",
    "table/table",
    "logbook/logbook",
    "recipes/recipes",
    "stock/stock",
    "settings/settings",
    "people/people",
    "first/first",
    "trust/trust",
    "vat/vat",
    "practice/practice",
    "press/press",
    "ui/paper",
)
_SERVED = {".css", ".js", ".woff2", ".svg", ".png", ".wav"}

blueprint = Blueprint("assets", __name__)


def install(app: Flask) -> None:
    """Read the files once, give templates `asset("css/pail.css")`, serve the hashed names."""
    by_name: dict[str, str] = {}
    by_path: dict[str, tuple[bytes, str]] = {}
    for name, body, suffix in _files():
        digest = hashlib.sha256(body).hexdigest()[:12]
        hashed = f"{name.removesuffix(suffix)}.{digest}{suffix}"
        by_name[name] = f"/static/{hashed}"
        by_path[hashed] = (body, mimetypes.guess_type(name)[0] or "application/octet-stream")
    for hashed, (body, kind) in list(by_path.items()):
        if kind == "text/css":  # fonts are named in css by their plain name
            text = body.decode()
            for name, url in by_name.items():
                text = text.replace(f"url(/static/{name})", f"url({url})")
            by_path[hashed] = (text.encode(), kind)
    app.extensions["assets"] = by_path
    app.jinja_env.globals["asset"] = by_name.__getitem__
    app.register_blueprint(blueprint)


def _files() -> Iterator[tuple[str, bytes, str]]:
    """Every file by its name: what lies in static/, each station's script, and the one sheet."""
    for file in sorted(STATIC.rglob("*")):
        if file.suffix in _SERVED:
            yield file.relative_to(STATIC).as_posix(), file.read_bytes(), file.suffix
    for file in sorted(WEB.glob("*/*.js")):
        yield file.relative_to(WEB).as_posix(), file.read_bytes(), file.suffix
    sheets = [WEB / f"{name}.css" for name in _STYLES]
    text = "\n".join(sheet.read_text("utf-8") for sheet in sheets)
    yield "css/pail.css", text.encode(), ".css"


@blueprint.get("/static/<path:hashed>")
@public
def file(hashed: str) -> Page:
    """One static file, kept by the browser for a year."""
    found = current_app.extensions["assets"].get(hashed)
    if not found:
        abort(404)
    body, kind = found
    response = Response(body, mimetype=kind)
    response.cache_control.public = True
    response.cache_control.max_age = 31_536_000
    response.cache_control.immutable = True
    return response
