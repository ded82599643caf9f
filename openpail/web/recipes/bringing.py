"""Recipes come in: as open files or as plain lines, looked at before anything is kept."""

from __future__ import annotations

import uuid
from dataclasses import asdict, dataclass

from flask import Blueprint, Response, redirect, render_template, request, url_for

from openpail.craft.errors import CraftError
from openpail.formats import recipe_file
from openpail.formats.changes import between
from openpail.formats.recipe_file import Found
from openpail.formats.recipe_text import WrittenLine
from openpail.formats.written.make import understand
from openpail.records.errors import NotHere
from openpail.records.recipes import actions as recipes
from openpail.web.edge import Page, dairy, db, house, needs, now, person_id
from openpail.web.recipes.typed import typed
from openpail.web.recipes.words import ChangeInWords, told
from openpail.web.recipes.writing import kept_at_once
from openpail.web.ui.sent import text_sent

blueprint = Blueprint("bringing", __name__, template_folder="templates")


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
        return _page(text, "Paste a recipe here, or choose a file.")
    if text.lstrip()[:1] not in "{[":
        written = understand(text, house(), dairy().volume_system)
        if "open" in request.form or "make" in request.form:
            lines = [asdict(line) for line in written.lines]
            fields = typed(written.recipe)
            draft = recipes.begin_draft(db(), dairy(), fields, now(), lines=lines)
            key = kept_at_once(draft) if "make" in request.form else ""
            if key:
                return redirect(url_for("sheet.page", recipe=key))
            return redirect(url_for("writing.page", draft_id=draft.id))
        return render_template(
            "recipes/bring.html",
            text=text,
            written=written,
            marked=marked,
            brought=None,
            error="",
            files=(),
        )
    try:
        found = recipe_file.read_file(text, lambda key: recipes.document_of(db(), dairy(), key))
    except CraftError as error:
        return _page(text, error.words)
    brought = [_brought(each) for each in found]
    if "keep" in request.form:
        _keep(brought)
        return redirect(url_for("recipes.page"))
    return render_template(
        "recipes/bring.html", text=text, written=None, brought=brought, error="", files=()
    )


@dataclass(frozen=True)
class MarkedPart:
    """A stretch of a line: its text, what it became, whether it was not used."""

    text: str
    became: str = ""
    unused: bool = False


def marked(line: WrittenLine) -> list[MarkedPart]:
    """A line in stretches: what was read of it, what was not used, what stands between."""
    those = [(each.begins, each.ends, each.became, False) for each in line.marks]
    those += [(begins, ends, "", True) for begins, ends in line.unused]
    at = 0
    found: list[MarkedPart] = []
    for begins, ends, became, unused in sorted(those):
        if begins < at:
            continue
        found += [
            MarkedPart(line.text[at:begins]),
            MarkedPart(line.text[begins:ends], became, unused),
        ]
        at = ends
    return [each for each in (*found, MarkedPart(line.text[at:])) if each.text]


def _page(text: str, error: str = "") -> Page:
    return render_template(
        "recipes/bring.html",
        text=text,
        written=None,
        brought=None,
        error=error,
        files=recipes.kept_files(db(), dairy()),
    )


def _brought(found: Found) -> Brought:
    if found.recipe is None:
        return Brought(found, "kept" if found.newer else "", [])
    here = recipes.versions_of(db(), dairy(), found.recipe.key, newest=True)
    if not here:
        return Brought(found, "new", [])
    if here[0].checksum == recipe_file.checksum(found.document):
        return Brought(found, "same", [])
    old, new = recipe_file.plain(here[0].document), recipe_file.plain(found.document)
    return Brought(found, f"version {here[0].number + 1}", told(between(old, new), old, new))


def _keep(brought: list[Brought]) -> None:
    chosen = set(request.form.getlist("take"))
    for number, each in enumerate(brought):
        if str(number) not in chosen:
            continue
        document = each.found.document
        checksum = recipe_file.checksum(document)
        if each.found.recipe and each.can:
            recipes.keep(
                db(),
                dairy(),
                each.found.recipe,
                document,
                checksum,
                now(),
                "from a file",
                person_id(),
            )
        elif each.found.newer:
            recipes.keep_file(
                db(), dairy(), each.found.name, document, checksum, each.found.refused, now()
            )


@blueprint.post("/recipes/starters")
@needs("dairy.write")
def starters() -> Page:
    """Starter recipes that this dairy has not."""
    library = [(r, d, recipe_file.checksum(d)) for r, d in recipe_file.library()]
    recipes.keep_library(db(), dairy(), library, now())
    return redirect(url_for("recipes.page"))


@blueprint.get("/recipes/kept/<uuid:file_id>.json")
@needs("dairy.read")
def kept(file_id: uuid.UUID) -> Page:
    """A kept file, given back as it came."""
    found = next((f for f in recipes.kept_files(db(), dairy()) if f.id == file_id), None)
    if found is None:
        raise NotHere("no such file")
    response = Response(recipe_file.write_many([found.document]), mimetype="application/json")
    response.headers["Content-Disposition"] = "attachment; filename=recipe.json"
    return response


@blueprint.post("/recipes/kept/<uuid:file_id>/drop")
@needs("dairy.write")
def drop(file_id: uuid.UUID) -> Page:
    """A kept file goes."""
    recipes.drop_file(db(), dairy(), file_id)
    return redirect(url_for("bringing.page"))
