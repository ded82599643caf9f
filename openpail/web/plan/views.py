"""A planned make: its day drawn, moved with what stands against it, begun, dropped."""

from __future__ import annotations

import uuid
from dataclasses import replace
from datetime import datetime

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.clock import (
    Course,
    backwards,
    course_of,
    good_begins,
    minute_of,
    moment_of,
    place,
)
from openpail.records.dairy import actions as dairies
from openpail.records.errors import NotHere, RecordError
from openpail.records.milk import actions as milk
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned
from openpail.web.edge import Page, dairy, db, house, needs, now, zone
from openpail.web.plan.busy import busy, placed

blueprint = Blueprint("plan", __name__, template_folder="templates")

_MOST_STARTS = 6
_STEP_MIN = 5
_EFFORT = 1_500  # a few seconds at the most


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
    there = busy(_days_until(placed(each)[1].ends), without=each)
    steps, made = placed(each, there.taken())
    course = _course(each)
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
        moment = _moment(typed)
        if "by" in request.form:
            moment = _to_end_by(each, moment)
        plans.move(db(), dairy(), each.row, moment)
    except RecordError as error:
        return _page(each, error.words, typed)
    return redirect(url_for("plan.page", plan_id=plan_id))


def _to_end_by(each: Planned, end: datetime) -> datetime:
    """The last good start that has it at rest by a moment. Raises RecordError for none."""
    course = replace(_course(each), latest_end=minute_of(end))
    found = backwards(course, busy(_days_until(course.latest_end), without=each).taken())
    if found is None:
        raise RecordError("No start from now on has it at rest by then with the night left alone.")
    return moment_of(found.begins[0])


def _course(each: Planned) -> Course:
    return course_of(placed(each)[0], minute_of(now()), each.vat.name)


def _days_until(minute: int) -> int:
    return max(0, minute - minute_of(now())) // 1440 + 4


@blueprint.post("/plan/together")
@needs("make.write")
def together() -> Page:
    """All that is planned is laid out anew: each as early as it can be, the first one first."""
    found = plans.planned(db(), dairy())
    last = max((placed(each)[1].ends for each in found), default=0)
    without = busy(_days_until(last), only_under_way=True)
    day = place([_course(each) for each in found], without.taken(), step=_STEP_MIN, effort=_EFFORT)
    if day is None:
        raise RecordError("They find no place beside each other: drop one, or move it by hand.")
    for each, made in zip(found, day.makes, strict=True):
        plans.move(db(), dairy(), each.row, moment_of(made.begins[0]))
    return redirect(url_for("today.page"))


@blueprint.post("/plan/<uuid:plan_id>/drop")
@needs("make.write")
def drop(plan_id: uuid.UUID) -> Page:
    """It is planned no more."""
    plans.drop(db(), plans.planned_one(db(), dairy(), plan_id).row)
    return redirect(url_for("today.page"))
