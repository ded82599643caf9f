"""The four first steps: each kept as it is told, the next one asked for."""

from __future__ import annotations

from collections.abc import Callable

from flask import Blueprint, redirect, render_template, request, url_for
from flask_wtf import FlaskForm

from openpail.web.edge import Page, here, needs
from openpail.web.milk.forms import FIELD_OF, HerdForm, MilkForm
from openpail.web.settings.forms import VatForm
from openpail.web.ui.fields import kept
from openpail.work.dairy import own as things
from openpail.work.milk import herds as at_herds
from openpail.work.milk import lots as at_milk
from openpail.work.sheet.first import Step, first_hour

blueprint = Blueprint("first", __name__, template_folder="templates")


@blueprint.get("/first")
@needs("dairy.read")
def page() -> Page:
    """The step that comes next; `step` asks for milk before any animals are told."""
    return _page()


def _page(step: Step | None = None, form: FlaskForm | None = None) -> Page:
    hour = first_hour(here())
    if hour is None:
        return redirect(url_for("today.page"))
    skips = hour.next == "herd" and request.args.get("step") == "milk"
    asked = step or ("milk" if skips else hour.next)
    return render_template(
        "first/page.html",
        hour=hour,
        asked=asked,
        form=form or _form_of(asked),
        left_l=here().free_l,
    )


def _form_of(step: Step) -> FlaskForm | None:
    if step == "vat":
        return VatForm(formdata=None)
    if step == "herd":
        return HerdForm(formdata=None)
    return _milk_form() if step == "milk" else None


def _milk_form() -> MilkForm:
    herds = at_herds.herds(here())
    form = MilkForm().of(herds)
    if not form.is_submitted():
        form.breed.data = str(herds[0].id) if herds else "cow_lowland"
    return form


@blueprint.post("/first/vat")
@needs("dairy.write")
def vat() -> Page:
    """The first vat."""
    form = VatForm()
    return _keep(
        "vat",
        form,
        lambda: things.add_vat(
            here(), form.name.data or "", form.brim.base or 0.0, form.diameter.base
        ),
    )


@blueprint.post("/first/herd")
@needs("milk.write")
def herd() -> Page:
    """The first animals."""
    form = HerdForm()
    return _keep(
        "herd",
        form,
        lambda: at_herds.add(here(), form.name.data or "", form.breed.data, form.count()),
    )


@blueprint.post("/first/milk")
@needs("milk.write")
def first_milk() -> Page:
    """The first milk, with a fat and protein test where there is one."""
    form = _milk_form()
    return _keep(
        "milk",
        form,
        lambda: at_milk.take_in(
            here(), form.new_milk(), None if form.is_blank else form.slip(), source="hand"
        ),
    )


def _keep(step: Step, form: FlaskForm, act: Callable[[], object]) -> Page:
    main = "amount" if "amount" in form else "name"
    if kept(form, act, main, FIELD_OF):
        return redirect(url_for("first.page"))
    return _page(step, form)
