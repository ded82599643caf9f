"""The strength test at home: a cup of today's milk, a measure of rennet, a stopwatch."""

from __future__ import annotations

from flask import Blueprint, redirect, render_template, request, url_for
from flask_wtf import FlaskForm
from wtforms import SelectField

from openpail.craft.errors import CraftError
from openpail.craft.figure import Figure
from openpail.craft.stock import soxhlet
from openpail.web.edge import Page, here, house, may, needs, refuse
from openpail.web.ui.fields import AmountField, LengthField, NumberField, blame, choices
from openpail.work.dairy import stock
from openpail.work.dairy.stock import Bottle

blueprint = Blueprint("strength", __name__, template_folder="templates")


class TestAtHome(FlaskForm):
    """What went into the cup, and how long it took."""

    bottle = SelectField("Bottle", validate_choice=False)
    milk = NumberField("Milk in the cup, mL")
    rennet = NumberField("Rennet in it, mL, undiluted")
    seconds = NumberField("Seconds to the first flocks")
    vat_milk = AmountField("Milk to set", "volume", required=False)
    vat_celsius = AmountField("Set at", "temperature", required=False)
    vat_minutes = LengthField("First flocks in", required=False)

    def of(self, bottles: list[Bottle]) -> TestAtHome:
        """Offer the rennets of the dairy."""
        here = ((str(each.id), each.name) for each in bottles)
        self.bottle.choices = choices(*here, ("", "one that is not on the shelf yet"))
        return self


def _rennets() -> list[Bottle]:
    return stock.bottles(here(), ("rennet",))


@blueprint.get("/dairy/rennet")
@needs("dairy.read")
def page() -> Page:
    """The test, step by step."""
    rennets = _rennets()
    first = str(rennets[0].id) if rennets else ""
    form = TestAtHome(
        formdata=None,
        bottle=request.args.get("bottle", first),
        milk=f"{soxhlet.USUAL_MILK_ML:g}",
        rennet=f"{soxhlet.USUAL_RENNET_ML:g}",
    )
    return _page(form.of(rennets))


def _dose(form: TestAtHome) -> Figure | None:
    """Rennet that sets the vat as the cup set, mL; None until it is told. Raises OutOfRange."""
    milk, celsius, minutes = form.vat_milk.base, form.vat_celsius.base, form.vat_minutes.minutes
    if milk is None or minutes is None:
        return None
    cup = soxhlet.strength(form.milk.number or 0, form.rennet.number or 0, form.seconds.number or 0)
    warm = soxhlet.TEST_C if celsius is None else celsius
    return soxhlet.dose_ml(cup, 1000 * milk, 60 * minutes, warm, house())


def _page(
    form: TestAtHome,
    found: Figure | None = None,
    bottle: Bottle | None = None,
    dose: Figure | None = None,
) -> Page:
    return render_template(
        "settings/strength.html",
        form=form,
        found=found,
        bottle=bottle,
        dose=dose,
        vat_c=soxhlet.TEST_C if form.vat_celsius.base is None else form.vat_celsius.base,
        test_c=soxhlet.TEST_C,
        editable=may("dairy.write"),
    )


@blueprint.post("/dairy/rennet")
@needs("dairy.write")
def work_out() -> Page:
    """What the test says, and, when asked, onto the bottle with it."""
    rennets = _rennets()
    form = TestAtHome().of(rennets)
    bottle = next((each for each in rennets if str(each.id) == form.bottle.data), None)
    if not form.validate_on_submit():
        return _page(form)
    try:
        found = soxhlet.tested(
            form.milk.number or 0.0, form.rennet.number or 0.0, form.seconds.number or 0.0, house()
        )
        dose = _dose(form)
    except CraftError as error:
        refuse()
        about = "vat_celsius" if error.about == "celsius" else error.about
        blame(form[about if about in form else "seconds"], error.words)
        return _page(form)
    if "keep" in request.form and bottle:
        tested = stock.write_strength(here(), bottle, round(found.value, 1))
        return redirect(url_for("stock.one", lot_id=tested.id))
    return _page(form, found, bottle, dose)
