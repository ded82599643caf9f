"""The table: weigh the cheese, see the yield."""

from __future__ import annotations

import re
import uuid

from flask import Blueprint, redirect, render_template, url_for
from flask_wtf import FlaskForm
from wtforms import TextAreaField

from openpail.craft.errors import CraftError
from openpail.craft.figure import Figure
from openpail.craft.units import parse_amount
from openpail.records.errors import RecordError
from openpail.records.makes import actions as makes
from openpail.records.makes.actions import Report
from openpail.records.makes.models import Make
from openpail.records.pieces import actions as pieces
from openpail.web.edge import Page, dairy, db, form_id, house, needs, now, person_id, refuse, today
from openpail.web.ui import draw
from openpail.web.ui.fields import blame, default_unit
from openpail.web.vat.state import recipe_of, state_of

blueprint = Blueprint("table", __name__, template_folder="templates")


class WeighForm(FlaskForm):
    """The weights of the pieces, one a line."""

    weights = TextAreaField("Weight of each piece, one a line")

    def masses(self) -> list[float]:
        """The weights in kg. Raises CraftError with words for the first that is not one."""
        texts = [text for text in re.split(r"[\n;]", self.weights.data or "") if text.strip()]
        unit = default_unit("mass")
        system = dairy().volume_system
        return [parse_amount(text, "mass", system, unit).base for text in texts]  # type: ignore[arg-type]


@blueprint.get("/table")
@needs("dairy.read")
def index() -> Page:
    """Makes to weigh, and what those weighed gave."""
    rows = []
    laid = pieces.by_make(db(), dairy())
    for make in makes.all_makes(db(), dairy()):
        weighed = laid.get(make.id, [])
        expected = Figure.from_json(make.frozen["cheese"])
        rows.append((make, weighed, expected, sum(piece.mass_kg for piece in weighed)))
    return render_template("table/index.html", rows=rows)


@blueprint.get("/table/<uuid:make_id>")
@needs("dairy.read")
def page(make_id: uuid.UUID) -> Page:
    """One make at the table."""
    return _page(makes.make(db(), dairy(), make_id), WeighForm())


def _page(make: Make, form: WeighForm) -> Page:
    weighed = pieces.of_make(db(), make)
    cares = pieces.next_cares(db(), dairy())
    return render_template(
        "table/page.html",
        make=make,
        form=form,
        pieces=[(piece, cares.get(piece.id)) for piece in weighed],
        real_kg=sum(piece.mass_kg for piece in weighed),
        expected=Figure.from_json(make.frozen["cheese"]),
        milk=Figure.from_json(make.frozen["milk"]["mass"]),
        state=state_of(make),
        new_id=uuid.uuid4,
        balance=draw.balance,
    )


@blueprint.post("/table/<uuid:make_id>")
@needs("make.write")
def weigh(make_id: uuid.UUID) -> Page:
    """The cheese is weighed: its pieces get their care plans and go to rest."""
    make = makes.make(db(), dairy(), make_id)
    form = WeighForm()
    try:
        masses = form.masses()
        pieces.lay_down(db(), dairy(), make, recipe_of(make), masses, today(), house())
    except (CraftError, RecordError) as error:
        refuse()
        blame(form.weights, error.words)
        return _page(make, form)
    event = Report(form_id("event"), "weighed", {"kg": sum(masses)}, now())
    makes.report(db(), dairy(), make, event, now(), person_id())
    makes.rest(db(), make)
    return redirect(url_for("table.page", make_id=make.id))
