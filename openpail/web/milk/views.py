"""Milk: the shelf, new milk, a pail with its slips, and what became of it."""

from __future__ import annotations

import uuid

from flask import Blueprint, redirect, render_template, request, url_for
from wtforms import Field

from openpail.craft.errors import CraftError, PailError, RecordError
from openpail.craft.milk.kinds import BREEDS, TREATMENTS
from openpail.instruments.analyser.reader import read
from openpail.instruments.wire import NoReading
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import USES, MilkLot
from openpail.web.edge import (
    Page,
    dairy,
    db,
    form_id,
    here,
    house,
    jars,
    known,
    local,
    needs,
    now,
    person_id,
    refuse,
)
from openpail.web.milk.forms import FIELD_OF, AwayForm, MendForm, MilkForm, TestForm, read_slip
from openpail.web.ui import done
from openpail.web.ui.fields import blame
from openpail.work import heating

blueprint = Blueprint("milk", __name__, template_folder="templates")


@blueprint.get("/milk")
@needs("dairy.read")
def page() -> Page:
    """The pails on their shelf, and the form for new milk."""
    return _shelf(form=_new_form())


def _new_form() -> MilkForm:
    herds = slips.herds(db(), dairy())
    form = MilkForm().of(herds)
    if not form.milked.data and not form.is_submitted():
        form.milked.data = f"{local(now()):%Y-%m-%dT%H:%M}"
        last = milk.last_herd(db(), dairy())
        form.breed.data = str(last or herds[0].id) if herds else "goat"
    return form


def _shelf(form: MilkForm | None = None, lot: MilkLot | None = None, **more: object) -> Page:
    pails = [
        (each, slips.fitness_of(each, known()), slips.hours_old(each, now()))
        for each in milk.waiting(db(), dairy())
    ]
    return render_template(
        "milk/page.html",
        pails=pails,
        form=form,
        lot=lot,
        left_l=slips.left_l,
        poured_l=here().poured_l,
        in_freezer=slips.in_freezer,
        breeds=BREEDS,
        treatments=TREATMENTS,
        may_be_heated=lambda lot: heating.may_be_heated(here(), lot),
        jars=jars(),
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
            lot = milk.take_in(
                db(),
                dairy(),
                form.new_milk(),
                now=now(),
                house=house(),
                test=slip,
                person_id=person_id(),
                source=form.way,
            )
        except PailError as error:
            refuse()
            blame(_field_of(form, error), error.words)
        else:
            return redirect(url_for("milk.one", lot_id=lot.id))
    return _shelf(form=form)


def _field_of(form: TestForm, error: PailError) -> Field:
    """The field that an error's words are about."""
    name = FIELD_OF.get(error.about, "amount")
    return form[name] if name in form else form["fat"]


@blueprint.get("/milk/<uuid:lot_id>")
@needs("dairy.read")
def one(lot_id: uuid.UUID) -> Page:
    """One pail: its slips, its age, what it is fit for, what became of it."""
    return _one(lot_id)


def _one(
    lot_id: uuid.UUID,
    test: TestForm | None = None,
    away_form: AwayForm | None = None,
    said: str = "",
    mend_form: MendForm | None = None,
) -> Page:
    lot = milk.lot(db(), dairy(), lot_id)
    made_of = slips.composition_of(lot, house(), known().herd_of(lot))
    there = lot.left_kg > 0.01
    return _shelf(
        lot=lot,
        made_of=made_of,
        pour=slips.pour_of(lot, known()) if there and not slips.in_freezer(lot) else None,
        fitness=slips.fitness_of(lot, known()),
        age=slips.hours_old(lot, now()),
        test=test or TestForm(formdata=None),
        test_open=test is not None,
        away_form=away_form or AwayForm(formdata=None),
        away_open=away_form is not None,
        mend_form=mend_form or MendForm(formdata=None).of(slips.herds(db(), dairy())),
        mend_open=mend_form is not None,
        untouched=not lot.uses and lot.left_kg >= lot.mass_kg - 1e-6 and lot.kind != "whey",
        said=said,
        went=_went(lot),
        part_of=milk.part_of(db(), lot) if lot.kind == "cream" else None,
        poured=here().poured.get(lot.id, ()),
        vat_name=lambda bench: here().vat(bench.vat_id).name,
    )


def _went(lot: MilkLot) -> list[tuple[str, str, float]]:
    """What became of a lot, with the way to it: a make, or elsewhere, kg."""
    rows = [
        (f"make {make.number}, {make.name}", url_for("vat.page", make_id=make.id), part.mass_kg)
        for part, make in makes.of_lot(db(), lot)
    ]
    creams = {part.created_at: part for part in milk.parts_of(db(), lot)}
    for use in lot.uses:
        words = USES[use.kind] + (f", {use.note}" if use.note else "")
        cream = creams.get(use.at) if use.kind == "skimmed" else None
        href = url_for("milk.one", lot_id=cream.id) if cream else ""
        rows.append((words, href, use.mass_kg))
    return rows


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
                slips.add_test(
                    db(),
                    lot,
                    form.slip(),
                    now=now(),
                    house=house(),
                    person_id=person_id(),
                    source=form.way,
                )
            except CraftError as error:
                refuse()
                blame(_field_of(form, error), error.words)
            else:
                return redirect(url_for("milk.one", lot_id=lot_id))
    return _one(lot_id, form)


@blueprint.post("/milk/<uuid:lot_id>/analyser")
@needs("milk.write")
def from_analyser(lot_id: uuid.UUID) -> Page:
    """Read the cup in the analyser; what it says is shown, and kept only when the maker does."""
    lot = milk.lot(db(), dairy(), lot_id)
    try:
        reading = read(dairy().analyser, f"lot-{lot.number}")
    except NoReading as error:
        return _one(lot_id, TestForm(formdata=None), said=error.words)
    again = " It took a second try." if reading.tries > 1 else ""
    words = f"Read from the analyser.{again} Look at it, then keep it."
    return _one(lot_id, read_slip(reading.test), said=words)


@blueprint.post("/milk/<uuid:lot_id>/mend")
@needs("milk.write")
def mend(lot_id: uuid.UUID) -> Page:
    """What was noted of it was otherwise: how much, when, whose."""
    lot = milk.lot(db(), dairy(), lot_id)
    form = MendForm().of(slips.herds(db(), dairy()))
    if form.validate_on_submit():
        breed, herd = form.whose()
        try:
            milk.mend(
                db(),
                dairy(),
                lot,
                amount=form.amount.amount,
                collected_at=form.milked.moment,
                breed=breed,
                herd=herd,
                now=now(),
                house=house(),
            )
        except PailError as error:
            about = error.about if isinstance(error, RecordError) else "amount"
            blame({"milked": form.milked}.get(about, form.amount), error.words)
        else:
            return redirect(url_for("milk.one", lot_id=lot_id))
    refuse()
    return _one(lot_id, mend_form=form)


@blueprint.post("/milk/<uuid:lot_id>/away")
@needs("milk.write")
def away(lot_id: uuid.UUID) -> Page:
    """Some of it, or the rest, is fed, given or thrown away."""
    lot = milk.lot(db(), dairy(), lot_id)
    form = AwayForm()
    if form.validate_on_submit():
        try:
            milk.send_elsewhere(
                db(),
                lot,
                form.kind.data,
                litres=form.amount.base,
                now=now(),
                note=form.note.data or "",
                person_id=person_id(),
            )
        except PailError as error:
            refuse()
            blame(form.amount, error.words)
        else:
            return redirect(
                url_for(
                    "milk.page" if lot.left_kg < 0.01 else "milk.one",
                    lot_id=lot_id if lot.left_kg >= 0.01 else None,
                )
            )
    return _one(lot_id, away_form=form)


@blueprint.post("/milk/<uuid:lot_id>/thaw")
@needs("milk.write")
def thaw(lot_id: uuid.UUID) -> Page:
    """The milk leaves the freezer, or (`back`) did not."""
    lot = milk.lot(db(), dairy(), lot_id)
    if request.form.get("back"):
        milk.freeze_again(db(), dairy(), lot, now())
        done.forget()
    else:
        milk.thaw(db(), dairy(), lot, now())
        done.tell(f"Into the fridge: {lot.name}", request.path, back="1")
    if request.form.get("from") == "today":
        return redirect(url_for("today.page"))
    if request.form.get("plan"):
        return redirect(url_for("plan.page", plan_id=form_id("plan")))
    return redirect(url_for("milk.one", lot_id=lot_id))
