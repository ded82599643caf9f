"""Press & salt: what presses, what lies in brine, and the tubs with their own log."""

from __future__ import annotations

import uuid
from collections.abc import Callable

from flask import Blueprint, redirect, render_template, request, url_for
from flask_wtf import FlaskForm

from openpail.craft.errors import CraftError, PailError, RecordError
from openpail.craft.press.load import round_area_cm2
from openpail.craft.salt.brine import scales, to_dilute
from openpail.craft.salt.cover import Cover, cover
from openpail.craft.salt.tub_deeds import (
    CalciumIn,
    Cleaned,
    Discarded,
    Floated,
    PhRead,
    Read,
    SaltIn,
    TubDeed,
    TubUndone,
    WaterIn,
)
from openpail.web.edge import Page, form_id, here, may, needs, refuse
from openpail.web.press import show
from openpail.web.press.draw import tub_drawn
from openpail.web.press.forms import (
    FLOATS,
    CoverForm,
    GoesInForm,
    MakeBrineForm,
    ReadForm,
    TubForm,
)
from openpail.web.ui.fields import blame, kept, written
from openpail.work.press import room as press_room
from openpail.work.press import tubs
from openpail.work.press.brining import labels_of

blueprint = Blueprint("press", __name__, template_folder="templates")


@blueprint.get("/press")
@needs("dairy.read")
def page() -> Page:
    """The presses as they stand, the tubs on their shelf, the turns that come."""
    return _page(TubForm(prefix="tub"))


def _page(form: FlaskForm) -> Page:
    station = press_room.station(here())
    return render_template(
        "press/page.html",
        station=station,
        show=show,
        form=form,
        tubs=[(each, tub_drawn(each.tub, each.standing, each.lying)) for each in station.tubs],
        wants=lambda each: tubs.wants(here(), each.tub, each.standing),
        label=labels_of,
        editable=may("dairy.write"),
    )


@blueprint.post("/press/tubs")
@needs("dairy.write")
def add_tub() -> Page:
    """A tub comes in."""
    form = TubForm(prefix="tub")
    made: list[uuid.UUID] = []

    def act() -> None:
        row = tubs.add(
            here(),
            form.name.data or "",
            size=form.size(),
            goal_pct=form.goal.number or 0.0,
            celsius=form.stands_at_c(),
            soft=bool(form.soft.data),
        )
        made.append(row.id)

    if kept(form, act, "name"):
        return redirect(url_for("press.tub", tub_id=made[0]))
    return _page(form)


# ── one tub ──


@blueprint.get("/press/tubs/<uuid:tub_id>")
@needs("dairy.read")
def tub(tub_id: uuid.UUID) -> Page:
    """A tub: how strong, what lies in it, what it wants, what was done to it."""
    return _tub(tub_id)


def _tub(
    tub_id: uuid.UUID,
    said: str = "",
    *,
    asked: str = "",
    covered: Cover | None = None,
    **changed: FlaskForm,
) -> Page:
    at = press_room.tub_of(here(), tub_id)
    row, standing = at.tub, at.standing
    forms: dict[str, FlaskForm] = {
        "tub_form": TubForm(
            formdata=None,
            prefix="tub",
            name=row.name,
            across=written(row.across_cm, "length", digits=4),
            side=written(row.side_cm, "length", digits=4),
            height=written(row.height_cm, "length", digits=4),
            goal=f"{row.goal_pct:g}",
            celsius=written(row.celsius, "temperature", digits=3),
            soft=row.soft,
        ),
        "make_form": MakeBrineForm(formdata=None, prefix="make", pct=f"{row.goal_pct:g}"),
        "read_form": ReadForm(formdata=None, prefix="read"),
        "in_form": GoesInForm(formdata=None, prefix="in"),
        "cover_form": CoverForm(formdata=None, prefix="cover"),
    }
    pct = standing.pct.value if standing.pct else 0.0
    strong = standing.brine_kg is not None and pct > row.goal_pct + 0.5
    return render_template(
        "press/tub.html",
        at=at,
        asked=asked,
        tub=row,
        standing=standing,
        drawn=tub_drawn(row, standing, at.lying),
        wants=tubs.wants(here(), row, standing),
        thin=to_dilute(standing.brine_kg or 0.0, pct, row.goal_pct) if strong else None,
        shows=scales(row.goal_pct),
        last=tubs.last_told(here(), row),
        show=show,
        said=said,
        covered=covered,
        floats=FLOATS,
        label=labels_of,
        new_id=uuid.uuid4,
        editable=may("dairy.write"),
        **(forms | changed),
    )


@blueprint.post("/press/tubs/<uuid:tub_id>")
@needs("dairy.write")
def change_tub(tub_id: uuid.UUID) -> Page:
    """Another name, other measures, another strength."""
    row, form = tubs.tub(here(), tub_id), TubForm(prefix="tub")

    def act() -> None:
        tubs.change(
            here(),
            row,
            form.name.data or "",
            size=form.size(),
            goal_pct=form.goal.number or 0.0,
            celsius=form.stands_at_c(),
            soft=bool(form.soft.data),
        )

    if kept(form, act, "name"):
        return redirect(url_for("press.tub", tub_id=tub_id))
    return _tub(tub_id, tub_form=form)


@blueprint.post("/press/tubs/<uuid:tub_id>/away")
@needs("dairy.write")
def put_away(tub_id: uuid.UUID) -> Page:
    """Out of use."""
    try:
        tubs.put_away(here(), tub_id)
    except RecordError as error:
        refuse()
        return _tub(tub_id, error.words)
    return redirect(url_for("press.page"))


@blueprint.post("/press/tubs/<uuid:tub_id>/make")
@needs("make.write")
def make_brine(tub_id: uuid.UUID) -> Page:
    """A brine is made in it."""
    form = MakeBrineForm(prefix="make")
    event = form_id("event")

    def act() -> None:
        water, pct = form.water.base or 0.0, form.pct.number or 0.0
        tubs.make_brine(here(), tub_id, water, pct, event, whey=bool(form.whey.data))

    return _told(tub_id, "make_form", form, act=act, main="water", names={"litres": "water"})


@blueprint.post("/press/tubs/<uuid:tub_id>/read")
@needs("make.write")
def read_brine(tub_id: uuid.UUID) -> Page:
    """Its strength is read."""
    form = ReadForm(prefix="read")
    event = form_id("event")

    def act() -> None:
        warm = tubs.tub(here(), tub_id).celsius
        deed = Read(
            value=form.value.number or 0.0,
            by=form.by.data,
            celsius=warm if form.celsius.base is None else form.celsius.base,
            ph=form.ph.number,
            litres=form.litres.base,
            word=(form.word.data or "").strip(),
        )
        tubs.tell(here(), tub_id, deed, deed_id=event)

    return _told(
        tub_id,
        "read_form",
        form,
        act=act,
        main="value",
        names={"strength": "value", "pct": "value"},
    )


@blueprint.post("/press/tubs/<uuid:tub_id>/in")
@needs("make.write")
def goes_in(tub_id: uuid.UUID) -> Page:
    """Salt, water, calcium chloride or vinegar go into it."""
    form = GoesInForm(prefix="in")
    event = form_id("event")

    def act() -> None:
        word = (form.word.data or "").strip()
        parts: list[TubDeed] = []
        if form.salt.base is not None:
            parts.append(SaltIn(form.salt.base, word))
        if form.water.base is not None:
            parts.append(WaterIn(form.water.base))
        if form.calcium.base is not None:
            parts.append(CalciumIn(form.calcium.base * 1000))
        if form.ph.number is not None:
            parts.append(PhRead(form.ph.number))
        if not parts:
            raise RecordError("Write what went in.", "salt")
        for number, part in enumerate(parts):
            key = event if number == 0 else uuid.uuid5(event, str(number))
            tubs.tell(here(), tub_id, part, deed_id=key)

    names = {"kg": "salt", "litres": "water", "grams": "calcium"}
    return _told(tub_id, "in_form", form, act=act, main="salt", names=names)


def _told(
    tub_id: uuid.UUID,
    name: str,
    form: FlaskForm,
    *,
    act: Callable[[], object],
    main: str,
    names: dict[str, str],
) -> Page:
    """A form of the tub told; what is refused stands by its field, under the name it has here."""
    if kept(form, act, main, names):
        return redirect(url_for("press.tub", tub_id=tub_id))
    return _tub(tub_id, **{name: form})


@blueprint.post("/press/tubs/<uuid:tub_id>/tell")
@needs("make.write")
def tell(tub_id: uuid.UUID) -> Page:
    """One tap: it was strained, boiled, poured away; how a cheese lies in it; a slip taken back."""
    sort = request.form.get("deed", "")
    word = request.form.get("word", "").strip()
    deeds: dict[str, TubDeed] = {
        "strained": Cleaned("strained"),
        "boiled": Cleaned("boiled"),
        "discarded": Discarded(word),
        "undo": TubUndone(),
        **{f"floats-{how}": Floated(how, word) for how, _ in FLOATS},
    }
    try:
        if sort not in deeds:
            raise RecordError("This is nothing that is told of a tub.")
        amends = form_id("amends") if sort == "undo" else None
        tubs.tell(here(), tub_id, deeds[sort], deed_id=form_id("event"), amends=amends)
    except PailError as error:
        refuse()
        return _tub(tub_id, error.words, asked=sort if error.about == "word" else "")
    return redirect(url_for("press.tub", tub_id=tub_id))


@blueprint.get("/press/tubs/<uuid:tub_id>/cover")
@needs("dairy.read")
def covers(tub_id: uuid.UUID) -> Page:
    """How much covers so many pieces in it, brine or spirit."""
    form = CoverForm(request.args, prefix="cover", meta={"csrf": False})
    found = None
    if form.validate():
        across, side = form.across.base or 0.0, form.side.base
        floor = round_area_cm2(across) if side is None else across * side
        size = tubs.tub(here(), tub_id).size
        try:
            pieces = int(form.pieces.number or 0)
            found = cover(size, pieces, floor, form.high.base or 0.0, form.there.base)
        except CraftError as error:
            blame(form.pieces, error.words)
    return _tub(tub_id, covered=found, cover_form=form)


# ── for the wall ──


@blueprint.get("/press/<uuid:make_id>/wall")
@needs("dairy.read")
def on_paper(make_id: uuid.UUID) -> Page:
    """The press and salt part of a make on one sheet of paper."""
    return render_template("press/wall.html", at=press_room.on_paper(here(), make_id), show=show)
