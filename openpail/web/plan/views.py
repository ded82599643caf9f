"""A planned make: its day drawn, moved with what stands against it, begun, dropped."""

from __future__ import annotations

import uuid
from datetime import datetime

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.clock import course_of, good_begins, minute_of, moment_of
from openpail.records.dairy import actions as dairies
from openpail.records.errors import NotHere, RecordError
from openpail.records.milk import actions as milk
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned
from openpail.web.edge import Page, dairy, db, house, needs, now, zone
from openpail.web.plan.busy import busy, placed

blueprint = Blueprint("plan", __name__, template_folder="templates")

_MOST_STARTS = 6


@blueprint.post("/plan")
@needs("make.write")
def new() -> Page:
    """Plan a make of these lots, in a vat, at a time."""
    lots = [milk.lot(db(), dairy(), _id(each)) for each in request.form.getlist("lot")]
    vat = next((v for v in dairies.vats(db(), dairy()) if v.name == request.form.get("vat")), None)
    if vat is None:
        raise NotHere("no such vat")
    row = plans.plan(db(), dairy(), request.form.get("recipe", ""), vat, lots,
                     _moment(request.form.get("begins", "")), now(), house())  # fmt: skip
    return redirect(url_for("plan.page", plan_id=row.id))


def _id(text: str) -> uuid.UUID:
    try:
        return uuid.UUID(text)
    except ValueError:
        raise NotHere("no such lot") from None


def _moment(text: str) -> datetime:
    """A local day and time as a browser's field writes them. Raises RecordError."""
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        raise RecordError("Write the day and the time it is to begin.", "begins") from None
    return found.replace(tzinfo=zone()) if found.tzinfo is None else found.astimezone(zone())


@blueprint.get("/plan/<uuid:plan_id>")
@needs("dairy.read")
def page(plan_id: uuid.UUID) -> Page:
    """The planned make on its clock."""
    return _page(plans.planned_one(db(), dairy(), plan_id))


def _page(each: Planned, error: str = "", typed: str = "") -> Page:
    steps, made = placed(each)
    there = busy((made.ends - minute_of(now())) // 1440 + 4, without=each)
    course = course_of(steps, minute_of(now()), each.vat.name)
    starts = [(moment_of(a), moment_of(b)) for a, b in good_begins(course, there.taken())[0]]
    lots = [lot for lot in milk.waiting(db(), dairy()) if str(lot.id) in each.row.lots]
    return render_template(
        "plan/page.html",
        plan=each,
        steps=list(zip(steps, map(moment_of, made.begins), strict=True)),
        ends=moment_of(made.ends),
        against=there.against(steps, made),
        starts=starts[:_MOST_STARTS],
        lots=lots,
        error=error,
        typed=typed or f"{each.begins:%Y-%m-%dT%H:%M}",
    )


@blueprint.post("/plan/<uuid:plan_id>/move")
@needs("make.write")
def move(plan_id: uuid.UUID) -> Page:
    """It begins at another time; what then stands against it is told on its page."""
    each = plans.planned_one(db(), dairy(), plan_id)
    typed = request.form.get("begins", "")
    try:
        plans.move(db(), dairy(), each.row, _moment(typed))
    except RecordError as error:
        return _page(each, error.words, typed)
    return redirect(url_for("plan.page", plan_id=plan_id))


@blueprint.post("/plan/<uuid:plan_id>/drop")
@needs("make.write")
def drop(plan_id: uuid.UUID) -> Page:
    """It is planned no more."""
    plans.drop(db(), plans.planned_one(db(), dairy(), plan_id).row)
    return redirect(url_for("today.page"))
