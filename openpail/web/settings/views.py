"""The dairy in three places: its name and units, its vats and gear, its ways."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from dataclasses import replace

from flask import Blueprint, Response, current_app, redirect, render_template, request, url_for
from flask_wtf import FlaskForm

from openpail.craft.bench import vat as craft_vat
from openpail.craft.cave.rooms import SORTS
from openpail.craft.dates import zones
from openpail.craft.doses.asked import Ways
from openpail.craft.errors import RecordError
from openpail.craft.make.pressing import InMoulds
from openpail.craft.press.presses import PRESS_WORDS
from openpail.web.config import Config
from openpail.web.edge import Page, dairy, here, house, jars, may, needs, refuse
from openpail.web.press.draw import press_drawn
from openpail.web.settings.forms import (
    FillsForm,
    GearForm,
    HeaterForm,
    JarForm,
    MouldForm,
    OwnForm,
    PressForm,
    ProbeForm,
    RoomForm,
    VatForm,
    WaysForm,
    WeightForm,
)
from openpail.web.ui import draw, show
from openpail.web.ui.fields import kept, written
from openpail.work import store
from openpail.work.dairy import own as things
from openpail.work.dairy.own import Own, Vat

blueprint = Blueprint("settings", __name__, template_folder="templates")


# ── name and units ──


@blueprint.get("/dairy")
@needs("dairy.read")
def page() -> Page:
    """Its name, zone, units, quiet hours and analyser."""
    return _page(OwnForm(obj=dairy(), prefix="dairy"))


@blueprint.get("/dairy/everything.zip")
@needs("dairy.write")
def everything_out() -> Page:
    """The whole dairy as one open file, sent while it is written."""
    config: Config = current_app.extensions["config"]
    answer = Response(store.whole_dairy(config.database_url, dairy().id, here().now), 200)
    answer.mimetype = "application/zip"
    name = f"dairy-{here().today.isoformat()}.zip"
    answer.headers.set("Content-Disposition", "attachment", filename=name)
    return answer


def _page(form: OwnForm) -> Page:
    return render_template(
        "settings/page.html",
        form=form,
        zones=zones(),
        editable=may("dairy.write"),
        tables=store.table_count(),
        backup=_backup_words(),
    )


def _backup_words() -> tuple[str, bool] | None:
    """How the backups stand, and whether that is well; None where none are made by themselves."""
    if current_app.extensions["config"].mode == "demo":
        return None
    stand = store.backups(here())
    failed = f" The last try failed: {stand.failed}" if stand.failed else ""
    if stand.good_at is None:
        return f"No backup was made by itself yet.{failed}", False
    words = (
        f"The last good one is of {show.stamp(stand.good_at)}: brought in beside the dairy and "
        f"counted, {stand.rows} rows."
    )
    old = " That is too long ago: look at this machine." if stand.is_old else ""
    return f"{words}{old}{failed}", not stand.is_old and not failed


@blueprint.post("/dairy")
@needs("dairy.write")
def change() -> Page:
    """All of it, with one button."""
    form = OwnForm(prefix="dairy")

    def act() -> None:
        told = Own(
            name=form.name.data,
            zone=form.zone.data,
            volume_system=form.volume_system.data,
            mass_system=form.mass_system.data,
            degrees=form.degrees.data,
            pints=form.pints.data or "",
            currency=form.currency.data or "",
            quiet_from=form.quiet_from.data,
            quiet_until=form.quiet_until.data,
            house_day=form.house_day.data or 0,
            analyser=form.analyser.data or "",
            logger=form.logger.data or "",
            scale=form.scale.data or "",
        )
        things.change(here(), told)

    return redirect(url_for("settings.page")) if kept(form, act, "name") else _page(form)


# ── vats and gear ──


@blueprint.get("/dairy/gear")
@needs("dairy.read")
def gear() -> Page:
    """Vats, presses, moulds, rooms and jars, drawn."""
    return _gear()


def _gear(**changed: FlaskForm) -> Page:
    forms: dict[str, FlaskForm] = {
        "vat_form": VatForm(prefix="vat"),
        "jar_form": JarForm(prefix="jar"),
        "gear_form": GearForm(prefix="gear"),
        "room_form": RoomForm(prefix="room"),
        "weight_form": WeightForm(prefix="weight"),
    }
    return render_template(
        "settings/gear.html",
        **(forms | changed),
        vats=[(vat, draw.standing(vat.brim_l, vat.diameter_cm, house())) for vat in here().vats],
        put_away=things.vats_put_away(here()),
        jars=jars(),
        gear=[(each, draw.mould(each.holds_kg, each.follower)) for each in here().gear],
        press_words=PRESS_WORDS,
        rooms=things.rooms(here()),
        sorts=SORTS,
        things=here().things,
        editable=may("dairy.write"),
    )


def _in_gear(name: str, form: FlaskForm, act: Callable[[], object]) -> Page:
    if kept(form, act, "name"):
        return redirect(url_for("settings.gear"))
    return _gear(**{name: form})


@blueprint.post("/dairy/vats")
@needs("dairy.write")
def add_vat() -> Page:
    """A vat comes in."""
    form = VatForm(prefix="vat")
    return _in_gear(
        "vat_form",
        form,
        lambda: things.add_vat(
            here(), form.name.data or "", form.brim.base or 0.0, form.diameter.base
        ),
    )


@blueprint.post("/dairy/gear")
@needs("dairy.write")
def add_gear() -> Page:
    """Presses or moulds come in."""
    form = GearForm(prefix="gear")
    return _in_gear("gear_form", form, lambda: things.add_gear(here(), form.gear()))


@blueprint.post("/dairy/gear/drop")
@needs("dairy.write")
def drop_gear() -> Page:
    """A press or mould is gone."""
    things.drop_gear(here(), request.form.get("name", ""))
    return redirect(url_for("settings.gear"))


@blueprint.get("/dairy/gear/<uuid:gear_id>")
@needs("dairy.read")
def one_gear(gear_id: uuid.UUID) -> Page:
    """A press or a mould by its measures, drawn."""
    return _one_gear(gear_id)


def _one_gear(gear_id: uuid.UUID, form: FlaskForm | None = None) -> Page:
    each = things.one_gear(here(), gear_id)
    if form is None and each.kind == "mould":
        told = MouldForm.told(each.mould)
        if not told and not each.follower:
            told = {"sort": "hoop"}
        form = MouldForm(formdata=None, prefix="mould", **told)
    elif form is None:
        form = PressForm(formdata=None, prefix="press", **PressForm.told(each.press))
    at = InMoulds(each.mould, 1, stacked=True)
    drawn = press_drawn(each.press, at, None, None) if each.press or each.mould else None
    return render_template(
        "settings/one_gear.html", gear=each, form=form, drawn=drawn, editable=may("dairy.write")
    )


@blueprint.post("/dairy/gear/<uuid:gear_id>")
@needs("dairy.write")
def measure(gear_id: uuid.UUID) -> Page:
    """Its measures are taken."""
    each = things.one_gear(here(), gear_id)
    mould, press = MouldForm(prefix="mould"), PressForm(prefix="press")
    form = mould if each.kind == "mould" else press

    def act() -> None:
        told = replace(each, mould=mould.mould()) if form is mould else None
        things.measure_gear(here(), told or replace(each, press=press.press()))

    main = "across" if form is mould else "levers"
    if kept(form, act, main):
        return redirect(url_for("settings.gear"))
    return _one_gear(gear_id, form)


@blueprint.post("/dairy/weights")
@needs("dairy.write")
def add_weight() -> Page:
    """A weight of the house, or a jug."""
    form = WeightForm(prefix="weight")
    return _in_gear("weight_form", form, lambda: things.add_weight(here(), form.thing()))


@blueprint.post("/dairy/weights/drop")
@needs("dairy.write")
def drop_weight() -> Page:
    """A weight is gone."""
    things.drop_weight(here(), request.form.get("name", ""))
    return redirect(url_for("settings.gear"))


@blueprint.post("/dairy/rooms")
@needs("dairy.write")
def set_room() -> Page:
    """A place to ripen and what it holds."""
    form = RoomForm(prefix="room")
    return _in_gear(
        "room_form",
        form,
        lambda: things.set_room(here(), form.room(), form.channel.data or ""),
    )


@blueprint.post("/dairy/jars")
@needs("dairy.write")
def add_jar() -> Page:
    """A jar or bucket becomes a unit."""
    form = JarForm(prefix="jar")
    return _in_gear(
        "jar_form",
        form,
        lambda: things.add_jar(here(), form.name.data or "", form.holds.base or 0.0),
    )


@blueprint.post("/dairy/jars/drop")
@needs("dairy.write")
def drop_jar() -> Page:
    """A jar is broken."""
    things.drop_jar(here(), request.form.get("name", ""))
    return redirect(url_for("settings.gear"))


# ── one vat ──


@blueprint.get("/dairy/vats/<uuid:vat_id>")
@needs("dairy.read")
def vat(vat_id: uuid.UUID) -> Page:
    """A vat: its sizes, its dip-stick, what heats it."""
    return _vat(here().vat(vat_id))


def _vat(vat: Vat, said: str = "", **changed: FlaskForm) -> Page:
    forms: dict[str, FlaskForm] = {
        "vat_form": VatForm(
            formdata=None,
            prefix="vat",
            name=vat.name,
            brim=written(vat.brim_l, "volume", digits=4),
            diameter=written(vat.diameter_cm, "length", digits=4),
        ),
        "fills_form": FillsForm(formdata=None, prefix="fills", fills=FillsForm.told(vat.measured)),
        "heater_form": HeaterForm(
            formdata=None,
            prefix="heater",
            heater=vat.heater,
            power=f"{vat.power_kw:g}" if vat.power_kw else "",
        ),
        "probe_form": ProbeForm(formdata=None, prefix="probe", probe=vat.probe),
    }
    return render_template(
        "settings/vat.html",
        vat=vat,
        said=said,
        **(forms | changed),
        table=craft_vat.dip_stick(vat.brim_l, vat.diameter_cm, vat.measured),
        most=craft_vat.most_l(vat.brim_l, house()),
        power=here().power(vat),
        editable=may("dairy.write"),
    )


def _in_vat(vat: Vat, name: str, form: FlaskForm, act: Callable[[], object], main: str) -> Page:
    if kept(form, act, main):
        return redirect(url_for("settings.vat", vat_id=vat.id))
    return _vat(here().vat(vat.id), **{name: form})


@blueprint.post("/dairy/vats/<uuid:vat_id>")
@needs("dairy.write")
def change_vat(vat_id: uuid.UUID) -> Page:
    """Another name, other sizes."""
    vat, form = here().vat(vat_id), VatForm(prefix="vat")
    return _in_vat(
        vat,
        "vat_form",
        form,
        lambda: things.change_vat(
            here(), vat, form.name.data or "", form.brim.base or 0.0, form.diameter.base
        ),
        "name",
    )


@blueprint.post("/dairy/vats/<uuid:vat_id>/probe")
@needs("dairy.write")
def set_probe(vat_id: uuid.UUID) -> Page:
    """Where the vat's probe answers."""
    vat, form = here().vat(vat_id), ProbeForm(prefix="probe")
    return _in_vat(
        vat,
        "probe_form",
        form,
        lambda: things.set_probe(here(), vat, form.probe.data or ""),
        "probe",
    )


@blueprint.post("/dairy/vats/<uuid:vat_id>/fills")
@needs("dairy.write")
def measure_fills(vat_id: uuid.UUID) -> Page:
    """Fills measured with a jug and a stick."""
    vat, form = here().vat(vat_id), FillsForm(prefix="fills")
    return _in_vat(
        vat,
        "fills_form",
        form,
        lambda: things.measure_fills(here(), vat, form.pairs()),
        "fills",
    )


@blueprint.post("/dairy/vats/<uuid:vat_id>/heater")
@needs("dairy.write")
def set_heater(vat_id: uuid.UUID) -> Page:
    """What heats it."""
    vat, form = here().vat(vat_id), HeaterForm(prefix="heater")
    return _in_vat(
        vat,
        "heater_form",
        form,
        lambda: things.set_heater(here(), vat, form.heater.data or "", form.power.number),
        "heater",
    )


@blueprint.post("/dairy/vats/<uuid:vat_id>/away")
@needs("dairy.write")
def put_away(vat_id: uuid.UUID) -> Page:
    """Out of use, or (`back`) in use again."""
    vat = here().vat(vat_id)
    if request.form.get("back"):
        things.take_out(vat)
        return redirect(url_for("settings.vat", vat_id=vat_id))
    try:
        things.put_away(here(), vat)
    except RecordError as error:
        refuse()
        return _vat(here().vat(vat_id), error.words)
    return redirect(url_for("settings.gear"))


# ── ways ──


@blueprint.get("/dairy/ways")
@needs("dairy.read")
def ways() -> Page:
    """The house ways, as the questions that they are."""
    now = things.ways(dairy())
    return _ways(
        WaysForm(
            prefix="ways",
            raw_calcium=now.raw_calcium,
            rennet=now.rennet,
            raw_culture="less" if now.raw_culture_less else "same",
            raw_rennet=f"{now.raw_rennet_less:g}",
            ripen=now.ripen,
            rest_cold="yes" if now.rest_cold else "no",
            move_steps="yes" if now.move_steps else "no",
            diluted="yes" if now.rennet_diluted else "no",
            brining=now.brining,
            small=now.small,
            spoons=list(now.spoons),
            scale=f"{now.scale_g:g}" if now.scale_g else "",
        )
    )


def _ways(form: WaysForm) -> Page:
    return render_template("settings/ways.html", form=form, editable=may("dairy.write"))


@blueprint.post("/dairy/ways")
@needs("dairy.write")
def change_ways() -> Page:
    """The house ways."""
    form = WaysForm(prefix="ways")

    def act() -> None:
        told = Ways(
            raw_calcium=form.raw_calcium.data,
            rennet=form.rennet.data,
            raw_culture_less=form.raw_culture.data == "less",
            raw_rennet_less=float(form.raw_rennet.data),
            ripen=form.ripen.data,
            rest_cold=form.rest_cold.data == "yes",
            move_steps=form.move_steps.data == "yes",
            small=form.small.data,
            spoons=tuple(form.spoons.data or ()),
            scale_g=form.scale.number or 0.0,
            rennet_diluted=form.diluted.data == "yes",
            brining=form.brining.data,
        )
        things.set_ways(here(), told)

    return redirect(url_for("settings.ways")) if kept(form, act, "rennet") else _ways(form)
