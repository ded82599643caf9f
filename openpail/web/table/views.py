"""The table: weigh the cheese, see the yield."""

from __future__ import annotations

import uuid

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.errors import CraftError
from openpail.instruments.wire import NoReading
from openpail.web.cave.show import looks_of
from openpail.web.edge import Page, form_id, here, needs, refuse
from openpail.web.table.forms import WeighCheeseForm
from openpail.web.ui import draw, show
from openpail.web.ui.fields import blame, written
from openpail.work.table import table, tasting

blueprint = Blueprint("table", __name__, template_folder="templates")


@blueprint.get("/table")
@needs("dairy.read")
def index() -> Page:
    """Makes to weigh, and what those weighed gave."""
    page = max(0, request.args.get("page", 0, type=int))
    rows, older = table.last_makes(here(), page)
    counter = tasting.counter(here()) if not page else None
    looks, symbols = looks_of(here(), (*counter.ready, *counter.soon) if counter else ())
    return render_template(
        "table/index.html",
        rows=rows,
        page=page,
        older=older,
        counter=counter,
        looks=looks,
        symbols_of=symbols.values(),
    )


@blueprint.get("/table/<uuid:make_id>")
@needs("dairy.read")
def page(make_id: uuid.UUID) -> Page:
    """One make at the table."""
    return _page(make_id, WeighCheeseForm())


def _page(make_id: uuid.UUID, form: WeighCheeseForm) -> Page:
    at = table.at_table(here(), make_id)
    expected = () if at.pieces else table.expected_pieces(here(), make_id)
    if not request.form and at.day.standing.out_of_mould:  # nobody types ten weights twice
        form.weights.data = "\n".join(written(kg, "mass", digits=4) for kg in expected)
    return render_template(
        "table/page.html",
        make=at.make,
        form=form,
        pieces=at.pieces,
        real_kg=at.real_kg,
        expected=at.sheet.cheese if at.pieces else at.cheese,
        milk=at.sheet.milk.mass,
        state=at.day,
        new_id=uuid.uuid4,
        balance=draw.balance,
        expected_kg=expected,
        told_weights=", ".join(show.mass(piece.mass_kg) for piece, _ in at.pieces),
    )


@blueprint.post("/table/<uuid:make_id>")
@needs("make.write")
def weigh(make_id: uuid.UUID) -> Page:
    """The cheese is weighed: its pieces get their care plans and go to rest."""
    form = WeighCheeseForm()
    if request.form.get("do") == "scale":
        return _from_scale(make_id, form)
    about = bool(request.form.get("about"))
    try:
        masses = table.expected_pieces(here(), make_id) if about else form.masses()
        answer = table.weigh(
            here(), make_id, masses, form_id("event"), (form.word.data or "").strip(), about=about
        )
    except CraftError as error:
        refuse()
        blame(form.weights, error.words)
        return _page(make_id, form)
    if not answer.is_kept:
        refuse()
        blame(form.word if answer.field == "word" else form.weights, answer.words)
        return _page(make_id, form)
    return redirect(url_for("table.page", make_id=make_id))


def _from_scale(make_id: uuid.UUID, form: WeighCheeseForm) -> Page:
    """What lies on the scale is one more line; it is kept only with the others, when they are laid
    down."""
    lines = [line for line in (form.weights.data or "").splitlines() if line.strip()]
    try:
        lines.append(written(table.on_the_scale(here()), "mass", digits=4))
    except NoReading as nothing:
        blame(form.weights, nothing.words)
    form.weights.data = "\n".join(lines)
    return _page(make_id, form)
