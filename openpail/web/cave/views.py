"""The cave: pieces and their next care."""

from __future__ import annotations

import uuid

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.cave.deeds import OUTS
from openpail.craft.errors import CraftError
from openpail.web.cave.forms import BackForm, OutForm
from openpail.web.edge import Page, form_id, here, needs, refuse, today
from openpail.web.ui import done
from openpail.web.ui.fields import blame
from openpail.work import cave

blueprint = Blueprint("cave", __name__, template_folder="templates")


@blueprint.get("/cave")
@needs("dairy.read")
def page() -> Page:
    """Shelves by place, the piece to touch next first; `place` is one shelf whole, by pages."""
    place, number = request.args.get("place", ""), max(0, request.args.get("page", 0, type=int))
    return render_template(
        "cave/page.html",
        shelves=cave.shelves(here(), place, number),
        place=place,
        page=number,
        on_page=cave.ON_PAGE,
        shown=(number + 1) * cave.ON_PAGE,
        today=today(),
        done=done.just_done(),
    )


@blueprint.get("/cave/<uuid:piece_id>")
@needs("dairy.read")
def piece(piece_id: uuid.UUID) -> Page:
    """One piece: its path from the press to the table."""
    return _piece(piece_id, OutForm())


def _piece(piece_id: uuid.UUID, form: OutForm, back: BackForm | None = None) -> Page:
    found = cave.one(here(), piece_id)
    return render_template(
        "cave/piece.html",
        at=found,
        piece=found.piece,
        cares=found.cares,
        today=today(),
        form=form,
        back=back or BackForm(formdata=None),
        outs=OUTS,
        new_id=uuid.uuid4,
    )


@blueprint.post("/cave/<uuid:piece_id>/out")
@needs("care.write")
def goes_out(piece_id: uuid.UUID) -> Page:
    """A piece, or a part of it, is eaten, sold, given or thrown away."""
    form = OutForm()
    if form.validate_on_submit():
        try:
            cave.goes_out(here(), piece_id, form.out(), form_id("event"))
            return redirect(url_for("cave.page"))
        except CraftError as error:
            fields = {"kg": form.kg, "why": form.why}
            blame(fields.get(error.about, form.where), error.words)
    refuse()
    return _piece(piece_id, form)


@blueprint.post("/cave/<uuid:piece_id>/back")
@needs("care.write")
def comes_back(piece_id: uuid.UUID) -> Page:
    """What was told as gone is there after all."""
    form = BackForm()
    if form.validate_on_submit():
        try:
            cave.comes_back(
                here(), piece_id, form_id("out"), form.back.data or "", form_id("event")
            )
            return redirect(url_for("cave.piece", piece_id=piece_id))
        except CraftError as error:
            blame(form.back, error.words)
    refuse()
    return _piece(piece_id, OutForm(formdata=None), form)
