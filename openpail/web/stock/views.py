"""The stock: what stands on which shelf, one lot, its jar's log, a file in and out."""

from __future__ import annotations

import uuid
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.doses.notices import OwnSolution, own_solution
from openpail.craft.errors import CraftError, OutOfRange, RecordError
from openpail.craft.stock.labels import SCALE_WORDS
from openpail.craft.stock.learning import differs
from openpail.craft.stock.products import KIND_WORDS, KINDS, SORTS
from openpail.formats import stock_csv
from openpail.web.edge import Page, csv_file, here, house, may, needs, refuse, today
from openpail.web.stock.forms import (
    FeedingForm,
    LabelForm,
    SolutionForm,
    StockFileForm,
    WeighLotForm,
    amount_in,
    label_of,
)
from openpail.web.ui import done
from openpail.web.ui.fields import blame, kept
from openpail.web.ui.sent import text_sent
from openpail.work.dairy import stock
from openpail.work.dairy.stock import Bought, Lot

blueprint = Blueprint("stock", __name__, template_folder="templates")

_PLACES = (("fridge", "In the fridge"), ("freezer", "In the freezer"), ("room", "On the shelf"))
_SHAPES = {
    "tablet": "tin",
    "powder": "tin",
    "freeze-dried": "packet",
    "units": "packet",
    "packet": "packet",
    "one-packet": "packet",
    "cubes": "cubes",
    "jar": "jar",
    "mother": "jar",
    "paste": "jar",
}


def shape(lot: Lot) -> str:
    """The drawn container a lot stands in."""
    if lot.product.kind == "ware":
        return "ware"
    if lot.product.form in _SHAPES:
        return _SHAPES[lot.product.form]
    return "bottle" if lot.product.unit == "mL" else "tin"


@blueprint.get("/stock")
@needs("dairy.read")
def page() -> Page:
    """All shelves; at the side what comes in."""
    kind = request.args.get("kind", "")
    tested = {"strength": request.args.get("strength", "")[:12]}  # by the test at home
    form = LabelForm(formdata=None, data=tested).of(kind) if kind in KINDS else None
    return _page(form, kind)


def _page(
    form: LabelForm | None = None, kind: str = "", lot: Lot | None = None, **more: Any
) -> Page:
    lots = here().shelf
    said = stock.notices(here(), lots)
    shelves = [
        (words, [each for each in lots if each.row.kept == place]) for place, words in _PLACES
    ]
    return render_template(
        "stock/page.html",
        shelves=[(words, there) for words, there in shelves if there],
        said=said,
        urgent=[(each, n) for each in lots for n in said[each.row.id] if n.grave != "note"],
        form=form,
        kind=kind,
        kinds=[(key, KIND_WORDS[key]) for key in KINDS],
        kind_words=KIND_WORDS,
        sorts=SORTS,
        scale_words=SCALE_WORDS,
        shape=shape,
        lot=lot,
        editable=may("dairy.write"),
        **more,
    )


@blueprint.post("/stock")
@needs("dairy.write")
def add() -> Page:
    """A lot comes in."""
    kind = request.form.get("kind", "")
    if kind not in KINDS:
        return redirect(url_for("stock.page"))
    form = LabelForm().of(kind)
    if kept(
        form,
        lambda: stock.add(here(), form.product(kind), form.bought(form.product(kind).unit)),
        "amount",
    ):
        return redirect(url_for("stock.page"))
    return _page(form, kind)


@blueprint.get("/stock/<uuid:lot_id>")
@needs("dairy.read")
def one(lot_id: uuid.UUID) -> Page:
    """One lot: what is left, what became of it, what is to be done with it."""
    return _lot_page(stock.one(here(), lot_id))


def _lot_page(lot: Lot, **forms: Any) -> Page:
    learnt = None
    if lot.row.kind == "rennet":
        learnt = here().lessons.bottles.get(lot.product.lot)
    given: dict[str, Any] = {
        "weigh_form": WeighLotForm(formdata=None),
        "feed_form": FeedingForm(formdata=None),
        "label_form": LabelForm(formdata=None, data=label_of(lot.row)).of(lot.row.kind),
    }
    return _page(
        lot=lot,
        moves=stock.moves(here(), lot.row),
        learnt=learnt,
        tells=bool(learnt and differs(learnt, house())),
        **(given | forms),
    )


@blueprint.post("/stock/<uuid:lot_id>")
@needs("dairy.write")
def mend(lot_id: uuid.UUID) -> Page:
    """The label was read wrongly: mend it."""
    lot = stock.one(here(), lot_id)
    form = LabelForm().of(lot.row.kind)

    def act() -> None:
        product = form.product(lot.row.kind)
        stock.mend(here(), lot.row, product, form.bought(product.unit))

    if kept(form, act, "amount"):
        return redirect(url_for("stock.one", lot_id=lot_id))
    return _lot_page(lot, label_form=form)


@blueprint.post("/stock/<uuid:lot_id>/weigh")
@needs("care.write")
def weigh(lot_id: uuid.UUID) -> Page:
    """What is left was weighed."""
    lot = stock.one(here(), lot_id)
    form = WeighLotForm()

    def act() -> None:
        left = amount_in(form.left.data or "", lot.product.unit)
        if left is None:
            raise OutOfRange(f"Write what is left, in {lot.product.unit}.", "left")
        stock.weigh(here(), lot.row, left)

    if kept(form, act, "left"):
        return redirect(url_for("stock.one", lot_id=lot_id))
    return _lot_page(lot, weigh_form=form)


@blueprint.post("/stock/<uuid:lot_id>/open")
@needs("care.write")
def open_lot(lot_id: uuid.UUID) -> Page:
    """It is opened today."""
    stock.open_today(here(), lot_id)
    return redirect(url_for("stock.one", lot_id=lot_id))


@blueprint.post("/stock/<uuid:lot_id>/end")
@needs("dairy.write")
def end(lot_id: uuid.UUID) -> Page:
    """It is empty, or thrown away."""
    stock.end(here(), lot_id)
    return redirect(url_for("stock.page"))


@blueprint.post("/stock/<uuid:lot_id>/forget")
@needs("dairy.write")
def forget(lot_id: uuid.UUID) -> Page:
    """What its makes taught of a bottle is forgotten: its label speaks again."""
    return redirect(url_for("stock.one", lot_id=stock.forget_lessons(here(), lot_id).id))


@blueprint.post("/stock/<uuid:lot_id>/feed")
@needs("care.write")
def feed(lot_id: uuid.UUID) -> Page:
    """The jar is fed now, or (`back`) was not; what becomes of it is written when it is seen."""
    lot = stock.one(here(), lot_id)
    if request.form.get("back"):
        stock.not_fed(here(), lot)
        done.forget()
    else:
        stock.feed(here(), lot)
        done.tell(f"Fed: {lot.row.name}", request.path, back="1")
    if request.form.get("from") == "today":
        return redirect(url_for("today.page"))
    return redirect(url_for("stock.one", lot_id=lot_id))


@blueprint.post("/stock/<uuid:lot_id>/seen")
@needs("care.write")
def seen(lot_id: uuid.UUID) -> Page:
    """What became of the last feeding: hours to the set, smell, pH."""
    lot = stock.one(here(), lot_id)
    form = FeedingForm()

    def act() -> None:
        stock.see_feeding(
            here(),
            lot,
            form.set_hours.number,
            smell=form.smell.data,
            ph=form.ph.number,
            note=form.note.data or "",
        )

    if kept(form, act, "set_hours"):
        return redirect(url_for("stock.one", lot_id=lot_id))
    return _lot_page(lot, feed_form=form)


@blueprint.get("/stock/solution")
@needs("dairy.read")
def solution() -> Page:
    """Calcium chloride solution of one's own: the asking."""
    form = SolutionForm(formdata=None, purity="78", wanted="33", ml="250")
    return render_template("stock/solution.html", form=form, made=None)


@blueprint.post("/stock/solution")
@needs("dairy.write")
def make_solution() -> Page:
    """How many flakes; and, when asked, the bottle of it into the stock."""
    form = SolutionForm()
    made: list[OwnSolution] = []

    def act() -> None:
        made.append(
            own_solution(
                form.counts.data,
                form.purity.number or 0.0,
                form.wanted.number or 0.0,
                form.ml.number or 0.0,
            )
        )
        if "keep" in request.form:
            bought = Bought(
                opened_on=today(), best_before=None, bought_on=today(), amount=form.ml.number
            )
            stock.add(here(), made[0].product, bought)

    if kept(form, act, "ml") and "keep" in request.form:
        return redirect(url_for("stock.page"))
    return render_template("stock/solution.html", form=form, made=made[0] if made else None)


@blueprint.get("/stock.csv")
@needs("dairy.read")
def as_csv() -> Page:
    """All lots that are not ended, as CSV."""
    return csv_file(stock.as_csv(here()), "stock.csv")


@blueprint.get("/stock/file")
@needs("dairy.write")
def file() -> Page:
    """Paste or choose a file of lots."""
    return render_template(
        "stock/file.html", form=StockFileForm(formdata=None), good=None, refused=()
    )


@blueprint.post("/stock/file")
@needs("dairy.write")
def read_file() -> Page:
    """What was understood of it and what is refused; or keep it."""
    form = StockFileForm()
    try:
        form.text.data = text_sent()
        good, refused = stock_csv.read(form.text.data)
    except CraftError as error:
        refuse()
        blame(form.text, error.words)
        return render_template("stock/file.html", form=form, good=None, refused=())
    fine = []
    for line in good:
        try:
            stock.check_label(line.product)
            fine.append(line)
        except RecordError as error:
            refused.append(stock_csv.RefusedLot(line.line, line.product.name, error.words))
    if "keep" in request.form and fine:
        stock.take_in(here(), fine)
        return redirect(url_for("stock.page"))
    refused.sort(key=lambda each: each.line)
    return render_template(
        "stock/file.html", form=form, good=fine, refused=refused, kind_words=KIND_WORDS
    )
