"""Planned makes: from an answer of *Which can I make?* to a page that leads to its start."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime
from itertools import groupby

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.clock.spans import moment_of
from openpail.craft.dates import read_moment
from openpail.craft.errors import NotHere, PailError
from openpail.web.edge import Page, here, needs, refuse
from openpail.web.plan.show import against_words, due_words, ribbons
from openpail.web.ui import done
from openpail.web.ui.fields import finite
from openpail.work.plan import moving
from openpail.work.plan import planned as plans
from openpail.work.plan.days import lane_of_plan

blueprint = Blueprint("plan", __name__, template_folder="templates")


@blueprint.post("/plan")
@needs("make.write")
def new() -> Page:
    """Plan a make of these lots, in a vat, at a time."""
    form = request.form
    vat = here().vat(_id(form.get("vat", "")))
    given = here().outfit(vat, form.get("press", ""), tuple(form.getlist("mould")))
    begins = _moment(form.get("begins", ""))
    row = plans.plan(here(), form.get("recipe", ""), vat, lots=_lots(), begins=begins, given=given)
    return redirect(url_for("plan.page", plan_id=row.id))


def _id(text: str) -> uuid.UUID:
    try:
        return uuid.UUID(text)
    except ValueError:
        raise NotHere("no such thing") from None


def _lots() -> Mapping[uuid.UUID, float | None]:
    """The lots of the form, with litres where only a part is wanted."""
    ids = [_id(each) for each in request.form.getlist("lot")]
    litres = request.form.getlist("litres") or [""] * len(ids)
    try:
        return {
            each: finite(part) if part else None for each, part in zip(ids, litres, strict=True)
        }
    except ValueError:
        raise NotHere("no such lot") from None


def _moment(text: str) -> datetime:
    """When it is to begin. Raises CraftError."""
    return read_moment(text, here().zone, "begins")


@blueprint.get("/plan/<uuid:plan_id>")
@needs("dairy.read")
def page(plan_id: uuid.UUID) -> Page:
    """The planned make on its clock."""
    return _page(plan_id)


def _page(plan_id: uuid.UUID, error: str = "", typed: str = "") -> Page:
    at = plans.look(here(), plan_id)
    made, work = at.made, at.worked
    lane = lane_of_plan(here(), at.plan, made)
    return render_template(
        "plan/page.html",
        at=at,
        plan=at.plan,
        work=work,
        ribbons=ribbons([lane], moment_of(made.begins[0]), moment_of(made.ends)),
        steps=list(zip(work.steps, map(moment_of, made.begins), strict=True)),
        ends=moment_of(made.ends),
        against=[against_words(each) for each in at.against],
        ready=[(day, list(those)) for day, those in groupby(at.due, lambda one: one.day)],
        due_words=due_words,
        error=error,
        typed=typed or f"{at.plan.begins:%Y-%m-%dT%H:%M}",
    )


@blueprint.post("/plan/<uuid:plan_id>/move")
@needs("make.write")
def move(plan_id: uuid.UUID) -> Page:
    """It begins at another time; what then stands against it is told on its page."""
    typed = request.form.get("begins", "")
    try:
        moment = _moment(typed)
        if "by" in request.form:
            moment = moving.back_from(here(), plan_id, moment)
        moving.to(here(), plan_id, moment)
    except PailError as error:
        refuse()
        return _page(plan_id, error.words, typed)
    return redirect(url_for("plan.page", plan_id=plan_id))


@blueprint.post("/plan/<uuid:plan_id>/now")
@needs("make.write")
def start_now(plan_id: uuid.UUID) -> Page:
    """It is begun now: from its sheet when it takes whole lots, else from the Bench, filled."""
    each = here().plan(plan_id)
    if all(part is None for part in each.row.lots.values()):
        lots = [lot.id for lot, _ in plans.worked(here(), each).lots]
        recipe, vat = each.recipe.key, each.vat.id
        return redirect(url_for("sheet.page", plan=plan_id, recipe=recipe, vat=vat, lot=lots))
    try:
        bench = plans.to_the_bench(here(), plan_id)
    except PailError as error:
        refuse()
        return _page(plan_id, error.words)
    return redirect(url_for("bench.vat", vat_id=bench.vat_id))


@blueprint.post("/plan/together")
@needs("make.write")
def together() -> Page:
    """All that is planned is laid out anew, so that nothing is wanted twice."""
    moving.beside_each_other(here())
    return redirect(url_for("calendar.page"))


@blueprint.post("/plan/<uuid:plan_id>/ready")
@needs("care.write")
def made_ready(plan_id: uuid.UUID) -> Page:
    """Something that it wants ready is ready; “kit” stands for all that is set out."""
    is_done, key = "not" not in request.form, request.form.get("key", "")
    plans.made_ready(here(), plan_id, key, done=is_done)
    if not is_done:
        done.forget()
    if request.form.get("from") == "today":
        if is_done:
            name = here().plan(plan_id).name
            done.tell(f"Made ready for {name}", request.path, key=key, **{"not": "1"})
        return redirect(url_for("today.page"))
    return redirect(url_for("plan.page", plan_id=plan_id, _anchor="ready"))


@blueprint.post("/plan/<uuid:plan_id>/drop")
@needs("make.write")
def drop(plan_id: uuid.UUID) -> Page:
    """It is planned no more."""
    plans.drop(here(), plan_id)
    return redirect(url_for("today.page"))
