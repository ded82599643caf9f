"""The seal of a form: the token that it is ours, and an id of its own, by which it is known when it
is sent again."""

from __future__ import annotations

import hashlib
import uuid

from flask import Flask, request
from flask_wtf.csrf import generate_csrf
from markupsafe import Markup

_ID = "once"
SEALS = frozenset({"csrf_token", _ID})


def install(app: Flask) -> None:
    """Give every template the seal that its forms carry."""
    app.jinja_env.globals["seal"] = _seal


def _seal() -> Markup:
    hidden = Markup('<input type="hidden" name="{}" value="{}">')
    return hidden.format("csrf_token", generate_csrf()) + hidden.format(_ID, uuid.uuid4())


def identity() -> uuid.UUID | None:
    """Which form this request sends; None for what carries no id, and for a live form, which is
    answered by a piece of its page.

    What is written in a form is part of it: a page kept open, filled in anew and sent is another.
    """
    if request.method != "POST" or "X-Fragment" in request.headers:
        return None
    try:
        given = uuid.UUID(request.form.get(_ID, ""))
    except ValueError:
        return None
    written = hashlib.sha256(request.path.encode())
    for name, value in request.form.items(multi=True):
        if name != "csrf_token":
            written.update(f"{name}\0{value}\0".encode("utf-8", "surrogatepass"))
    for name, file in request.files.items(multi=True):
        written.update(f"{name}\0{file.filename}\0".encode("utf-8", "surrogatepass"))
        written.update(file.stream.read())
        file.stream.seek(0)
    return uuid.uuid5(given, written.hexdigest())
