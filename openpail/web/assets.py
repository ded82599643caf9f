"""Static files under names that carry their hash, so that a browser may keep them for ever."""

from __future__ import annotations

import hashlib
import mimetypes
from pathlib import Path

from flask import Blueprint, Flask, Response, abort, current_app

from openpail.web.edge import Page, public

STATIC = Path(__file__).parent / "static"
_SERVED = {".css", ".js", ".woff2", ".svg", ".png"}

blueprint = Blueprint("assets", __name__)


def install(app: Flask) -> None:
    """Read the files once, give templates `asset("css/pail.css")`, serve the hashed names."""
    by_name: dict[str, str] = {}
    by_path: dict[str, tuple[bytes, str]] = {}
    for file in sorted(STATIC.rglob("*")):
        if file.suffix not in _SERVED:
            continue
        body = file.read_bytes()
        name = file.relative_to(STATIC).as_posix()
        digest = hashlib.sha256(body).hexdigest()[:12]
        hashed = f"{name.removesuffix(file.suffix)}.{digest}{file.suffix}"
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
