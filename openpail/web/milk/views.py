"""Milk: the shelf, new milk, a pail with its slips, and what became of it."""

from __future__ import annotations

import uuid

from flask import Blueprint, redirect, render_template, request, url_for
from wtforms import Field

from openpail.craft.errors import CraftError, PailError, RecordError
from openpail.craft.milk.kinds import BREEDS, TREATMENTS
from openpail.web.edge import Page, form_id, here, jars, local, needs, now, refuse
from openpail.web.milk.forms import (
    FIELD_OF,
    AwayForm,
    MendForm,
    MilkForm,
    NotedForm,
    SkimForm,
    TakenBackForm,
    TestForm,
    read_slip,
)
from openpail.web.ui import done
from openpail.web.ui.fields import blame
from openpail.work.milk import heating, herds, noted
from openpail.work.milk import lots as milk
from openpail.work.milk.lots import MilkLot, Went

_LONGEST_ID = 40
blueprint = Blueprint("milk", __name__, template_folder="templates")


@blueprint.get("/milk")
@needs("dairy.read")
def page() -> Page:
    """The pails on their shelf, and the form for new milk."""
    return _shelf(form=_new_form())


def _new_form() -> MilkForm:
    own = herds.herds(here())
    form = MilkForm().of(own)
    if not form.milked.data and not form.is_submitted():
        form.milked.data = f"{local(now()):%Y-%m-%dT%H:%M}"
        last = milk.last_herd(here())
        form.breed.data = str(last or own[0].id) if own else "goat"
    return form


def _shelf(form: MilkForm | None = None, lot: MilkLot | None = None, **more: object) -> Page:
    return render_template(
        "milk/page.html",
        pails=milk.pails(here(), here().waiting),
        form=form,
        lot=lot,
        left_l=milk.left_l,
        poured_l=here().poured_l,
        in_freezer=milk.in_freezer,
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
            lot = milk.take_in(here(), form.new_milk(), slip, source=form.way)
        except PailError as error:
            refuse()
            blame(_field_of(form, error), error.words)
        else:
            return redirect(url_for("milk.one", lot_id=lot.id))
    return _shelf(form=form)


def _field_of(form: TestForm, error: PailError) -> Field:
    """The field that an error's words are about."""
    name = FIELD_OF.get(error.about, error.about if error.about in form else "amount")
    return form[name] if name in form else form["fat"]


@blueprint.get("/milk/<uuid:lot_id>")
@needs("dairy.read")
def one(lot_id: uuid.UUID) -> Page:
    """One pail: its slips, its age, what it is fit for, what became of it."""
    return _one(lot_id)


def _one(
    lot_id: uuid.UUID,
    *,
    test: TestForm | None = None,
    away_form: AwayForm | None = None,
    said: str = "",
    mend_form: MendForm | None = None,
    noted_form: NotedForm | None = None,
    back_form: TakenBackForm | None = None,
    skim_form: SkimForm | None = None,
    back_of: str = "",
) -> Page:
    at = milk.one(here(), lot_id)
    return _shelf(
        lot=at.pail.lot,
        made_of=at.made_of,
        pour=at.pour,
        fitness=at.pail.fitness,
        meanings=at.meanings,
        age=at.pail.age_h,
        test=test or TestForm(formdata=None),
        test_open=test is not None,
        away_form=away_form or AwayForm(formdata=None),
        away_open=away_form is not None,
        mend_form=mend_form or MendForm(formdata=None).of(herds.herds(here())),
        mend_open=mend_form is not None,
        noted_form=noted_form or NotedForm(formdata=None),
        noted_open=noted_form is not None,
        noted=noted.noted(here(), at.pail.lot),
        said_so=list(noted.said_so(at.pail.lot)),
        back_form=lambda of: (
            back_form if back_form and of == back_of else TakenBackForm(formdata=None, prefix=of)
        ),
        back_of=back_of,
        skim_form=skim_form or SkimForm(formdata=None),
        skim_open=skim_form is not None,
        may_skim=milk.may_skim(at.pail.lot),
        skim_says=milk.skim_says(at.pail.lot),
        new_id=uuid.uuid4,
        untouched=at.untouched,
        gone_at=at.gone_at,
        said=said,
        went=[(each, _way_to(each)) for each in at.went],
        part_of=at.part_of,
        poured=here().poured.get(lot_id, ()),
        vat_name=lambda bench: here().vat(bench.vat_id).name,
    )


def _way_to(went: Went) -> str:
    """Where a part of a lot is looked at: its make, its cream; "" for elsewhere."""
    if went.make:
        return url_for("vat.page", make_id=went.make.id)
    return url_for("milk.one", lot_id=went.cream.id) if went.cream else ""


@blueprint.post("/milk/<uuid:lot_id>/test")
@needs("milk.write")
def add_test(lot_id: uuid.UUID) -> Page:
    """A test slip comes later."""
    lot = milk.find(here(), lot_id)
    form = TestForm()
    if form.validate_on_submit():
        if form.is_blank:
            blame(form.fat, "Nothing is written on the slip yet.")
        else:
            try:
                milk.add_slip(here(), lot, form.slip(), source=form.way)
            except CraftError as error:
                refuse()
                blame(_field_of(form, error), error.words)
            else:
                return redirect(url_for("milk.one", lot_id=lot_id))
    return _one(lot_id, test=form)


@blueprint.post("/milk/<uuid:lot_id>/analyser")
@needs("milk.write")
def from_analyser(lot_id: uuid.UUID) -> Page:
    """Read the cup in the analyser; what it says is shown, and kept only when the maker does."""
    lot = milk.find(here(), lot_id)
    try:
        reading = milk.off_the_analyser(here(), lot)
    except PailError as error:
        return _one(lot_id, test=TestForm(formdata=None), said=error.words)
    again = " It took a second try." if reading.tries > 1 else ""
    words = f"Read from the analyser.{again} Look at it, then keep it."
    return _one(lot_id, test=read_slip(reading.test), said=words)


@blueprint.post("/milk/<uuid:lot_id>/mend")
@needs("milk.write")
def mend(lot_id: uuid.UUID) -> Page:
    """What was noted of it was otherwise: how much, when, whose."""
    lot = milk.find(here(), lot_id)
    form = MendForm().of(herds.herds(here()))
    if form.validate_on_submit():
        breed, herd = form.whose()
        try:
            milk.mend(
                here(),
                lot,
                amount=form.amount.amount,
                collected_at=form.milked.moment,
                breed=breed,
                herd=herd,
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
    lot = milk.find(here(), lot_id)
    form = AwayForm()
    if form.validate_on_submit():
        try:
            is_gone = milk.send_away(
                here(), lot, form.kind.data, form.amount.base, form.note.data or ""
            )
        except PailError as error:
            refuse()
            blame(form.amount, error.words)
        else:
            if is_gone:
                return redirect(url_for("milk.page"))
            return redirect(url_for("milk.one", lot_id=lot_id))
    return _one(lot_id, away_form=form)


@blueprint.post("/milk/<uuid:lot_id>/skim")
@needs("milk.write")
def skim(lot_id: uuid.UUID) -> Page:
    """Its cream is taken off by hand, and kept apart."""
    lot, form = milk.find(here(), lot_id), SkimForm()
    if form.validate_on_submit():
        try:
            cream = milk.skim(here(), lot, form.amount.base or 0.0)
        except PailError as error:
            blame(form.amount, error.words)
        else:
            return redirect(url_for("milk.one", lot_id=cream.id))
    refuse()
    return _one(lot_id, skim_form=form)


@blueprint.post("/milk/<uuid:lot_id>/noted")
@needs("milk.write")
def note(lot_id: uuid.UUID) -> Page:
    """It came out later that something was so of it."""
    lot, form = milk.find(here(), lot_id), NotedForm()
    if form.validate_on_submit():
        why, event = form.why.data or "", form_id("event")
        try:
            noted.note(here(), lot, form.fact.data or "", is_so=True, why=why, deed_id=event)
        except RecordError as error:
            blame(form[error.about or "fact"], error.words)
        else:
            return redirect(url_for("milk.one", lot_id=lot_id))
    refuse()
    return _one(lot_id, noted_form=form)


@blueprint.post("/milk/<uuid:lot_id>/cooled")
@needs("milk.write")
def cooled(lot_id: uuid.UUID) -> Page:
    """Whey that ran off is in the cold now."""
    try:
        noted.cooled(here(), milk.find(here(), lot_id), form_id("event"))
    except RecordError as error:
        refuse()
        return _one(lot_id, said=error.words)
    return redirect(url_for("milk.one", lot_id=lot_id))


@blueprint.post("/milk/<uuid:lot_id>/not-so")
@needs("milk.write")
def not_so(lot_id: uuid.UUID) -> Page:
    """What was told of it, or one of its slips, is not so after all: it stays in the record."""
    of = request.form.get("of", "")[:_LONGEST_ID]
    lot, form = milk.find(here(), lot_id), TakenBackForm(prefix=of)
    why = form.why.data or ""
    if form.validate_on_submit():
        try:
            if of in noted.WORDS:
                event = form_id("event")
                noted.note(here(), lot, of, is_so=False, why=why, deed_id=event)
            else:
                noted.take_slip_back(here(), lot, form_id("of"), why)
        except RecordError as error:
            blame(form.why, error.words)
        else:
            return redirect(url_for("milk.one", lot_id=lot_id))
    refuse()
    return _one(lot_id, back_form=form, back_of=of)


@blueprint.post("/milk/<uuid:lot_id>/thaw")
@needs("milk.write")
def thaw(lot_id: uuid.UUID) -> Page:
    """The milk leaves the freezer, or (`back`) did not."""
    lot = milk.find(here(), lot_id)
    if request.form.get("back"):
        milk.freeze_again(here(), lot)
        done.forget()
    else:
        milk.thaw(here(), lot)
        done.tell(f"Into the fridge: {lot.name}", request.path, back="1")
    if request.form.get("from") == "today":
        return redirect(url_for("today.page"))
    if request.form.get("plan"):
        return redirect(url_for("plan.page", plan_id=form_id("plan")))
    return redirect(url_for("milk.one", lot_id=lot_id))
