"""Practice: a day at the vat that is only reckoned. Nothing of it is milk, stock or logbook."""

from __future__ import annotations

import uuid
from datetime import datetime

from flask import Blueprint, abort, redirect, render_template, request, url_for

from openpail.craft.errors import CraftError, OutOfRange
from openpail.craft.practice.judged import HOW_WORDS, stood_alone
from openpail.craft.practice.run import WATER_C, AtMinute, What
from openpail.craft.practice.world import MISHAP_WORDS
from openpail.craft.sheet.moves import titled
from openpail.craft.units import so_long
from openpail.web.edge import Page, here, needs, refuse
from openpail.web.ui import show
from openpail.web.ui.curves import CurvePoint, Curves, curves
from openpail.web.vat.ahead import known_ahead
from openpail.web.vat.show import Big
from openpail.work.dairy import recipes
from openpail.work.vat import practice
from openpail.work.vat.practice import DryRunAt, ToPractise

blueprint = Blueprint("practice", __name__, template_folder="templates")
HEATS = (("-1", "In cold water"), ("0", "Off"), ("0.33", "Low"), ("0.67", "Half"), ("1", "Full"))
SPEEDS = (1, 5, 20)
_WHATS: tuple[What, ...] = ("done", "read", "blade", "set", "heat", "turned", "wait", "go")
_TO_ITS_END = "end"


@blueprint.get("/practice")
@needs("dairy.read")
def index() -> Page:
    """What can be practised, and what was."""
    return _index()


def _index(error: str = "") -> str:
    at = here()
    lots = set(request.values.getlist("lot"))
    return render_template(
        "practice/index.html",
        recipes=recipes.in_use(at),
        chosen=request.values.get("recipe", ""),
        pails=[(lot, str(lot.id) in lots) for lot in at.free],
        mishaps=MISHAP_WORDS,
        ticked=request.values.getlist("mishap"),
        surprise=bool(request.values.get("surprise")),
        runs=practice.kept(at),
        error=error,
    )


@blueprint.post("/practice")
@needs("make.write")
def begin() -> Page:
    """Begin a dry run."""
    form = request.form
    wanted = ToPractise(
        recipe_key=form.get("recipe", ""),
        lots=tuple(_id(text) for text in form.getlist("lot")),
        vat_id=None,
        mishaps=frozenset(each for each in MISHAP_WORDS if each in form.getlist("mishap")),
        surprise=bool(form.get("surprise")),
    )
    try:
        row = practice.begin(here(), wanted)
    except CraftError as error:
        refuse()
        return _index(error.words), 422
    return redirect(url_for("practice.page", run_id=row.id))


def _id(text: str) -> uuid.UUID:
    try:
        return uuid.UUID(text)
    except ValueError:
        abort(404)


@blueprint.get("/practice/<uuid:run_id>")
@needs("dairy.read")
def page(run_id: uuid.UUID) -> Page:
    """A dry run as it stands, or how it went."""
    return _page(practice.look(here(), run_id, _minute()))


@blueprint.get("/practice/<uuid:run_id>/now")
@needs("dairy.read")
def now(run_id: uuid.UUID) -> Page:
    """The same at a later minute, without its frame."""
    return _page(practice.look(here(), run_id, _minute()), fragment=True)


def _minute() -> float:
    try:
        return float(request.values.get("minute", "") or 0)
    except ValueError:
        abort(400, "A minute is a number.")


def _page(run: DryRunAt, error: str = "", fragment: bool = False) -> str:
    at, step = run.at, run.at.step
    if run.row.ended_at is not None:
        return _judged(run, fragment)
    return render_template(
        "practice/_now.html" if fragment else "practice/page.html",
        run=run,
        at=at,
        state=step,
        step=step.planned.step if step else None,
        title=titled(step.planned.step.title, at.world.sheet.moved.of(step.planned.step.key))
        if step
        else "",
        big=_big(run),
        curve=_curve(at, step.begins, max(step.ends, at.now)) if step and at.in_vat else None,
        heats=HEATS,
        speeds=SPEEDS,
        water_c=WATER_C,
        error=error,
    )


def _big(run: DryRunAt) -> Big:
    """What the hands need now: a dose, a size, water; else how long it is to go on."""
    at, step = run.at, run.at.step
    if step is None:
        return Big(value="")
    if at.water_l:
        value, unit = show.volume(at.water_l).split(" ", 1)
        under = f"of water of {show.degrees(WATER_C)}, in a thin stream"
        return Big(value=value, unit=unit, under=under)
    found = known_ahead(run.recipe, at.world.sheet, run.standing, step, make=None)
    timed = step.planned.step.kind in ("warm", "heat", "cool") or not found.under
    left = (step.ends - at.now).total_seconds() / 60
    if not timed or not found.value:
        return found
    if left >= 1:
        return Big(value=so_long(left), under="to go")
    if left > -1:
        return Big(value="now", under="its time is up")
    return Big(value=so_long(-left), under="over its time")


def _judged(run: DryRunAt, fragment: bool) -> str:
    return render_template(
        "practice/_judged.html" if fragment else "practice/judged.html",
        run=run,
        at=run.at,
        judged=run.judged,
        hows=HOW_WORDS,
        alone=stood_alone(run.at),
        curve=_curve(
            run.at,
            run.at.started,
            run.at.moment(max([1.0, *(e.minute for e in run.at.trace)])),
            ph=True,
        ),
    )


def _curve(minute: AtMinute, since: datetime, until: datetime, ph: bool = False) -> Curves | None:
    """A stretch of a run drawn: its warmth from minute to minute, its pH too once it is judged."""
    line = [
        CurvePoint(minute.moment(each.minute), each.celsius, each.ph if ph else None)
        for each in minute.trace
    ]
    if minute.in_vat:
        vat = minute.state.vat
        line.append(CurvePoint(minute.now, vat.celsius, vat.ph if ph else None))
    read = [CurvePoint(each.at, each.celsius) for each in minute.standing.readings]
    return curves(
        line,
        read,
        minute.in_vat_steps,
        since=since,
        until=until,
        silent=None,
        gone=minute.standing.last_away,
    )


@blueprint.post("/practice/<uuid:run_id>/do")
@needs("make.write")
def do(run_id: uuid.UUID) -> Page:
    """One deed of the hands at a minute of the run; “wait” lets time go by."""
    what = next((each for each in _WHATS if each == request.form.get("what")), None)
    if what is None:
        abort(400, "This page was not sent whole. Go back, load it again, and send once more.")
    minute, error, status = _minute(), "", 200
    try:
        if what == "wait":
            minute = _later(practice.look(here(), run_id, minute), request.form.get("by", ""))
        share = _number(request.form.get("share", ""), "The heat is between none and all.")
        run = practice.does(here(), run_id, minute, what, share)
    except CraftError as refused:
        refuse()
        error, status = refused.words, 422
        run = practice.look(here(), run_id, minute)
    if "X-Fragment" in request.headers:
        return _page(run, error, fragment=True), status
    return (
        (_page(run, error), status)
        if error
        else redirect(url_for("practice.page", run_id=run_id, minute=f"{run.at.minute:.3f}"))
    )


def _later(run: DryRunAt, by: str) -> float:
    """The minute that it is to go on to."""
    at = run.at
    if by == _TO_ITS_END and at.step:
        return max(at.minute, (at.step.ends - at.started).total_seconds() / 60)
    return at.minute + max(0.0, _number(by, "Write how many minutes it is to go on."))


def _number(text: str, words: str) -> float:
    try:
        return float(text or 0)
    except ValueError:
        raise OutOfRange(words) from None


@blueprint.post("/practice/<uuid:run_id>/end")
@needs("make.write")
def end(run_id: uuid.UUID) -> Page:
    """It is judged as it stands."""
    practice.end(here(), run_id)
    return redirect(url_for("practice.page", run_id=run_id))


@blueprint.post("/practice/<uuid:run_id>/again")
@needs("make.write")
def again(run_id: uuid.UUID) -> Page:
    """The same day once more."""
    return redirect(url_for("practice.page", run_id=practice.again(here(), run_id).id))
