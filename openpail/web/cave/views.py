"""The cave: what lies where, what wants hands, and one piece with all that can be done to it."""

from __future__ import annotations

import uuid

from flask import Blueprint, abort, redirect, render_template, request, url_for

from openpail.craft.cave.deeds import OUTS, SEALS, Opened, PieceDeed, Seen
from openpail.craft.errors import CraftError, PailError
from openpail.web.cave import draw, show
from openpail.web.cave.forms import (
    FORMS,
    CutForm,
    OutForm,
    PieceForm,
    UndoForm,
    WhenForm,
    by_of_request,
)
from openpail.web.edge import Page, form_id, here, needs, refuse, today
from openpail.web.ui import done
from openpail.web.ui.fields import blame
from openpail.work.cave import piece
from openpail.work.cave import shelves as cave

blueprint = Blueprint("cave", __name__, template_folder="templates")
_GONE = "There is no cheese of that number here."


@blueprint.get("/cave")
@needs("dairy.read")
def page() -> Page:
    """The places as they are; `place` is one whole, by pages; `due` only what wants hands."""
    place, number = request.args.get("place", ""), max(0, request.args.get("page", 0, type=int))
    only_due = request.args.get("show") == "due"
    places = cave.board(here(), place, number, due=only_due)
    looks, symbols = show.looks(here(), places)
    return render_template(
        "cave/page.html",
        places=places,
        looks=looks,
        symbols_of=symbols.values(),
        place=place,
        page=number,
        only_due=only_due,
        on_page=cave.ON_PAGE,
        shown=(number + 1) * cave.ON_PAGE,
        waiting=cave.waiting(here()),
        resting=any(each.count for each in places),
        find="",
        wrong="",
        today=today(),
        show=show,
        done=done.just_done(),
        fellows=show.fellows(here(), done.just_done()),
    )


@blueprint.get("/cave/find")
@needs("dairy.read")
def find() -> Page:
    """The piece of a number that was typed."""
    label = request.args.get("n", "")
    row = piece.by_number(here(), label)
    if row is None:
        page = render_template("cave/find.html", find=label, wrong=_GONE if label else "")
        return (page, 404) if label else page
    return redirect(url_for("cave.one", piece_id=row, by="typed", _anchor="do"))


@blueprint.get("/n/<label>/<check>")
@needs("dairy.read")
def by_label(label: str, check: str) -> Page:
    """The piece whose label was read by a phone."""
    row = piece.by_number(here(), label, check)
    if row is None:
        return render_template("cave/find.html", find=label, wrong=_GONE), 404
    return redirect(url_for("cave.one", piece_id=row, by="label"))


@blueprint.get("/cave/round")
@needs("dairy.read")
def walk() -> Page:
    """What one place wants of the hands today, care by care, each for one or for many."""
    place = request.args.get("place", "")
    groups = cave.round_of(here(), place)
    return render_template(
        "cave/round.html",
        place=place,
        groups=groups,
        today=today(),
        show=show,
        here=here,
        new_id=uuid.uuid4,
        done=done.just_done(),
        fellows=show.fellows(here(), done.just_done()),
    )


# ── cares ──


@blueprint.post("/cares/done")
@needs("care.write")
def care_done() -> Page:
    """One care is done, of one piece or of many."""
    ids, stage, key = _ids(), request.form.get("stage", ""), request.form.get("key", "")
    batch = form_id("batch")
    try:
        words = cave.care_done(
            here(), ids, stage, key=key, batch=batch, word=request.form.get("word", "")
        )
    except CraftError as error:
        refuse()
        return _asked_care(ids, stage, key, batch=batch, error=error)
    told = ",".join(str(each) for each in ids)
    done.tell(words, url_for("cave.care_not_done"), ids=told, batch=str(batch))
    return _back()


def _asked_care(
    ids: list[uuid.UUID],
    stage: str,
    key: str,
    *,
    batch: uuid.UUID,
    error: CraftError,
    to: str = "cave.care_done",
) -> Page:
    """What was asked of a care, with the place to answer it."""
    told = {"stage": stage, "key": key, "batch": str(batch)}
    told |= {"ids": ",".join(str(each) for each in ids), "from": request.form.get("from", "")}
    word = request.form.get("word", "")
    return render_template(
        "cave/asked.html",
        words=error.words,
        told=told,
        word=word,
        to=url_for(to),
        may_keep=error.about == "word",
    )


@blueprint.post("/cares/not-done")
@needs("care.write")
def care_not_done() -> Page:
    """It was a slip of the finger: of all that were tapped, or of some."""
    ids = _ids()
    cave.care_not_done(here(), ids, form_id("batch"))
    told = done.just_done()
    rest = [each for each in (told or {}).get("fields", {}).get("ids", "").split(",") if each]
    rest = [each for each in rest if uuid.UUID(each) not in ids]
    if told and rest:
        fields = {**told["fields"], "ids": ",".join(rest)}
        done.tell(told["words"].partition(":")[0], told["to"], **fields)
    else:
        done.forget()
    return _back()


def _ids() -> list[uuid.UUID]:
    told = request.form.getlist("ids")
    try:
        found = [uuid.UUID(each) for text in told for each in text.split(",") if each]
    except ValueError:
        abort(404)
    if not found:
        abort(400, "Choose which of them.")
    return found


def _back() -> Page:
    where = request.form.get("from", "")
    if where.startswith("round:"):
        return redirect(url_for("cave.walk", place=where.removeprefix("round:")))
    if where.startswith("piece:"):
        return redirect(url_for("cave.one", piece_id=uuid.UUID(where.removeprefix("piece:"))))
    return redirect(url_for("cave.page" if where == "cave" else "today.page"))


@blueprint.post("/cave/move")
@needs("care.write")
def move_many() -> Page:
    """Several pieces go on to their next stage, each picked by its number."""
    ids, batch = _ids(), form_id("batch")
    word = request.form.get("word", "")
    try:
        words = cave.move_on(here(), ids, batch, word)
    except CraftError as error:
        refuse()
        return _asked_care(ids, "", "", batch=batch, error=error, to="cave.move_many")
    told = ",".join(str(each) for each in ids)
    done.tell(words, url_for("cave.care_not_done"), ids=told, batch=str(batch))
    return _back()


# ── one piece ──


@blueprint.get("/cave/<uuid:piece_id>")
@needs("dairy.read")
def one(piece_id: uuid.UUID) -> Page:
    """One piece: its life as one line, what was done to it, what can be done."""
    return _piece(piece_id)


def _piece(
    piece_id: uuid.UUID, told: PieceForm | None = None, what: str = "", wrong: str = ""
) -> Page:
    at = piece.one(here(), piece_id)
    by = by_of_request()
    forms = {name: sort(formdata=None) for name, sort in FORMS.items()}
    if told is not None and what in forms:
        forms[what] = told
    for name, form in forms.items():
        show.fill(here(), at, form, by, fresh=name != what)
    mends = {"undo": UndoForm(formdata=None), "when": WhenForm(formdata=None)}
    return render_template(
        "cave/piece.html",
        at=at,
        row=at.row,
        forms=forms,
        mends=mends,
        open=what,
        wrong=wrong,
        by=by,
        show=show,
        draw=draw,
        seen=show.piece_shown(here(), at),
        outs=OUTS,
        sealed_words=SEALS,
        hours_out=show.hours_out,
        local_stamp=show.local_stamp,
        today=today(),
        all_told=request.args.get("all"),
        new_id=uuid.uuid4,
        done=done.just_done(),
    )


@blueprint.post("/cave/<uuid:piece_id>/<what>")
@needs("care.write")
def tell(piece_id: uuid.UUID, what: str) -> Page:
    """Something is done to a piece: moved, sealed, cut, looked at, weighed, tasted, gone."""
    if what not in FORMS:
        abort(404)
    form = FORMS[what]()
    if isinstance(form, CutForm):
        form.default_place, form.there = piece.places_named(here(), piece_id)
    wrong = ""
    if form.validate_on_submit():
        try:
            deed, event = form.deed(), form_id("event")
            if isinstance(deed, Seen) and request.form.get("sisters"):
                ids = piece.sisters(here(), piece_id)
                piece.tell(here(), piece.for_each(ids, deed, event, piece_id))
            else:
                at = form.moment if isinstance(form, OutForm) else None
                piece.tell(here(), [piece.Telling(piece_id=piece_id, deed=deed, id=event, at=at)])
            _told(piece_id, deed, event)
            return redirect(url_for("cave.one", piece_id=piece_id, by=form.by.data or "typed"))
        except PailError as error:
            field = error.about
            field = {"how": "seal", "happened": "left"}.get(field, field)
            known = field if field in form else next(iter(form._fields))
            blame(form[known], error.words)
            wrong = error.words
    refuse()
    return _piece(piece_id, form, what, wrong)


def _told(piece_id: uuid.UUID, deed: PieceDeed, deed_id: uuid.UUID) -> None:
    row = piece.one(here(), piece_id, 0).row
    undo = url_for("cave.undo", piece_id=piece_id)
    done.tell(show.deed_words(deed, row.label), undo, deed=str(deed_id))


@blueprint.post("/cave/<uuid:piece_id>/open")
@needs("care.write")
def opened(piece_id: uuid.UUID) -> Page:
    """What it was sealed in was taken off."""
    at = piece.one(here(), piece_id, 0)
    piece.tell(
        here(),
        [piece.Telling(piece_id=piece_id, deed=Opened(at.row.label, "shelf"), id=form_id("event"))],
    )
    return redirect(url_for("cave.one", piece_id=piece_id))


@blueprint.post("/cave/<uuid:piece_id>/undo")
@needs("care.write")
def undo(piece_id: uuid.UUID) -> Page:
    """Something that was told did not happen."""
    return _mend(piece_id, UndoForm(), "back")


@blueprint.post("/cave/<uuid:piece_id>/when")
@needs("care.write")
def when(piece_id: uuid.UUID) -> Page:
    """Something that was told happened at another time."""
    return _mend(piece_id, WhenForm(), "happened")


def _mend(piece_id: uuid.UUID, form: UndoForm | WhenForm, field: str) -> Page:
    target = form_id("deed")
    if form.validate_on_submit():
        try:
            new = uuid.uuid5(target, request.form.get("event", "undo"))
            piece.tell(
                here(), [piece.Telling(piece_id=piece_id, deed=form.deed(), id=new, amends=target)]
            )
            done.forget()
            return redirect(url_for("cave.one", piece_id=piece_id, _anchor="told"))
        except PailError as error:
            blame(form[field], error.words)
    refuse()
    at = piece.one(here(), piece_id)
    return render_template(
        "cave/mend.html", at=at, row=at.row, form=form, field_name=field, deed=target
    )
