"""Labels: for which cheeses, on which paper, in whose words; looked at as SVG, printed as PDF."""

from __future__ import annotations

import uuid

from flask import Response, abort, redirect, render_template, request, url_for
from flask_wtf import FlaskForm
from wtforms import StringField
from wtforms.validators import Length

from openpail.craft.cave.label import LONGEST, Label, Wording
from openpail.craft.errors import CraftError, RecordError
from openpail.formats import labels as sheets
from openpail.web.cave.views import blueprint
from openpail.web.edge import Page, here, needs, refuse
from openpail.web.ui.fields import blame
from openpail.web.ui.show import mass
from openpail.work.cave.ripening import live
from openpail.work.table import labels

_MOST_SKIPPED = 60


class WordingForm(FlaskForm):
    """The maker's own words on a label, where they are theirs to choose."""

    maker = StringField("Who makes it", [Length(max=LONGEST)])
    line = StringField("A line about it", [Length(max=LONGEST)])
    keep = StringField("More about how it is kept", [Length(max=LONGEST)])


@blueprint.get("/cave/labels")
@needs("dairy.read")
def label_sheet() -> Page:
    """Choose cheeses and paper; see the sheets before they are printed."""
    return _page(_wording_form())


def _wording_form() -> WordingForm:
    words = labels.wording(here())
    form = WordingForm(formdata=None)
    form.maker.data, form.line.data, form.keep.data = words.maker, words.line, words.keep
    return form


def _page(form: WordingForm) -> Page:
    ids, sheet, skip = _asked()
    there = live(here())
    wanted = set(ids) or {each.row.id for each in there if request.args.get("all")}
    return render_template(
        "cave/labels.html",
        form=form,
        there=there,
        wanted=wanted,
        ids=",".join(str(each) for each in wanted),
        sheet=sheet,
        sheets=sheets.SHEETS,
        skip=skip,
        pages=sheets.count_of(len(wanted), sheets.SHEETS[sheet], skip),
        own=[(each.number, each.own) for each in _labels(list(wanted)) if each.own],
        to_ask=labels.to_ask(here(), list(wanted)),
        says=labels.says(),
    )


def _asked() -> tuple[list[uuid.UUID], str, int]:
    told = [part for text in request.args.getlist("ids") for part in text.split(",") if part]
    try:
        ids = [uuid.UUID(part) for part in told][: labels.MOST]
    except ValueError:
        abort(404)
    sheet = request.args.get(
        "sheet", "a4-24" if here().dairy.mass_system == "metric" else "letter-10"
    )
    if sheet not in sheets.SHEETS:
        abort(404)
    return ids, sheet, min(_MOST_SKIPPED, max(0, request.args.get("skip", 0, type=int)))


def _labels(ids: list[uuid.UUID]) -> list[Label]:
    def code(number: str, check: str) -> str:
        return url_for("cave.by_label", label=number, check=check, _external=True)

    return labels.labels(here(), ids, labels.wording(here()), code, mass)


@blueprint.post("/cave/labels")
@needs("dairy.write")
def label_wording() -> Page:
    """The maker's own words on a label."""
    form = WordingForm()
    if form.validate_on_submit():
        try:
            words = Wording(*((f.data or "").strip() for f in (form.maker, form.line, form.keep)))
            labels.set_wording(here(), words)
            return _page(form)
        except CraftError as error:
            blame(form[error.about], error.words)
    refuse()
    return _page(form)


@blueprint.post("/cave/labels/allergens")
@needs("dairy.write")
def label_allergens() -> Page:
    """Of a name that stands on no list it is said whether an allergen is in it."""
    try:
        labels.answer(here(), request.form.get("name", ""), request.form.getlist("keys"))
    except RecordError:
        abort(404)
    return redirect(f"{url_for('cave.label_sheet')}?{request.query_string.decode()}")


@blueprint.get("/cave/labels.pdf")
@needs("dairy.read")
def labels_pdf() -> Page:
    """The sheets, to print."""
    ids, sheet, skip = _asked()
    if not ids:
        abort(404)
    body = sheets.pdf(_labels(ids), sheets.SHEETS[sheet], "Cheese labels", skip)
    return _file(body, "application/pdf", "labels.pdf")


@blueprint.get("/cave/labels.svg")
@needs("dairy.read")
def labels_svg() -> Page:
    """One sheet, as a drawing."""
    ids, sheet, skip = _asked()
    pages = sheets.svg(_labels(ids), sheets.SHEETS[sheet], skip) if ids else []
    number = request.args.get("page", 1, type=int)
    if not 1 <= number <= len(pages):
        abort(404)
    return _file(pages[number - 1].encode(), "image/svg+xml", f"labels-{number}.svg")


def _file(body: bytes, kind: str, name: str) -> Response:
    answer = Response(body, mimetype=kind)
    answer.headers["Content-Disposition"] = f'inline; filename="{name}"'
    return answer
