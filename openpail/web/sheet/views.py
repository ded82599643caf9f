"""The sheet: choose, look, ask what if, start, print."""

from __future__ import annotations

import uuid
from dataclasses import dataclass

from flask import Blueprint, abort, redirect, render_template, request, url_for
from flask_wtf import FlaskForm

from openpail.craft.errors import CraftError
from openpail.craft.milk import TREATMENTS
from openpail.craft.products import KIND_WORDS
from openpail.craft.safety import DEFERRAL
from openpail.craft.swap import Swap, may_be_asked, stand_in
from openpail.craft.tries import ranges
from openpail.formats import recipe_file
from openpail.records.bench import actions as benches
from openpail.records.dairy import actions as dairies
from openpail.records.errors import RecordError
from openpail.records.makes import actions as makes
from openpail.records.makes.freeze import freeze
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.plans import actions as plans
from openpail.records.recipes import actions as recipes
from openpail.records.stock.actions import Lot
from openpail.web.edge import Page, dairy, db, house, known, needs, now, person_id, refuse
from openpail.web.plan.moving import out_of_the_way
from openpail.web.sheet.asked import Asked, Worked, own_plan, read, work_out
from openpail.web.sheet.when import steps_of, when
from openpail.web.ui import draw, show
from openpail.web.vat.state import planned_of

blueprint = Blueprint("sheet", __name__, template_folder="templates")


@blueprint.get("/sheet")
@needs("dairy.read")
def page() -> Page:
    """The sheet for the chosen milk and recipe, or the choosing."""
    asked = _asked()
    return _page(asked) if asked.ready else _choose(asked)


def _asked() -> Asked:
    try:
        return read()
    except ValueError:
        abort(404)


def _choose(asked: Asked) -> Page:
    pails = [
        (lot, slips.fitness_of(lot, known()), slips.hours_old(lot, now()))
        for lot in milk.waiting(db(), dairy())
    ]
    return render_template(
        "sheet/choose.html",
        asked=asked,
        pails=pails,
        left_l=slips.left_l,
        in_freezer=slips.in_freezer,
        recipes=[
            recipe_file.read_version(v)
            for v in recipes.newest_versions(db(), dairy(), documents=False)
        ],
        vats=dairies.vats(db(), dairy()),
        tried=bool(request.args),
    )


def _page(asked: Asked, error: str = "") -> Page:
    worked, plan = work_out(asked), own_plan(asked)
    return render_template(
        "sheet/page.html",
        **_shown(asked, worked),
        vats=dairies.vats(db(), dairy()),
        recipes=recipes.in_use(db(), dairy()),
        start_error=error,
        when=when(worked, asked.vat, plan) if worked.sheet and asked.vat else None,
        plan=plan,
    )


def _shown(asked: Asked, worked: Worked) -> dict[str, object]:
    sheet = worked.sheet
    chart = None
    if sheet and sheet.firmness and sheet.set:
        chart = draw.firmness_chart(sheet.firmness, sheet.set)
    return {
        "asked": asked,
        "worked": worked,
        "sheet": sheet,
        "chart": chart,
        "form": FlaskForm(),
        "deferral": DEFERRAL,
        "volume_l": sum(draw.litres - draw.cream_l for draw in worked.draws),
        "kind_words": KIND_WORDS,
        "treatments": TREATMENTS,
        "stands_in": _stands_in(worked),
        "sliders": _sliders(worked),
    }


def _stands_in(worked: Worked) -> dict[str, list[tuple[Lot, Swap]]]:
    """For each line the lots of its kind, and whether each can stand in."""
    found: dict[str, list[tuple[Lot, Swap]]] = {}
    asked_for = {each.key: each for each in worked.recipe.ingredients}
    for line in worked.sheet.lines if worked.sheet else ():
        ingredient = asked_for.get(line.key)
        found[line.key] = [
            (lot, stand_in(ingredient, lot.product, worked.recipe, house()) if ingredient
             else Swap(True))
            for lot in worked.stock
            if (may_be_asked(ingredient, lot.product) if ingredient
                else lot.product.kind == line.kind)
        ]  # fmt: skip
    return found


@dataclass(frozen=True, slots=True)
class Slider:
    """A what-if that slides: its field, words, range, and the plan's own value."""

    name: str
    words: str
    unit: str
    low: str
    high: str
    step: str
    value: str
    plan: str


def _sliders(worked: Worked) -> dict[str, Slider]:
    """What may be tried, in the dairy's units."""
    found: dict[str, Slider] = {}
    for name, each in ranges(worked.job, worked.sheet).items():
        low, high = f"{each.low:g}", f"{each.high:.3g}"
        plan, unit = show.number(each.plan), each.unit
        if name == "at":
            low, high, plan = (
                show.degrees(celsius, 1).split()[0] for celsius in (each.low, each.high, each.plan)
            )
            unit = show.degree_sign()
        elif name == "ph":
            plan, unit = f"{each.plan:.2f}", ""
        value = request.values.get(name, "").strip() or plan
        found[name] = Slider(name, each.words, unit, low, high, f"{each.step:g}", value, plan)
    return found


@blueprint.get("/sheet/figures")
@needs("dairy.read")
def figures() -> Page:
    """The figures alone, for a what-if."""
    asked = _asked()
    if not asked.ready:
        abort(404)
    return render_template("sheet/_figures.html", **_shown(asked, work_out(asked)))


@blueprint.get("/sheet/print")
@needs("dairy.read")
def print_page() -> Page:
    """The sheet on one page of paper, with room to write."""
    asked = _asked()
    if not asked.ready:
        return redirect(url_for("sheet.page"))
    worked = work_out(asked)
    return render_template("sheet/print.html", **_shown(asked, worked),
                           planned=steps_of(worked, asked.vat)[0])  # fmt: skip


@blueprint.post("/sheet/start")
@needs("make.write")
def start() -> Page:
    """Start the make; a stop must be answered in writing, a hard one cannot be."""
    asked = _asked()
    if not asked.ready:
        return _choose(asked)
    worked = work_out(asked)
    why = request.form.get("why", "").strip()
    if asked.what_if.kept and asked.what_if.overrules:
        why = " · ".join(each for each in (f"Overruled: {asked.what_if.kept}", why) if each)
    error = _refusal(worked, why)
    if error:
        refuse()
        return _page(asked, error)
    assert worked.sheet and asked.version and asked.vat
    plan = own_plan(asked)
    clock = when(worked, asked.vat, plan)
    frozen = freeze(worked.job, worked.sheet, worked.cautions, asked.version.document,
                    clock.given, clock.warm)  # fmt: skip
    try:
        make = makes.start(
            db(), dairy(), asked.version, asked.vat, worked.draws, frozen, house(), now(), why,
            person_id(),
        )  # fmt: skip
    except (CraftError, RecordError) as refused:  # the vat or the milk went elsewhere meanwhile
        refuse()
        return _page(asked, refused.words)
    if asked.bench:
        benches.used(db(), asked.bench)
    if plan:
        plans.begun(db(), plan.row, make)
    out_of_the_way()
    return redirect(url_for("vat.page", make_id=make.id))


def _refusal(worked: Worked, why: str) -> str:
    if worked.refusal or worked.hold:
        return worked.refusal or worked.hold
    hard = [stop for stop in worked.stops if stop.hard]
    if hard:
        return f"{hard[0].title} {hard[0].words}"
    if (worked.stops or worked.asks) and len(why) < 10:
        return "Write why you go on all the same, in a few words; it is kept with the make."
    return ""


@blueprint.get("/makes/<uuid:make_id>/sheet")
@needs("dairy.read")
def frozen(make_id: uuid.UUID) -> Page:
    """The sheet of a make as it was when it started; it prints the same for ever."""
    make = makes.make(db(), dairy(), make_id)
    return render_template(
        "sheet/frozen.html",
        make=make,
        planned=planned_of(make),
        deferral=DEFERRAL,
    )
