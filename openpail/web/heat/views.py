"""Pasteurising in a vat: what goes in, the record as it grows, and its end."""

from __future__ import annotations

import uuid

from flask import Blueprint, g, redirect, render_template, request, url_for

from openpail.craft.errors import PailError, RecordError
from openpail.craft.units import from_celsius, parse_amount
from openpail.web.edge import Page, form_id, here, needs, refuse
from openpail.work.milk import heating
from openpail.work.milk import lots as milk

blueprint = Blueprint("heat", __name__, template_folder="templates")


@blueprint.get("/heat")
@needs("dairy.read")
def new() -> Page:
    """Which milk, in which vat."""
    return _new({str(each) for each in request.args.getlist("lot")})


def _new(ticked: set[str], error: str = "") -> Page:
    at = here()
    lots = [lot for lot in at.waiting if heating.may_be_heated(at, lot)]
    return render_template(
        "heat/new.html",
        lots=[(lot, heating.outlives_heat(at, lot)) for lot in lots],
        left_l=milk.left_l,
        vats=at.free_vats,
        ticked=ticked,
        error=error,
        unit=request.form.get("unit", g.dairy.degrees),
        vat=request.form.get("vat", ""),
    )


@blueprint.post("/heat")
@needs("milk.write")
def begin() -> Page:
    """It goes on the heat."""
    ticked = request.form.getlist("lot")
    try:
        lots = [uuid.UUID(each) for each in ticked]
        vat = uuid.UUID(request.form.get("vat", ""))
        unit = "F" if request.form.get("unit") == "F" else "C"
        row = heating.begin(here(), lots, vat, "F" if unit == "F" else "C")
    except ValueError as error:
        words = getattr(error, "words", "Choose the milk and the vat.")
        refuse()
        return _new(set(ticked), words)
    return redirect(url_for("heat.page", heating_id=row.id))


@blueprint.get("/heat/<uuid:heating_id>")
@needs("dairy.read")
def page(heating_id: uuid.UUID) -> Page:
    """The record as it stands: how long it is held, what is read next, how it cools."""
    return _page(heating_id)


def _page(heating_id: uuid.UUID, error: str = "", typed: str = "") -> Page:
    at = heating.at(here(), heating_id)
    return render_template(
        "heat/page.html",
        at=at,
        hold=at.hold,
        error=error,
        typed=typed,
        new_id=uuid.uuid4,
        cool=f"{from_celsius(at.cool_c, at.row.unit):.0f} °{at.row.unit}",
    )


@blueprint.post("/heat/<uuid:heating_id>/read")
@needs("milk.write")
def read(heating_id: uuid.UUID) -> Page:
    """The milk, or the air under the lid, was read: in the unit of the record."""
    typed = request.form.get("value", "").strip()
    try:
        row = heating.at(here(), heating_id).row
        amount = parse_amount(typed, "temperature", g.dairy.volume_system, row.unit)
        value = from_celsius(amount.base, row.unit)
        of_air = bool(request.form.get("of_air"))
        heating.read(here(), heating_id, form_id("event"), round(value, 2), of_air=of_air)
    except PailError as error:
        refuse()
        return _page(heating_id, error.words, typed)
    return redirect(url_for("heat.page", heating_id=heating_id))


@blueprint.post("/heat/<uuid:heating_id>/undo")
@needs("milk.write")
def undo(heating_id: uuid.UUID) -> Page:
    """A reading was a slip of the finger."""
    try:
        heating.take_back(here(), heating_id, form_id("event"), form_id("amends"))
    except PailError as error:
        refuse()
        return _page(heating_id, error.words)
    return redirect(url_for("heat.page", heating_id=heating_id))


@blueprint.post("/heat/<uuid:heating_id>/close")
@needs("milk.write")
def close(heating_id: uuid.UUID) -> Page:
    """The record is closed, with what the maker confirms of it."""
    try:
        heating.close(
            here(),
            heating_id,
            stirred=bool(request.form.get("stirred")),
            coldest=bool(request.form.get("coldest")),
        )
    except RecordError as error:
        refuse()
        return _page(heating_id, error.words)
    return redirect(url_for("heat.page", heating_id=heating_id))
