"""The pH meter and the thermometer: tried today, and how they read."""

from __future__ import annotations

from flask import Blueprint, redirect, render_template, url_for
from flask_wtf import FlaskForm

from openpail.craft.errors import CraftError, RecordError
from openpail.web.edge import Page, here, needs, refuse
from openpail.web.ui.fields import AmountField, NumberField, blame
from openpail.work.dairy import instruments

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
    tried = instruments.tried(here())
    high = "" if tried.altitude_m is None else f"{tried.altitude_m:g}"
    return render_template(
        "settings/instruments.html",
        meter=meter or MeterForm(formdata=None),
        thermometer=thermometer or ThermometerForm(formdata=None, altitude=high),
        tried=tried,
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
        try:
            instruments.meter_set(here(), form.slope.number or 0.0)
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
            instruments.thermometer_tried(here(), ice_c=ice, boiling_c=boiling, altitude_m=high)
            return redirect(url_for("instruments.page"))
        except CraftError as error:
            blame(form.altitude, error.words)
    refuse()
    return _page(thermometer=form)
