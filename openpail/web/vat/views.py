"""The vat: one step at a time; a reading, first flocks, done, amend, undo."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime, timedelta

from flask import Blueprint, redirect, render_template, request, url_for
from flask_wtf import FlaskForm
from wtforms import StringField

from openpail.craft.errors import CraftError
from openpail.craft.plan import hours_since
from openpail.records.dairy import actions as dairies
from openpail.records.errors import RecordError
from openpail.records.makes import actions as makes
from openpail.records.makes.actions import Report
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.web.edge import Page, dairy, db, form_id, local, needs, now, person_id, refuse, zone
from openpail.web.ui.fields import AmountField, NumberField, blame
from openpail.web.vat import state as vat

blueprint = Blueprint("vat", __name__, template_folder="templates")

_PH_LOW, _PH_HIGH = 3.0, 9.0
_HOTTEST_C = 105.0


class ReadingForm(FlaskForm):
    """A reading at the vat: any of temperature, pH, a note; when, if not now."""

    celsius = AmountField("Temperature", "temperature", required=False)
    ph = NumberField("pH", required=False)
    note = StringField("Note")
    at = StringField("Taken at")

    def payload(self) -> dict[str, object]:
        """What was read."""
        read = {
            "celsius": self.celsius.base,
            "ph": self.ph.number,
            "note": (self.note.data or "").strip(),
        }
        return {key: value for key, value in read.items() if value not in (None, "")}

    def check(self) -> bool:
        """Refuse what no vat shows, with words by the field."""
        if not self.payload():
            blame(self.celsius, "Write what was read: a temperature, a pH or a note.")
        if self.celsius.base is not None and not -2 <= self.celsius.base <= _HOTTEST_C:
            blame(self.celsius, "No vat is that cold or that hot. Look again.")
        if self.ph.number is not None and not _PH_LOW <= self.ph.number <= _PH_HIGH:
            blame(self.ph, f"A pH here lies between {_PH_LOW:g} and {_PH_HIGH:g}.")
        try:
            self.happened()
        except ValueError:
            blame(self.at, "Write the time like 10:42.")
        return not any(field.errors for field in self)

    def happened(self) -> datetime:
        """When it was read: now, or the last time the clock showed what was typed."""
        typed = (self.at.data or "").strip()
        if not typed:
            return now()
        hour, minute = (int(part) for part in typed.split(":"))
        here = local(now())
        moment = here.replace(hour=hour, minute=minute, second=0, microsecond=0)
        if moment > here + timedelta(minutes=2):
            moment = (moment - timedelta(days=1)).replace(tzinfo=zone())
        return moment.astimezone(UTC)


class WheyForm(FlaskForm):
    """How much whey there is."""

    litres = AmountField("How much whey", "volume", blank="Write how much whey there is.")


@blueprint.get("/vat")
@needs("dairy.read")
def index() -> Page:
    """The make under way, or the choice between several."""
    under_way = makes.under_way(db(), dairy())
    if len(under_way) == 1:
        return redirect(url_for("vat.page", make_id=under_way[0].id))
    return render_template("vat/index.html", makes=[(m, vat.state_of(m)) for m in under_way])


@blueprint.get("/vat/<uuid:make_id>")
@needs("dairy.read")
def page(make_id: uuid.UUID) -> Page:
    """The step for the hands, as large as the screen allows."""
    return _page(makes.make(db(), dairy(), make_id), ReadingForm())


def _page(
    make: Make, form: ReadingForm, error: str = "", whey_form: WheyForm | None = None
) -> Page:
    state = vat.state_of(make)
    current = state.current
    lines = {line["key"]: line for line in make.frozen["lines"]}
    recent = {
        str(row.id) for row in makes.rows(db(), make) if now() - row.arrived <= makes.UNDO_WITHIN
    }
    return render_template(
        "vat/page.html",
        make=make,
        state=state,
        current=current,
        big=vat.big(make, state, current) if current else None,
        ramp=vat.ramp(state, current) if current else None,
        unwritten=vat.unwritten(make, current) if current else [],
        vessel=vat.vessel(make, dairies.vat(db(), dairy(), make.vat_id)),
        acid=vat.acid_warning(make, state),
        whey=vat.whey(make, state),
        whey_form=whey_form or WheyForm(formdata=None),
        lines=lines,
        form=form,
        reading_open=bool(form.errors),
        recent=recent,
        new_id=uuid.uuid4,
        error=error,
        expected=make.frozen["set"],
    )


def _report(make: Make, kind: str, payload: dict[str, object], amends: str = "",
            happened: datetime | None = None) -> None:  # fmt: skip
    event = Report(
        form_id("event"),
        kind,
        payload,
        happened or now(),
        form_id("amends") if amends else None,
    )
    makes.report(db(), dairy(), make, event, now(), person_id())


def _then(make: Make) -> Page:
    return redirect(url_for("vat.page", make_id=make.id))


@blueprint.post("/vat/<uuid:make_id>/done")
@needs("make.write")
def done(make_id: uuid.UUID) -> Page:
    """The step is done."""
    make = makes.make(db(), dairy(), make_id)
    step = vat.recipe_of(make).step(request.form.get("step", ""))
    learnt = makes.warming_seen(db(), make, now()) if step.kind == "warm" else {}
    _report(make, "step_done", {"step": step.key, **learnt})
    return _then(make)


@blueprint.post("/vat/<uuid:make_id>/flocks")
@needs("make.write")
def flocks(make_id: uuid.UUID) -> Page:
    """First flocks are seen; the step that waits for them is done with it."""
    make = makes.make(db(), dairy(), make_id)
    state = vat.state_of(make)
    current = state.current
    minutes = 60 * hours_since(state.rennet_at, now()) or None
    warm = any(reading.celsius is not None for reading in state.readings)
    _report(make, "flocks", makes.flocks_seen(make, minutes, warm))
    if current and "flocks" in current.planned.step.asks:
        event = uuid.uuid5(form_id("event"), "step")
        report = Report(event, "step_done", {"step": current.planned.step.key}, now())
        makes.report(db(), dairy(), make, report, now(), person_id())
    return _then(make)


@blueprint.post("/vat/<uuid:make_id>/reading")
@needs("make.write")
def reading(make_id: uuid.UUID) -> Page:
    """Something was read; `amends` names the reading it mends."""
    make = makes.make(db(), dairy(), make_id)
    form = ReadingForm()
    if not (form.validate_on_submit() and form.check()):
        return _page(make, form)
    amends = request.form.get("amends", "")
    try:
        kind = "amend" if amends else "reading"
        _report(make, kind, form.payload(), amends, None if amends else form.happened())
    except (RecordError, CraftError) as error:
        refuse()
        return _page(make, form, error.words)
    return _then(make)


@blueprint.post("/vat/<uuid:make_id>/whey")
@needs("milk.write")
def keep_whey(make_id: uuid.UUID) -> Page:
    """The whey is kept: a pail on the shelf of milk, for a whey cheese today."""
    make = makes.make(db(), dairy(), make_id)
    whey, form = vat.whey(make, vat.state_of(make)), WheyForm()
    if not whey or whey.kept:
        return _then(make)
    if form.validate_on_submit():
        try:
            milk.keep_whey(db(), dairy(), make, form.litres.base or 0.0, whey.made_of, now(),
                           person_id())  # fmt: skip
            return _then(make)
        except RecordError as error:
            blame(form.litres, error.words)
    refuse()
    return _page(make, ReadingForm(formdata=None), whey_form=form)


@blueprint.post("/vat/<uuid:make_id>/undo")
@needs("make.write")
def undo(make_id: uuid.UUID) -> Page:
    """A tap was wrong; both stay in the record."""
    make = makes.make(db(), dairy(), make_id)
    try:
        _report(make, "undo", {}, request.form["amends"])
    except RecordError as error:
        refuse()
        return _page(make, ReadingForm(), error.words)
    return _then(make)
