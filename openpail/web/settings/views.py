"""The dairy: its units, vats, bottles and house ways."""

from __future__ import annotations

import uuid
from collections.abc import Callable

from flask import Blueprint, redirect, render_template, request, url_for
from flask_wtf import FlaskForm

from openpail.craft.bench import vat as craft_vat
from openpail.craft.doses.asked import Ways
from openpail.craft.errors import CraftError
from openpail.records.dairy import actions as dairies
from openpail.records.dairy import gear as gears
from openpail.records.dairy.models import Vat
from openpail.records.errors import RecordError
from openpail.web.account.forms import DairyForm, zones
from openpail.web.edge import Page, dairy, db, here, house, jars, may, needs, refuse
from openpail.web.settings.forms import (
    AnalyserForm,
    FillsForm,
    GearForm,
    HeaterForm,
    JarForm,
    QuietForm,
    RoomForm,
    VatForm,
    WaysForm,
)
from openpail.web.ui.fields import blame

blueprint = Blueprint("settings", __name__, template_folder="templates")


def _forms() -> dict[str, FlaskForm]:
    ways = dairies.ways_of(dairy())
    return {
        "dairy_form": DairyForm(obj=dairy(), prefix="dairy"),
        "vat_form": VatForm(prefix="vat"),
        "jar_form": JarForm(prefix="jar"),
        "gear_form": GearForm(prefix="gear"),
        "room_form": RoomForm(prefix="room"),
        "analyser_form": AnalyserForm(prefix="analyser", analyser=dairy().analyser),
        "quiet_form": QuietForm(obj=dairy(), prefix="quiet"),
        "ways_form": WaysForm(
            prefix="ways",
            raw_calcium=ways.raw_calcium,
            rennet=ways.rennet,
            raw_culture="less" if ways.raw_culture_less else "same",
            raw_rennet=f"{ways.raw_rennet_less:g}",
            ripen=ways.ripen,
            rest_cold="yes" if ways.rest_cold else "no",
            move_steps="yes" if ways.move_steps else "no",
            diluted="yes" if ways.rennet_diluted else "no",
            small=ways.small,
            spoons=list(ways.spoons),
            scale=f"{ways.scale_g:g}" if ways.scale_g else "",
        ),
    }


def _page(**changed: FlaskForm) -> Page:
    return render_template(
        "settings/page.html",
        **(_forms() | changed),
        vats=dairies.vats(db(), dairy()),
        jars=jars(),
        gear=gears.gear_of(db(), dairy()),
        rooms=gears.rooms_of(db(), dairy()),
        zones=zones(),
        editable=may("dairy.write"),
    )


@blueprint.get("/dairy")
@needs("dairy.read")
def page() -> Page:
    """All of it on one page."""
    return _page()


def _keep(name: str, form: FlaskForm, act: Callable[[], object], main: str = "name") -> Page:
    """Check a form, do what it asks, and go back; what is refused is said by its field.

    name: of the form on the page; main: the field for words that name none.
    """
    if form.validate_on_submit():
        try:
            act()
        except (CraftError, RecordError) as error:
            refuse()
            field = error.field if isinstance(error, RecordError) else ""
            blame(form[field] if field in form else form[main], error.words)
        else:
            return redirect(url_for("settings.page"))
    return _page(**{name: form})


@blueprint.post("/dairy")
@needs("dairy.write")
def change() -> Page:
    """Name, zone and units."""
    form = DairyForm(prefix="dairy")
    units = ("volume_system", "mass_system", "degrees")
    return _keep(
        "dairy_form",
        form,
        lambda: dairies.change(
            db(), dairy(), form.name.data, form.zone.data, **{key: form[key].data for key in units}
        ),
    )


@blueprint.post("/dairy/vats")
@needs("dairy.write")
def add_vat() -> Page:
    """A vat comes in."""
    form = VatForm(prefix="vat")
    return _keep(
        "vat_form",
        form,
        lambda: dairies.add_vat(
            db(), dairy(), form.name.data, form.brim.base or 0.0, form.diameter.number or 0.0
        ),
    )


@blueprint.get("/dairy/vats/<uuid:vat_id>")
@needs("dairy.read")
def dip_stick(vat_id: uuid.UUID) -> Page:
    """A vat's dip-stick table, from its diameter or from measured fills."""
    vat = dairies.vat(db(), dairy(), vat_id)
    lines = "\n".join(f"{cm:g} {litres:g}" for cm, litres in vat.measured)
    return _dip_stick(vat, FillsForm(fills=lines))


def _dip_stick(vat: Vat, form: FillsForm, heater_form: HeaterForm | None = None) -> Page:
    table = craft_vat.dip_stick(vat.brim_l, vat.diameter_cm, vat.measured)
    return render_template(
        "settings/dip_stick.html",
        vat=vat,
        form=form,
        table=table,
        most=craft_vat.most_l(vat.brim_l, house()),
        heater_form=heater_form
        or HeaterForm(
            formdata=None,
            prefix="heater",
            heater=vat.heater,
            power=f"{vat.power_kw:g}" if vat.power_kw else "",
        ),
        power=here().power(vat),
        editable=may("dairy.write"),
    )


@blueprint.post("/dairy/vats/<uuid:vat_id>")
@needs("dairy.write")
def measure_fills(vat_id: uuid.UUID) -> Page:
    """Fills measured with a jug and a stick."""
    vat = dairies.vat(db(), dairy(), vat_id)
    form = FillsForm()
    try:
        dairies.measure_fills(db(), vat, form.pairs())
    except CraftError as error:
        refuse()
        blame(form.fills, error.words)
        return _dip_stick(vat, form)
    return redirect(url_for("settings.dip_stick", vat_id=vat_id))


@blueprint.post("/dairy/vats/<uuid:vat_id>/heater")
@needs("dairy.write")
def set_heater(vat_id: uuid.UUID) -> Page:
    """What heats it."""
    vat = dairies.vat(db(), dairy(), vat_id)
    form = HeaterForm(prefix="heater")
    if form.validate_on_submit():
        try:
            gears.set_heater(db(), vat, form.heater.data or "", form.power.number)
        except RecordError as error:
            refuse()
            blame(form[error.field], error.words)
        else:
            return redirect(url_for("settings.dip_stick", vat_id=vat_id))
    lines = "\n".join(f"{cm:g} {litres:g}" for cm, litres in vat.measured)
    return _dip_stick(vat, FillsForm(formdata=None, fills=lines), form)


@blueprint.post("/dairy/gear")
@needs("dairy.write")
def add_gear() -> Page:
    """Presses or moulds come in."""
    form = GearForm(prefix="gear")
    return _keep("gear_form", form, lambda: gears.add_gear(db(), dairy(), form.gear()))


@blueprint.post("/dairy/gear/drop")
@needs("dairy.write")
def drop_gear() -> Page:
    """A press or mould is gone."""
    gears.drop_gear(db(), dairy(), request.form.get("name", ""))
    return redirect(url_for("settings.page"))


@blueprint.post("/dairy/rooms")
@needs("dairy.write")
def set_room() -> Page:
    """A place to ripen and what it holds."""
    form = RoomForm(prefix="room")
    return _keep(
        "room_form",
        form,
        lambda: gears.set_room(db(), dairy(), form.name.data or "", int(form.holds.number or 0)),
    )


@blueprint.post("/dairy/jars")
@needs("dairy.write")
def add_jar() -> Page:
    """A jar or bucket becomes a unit."""
    form = JarForm(prefix="jar")
    return _keep(
        "jar_form",
        form,
        lambda: dairies.add_measure(db(), dairy(), form.name.data or "", form.holds.base or 0.0),
    )


@blueprint.post("/dairy/jars/drop")
@needs("dairy.write")
def drop_jar() -> Page:
    """A jar is broken."""
    dairies.drop_measure(db(), dairy(), request.form.get("name", ""))
    return redirect(url_for("settings.page"))


@blueprint.post("/dairy/analyser")
@needs("dairy.write")
def set_analyser() -> Page:
    """Where the milk analyser answers."""
    form = AnalyserForm(prefix="analyser")
    return _keep(
        "analyser_form",
        form,
        lambda: dairies.set_analyser(db(), dairy(), form.analyser.data or ""),
        "analyser",
    )


@blueprint.post("/dairy/quiet")
@needs("dairy.write")
def set_quiet() -> Page:
    """The quiet hours."""
    form = QuietForm(prefix="quiet")
    return _keep(
        "quiet_form",
        form,
        lambda: dairies.set_quiet(db(), dairy(), form.quiet_from.data, form.quiet_until.data),
        "quiet_from",
    )


@blueprint.post("/dairy/ways")
@needs("dairy.write")
def change_ways() -> Page:
    """The house ways."""
    form = WaysForm(prefix="ways")
    return _keep(
        "ways_form",
        form,
        lambda: dairies.set_ways(
            db(),
            dairy(),
            Ways(
                form.raw_calcium.data,
                form.rennet.data,
                form.raw_culture.data == "less",
                float(form.raw_rennet.data),
                form.ripen.data,
                form.rest_cold.data == "yes",
                form.move_steps.data == "yes",
                form.small.data,
                tuple(form.spoons.data or ()),
                form.scale.number or 0.0,
                form.diluted.data == "yes",
            ),
        ),
        "rennet",
    )
