"""Trials: one thing made another way, makes on both sides, and what they say."""

from __future__ import annotations

import uuid

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.errors import RecordError
from openpail.web.edge import Page, here, needs, refuse
from openpail.web.logbook import show
from openpail.work.dairy import recipes
from openpail.work.logbook import trial

blueprint = Blueprint("trials", __name__, template_folder="templates")
_SIDES = {"new": True, "usual": False, "": None}


@blueprint.get("/logbook/trials")
@needs("dairy.read")
def index() -> Page:
    """The trials, and a new one."""
    return _index({})


def _index(errors: dict[str, str]) -> str:
    at = here()
    named = {each.id: each for each in recipes.in_use(at)}
    chosen = (request.form if errors else request.args).get("recipe", "")
    of = next((each for each in named.values() if each.key == chosen), None)
    return render_template(
        "logbook/trials.html",
        trials=trial.all_of(at),
        recipes=named,
        chosen=chosen,
        tells=trial.tells(at, chosen) if chosen else (),
        steps=trial.steps_of(at, of.id) if of else (),
        errors=errors,
        show=show,
    )


@blueprint.post("/logbook/trials")
@needs("make.write")
def plan() -> Page:
    """A trial is planned."""
    form, at = request.form, here()
    row = next((e for e in recipes.in_use(at) if e.key == form.get("recipe")), None)
    each = form.get("each", "").strip()
    try:
        if row is None:
            raise RecordError("Choose the cheese.", "recipe")
        if not each.isascii() or not each.isdecimal():
            raise RecordError("Write how many makes of each kind, as a number.", "each")
        words = form.get("words", "").strip()[:200]
        fact = form.get("fact", "")[:80]
        step = form.get("step", "")[:80]
        planned = trial.plan(at, row.id, words=words, fact=fact, step=step, each=int(each[:4]))
    except RecordError as error:
        refuse()
        return _index({error.about: error.words}), 422
    return redirect(url_for("trials.page", trial_id=planned.id))


@blueprint.get("/logbook/trials/<uuid:trial_id>")
@needs("dairy.read")
def page(trial_id: uuid.UUID) -> Page:
    """One trial."""
    return _page(trial_id)


def _page(trial_id: uuid.UUID, error: str = "") -> str:
    seen = trial.seen(here(), trial_id)
    return render_template("logbook/trial.html", seen=seen, show=show, error=error)


@blueprint.post("/logbook/trials/<uuid:trial_id>")
@needs("make.write")
def put(trial_id: uuid.UUID) -> Page:
    """A make is put on a side, or the trial is ended."""
    at, form = here(), request.form
    try:
        if form.get("do") == "end":
            trial.end(at, trial_id)
            return redirect(url_for("trials.page", trial_id=trial_id))
        make_id = uuid.UUID(form.get("make", ""))
        trial.put(at, trial_id, make_id, _SIDES[form.get("side", "")])
    except RecordError as error:
        refuse()
        return _page(trial_id, error.words), 422
    except (KeyError, ValueError):
        refuse()
        return _page(trial_id, "Choose a make and a side."), 422
    if form.get("from") == "vat":
        return redirect(url_for("vat.page", make_id=make_id))
    return redirect(url_for("trials.page", trial_id=trial_id))
