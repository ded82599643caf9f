"""A planned make: its days drawn, moved with what stands against it, made ready, begun, dropped."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime, timedelta
from itertools import groupby

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.clock import good_begins, handy, minute_of, moment_of
from openpail.craft.errors import CraftError
from openpail.craft.gear import Outfit
from openpail.records.bench import actions as benches
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Vat
from openpail.records.errors import NotHere, RecordError
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import MilkLot
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned
from openpail.web.edge import Page, dairy, db, needs, now, refuse, zone
from openpail.web.plan import moving
from openpail.web.plan.busy import busy, course_for, placed
from openpail.web.plan.ribbon import of_plan, ribbons
from openpail.web.plan.worked import due, promised_twice, worked

blueprint = Blueprint("plan", __name__, template_folder="templates")

_MOST_STARTS = 5
_SOON = timedelta(hours=2)
_LEAST_SPAN = 10  # minutes; a shorter one is hardly met


@blueprint.post("/plan")
@needs("make.write")
def new() -> Page:
    """Plan a make of these lots, in a vat, at a time."""
    vat = next((v for v in dairies.vats(db(), dairy()) if v.name == request.form.get("vat")), None)
    if vat is None:
        raise NotHere("no such vat")
    row = plans.plan(db(), dairy(), request.form.get("recipe", ""), vat, _lots(),
                     _moment(request.form.get("begins", "")), now(), _given(vat))  # fmt: skip
    return redirect(url_for("plan.page", plan_id=row.id))


def _lots() -> Mapping[MilkLot, float | None]:
    """The lots of the form, with litres where only a part is wanted."""
    ids = request.form.getlist("lot")
    litres = request.form.getlist("litres") or [""] * len(ids)
    try:
        return {
            milk.lot(db(), dairy(), uuid.UUID(each)): float(part) if part else None
            for each, part in zip(ids, litres, strict=True)
        }
    except ValueError:
        raise NotHere("no such lot") from None


def _given(vat: Vat) -> Outfit:
    form = request.form
    return Outfit(vat.name, form.get("press", ""), tuple(form.getlist("mould")))


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
    there = busy(moving.days_until(placed(each).ends), without=each)
    made = placed(each, there.taken())
    work = worked(each)
    course = course_for(each, minute_of(now()), there.until)
    spans = good_begins(course, there.taken())[0]
    found = ((handy(((a, b),), a), b) for a, b in spans if b - a >= _LEAST_SPAN or len(spans) < 3)
    starts = [(moment_of(a), moment_of(b)) for a, b in found if a is not None]
    return render_template(
        "plan/page.html",
        plan=each,
        work=work,
        ribbons=ribbons([of_plan(each, made)], moment_of(made.begins[0]), moment_of(made.ends)),
        steps=list(zip(work.steps, map(moment_of, made.begins), strict=True)),
        ends=moment_of(made.ends),
        against=there.against(work.steps, made),
        starts=[span for span in starts if span[0] != each.begins][:_MOST_STARTS],
        ready=[(day, list(those)) for day, those in groupby(due([each]), lambda one: one.day)],
        twice=promised_twice(each, plans.planned(db(), dairy())),
        whole=all(part is None for part in each.row.lots.values()),
        thawed=not any(slips.in_freezer(lot) for lot, _ in work.lots),
        soon=each.begins - now() < _SOON,
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
            moment = moving.back_from(each, moment)
        moving.to(each, moment)
    except RecordError as error:
        refuse()
        return _page(each, error.words, typed)
    return redirect(url_for("plan.page", plan_id=plan_id))


@blueprint.post("/plan/<uuid:plan_id>/now")
@needs("make.write")
def start_now(plan_id: uuid.UUID) -> Page:
    """It is begun now: from its sheet when it takes whole lots, else from the Bench, filled."""
    each = plans.planned_one(db(), dairy(), plan_id)
    lots = worked(each).lots
    if all(part is None for part in each.row.lots.values()):
        return redirect(url_for("sheet.page", plan=plan_id, recipe=each.document["recipe"]["key"],
                                vat=each.vat.id, lot=[lot.id for lot, _ in lots]))  # fmt: skip
    try:
        bench = benches.bench_of(db(), dairy(), each.vat, now())
        if bench.pours and bench.recipe_key != each.document["recipe"]["key"]:
            raise RecordError(f"The Bench of the {each.vat.name} holds other milk: clear it first.")
        benches.plan_all(db(), bench, {lot.id: lot for lot, _ in lots},
                         {str(lot.id): litres for lot, litres in lots})  # fmt: skip
        benches.choose_recipe(db(), bench, each.document["recipe"]["key"])
    except (CraftError, RecordError) as error:
        refuse()
        return _page(plans.planned_one(db(), dairy(), plan_id), error.words)
    return redirect(url_for("bench.vat", vat_id=each.vat.id))


@blueprint.post("/plan/together")
@needs("make.write")
def together() -> Page:
    """All that is planned is laid out anew, so that nothing is wanted twice."""
    moving.beside_each_other()
    return redirect(url_for("calendar.page"))


@blueprint.post("/plan/<uuid:plan_id>/ready")
@needs("care.write")
def made_ready(plan_id: uuid.UUID) -> Page:
    """Something that it wants ready is ready; “kit” stands for all that is set out."""
    each = plans.planned_one(db(), dairy(), plan_id)
    key = request.form.get("key", "")
    wanted = [what for what in worked(each).ready if key in (what.key, what.sort)]
    if not wanted:
        raise NotHere("it wants no such thing")
    for what in wanted:
        plans.made_ready(db(), each.row, what.key, now(), done="not" not in request.form)
    if request.form.get("from") == "today":
        return redirect(url_for("today.page"))
    return redirect(url_for("plan.page", plan_id=plan_id, _anchor="ready"))


@blueprint.post("/plan/<uuid:plan_id>/drop")
@needs("make.write")
def drop(plan_id: uuid.UUID) -> Page:
    """It is planned no more."""
    plans.drop(db(), plans.planned_one(db(), dairy(), plan_id).row)
    return redirect(url_for("today.page"))
