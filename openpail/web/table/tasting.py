"""A tasting: set out for those who taste, one word each, opened once all have."""

from __future__ import annotations

import uuid
from collections.abc import Callable

from flask import Blueprint, redirect, render_template, request, url_for
from flask_login import current_user

from openpail.craft.cave.deeds import (
    AGAIN,
    ASPECTS,
    COOK,
    FAULTS,
    MARKS,
    STRETCH,
    Tasted,
    read_deed,
)
from openpail.craft.cave.tasting import OUTCOMES
from openpail.craft.errors import PailError
from openpail.web.edge import Page, form_id, here, needs, refuse
from openpail.work.table import tasting

blueprint = Blueprint("tasting", __name__, template_folder="templates")
_TEXTS = ("again", "next_time", "cook", "stretch", "words")


@blueprint.get("/table/piece/<uuid:piece_id>")
@needs("dairy.read")
def page(piece_id: uuid.UUID) -> Page:
    """A piece at the table."""
    return _page(piece_id)


def _page(piece_id: uuid.UUID, errors: dict[str, str] | None = None) -> str:
    at = tasting.at_table(here(), piece_id)
    form = request.form
    me = current_user.person.name or current_user.person.login
    return render_template(
        "table/taste.html",
        at=at,
        row=at.piece.row,
        make=at.piece.make,
        me=me,
        aspects=ASPECTS,
        marks=MARKS,
        ladder_of_marks=[(mark, mark) for mark in MARKS],
        faults=FAULTS,
        again=AGAIN,
        cook=COOK,
        stretch=STRETCH,
        outcomes=OUTCOMES,
        typed=form,
        ticked=set(form.getlist("faults")),
        errors=errors or {},
        new_id=uuid.uuid4,
    )


@blueprint.post("/table/piece/<uuid:piece_id>/set-out")
@needs("care.write")
def set_out(piece_id: uuid.UUID) -> Page:
    """It is set out for those who taste."""
    names = request.form.get("tasters", "").replace("\n", ",").split(",")
    word = request.form.get("word", "").strip()

    def work() -> None:
        tasting.set_out(here(), piece_id, names, form_id("event"), word)

    return _told(piece_id, "tasters", work)


@blueprint.post("/table/piece/<uuid:piece_id>/taste")
@needs("care.write")
def taste(piece_id: uuid.UUID) -> Page:
    """One taster's own word."""
    form = request.form
    plain: dict[str, object] = {name: form.get(name, "").strip() for name in (*ASPECTS, *_TEXTS)}
    plain = {name: text for name, text in plain.items() if text}
    plain |= {name: form.get(name, "") for name in ("tasting", "taster")}
    plain["faults"] = form.getlist("faults")
    sent = request.files.get("photo")

    def work() -> None:
        deed = read_deed("tasted", plain)
        assert isinstance(deed, Tasted)
        photo = sent.read() if sent else b""
        tasting.taste(here(), piece_id, deed, form_id("event"), photo)

    return _told(piece_id, "taste", work)


@blueprint.post("/table/piece/<uuid:piece_id>/open")
@needs("care.write")
def open_to_all(piece_id: uuid.UUID) -> Page:
    """A tasting is opened before everybody tasted."""
    key = request.form.get("tasting", "")

    def work() -> None:
        tasting.open_to_all(here(), piece_id, key, form_id("event"))

    return _told(piece_id, "tasting", work)


def _told(piece_id: uuid.UUID, main: str, work: Callable[[], None]) -> Page:
    try:
        work()
    except PailError as error:
        refuse()
        about = error.about
        return _page(piece_id, {about or main: error.words}), 422
    return redirect(url_for("tasting.page", piece_id=piece_id))
