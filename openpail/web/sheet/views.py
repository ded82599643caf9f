"""The sheet: choose, look, ask what if, start, print."""

from __future__ import annotations

import uuid

from flask import Blueprint, abort, redirect, render_template, request, url_for

from openpail.craft.errors import PailError
from openpail.craft.sheet.cautions import DEFERRAL
from openpail.craft.sheet.fit import ANSWERS
from openpail.formats.recipe_words import FAMILIES, PLAIN
from openpail.web.edge import Page, here, needs, refuse
from openpail.web.plan.show import against_words, ready_words
from openpail.web.sheet.forms import query_of, read
from openpail.web.sheet.show import shown
from openpail.work.dairy import recipes
from openpail.work.logbook import trial
from openpail.work.milk import lots as milk
from openpail.work.sheet import sheet as sheets
from openpail.work.sheet.fit import fits
from openpail.work.sheet.sheet import Asked, SheetWorked, Spent
from openpail.work.vat import at_vat as vat

blueprint = Blueprint("sheet", __name__, template_folder="templates")


@blueprint.get("/sheet")
@needs("dairy.read")
def page() -> Page:
    """The sheet for the chosen milk and recipe, or the choosing."""
    asked, errors = read()
    return _page(asked, errors) if asked.ready else _choose(asked)


def _choose(asked: Asked, spent: Spent | None = None) -> Page:
    at = here()
    return render_template(
        "sheet/choose.html",
        **_by_fit(asked),
        pails=milk.pails(at, at.free),
        mix=sheets.mix_of(asked),
        left_l=at.free_l,
        in_freezer=milk.in_freezer,
        vats=at.vats,
        busy={vat.id for vat in at.vats} - {vat.id for vat in at.free_vats},
        chosen_vat=asked.vat.id if asked.vat and request.args.get("vat") else None,
        tried=bool(set(request.args) - {"lot", "bench"}),
        spent=spent,
    )


def _by_fit(asked: Asked) -> dict[str, object]:
    """The recipes by how they go with the milk that is ticked."""
    at = here()
    known = recipes.known(at)
    lots = [lot for lot in asked.lots if lot in at.free and not milk.in_freezer(lot)]
    found = fits(at, known, lots)
    return {
        "asked": asked,
        "groups": {
            answer: [(each, found[each.key]) for each in known if found[each.key].answer == answer]
            for answer in ANSWERS
        },
        "families": FAMILIES,
        "plain": PLAIN,
    }


@blueprint.get("/sheet/recipes")
@needs("dairy.read")
def recipes_for() -> Page:
    """The recipes anew, for the milk that is ticked now."""
    return render_template("sheet/_recipes.html", **_by_fit(read()[0]))


def _page(asked: Asked, errors: dict[str, str], error: str = "") -> Page:
    at = here()
    spent = sheets.spent(at, asked)
    if spent:
        return _choose(asked, spent)
    worked = sheets.work_out(at, asked)
    return render_template(
        "sheet/page.html",
        **shown(asked, errors, worked),
        **_on_the_clock(asked, worked),
        vats=at.vats,
        recipes=recipes.in_use(at),
        trials=trial.under_way(at, worked.recipe.key),
        start_error=error,
    )


def _on_the_clock(asked: Asked, worked: SheetWorked) -> dict[str, object]:
    """When it may begin; a what-if moves it."""
    at = here()
    plan = sheets.own_plan(at, asked)
    when = sheets.when(at, worked, asked.vat, plan) if worked.sheet and asked.vat else None
    return {
        "when": when,
        "against": [against_words(each) for each in when.against] if when else [],
        "plan": plan,
        "due_words": ready_words,
    }


@blueprint.get("/sheet/figures")
@needs("dairy.read")
def figures() -> Page:
    """The figures alone, for a what-if."""
    asked, errors = read()
    if not asked.ready:
        abort(404)
    worked = sheets.work_out(here(), asked)
    return render_template(
        "sheet/_figures.html", **shown(asked, errors, worked), **_on_the_clock(asked, worked)
    )


@blueprint.get("/sheet/print")
@needs("dairy.read")
def print_page() -> Page:
    """The sheet on one page of paper, with room to write."""
    asked, errors = read()
    if not asked.ready or sheets.spent(here(), asked):
        return redirect(url_for("sheet.page", **query_of(asked)))
    worked = sheets.work_out(here(), asked)
    steps, _ = sheets.steps_of(here(), worked, asked.vat)
    begun = here().local(here().now)
    return render_template(
        "sheet/print.html",
        **shown(asked, errors, worked),
        planned=steps,
        begun=begun,
        trials=trial.under_way(here(), worked.recipe.key),
    )


@blueprint.post("/sheet/start")
@needs("make.write")
def start() -> Page:
    """Start the make; a stop must be answered in writing, a hard one cannot be."""
    asked, errors = read()
    if not asked.ready:
        return _choose(asked)
    try:
        make = sheets.start(here(), asked, request.form.get("why", "").strip())
    except PailError as refused:
        refuse()
        asked, errors = read()  # as another hand may have left it
        begun = sheets.already_begun(here(), asked)
        if begun:
            return redirect(url_for("vat.page", make_id=begun.id))
        return _page(asked, errors, refused.words)
    return redirect(url_for("vat.page", make_id=make.id))


@blueprint.get("/makes/<uuid:make_id>/sheet")
@needs("dairy.read")
def frozen(make_id: uuid.UUID) -> Page:
    """The sheet of a make as it was when it started; it prints the same for ever."""
    make, sheet, planned = vat.frozen_sheet(here(), make_id)
    return render_template(
        "sheet/frozen.html",
        make=make,
        sheet=sheet,
        planned=planned,
        begun=make.started_at,
        deferral=DEFERRAL,
    )
