"""The page of five steps by which a phone learns to trust this machine, and the paper it takes."""

from __future__ import annotations

from pathlib import Path

import segno
from flask import Blueprint, Response, abort, current_app, render_template, request, url_for
from markupsafe import Markup

from openpail.web.authority import fingerprint
from openpail.web.config import Config
from openpail.web.edge import Page, public

blueprint = Blueprint("trust", __name__, template_folder="templates")


def _authority() -> Path | None:
    """The certificate of the dairy's own authority; None where it is not served by one."""
    config: Config = current_app.extensions["config"]
    return Path(config.authority) if config.authority else None


@blueprint.get("/trust")
@public
def page() -> Page:
    """Five steps, with the address as a code to be scanned."""
    authority = _authority()
    address = url_for("trust.page", _external=True, _scheme="https")
    code = segno.make(address, error="m", micro=False).svg_inline(border=2, omitsize=True)
    return render_template(
        "trust/page.html",
        authority=authority,
        fingerprint=fingerprint(authority) if authority else "",
        address=address,
        code=Markup(code),  # noqa: S704 (squares, of our own address)
        loopback=request.host.split(":")[0] in ("localhost", "127.0.0.1"),
    )


@blueprint.get("/trust/dairy.crt")
@public
def paper() -> Page:
    """The authority's certificate, as phones take it. It is no secret."""
    authority = _authority()
    if authority is None:
        abort(404)
    answer = Response(authority.read_bytes(), mimetype="application/x-x509-ca-cert")
    answer.headers["Content-Disposition"] = "attachment; filename=dairy.crt"
    return answer
