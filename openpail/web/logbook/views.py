"""The logbook: makes found, one on a page, several beside each other."""

from __future__ import annotations

import uuid
from datetime import date

from flask import Blueprint, abort, redirect, render_template, request, url_for

from openpail.craft.cave.deeds import ASPECTS, FAULTS, MARKS, OUTS
from openpail.craft.cave.tasting import OUTCOMES
from openpail.craft.make.standing import NEWEST_TOLD
from openpail.craft.table.compare import LEAST_BEST, MOST_COMPARED
from openpail.craft.table.facts import GROUPS
from openpail.records.makes.looks import Find
from openpail.records.recipes import actions as recipes
from openpail.web.edge import Page, here, needs
from openpail.web.logbook import show
from openpail.web.recipes.typed import typed
from openpail.web.ui.curves import overlaid
from openpail.web.vat import show as vat_show
from openpail.work import logbook

blueprint = Blueprint("logbook", __name__, template_folder="templates")
_ANIMALS = ("cow", "goat", "sheep", "buffalo")


@blueprint.get("/logbook")
@needs("dairy.read")
def index() -> Page:
    """The makes, and what they are found by."""
    wanted, errors = _wanted()
    page = max(0, request.args.get("page", 0, type=int))
    at = here()
    found = logbook.found(at, wanted, page)
    best = logbook.best_of(at, wanted.recipe) if wanted.recipe else None
    return render_template(
        "logbook/index.html",
        found=found,
        wanted=wanted,
        errors=errors,
        page=page,
        best=best,
        least=LEAST_BEST,
        recipes=recipes.in_use(at.session, at.dairy),
        animals=_ANIMALS,
        faults=FAULTS,
        outcomes=OUTCOMES,
        show=show,
        query={key: value for key, value in request.args.items() if value and key != "page"},
    )


def _wanted() -> tuple[Find, dict[str, str]]:
    args, errors = request.args, dict[str, str]()
    days: dict[str, date | None] = {}
    for name in ("since", "until"):
        text = args.get(name, "").strip()
        try:
            days[name] = date.fromisoformat(text) if text else None
        except ValueError:
            errors[name] = "Write the day like 2026-05-04."
            days[name] = None
    return (
        Find(
            args.get("words", "").strip()[:200],
            args.get("recipe", ""),
            args.get("animals", ""),
            args.get("fault", ""),
            args.get("outcome", ""),
            days["since"],
            days["until"],
            _id(args.get("lot", "")),
            _id(args.get("bottle", "")),
        ),
        errors,
    )


def _id(text: str) -> uuid.UUID | None:
    try:
        return uuid.UUID(text) if text else None
    except ValueError:
        abort(404)


@blueprint.get("/logbook/<uuid:make_id>")
@needs("dairy.read")
def page(make_id: uuid.UUID) -> Page:
    """One make, from its milk to how it ate."""
    book = logbook.page_of(here(), make_id)
    return render_template(
        "logbook/page.html",
        book=book,
        at=book.at,
        make=book.make,
        show=show,
        vat_show=vat_show,
        lines=vat_show.log_lines(book.at)[::-1],
        rows=show.clock_rows(book),
        curve=show.drawn(book),
        taught=show.taught_words(book.taught),
        told=NEWEST_TOLD,
        aspects=ASPECTS,
        marks=MARKS,
        faults=FAULTS,
        outs=OUTS,
        outcomes=OUTCOMES,
    )


@blueprint.post("/logbook/<uuid:make_id>/like")
@needs("dairy.write")
def like(make_id: uuid.UUID) -> Page:
    """A make becomes the next version of its recipe: on the desk, for a last look."""
    at = here()
    found = logbook.like_this(at, make_id)
    fields = {**typed(found.recipe), "why": [found.why]}
    draft = recipes.begin_draft(at.session, at.dairy, fields, at.now, found.version)
    return redirect(url_for("writing.page", draft_id=draft.id))


@blueprint.get("/logbook/compare")
@needs("dairy.read")
def compare() -> Page:
    """Two to four makes beside each other."""
    ids = list(dict.fromkeys(_id(text) for text in request.args.getlist("make") if text))
    if not 2 <= len(ids) <= MOST_COMPARED:
        return redirect(url_for("logbook.index"))
    laid = logbook.beside(here(), [key for key in ids if key])
    pages = [logbook.LogPage(here(), make) for make in laid.makes]
    lines = [show.line_of(each) for each in pages]
    return render_template(
        "logbook/compare.html",
        laid=laid,
        pages=pages,
        groups=GROUPS,
        show=show,
        over=overlaid(lines),
        letters="ABCD",
        only=bool(request.args.get("differs")),
    )
