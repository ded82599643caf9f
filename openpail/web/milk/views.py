"""Milk: the shelf, new milk, a test."""

from __future__ import annotations

import uuid

from flask import Blueprint, redirect, render_template, url_for
from wtforms import Field

from openpail.craft.errors import CraftError
from openpail.craft.milk import BREEDS, TREATMENTS
from openpail.records.errors import RecordError
from openpail.records.milk import actions as milk
from openpail.records.milk.models import MilkLot
from openpail.web.edge import Page, dairy, db, house, local, may, needs, now, person_id, refuse
from openpail.web.milk.forms import MilkForm, TestForm
from openpail.web.ui.fields import blame

blueprint = Blueprint("milk", __name__, template_folder="templates")


@blueprint.get("/milk")
@needs("dairy.read")
def page() -> Page:
    """The pails on their shelf, and the form for new milk."""
    return _shelf(form=_new_form())


def _new_form() -> MilkForm:
    form = MilkForm()
    if not form.milked.data and not form.is_submitted():
        form.milked.data = f"{local(now()):%Y-%m-%dT%H:%M}"
        form.breed.data = "goat"
    return form


def _shelf(form: MilkForm | None = None, lot: MilkLot | None = None, **more: object) -> Page:
    moment = now()
    pails = [
        (each, milk.fitness_of(each, moment, house()), milk.hours_old(each, moment))
        for each in milk.waiting(db(), dairy())
    ]
    return render_template(
        "milk/page.html",
        pails=pails,
        form=form,
        lot=lot,
        left_l=milk.left_l,
        breeds=BREEDS,
        treatments=TREATMENTS,
        **more,
    )


@blueprint.post("/milk")
@needs("milk.write")
def new() -> Page:
    """Milk comes in."""
    form = _new_form()
    if form.validate_on_submit():
        try:
            slip = None if form.is_blank else form.slip()
            lot = milk.take_in(db(), dairy(), form.new_milk(), now(), house(), slip, person_id())
        except (CraftError, RecordError) as error:
            refuse()
            blame(_field_of(form, error), error.words)
        else:
            return redirect(url_for("milk.one", lot_id=lot.id))
    return _shelf(form=form)


def _field_of(form: TestForm, error: CraftError | RecordError) -> Field:
    """The field an error's words belong to, by what they speak of."""
    names = {"Fat": "fat", "Protein": "protein", "Casein": "casein", "pH": "ph"}
    first = error.words.split()[0]
    if first in names:
        return form[names[first]]
    if getattr(error, "field", "") == "collected_at":
        return form["milked"]
    if "°C" in error.words and "celsius" in form:
        return form["celsius"]
    return form["amount"] if "amount" in form else form["fat"]


@blueprint.get("/milk/<uuid:lot_id>")
@needs("dairy.read")
def one(lot_id: uuid.UUID) -> Page:
    """One pail: its test, its age, what it is fit for."""
    return _one(lot_id, TestForm())


def _one(lot_id: uuid.UUID, test: TestForm) -> Page:
    lot = milk.lot(db(), dairy(), lot_id)
    made_of = milk.composition_of(lot, house())
    pour = milk.pour_of(lot, now(), house()) if lot.left_kg > 0.01 else None
    return _shelf(
        lot=lot,
        made_of=made_of,
        pour=pour,
        fitness=milk.fitness_of(lot, now(), house()),
        age=milk.hours_old(lot, now()),
        test=test if may("milk.write") else None,
    )


@blueprint.post("/milk/<uuid:lot_id>/test")
@needs("milk.write")
def add_test(lot_id: uuid.UUID) -> Page:
    """A test slip comes later."""
    lot = milk.lot(db(), dairy(), lot_id)
    form = TestForm()
    if form.validate_on_submit():
        if form.is_blank:
            blame(form.fat, "Nothing is written on the slip yet.")
        else:
            try:
                milk.add_test(db(), lot, form.slip(), now(), house(), person_id())
            except CraftError as error:
                refuse()
                blame(_field_of(form, error), error.words)
            else:
                return redirect(url_for("milk.one", lot_id=lot.id))
    return _one(lot_id, form)


@blueprint.post("/milk/<uuid:lot_id>/away")
@needs("milk.write")
def away(lot_id: uuid.UUID) -> Page:
    """The rest is fed or thrown away."""
    milk.pour_away(db(), milk.lot(db(), dairy(), lot_id))
    return redirect(url_for("milk.page"))
