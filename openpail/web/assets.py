"""Static files under names that carry their hash, so that a browser may keep them for ever."""

from __future__ import annotations

import hashlib
import mimetypes
import re
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
_NAMES_OTHERS = {".css", ".js"}
_NAMED = re.compile(
    r"""(?P<before>url\(|\bfrom "|\bimport ")/static/(?P<name>[^")]+)(?P<after>[")])"""
)
_SERVED = {".css", ".js", ".woff2", ".svg", ".png", ".wav"}

blueprint = Blueprint("assets", __name__)


def install(app: Flask) -> None:
    """Read the files once, give templates `asset("css/pail.css")`, serve the hashed names."""
    shelf = Shelf(dict(_files()))
    app.extensions["assets"] = shelf.by_path
    app.jinja_env.globals["asset"] = shelf.url
    app.register_blueprint(blueprint)


class Shelf:
    """The files by the names that they are served under.

    What a file names of others (a font in a sheet, a module in a script) is named by its hash too,
    so that a change below changes all above.
    """

    def __init__(self, plain: dict[str, bytes]) -> None:
        self._plain = plain
        self._urls: dict[str, str] = {}
        self.by_path: dict[str, tuple[bytes, str]] = {}
        for name in plain:
            self.url(name)

    def url(self, name: str) -> str:
        """Where a file is served, by its plain name. Raises: KeyError, where it is not there."""
        if name not in self._urls:
            body, suffix = self._plain[name], Path(name).suffix
            if suffix in _NAMES_OTHERS:
                body = _NAMED.sub(self._hashed, body.decode()).encode()
            digest = hashlib.sha256(body).hexdigest()[:12]
            hashed = f"{name.removesuffix(suffix)}.{digest}{suffix}"
            self.by_path[hashed] = (
                body,
                mimetypes.guess_type(name)[0] or "application/octet-stream",
            )
            self._urls[name] = f"/static/{hashed}"
        return self._urls[name]

    def _hashed(self, found: re.Match[str]) -> str:
        return f"{found['before']}{self.url(found['name'])}{found['after']}"


def _files() -> Iterator[tuple[str, bytes]]:
    """Every file by its name: what lies in static/, each station's script, and the one sheet."""
    for file in sorted(STATIC.rglob("*")):
        if file.suffix in _SERVED:
            yield file.relative_to(STATIC).as_posix(), file.read_bytes()
    for file in sorted(WEB.glob("*/*.js")):
        yield file.relative_to(WEB).as_posix(), file.read_bytes()
    sheets = [WEB / f"{name}.css" for name in _STYLES]
    text = "\n".join(sheet.read_text("utf-8") for sheet in sheets)
    yield "css/pail.css", text.encode()


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
