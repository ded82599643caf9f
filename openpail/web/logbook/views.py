"""The logbook: makes found, one on a page, several beside each other."""

from __future__ import annotations

import uuid
from datetime import date
from urllib.parse import urlencode

from flask import Blueprint, Response, abort, redirect, render_template, request, url_for

from openpail.craft.cave.deeds import ASPECTS, FAULTS, MARKS, OUTS
from openpail.craft.cave.tasting import OUTCOMES
from openpail.craft.errors import RecordError
from openpail.craft.make.standing import NEWEST_TOLD
from openpail.craft.milk.kinds import SPECIES
from openpail.craft.table.compare import LEAST_BEST, MOST_COMPARED
from openpail.craft.table.facts import GROUPS
from openpail.formats.spreadsheet import spreadsheet
from openpail.web.edge import Page, here, needs, refuse
from openpail.web.logbook import show
from openpail.web.recipes.typed import typed
from openpail.web.ui.curves import overlaid
from openpail.web.vat import show as vat_show
from openpail.work.dairy import recipes
from openpail.work.logbook import book as logbook
from openpail.work.logbook.book import Find
from openpail.work.logbook.sheets_out import makes_rows, tests_rows

blueprint = Blueprint("logbook", __name__, template_folder="templates")
_ASKED = ("words", "recipe", "animals", "fault", "outcome", "since", "until", "lot", "bottle")


@blueprint.get("/logbook")
@needs("dairy.read")
def index() -> Page:
    """The makes, and what they are found by."""
    return _index()


def _index(error: str = "") -> str:
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
        recipes=recipes.in_use(at),
        animals=SPECIES,
        faults=FAULTS,
        outcomes=OUTCOMES,
        show=show,
        query=_query(),
        kept=logbook.kept_looks(at),
        error=error,
    )


def _query() -> dict[str, str]:
    return {key: request.args[key] for key in _ASKED if request.args.get(key)}


@blueprint.post("/logbook/looks")
@needs("make.write")
def keep_look() -> Page:
    """What is looked for is kept under a name."""
    at, name = here(), request.form.get("name", "").strip()
    try:
        logbook.keep_look(at, name, urlencode(_query()))
    except RecordError as error:
        refuse()
        return _index(error.words), 422
    return redirect(f"{url_for('logbook.index')}?{urlencode(_query())}")


@blueprint.post("/logbook/looks/<uuid:look_id>/let-go")
@needs("make.write")
def let_go(look_id: uuid.UUID) -> Page:
    """A look is kept no longer."""
    logbook.let_go(here(), look_id)
    return redirect(url_for("logbook.index"))


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
            words=args.get("words", "").strip()[:200],
            recipe=args.get("recipe", ""),
            animals=args.get("animals", ""),
            fault=args.get("fault", ""),
            outcome=args.get("outcome", ""),
            since=days["since"],
            until=days["until"],
            lot=_id(args.get("lot", "")),
            bottle=_id(args.get("bottle", "")),
        ),
        errors,
    )


def _id(text: str) -> uuid.UUID | None:
    try:
        return uuid.UUID(text) if text else None
    except ValueError:
        abort(404)


@blueprint.get("/logbook/makes-and-tests.ods")
@needs("dairy.read")
def as_spreadsheet() -> Page:
    """All makes and all tests of milk as an open spreadsheet."""
    at = here()
    data = spreadsheet({"makes": makes_rows(at), "tests": tests_rows(at)})
    answer = Response(data, mimetype="application/vnd.oasis.opendocument.spreadsheet")
    answer.headers.set("Content-Disposition", "attachment", filename="makes-and-tests.ods")
    return answer


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


@blueprint.get("/logbook/<uuid:make_id>/like")
@needs("dairy.write")
def like_asked(make_id: uuid.UUID) -> Page:
    """What the make did otherwise than its recipe: what was meant is ticked."""
    found = logbook.done_otherwise(here(), make_id)
    return render_template(
        "logbook/like.html",
        book=logbook.page_of(here(), make_id),
        otherwise=found,
        words=show.otherwise_words,
    )


@blueprint.post("/logbook/<uuid:make_id>/like")
@needs("dairy.write")
def like(make_id: uuid.UUID) -> Page:
    """A make becomes the next version of its recipe: on the desk, for a last look."""
    at = here()
    found = logbook.like_this(at, make_id, request.form.getlist("meant"))
    fields = {**typed(found.recipe), "why": [found.why]}
    draft = recipes.begin(at, fields, version=found.version)
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
