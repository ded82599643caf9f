"""The milk book: herds and their year, slips from a file, and the book as CSV."""

from __future__ import annotations

import uuid
from datetime import date

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.errors import PailError
from openpail.craft.figure import Figure
from openpail.craft.milk.animals import Kappa
from openpail.craft.milk.kinds import BREEDS
from openpail.formats import milk_csv
from openpail.formats.milk_csv import RefusedSlip, Table, Understood
from openpail.web.edge import Page, csv_file, here, house, needs, now
from openpail.web.milk.forms import HerdForm, MilkFileForm, lot_id_of
from openpail.web.ui import draw
from openpail.web.ui.fields import blame, kept
from openpail.web.ui.sent import text_sent
from openpail.work.milk import herds as at_herds
from openpail.work.milk.herds import HerdSlip
from openpail.work.milk.lots import Herd, MilkLot

blueprint = Blueprint("book", __name__, template_folder="templates")


@blueprint.get("/milk/herds")
@needs("dairy.read")
def herds() -> Page:
    """Each herd: its means, and its year."""
    return _herds(HerdForm())


def _herds(
    form: HerdForm, changed: HerdForm | None = None, changed_id: uuid.UUID | None = None
) -> Page:
    rows = []
    for at in at_herds.all_herds(here()):
        figures = {
            part: Figure.start(f"mean of {mean.tests} tests", mean.value, "%", sd=mean.sd)
            for part, mean in at.means.items()
        }
        rows.append(
            (
                at.herd,
                at.tests,
                figures,
                draw.season(at.months) if len(at.months) > 1 else None,
                changed if changed and at.herd.id == changed_id else _form_of(at.herd),
            )
        )
    return render_template(
        "milk/herds.html",
        rows=rows,
        form=form,
        put_away=at_herds.put_away_herds(here()),
        breeds=BREEDS,
        least=round(house().number("milk.herd_least")),
    )


def _form_of(herd: Herd) -> HerdForm:
    head = "" if herd.head is None else str(herd.head)
    return HerdForm(
        formdata=None,
        prefix=f"{herd.id}",
        name=herd.name,
        breed=herd.breed,
        head=head,
        kappa=herd.kappa,
    )


@blueprint.post("/milk/herds")
@needs("milk.write")
def add_herd() -> Page:
    """A group of animals comes in."""
    form = HerdForm()

    def act() -> None:
        name, breed = form.name.data or "", form.breed.data
        at_herds.add(here(), name, breed, form.count(), form.kappa.data)

    if kept(form, act, "name"):
        return redirect(url_for("book.herds"))
    return _herds(form)


@blueprint.post("/milk/herds/<uuid:herd_id>")
@needs("milk.write")
def change_herd(herd_id: uuid.UUID) -> Page:
    """Another name or number; what is known of its genes."""
    herd, form = at_herds.find(here(), herd_id), HerdForm(prefix=f"{herd_id}")
    if not herd.breed.startswith("cow"):
        del form.kappa

    def act() -> None:
        kappa: Kappa = form.kappa.data if "kappa" in form else ""
        at_herds.change(here(), herd, form.name.data or "", form.count(), kappa)
        if form.breed.data and form.breed.data != herd.breed:
            at_herds.change_animal(here(), herd, form.breed.data, form.why.data or "")

    if kept(form, act, "name"):
        return redirect(url_for("book.herds"))
    return _herds(HerdForm(formdata=None), form, herd_id)


@blueprint.post("/milk/herds/<uuid:herd_id>/away")
@needs("milk.write")
def put_away(herd_id: uuid.UUID) -> Page:
    """No longer milked, or (`back`) milked again."""
    herd = at_herds.find(here(), herd_id)
    at_herds.put_away(here(), herd, back=bool(request.form.get("back")))
    return redirect(url_for("book.herds"))


@blueprint.get("/milk/file")
@needs("milk.write")
def file() -> Page:
    """Paste or choose a file of slips."""
    return render_template("milk/file.html", form=MilkFileForm(), table=None)


@blueprint.post("/milk/file")
@needs("milk.write")
def preview() -> Page:
    """What was understood of it, what it leaves open, what is refused; or keep it."""
    form = MilkFileForm()
    try:
        text = form.text.data = text_sent()
        table = milk_csv.understand(text)
    except PailError as error:
        blame(form.text, error.words)
        return render_template("milk/file.html", form=form, table=None)
    answers = _answers(table)
    good, refused = milk_csv.read(table, answers)
    matched, strangers = _match(good)
    refused = sorted([*refused, *strangers], key=lambda each: each.line)
    still_open = [question for question in table.questions if question.key not in answers]
    if "keep" in request.form and matched and not still_open:
        kept = at_herds.keep_slips(here(), [slip for _, slip, _ in matched], table.header, answers)
        return render_template(
            "milk/kept.html", kept=kept, there=len(matched) - kept, refused=refused
        )
    return render_template(
        "milk/file.html",
        form=form,
        table=table,
        words=milk_csv.WORDS,
        answers=answers,
        still_open=still_open,
        matched=matched,
        refused=refused,
    )


def _answers(table: Table) -> dict[str, str]:
    """The answers of this page, else those given for the same columns before."""
    before = at_herds.layout_of(here(), table.header)
    found = {}
    for question in table.questions:
        answer = request.form.get(f"ask-{question.key}") or before.get(question.key, "")
        if answer in {key for key, _ in question.answers}:
            found[question.key] = answer
    return found


Matched = tuple[Understood, HerdSlip, str]


def _match(good: list[Understood]) -> tuple[list[Matched], list[RefusedSlip]]:
    """Find whose milk each slip is: a lot by number or name, else a herd by name."""
    lots = at_herds.all_lots(here())
    herds = {herd.name.lower(): herd for herd in at_herds.herds(here())}
    matched: list[Matched] = []
    strangers: list[RefusedSlip] = []
    for row in good:
        herd, lot_id = herds.get(row.who.lower()), lot_id_of(row.who, lots)
        if row.day > _today():
            strangers.append(RefusedSlip(row.line, f"{row.who}, {row.day}", "That day is to come."))
        elif lot_id or herd:
            slip = HerdSlip(
                herd_id=herd.id if herd and not lot_id else None,
                lot_id=lot_id,
                day=row.day,
                test=row.test,
            )
            matched.append((row, slip, f"lot {_number(lots, lot_id)}" if lot_id else "the herd"))
        else:
            words = f"“{row.who}” is no lot and no herd here. Add the herd, or mend the name."
            strangers.append(RefusedSlip(row.line, f"{row.who}, {row.day}", words))
    return matched, strangers


def _today() -> date:
    return now().date()


def _number(lots: list[MilkLot], lot_id: uuid.UUID) -> int:
    return next(lot.number for lot in lots if lot.id == lot_id)


@blueprint.get("/milk/lots.csv")
@needs("dairy.read")
def lots_csv() -> Page:
    """All lots, as CSV."""
    return csv_file(milk_csv.write_lots(at_herds.lot_lines(here())), "milk-lots.csv")


@blueprint.get("/milk/slips.csv")
@needs("dairy.read")
def slips_csv() -> Page:
    """All slips, of lots and of herds, as CSV."""
    return csv_file(milk_csv.write_tests(at_herds.slip_lines(here())), "milk-slips.csv")
