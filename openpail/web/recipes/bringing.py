"""Recipes come in: as open files or as plain lines, looked at before anything is kept."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, replace

from flask import Blueprint, Response, abort, redirect, render_template, request, url_for

from openpail.craft.errors import CraftError
from openpail.formats import recipe_file
from openpail.formats.changes import between
from openpail.formats.recipe_file import Found
from openpail.formats.recipe_text import UnderstoodText
from openpail.formats.recipe_words import FAMILIES
from openpail.formats.written.asked import MakersWord
from openpail.formats.written.make import understand
from openpail.web.edge import Page, dairy, here, house, needs
from openpail.web.recipes.marked import choices_of, column, marked_lines, sent_back
from openpail.web.recipes.typed import typed
from openpail.web.recipes.words import ChangeInWords, told
from openpail.web.ui.sent import text_sent
from openpail.work.dairy import recipes

blueprint = Blueprint("bringing", __name__, template_folder="templates")
_LONGEST_ANSWER = 200
_ANSWER_FIRST = "Answer this first, or open it on the desk."


@dataclass(frozen=True)
class Brought:
    """One recipe of a file: what it would become here, and what it changes of the one that is."""

    found: Found
    becomes: str
    changes: list[ChangeInWords]

    @property
    def can(self) -> bool:
        """Whether there is something to keep."""
        return self.becomes not in ("", "same")


@blueprint.get("/recipes/bring")
@needs("dairy.write")
def page() -> Page:
    """Paste or choose: a file, or lines as people write them."""
    return _page("")


@blueprint.post("/recipes/bring")
@needs("dairy.write")
def look() -> Page:
    """What was understood, what is refused; or keep what was chosen."""
    try:
        text = text_sent()
    except CraftError as error:
        return _page("", error.words)
    if not text.strip():
        asked = "Paste a recipe here, or choose a file."
        return _page(text, asked, whole="X-Fragment" not in request.headers)
    fragment = "X-Fragment" in request.headers
    if text.lstrip()[:1] not in "{[":
        said = _said(text)
        written = understand(text, house(), dairy().volume_system, said)
        if "make" in request.form:
            written = _pressed(written)
        unanswered = any(each.wrong for each in written.questions)
        if "open" in request.form or ("make" in request.form and not unanswered):
            return redirect(_drafted(written))
        return _read(text, written, said, whole=not fragment)
    if fragment:
        return _page(text, whole=False)
    try:
        found = recipe_file.read_file(text, lambda key: recipes.document_of(here(), key))
    except CraftError as error:
        return _page(text, error.words)
    brought = [_brought(each) for each in found]
    if "keep" in request.form:
        _keep(brought)
        return redirect(url_for("recipes.page"))
    return render_template("recipes/bring.html", text=text, written=None, brought=brought, error="")


def _said(text: str) -> MakersWord:
    """What was answered on the page, and the readings that were chosen there."""
    answers = {
        key.removeprefix("answer-"): value[:_LONGEST_ANSWER]
        for key, value in request.form.items()
        if key.startswith("answer-")
    }
    try:
        return MakersWord(answers, choices_of(request.form.getlist("chosen"), text))
    except (ValueError, TypeError):
        abort(400)


def _pressed(written: UnderstoodText) -> UnderstoodText:
    """The same, with what has to be answered before it can be made said by its question."""
    asked = tuple(
        each if each.answer or each.usual else replace(each, wrong=each.wrong or _ANSWER_FIRST)
        for each in written.questions
    )
    return replace(written, questions=asked)


def _drafted(written: UnderstoodText) -> str:
    """Where it goes on: to the sheet when nothing is missing, else to the desk."""
    if "make" in request.form and recipes.keep_read(here(), written.recipe):
        return url_for("sheet.page", recipe=written.recipe.key)
    draft = recipes.begin(here(), typed(written.recipe), lines=written.lines)
    return url_for("writing.page", draft_id=draft.id)


def _read(text: str, written: UnderstoodText, said: MakersWord, whole: bool) -> Page:
    left = [each for each in written.questions if not each.answer and not each.usual]
    return render_template(
        "recipes/bring.html" if whole else "recipes/_read.html",
        text=text,
        written=written,
        marks=marked_lines(text, written, said),
        column=column(written.recipe),
        chosen=sent_back(said.chosen),
        asked_left=len(left),
        families=FAMILIES,
        brought=None,
        error="",
        files=(),
    )


def _page(text: str, error: str = "", whole: bool = True) -> Page:
    return render_template(
        "recipes/bring.html" if whole else "recipes/_read.html",
        text=text,
        written=None,
        file=text.lstrip()[:1] in ("{", "["),
        marks=(),
        chosen=(),
        brought=None,
        error=error,
        files=recipes.kept_files(here()) if whole else (),
    )


def _brought(found: Found) -> Brought:
    if found.recipe is None:
        return Brought(found, "kept" if found.newer else "", [])
    there = recipes.versions_of(here(), found.recipe.key, newest=True)
    if not there:
        return Brought(found, "new", [])
    if there[0].checksum == recipe_file.checksum(found.document):
        return Brought(found, "same", [])
    old, new = recipe_file.plain(there[0].document), recipe_file.plain(found.document)
    return Brought(found, f"version {there[0].number + 1}", told(between(old, new), old, new))


def _keep(brought: list[Brought]) -> None:
    chosen = set(request.form.getlist("take"))
    recipes.take_in(
        here(),
        [
            each.found
            for number, each in enumerate(brought)
            if str(number) in chosen and (each.can or each.found.newer)
        ],
    )


@blueprint.post("/recipes/starters")
@needs("dairy.write")
def starters() -> Page:
    """Starter recipes that this dairy has not."""
    recipes.keep_library(here())
    return redirect(url_for("recipes.page"))


@blueprint.get("/recipes/kept/<uuid:file_id>.json")
@needs("dairy.read")
def kept(file_id: uuid.UUID) -> Page:
    """A kept file, given back as it came."""
    found = recipes.kept_file(here(), file_id)
    response = Response(recipe_file.write_many([found.document]), mimetype="application/json")
    response.headers["Content-Disposition"] = "attachment; filename=recipe.json"
    return response


@blueprint.post("/recipes/kept/<uuid:file_id>/drop")
@needs("dairy.write")
def drop(file_id: uuid.UUID) -> Page:
    """A kept file goes."""
    recipes.drop_file(here(), file_id)
    return redirect(url_for("bringing.page"))
