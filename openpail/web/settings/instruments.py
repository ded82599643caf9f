"""The pH meter and the thermometer: tried today, and how they read."""

from __future__ import annotations

from flask import Blueprint, redirect, render_template, url_for
from flask_wtf import FlaskForm

from openpail.craft.errors import CraftError, RecordError
from openpail.craft.make.pasteurise import boils_at
from openpail.records.dairy import checks
from openpail.web.edge import Page, dairy, db, here, house, needs, now, person_id, refuse
from openpail.web.ui.fields import AmountField, NumberField, blame

blueprint = Blueprint("instruments", __name__, template_folder="templates")
_ANY_C = (-5.0, 110.0)


class MeterForm(FlaskForm):
    """The slope that a meter shows after it was set on two buffers."""

    slope = NumberField("Slope, %")


class ThermometerForm(FlaskForm):
    """How a thermometer reads in ice and in boiling water, and how high the place lies."""

    ice = AmountField("In melting ice", "temperature", likely_c=_ANY_C)
    boiling = AmountField("In boiling water", "temperature", likely_c=_ANY_C)
    altitude = NumberField("How high the dairy lies, m")


def _page(meter: MeterForm | None = None, thermometer: ThermometerForm | None = None) -> Page:
    told = checks.told(db(), dairy())
    last = next((each for each in told if each.kind == "thermometer"), None)
    return render_template(
        "settings/instruments.html",
        meter=meter or MeterForm(formdata=None),
        thermometer=thermometer
        or ThermometerForm(formdata=None, altitude=f"{last.altitude_m:g}" if last else ""),
        told=told,
        least=house().number("ph.slope_least"),
        today=checks.ph_today(db(), dairy(), here().today, here().day_of),
        is_true=checks.thermometer_true(db(), dairy(), now()),
        boils=boils_at(last.altitude_m or 0.0) if last else None,
    )


@blueprint.get("/dairy/instruments")
@needs("dairy.read")
def page() -> Page:
    """Both instruments, when each was tried."""
    return _page()


@blueprint.post("/dairy/instruments/meter")
@needs("make.write")
def meter() -> Page:
    """The meter was set on two buffers."""
    form = MeterForm()
    if form.validate_on_submit():
        least = house().number("ph.slope_least")
        try:
            checks.ph_checked(
                db(),
                dairy(),
                form.slope.number or 0.0,
                least_pct=least,
                now=now(),
                person_id=person_id(),
            )
            return redirect(url_for("instruments.page"))
        except RecordError as error:
            blame(form.slope, error.words)
    refuse()
    return _page(meter=form)


@blueprint.post("/dairy/instruments/thermometer")
@needs("make.write")
def thermometer() -> Page:
    """The thermometer was tried in ice and in boiling water."""
    form = ThermometerForm()
    if form.validate_on_submit():
        ice, boiling, high = form.ice.base, form.boiling.base, form.altitude.number
        assert ice is not None and boiling is not None and high is not None
        try:
            checks.thermometer_checked(
                db(),
                dairy(),
                ice,
                boiling_c=boiling,
                altitude_m=high,
                now=now(),
                person_id=person_id(),
            )
            return redirect(url_for("instruments.page"))
        except CraftError as error:
            blame(form.altitude, error.words)
    refuse()
    return _page(thermometer=form)
