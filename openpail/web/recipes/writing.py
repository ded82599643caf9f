"""A recipe being written: a draft that keeps every field as typed until it is kept as a version."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from dataclasses import dataclass

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.errors import RecordError
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.second_reader import Remark
from openpail.craft.recipe.steps import laid_out
from openpail.craft.sheet.second_look import read_over
from openpail.craft.sheet.sheet import Sheet
from openpail.craft.stock.products import KIND_WORDS, KINDS
from openpail.formats import recipe_file
from openpail.formats.recipe_words import STEP_WORDS
from openpail.web.edge import Page, here, house, needs
from openpail.web.recipes.forms import Flat, RecipeForm, faults
from openpail.web.recipes.parts import changed, numbered
from openpail.web.recipes.typed import typed
from openpail.web.recipes.understood import recipe_of
from openpail.web.ui.fields import blame
from openpail.web.ui.path import make_path
from openpail.work.dairy import recipes
from openpail.work.dairy.recipes import Json, RecipeDraft

blueprint = Blueprint("writing", __name__, template_folder="templates")

_NOT_FIELDS = frozenset({"csrf_token", "once", "do", "shown", "kind-new"})


_BLANK: Flat = {
    "family": ["tomme"],
    "reference-0-breed": ["cow_lowland"],
    "reference-0-treatment": ["raw"],
    "reference-0-stream": ["milk"],
}


@dataclass(frozen=True, kw_only=True)
class DraftSoFar:
    """A draft as it stands: the recipe it makes so far, what is not understood, what is odd."""

    form: RecipeForm
    recipe: Recipe
    faults: list[tuple[str, str]]
    remarks: list[tuple[Remark, str]]
    sheet: Sheet | None
    refusal: str
    untouched: bool = False


@blueprint.post("/recipes/new")
@needs("dairy.write")
def new() -> Page:
    """Begin a recipe from an empty page."""
    return _begun(recipes.begin(here(), _BLANK))


@blueprint.post("/recipes/<key>/change")
@needs("dairy.write")
def change(key: str) -> Page:
    """Begin the next version of a recipe."""
    version = recipes.newest_of(here(), key)
    recipe = recipe_file.read(version.document)
    parent = _parent_of(version.document)
    return _begun(recipes.begin(here(), typed(recipe), version=version, parent=parent))


def _parent_of(document: Json) -> Json | None:
    """The parent's document that a daughter was made from, as far as it is still here."""
    stated = document.get("parent") or {}
    found = recipes.by_checksum(here(), str(stated.get("checksum")))
    return found.document if found else None


@blueprint.post("/recipes/<key>/daughter")
@needs("dairy.write")
def daughter(key: str) -> Page:
    """Begin a daughter: the same recipe, of which only what is changed will be its own."""
    version = recipes.newest_of(here(), key)
    fields = typed(recipe_file.read(version.document))
    fields["name"] = [f"{fields['name'][0]}, a daughter"]
    return _begun(recipes.begin(here(), fields, parent=version.document))


def _begun(draft: RecipeDraft) -> Page:
    return redirect(url_for("writing.page", draft_id=draft.id))


@blueprint.get("/recipes/draft/<uuid:draft_id>")
@needs("dairy.write")
def page(draft_id: uuid.UUID) -> Page:
    """The recipe on the desk."""
    draft = recipes.draft(here(), draft_id)
    return _page(draft, _written(draft), request.args.get("shown", "head"))


@blueprint.post("/recipes/draft/<uuid:draft_id>")
@needs("dairy.write")
def write(draft_id: uuid.UUID) -> Page:
    """What was typed is kept; a part is added, moved, taken out; or the whole becomes a version."""
    draft = recipes.draft(here(), draft_id, to_change=True)
    fields = {k: request.form.getlist(k) for k in request.form if k not in _NOT_FIELDS}
    do, shown = request.form.get("do", ""), request.form.get("shown", "head")
    fields = numbered(fields)
    if do == "take back":
        recipes.take_back(here(), draft)
    elif do in ("", "keep"):
        recipes.write(here(), draft, fields)
    else:
        recipes.write(here(), draft, fields)
        fields, shown = changed(fields, do, request.form.get("kind-new", ""))
        recipes.write(here(), draft, fields, is_step=True)
    written = _written(draft)
    if do == "keep":
        key = _keep(draft, written)
        if key:
            return redirect(url_for("recipes.one", key=key))
    if "X-Fragment" in request.headers or do == "keep":
        return _page(draft, written, shown, whole="X-Fragment" not in request.headers)
    return redirect(url_for("writing.page", draft_id=draft.id, shown=shown, _anchor=shown))


def _keep(draft: RecipeDraft, written: DraftSoFar) -> str:
    """Keep the draft as a version; the key of its recipe, "" when something stands against it."""
    if written.faults or written.refusal or written.untouched:
        blame(written.form.why, "First mend what is named here.")
        return ""
    try:
        return recipes.keep_draft(here(), draft, written.recipe, written.form.why.data or "")
    except RecordError as error:
        blame(written.form[error.about], error.words)
        return ""


@blueprint.post("/recipes/draft/<uuid:draft_id>/drop")
@needs("dairy.write")
def drop(draft_id: uuid.UUID) -> Page:
    """The draft goes; what was kept before stays."""
    recipes.drop_draft(here(), draft_id)
    return redirect(url_for("recipes.page"))


def _written(draft: RecipeDraft) -> DraftSoFar:
    base = draft.over or draft.parent
    over = recipe_file.read(base) if base and "recipe" in base else None
    key = over.key if over and draft.recipe_id else None
    form = RecipeForm.of(draft.fields)
    untouched = draft.fields == _BLANK
    form.validate()
    recipe = recipe_of(form, over, key, house())
    if untouched:  # nobody has done anything wrong yet
        form = RecipeForm.of(draft.fields)
        return DraftSoFar(
            form=form, recipe=recipe, faults=[], remarks=[], sheet=None, refusal="", untouched=True
        )
    wrong = faults(form)
    tried = recipes.tried(here(), recipe)
    said = [] if wrong else [(each, _part(each, recipe)) for each in read_over(recipe, house())]
    return DraftSoFar(
        form=form,
        recipe=recipe,
        faults=wrong,
        remarks=said,
        sheet=tried.sheet,
        refusal=tried.refusal,
    )


def _part(remark: Remark, recipe: Recipe) -> str:
    """The part of the form that a remark speaks of: steps/heat is the panel steps-9."""
    name, _, key = remark.place.partition("/")
    if name in ("ingredients", "steps", "stages"):
        keys = [each.key for each in getattr(recipe, name)]
        return f"{name}-{keys.index(key)}" if key in keys else name
    return "head"


def _names(written: DraftSoFar) -> Iterator[tuple[str, str]]:
    """Every part of the recipe with its panel and its name."""
    for number, each in enumerate(written.recipe.ingredients):
        yield f"ingredients-{number}", each.product.name
    for number, step in enumerate(written.recipe.steps):
        yield f"steps-{number}", step.title
    for number, stage in enumerate(written.recipe.stages):
        yield f"stages-{number}", stage.place


def _unread(draft: RecipeDraft) -> Iterator[tuple[int, str, str]]:
    """Lines of a pasted text that were not understood, or not all of them: number, text, why."""
    for line in draft.lines:
        unused = ", ".join(line["text"][a:b].strip() for a, b in line.get("unused", ()))
        why = line.get("why") or (f"not used: {unused}" if unused else "")
        if why:
            yield line["number"], line["text"], why


def _page(draft: RecipeDraft, written: DraftSoFar, shown: str, whole: bool = True) -> Page:
    names = dict(_names(written))
    if shown not in names and shown not in ("head", "ingredients", "steps", "stages"):
        shown = "head"
    planned = laid_out(written.recipe)
    return render_template(
        "recipes/edit.html" if whole else "recipes/_edit.html",
        draft=draft,
        form=written.form,
        written=written,
        recipe=written.recipe,
        planned=planned,
        path=make_path(planned, written.recipe.ingredients) if planned else None,
        names=names,
        shown=shown,
        step_words=STEP_WORDS,
        kinds=[(kind, KIND_WORDS[kind]) for kind in KINDS],
        unread=list(_unread(draft)),
    )
