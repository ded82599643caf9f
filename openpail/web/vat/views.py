"""The vat: one step at a time; a reading, first flocks, done, amend, undo; and the deeds' door."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta

from flask import Blueprint, abort, jsonify, redirect, render_template, request, url_for

from openpail.craft.errors import CraftError
from openpail.craft.make import deeds
from openpail.craft.make.deeds import Amended, FirstFlocks, StepDone, Told, Undone, WheyKept
from openpail.craft.make.fold import NEWEST_TOLD
from openpail.web.edge import Page, form_id, here, needs, refuse
from openpail.web.ui import ours
from openpail.web.ui.fields import blame
from openpail.web.vat import show
from openpail.web.vat.forms import ReadingForm, WheyForm
from openpail.work import vat
from openpail.work.log import Answer, tell

blueprint = Blueprint("vat", __name__, template_folder="templates")


@blueprint.get("/vat")
@needs("dairy.read")
def index() -> Page:
    """The make under way, or the choice between several."""
    running = vat.running(here())
    if len(running) == 1:
        return redirect(url_for("vat.page", make_id=running[0][0].id))
    return render_template("vat/index.html", makes=running)


@blueprint.get("/vat/<uuid:make_id>")
@needs("dairy.read")
def page(make_id: uuid.UUID) -> Page:
    """The step for the hands, as large as the screen allows."""
    return _page(make_id, ReadingForm())


def _page(
    make_id: uuid.UUID,
    form: ReadingForm,
    error: str = "",
    whey_form: WheyForm | None = None,
    asked: bool = False,
) -> Page:
    at = vat.at_vat(here(), make_id)
    return render_template(
        "vat/page.html",
        at=at,
        make=at.make,
        state=at.day,
        current=at.step,
        big=show.big(at),
        ramp=show.ramp(at),
        unwritten=[show.amount(line) for line in at.unwritten()],
        vessel=show.vessel(at),
        whey_form=whey_form or WheyForm(formdata=None),
        form=form,
        reading_open=bool(form.errors),
        new_id=uuid.uuid4,
        error=error,
        asked=asked,
        became=deeds.BECAME_WORDS,
        lines=show.log_lines(at),
        told=NEWEST_TOLD,
    )


@blueprint.get("/vat/<uuid:make_id>/readings")
@needs("dairy.read")
def readings(make_id: uuid.UUID) -> Page:
    """All that was read, a page at a time."""
    page = max(0, request.args.get("page", 0, type=int))
    make, found, pages = vat.all_readings(here(), make_id, page)
    return render_template("vat/readings.html", make=make, readings=found, page=page, pages=pages)


def _say(
    make_id: uuid.UUID,
    deed: deeds.Deed,
    amends: uuid.UUID | None = None,
    happened: datetime | None = None,
) -> Answer:
    told = Told(
        str(form_id("event")), deed, happened or here().now, str(amends) if amends else None
    )
    return vat.say(here(), make_id, told)


def _then(make_id: uuid.UUID, answer: Answer) -> Page:
    """After a deed: the page anew; with its words when it was refused, or done before."""
    if answer.outcome in ("kept", "repeat"):
        return redirect(url_for("vat.page", make_id=make_id))
    if not answer.is_kept:
        refuse()
    page = _page(make_id, ReadingForm(formdata=None), answer.words, asked=answer.field == "word")
    return page if answer.is_kept else (str(page), 422)


@blueprint.post("/vat/<uuid:make_id>/done")
@needs("make.write")
def done(make_id: uuid.UUID) -> Page:
    """A step is done: the one that the page showed."""
    return _then(make_id, _say(make_id, StepDone(request.form.get("step", ""))))


@blueprint.post("/vat/<uuid:make_id>/flocks")
@needs("make.write")
def flocks(make_id: uuid.UUID) -> Page:
    """First flocks are seen; the step that waits for them is done with it."""
    return _then(make_id, _say(make_id, FirstFlocks(request.form.get("word", "").strip())))


@blueprint.post("/vat/<uuid:make_id>/flocks/counts")
@needs("make.write")
def count_flocks(make_id: uuid.UUID) -> Page:
    """Whether the first flocks teach of the bottle and move the cut, as the maker says."""
    change = {"counts": bool(request.form.get("counts"))}
    return _then(make_id, _say(make_id, Amended(change), form_id("amends")))


@blueprint.post("/vat/<uuid:make_id>/reading")
@needs("make.write")
def reading(make_id: uuid.UUID) -> Page:
    """Something was read; `amends` names the reading it mends."""
    form = ReadingForm()
    form.celsius.likely_c = vat.likely_c(here(), make_id)
    if not (form.validate_on_submit() and form.check()):
        return _page(make_id, form)
    if request.form.get("amends"):
        answer = _say(make_id, Amended(form.change()), form_id("amends"))
    else:
        answer = _say(make_id, form.deed(), happened=form.happened())
    if answer.outcome == "refused" and answer.field in ("celsius", "ph", "note", "happened"):
        refuse()
        form.blame(answer.field, answer.words)
        return _page(make_id, form)
    return _then(make_id, answer)


@blueprint.post("/vat/<uuid:make_id>/end")
@needs("make.write")
def give_up(make_id: uuid.UUID) -> Page:
    """No cheese comes of it: begun by mistake, or given up."""
    told = {key: request.form.get(key, "").strip() for key in ("became", "word")}
    try:
        answer = _say(make_id, deeds.read("given_up", told))
    except CraftError as error:
        refuse()
        return _page(make_id, ReadingForm(formdata=None), error.words)
    if not answer.is_kept:
        refuse()
        return _page(make_id, ReadingForm(formdata=None), answer.words)
    return redirect(url_for("vat.page", make_id=make_id))


@blueprint.post("/vat/<uuid:make_id>/whey")
@needs("milk.write")
def keep_whey(make_id: uuid.UUID) -> Page:
    """The whey is kept: a pail on the shelf of milk, for a whey cheese today."""
    form = WheyForm()
    if form.validate_on_submit():
        answer = _say(make_id, WheyKept(form.litres.base or 0.0))
        if answer.is_kept:
            return redirect(url_for("vat.page", make_id=make_id))
        blame(form.litres, answer.words)
        if not answer.field:
            refuse()
            return _page(make_id, ReadingForm(formdata=None), answer.words)
    refuse()
    return _page(make_id, ReadingForm(formdata=None), whey_form=form)


@blueprint.post("/vat/<uuid:make_id>/undo")
@needs("make.write")
def undo(make_id: uuid.UUID) -> Page:
    """A tap was wrong; both stay in the record."""
    return _then(make_id, _say(make_id, Undone(), form_id("amends")))


# ── the door for devices ──


@blueprint.post("/makes/<uuid:make_id>/deeds")
@needs("make.write")
def tell_deeds(make_id: uuid.UUID) -> Page:
    """A batch of deeds as JSON: {"sent", "device", "deeds": [{"id", "deed", "payload", "happened",
    "counter", "amends"}]}. Each gets its answer; what is kept stays kept, whatever the others are.

    `sent` is the device's own clock as it sends: what that is off is taken off each `happened`.
    """
    body = request.get_json(silent=True)
    if not isinstance(body, dict) or not isinstance(body.get("deeds"), list):
        abort(400, "Send {“deeds”: […]} as JSON.")
    try:
        offset = deeds.clock_offset(body["sent"], here().now) if "sent" in body else timedelta(0)
    except CraftError as error:
        abort(400, error.words)
    batch: list[Told] = []
    refused: dict[int, Answer] = {}
    for number, each in enumerate(body["deeds"]):
        try:
            batch.append(deeds.read_told(each, str(body.get("device", ""))[:80], offset))
        except CraftError as error:
            key = str(each.get("id", ""))[:40] if isinstance(each, dict) else ""
            refused[number] = Answer(key, "refused", error.words, error.about)
    answers = iter(tell(here(), make_id, batch))
    every = [refused.get(number) or next(answers) for number in range(len(body["deeds"]))]
    return jsonify(
        answers=[
            {
                "id": each.id,
                "outcome": each.outcome,
                "words": ours.ours(each.words),
                "field": each.field,
            }
            for each in every
        ]
    )
