"""Recipes, to read, to compare, to turn to other milks, and to take away."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from flask import Blueprint, Response, abort, redirect, render_template, request, url_for

from openpail.craft.errors import CraftError, NotHere
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.steps import laid_out
from openpail.craft.sheet.other_milk import side_by_side
from openpail.craft.sheet.second_look import read_over
from openpail.craft.stock.products import KIND_WORDS
from openpail.formats import recipe_file
from openpail.formats.changes import applied, between, both_changed
from openpail.formats.recipe_print import markdown
from openpail.formats.recipe_words import FAMILIES, PLAIN
from openpail.web.edge import Page, dairy, here, house, needs, today
from openpail.web.recipes.words import ChangeInWords, told
from openpail.web.ui.path import make_path
from openpail.work.dairy import own as things
from openpail.work.dairy import recipes
from openpail.work.dairy.recipes import Json, RecipeVersion
from openpail.work.milk import lots as milk
from openpail.work.sheet.fit import fits

_FIT_WORDS = {
    "fits": "Fits a milk of the shelf",
    "would do": "Would do",
    "not": "Not for the milk that is here",
}

blueprint = Blueprint("recipes", __name__, template_folder="templates")


@dataclass(frozen=True, kw_only=True)
class RecipeOnShelf:
    """A recipe on a shelf: its mother's key, "" for none, the minutes it takes, and how it goes
    with the milk that is there, where that was asked."""

    recipe: Recipe
    mother: str
    minutes: float
    fit: str = ""


@blueprint.get("/recipes")
@needs("dairy.read")
def page() -> Page:
    """The dairy's recipes, by family; what is being written; what was put away."""
    rows = []
    for version in recipes.newest_versions(here()):
        recipe = recipe_file.read_version(version)
        mother = version.document.get("parent", {}).get("key", "")
        rows.append(
            RecipeOnShelf(recipe=recipe, mother=mother, minutes=laid_out(recipe)[-1].end_min)
        )
    by_milk = request.args.get("by") == "milk"
    return render_template(
        "recipes/page.html",
        shelves=_by_milk(rows) if by_milk else _by_family(rows),
        by_milk=by_milk,
        families=FAMILIES,
        plain=PLAIN,
        drafts=recipes.drafts(here()),
        away=recipes.newest_versions(here(), put_away=True),
    )


def _by_family(rows: Sequence[RecipeOnShelf]) -> dict[str, list[RecipeOnShelf]]:
    shelves: dict[str, list[RecipeOnShelf]] = {}
    for family, words in FAMILIES.items():
        found = [row for row in rows if row.recipe.family == family]
        here = {row.recipe.key for row in found}  # a daughter stands right behind her mother
        found.sort(
            key=lambda row, here=here: (  # type: ignore[misc]
                row.mother if row.mother in here else row.recipe.key,
                row.mother in here,
            )
        )
        if found:
            shelves[words] = found
    return shelves


def _by_milk(rows: Sequence[RecipeOnShelf]) -> dict[str, list[RecipeOnShelf]]:
    found = fits(here(), [row.recipe for row in rows], ())
    shelves = {}
    for answer, words in _FIT_WORDS.items():
        there = [
            replace(row, fit=found[row.recipe.key].words)
            for row in rows
            if found[row.recipe.key].answer == answer
        ]
        if there:
            shelves[words] = there
    return shelves


@blueprint.get("/recipes/<key>")
@needs("dairy.read")
def one(key: str) -> Page:
    """One recipe, whole."""
    version = recipes.newest_of(here(), key)
    recipe = recipe_file.read_version(version)
    planned = laid_out(recipe)
    parent = version.document.get("parent")
    return render_template(
        "recipes/one.html",
        recipe=recipe,
        version=version,
        planned=planned,
        path=make_path(planned, recipe.ingredients),
        families=FAMILIES,
        remarks=read_over(recipe, house()),
        parent=parent,
        news=_news(version),
        daughters=[
            each.document["recipe"]
            for each in recipes.newest_versions(here())
            if each.document.get("parent", {}).get("key") == key
        ],
    )


@blueprint.get("/recipes/<key>.json")
@needs("dairy.read")
def download(key: str) -> Page:
    """The recipe as its open file."""
    version = recipes.newest_of(here(), key)
    return _file(recipe_file.write_many([version.document]), f"{key}.json", "application/json")


@blueprint.get("/recipes/all.json")
@needs("dairy.read")
def download_all() -> Page:
    """Every recipe in use, in one file."""
    found = [version.document for version in recipes.newest_versions(here())]
    if not found:
        raise NotHere("no recipes")
    return _file(recipe_file.write_many(found), "recipes.json", "application/json")


@blueprint.get("/recipes/<key>.md")
@needs("dairy.read")
def paper(key: str) -> Page:
    """The recipe as plain text that prints well and reads back."""
    version = recipes.newest_of(here(), key)
    return _file(
        markdown(recipe_file.read_version(version)),
        f"{key}.md",
        "text/markdown",
    )


def _file(body: str, name: str, kind: str) -> Response:
    response = Response(body, mimetype=kind)
    response.headers["Content-Disposition"] = f"attachment; filename={name}"
    return response


@blueprint.get("/recipes/<key>/milks")
@needs("dairy.read")
def milks(key: str) -> Page:
    """What other milk does to this recipe, side by side."""
    version = recipes.newest_of(here(), key)
    recipe = recipe_file.read_version(version)
    waiting = [lot for lot in here().waiting if lot.kind == "milk"]
    chosen = request.args.getlist("lot")
    mine = [lot for lot in waiting if str(lot.id) in chosen] if chosen else waiting
    pours = [milk.pour(here(), lot) for lot in mine]
    columns = side_by_side(recipe, house(), things.ways(dairy()), today(), pours)
    cells = [{line.key: line for line in c.sheet.lines} if c.sheet else {} for c in columns]
    names = {key: KIND_WORDS[line.kind] for lines in cells for key, line in lines.items()}
    doses = [(name, [lines.get(key) for lines in cells]) for key, name in names.items()]
    return render_template(
        "recipes/milks.html",
        recipe=recipe,
        columns=columns,
        waiting=waiting,
        mine=mine,
        doses=doses,
    )


# ── versions ──


@dataclass(frozen=True, kw_only=True)
class News:
    """What a parent's newer version would bring its daughter."""

    parent: RecipeVersion
    changes: list[ChangeInWords]
    both: list[ChangeInWords]
    missed: list[str]
    document: Json | None
    refusal: str = ""


def _news(version: RecipeVersion) -> News | None:
    """The parent's newer version with what it means for a daughter, None when there is none."""
    stated = version.document.get("parent")
    if not stated:
        return None
    found = recipes.versions_of(here(), stated["key"], newest=True)
    if not found or found[0].checksum == stated.get("checksum"):
        return None
    parent, mine = found[0], recipe_file.changes_of(version.document)
    before = recipes.by_checksum(here(), str(stated.get("checksum")))
    after = recipe_file.plain(parent.document)
    was = recipe_file.plain(before.document) if before else after
    theirs = between(was, after)
    made = applied(after, mine)
    both = told(both_changed(mine, theirs), after, made.body)
    brought = told(theirs, was, after)
    missed = [words for _, words in made.missed]
    whole = {**version.document, "recipe": made.body}
    try:
        document = recipe_file.daughter(recipe_file.read(whole), parent.document, whole)
    except CraftError as why:
        return News(
            parent=parent,
            changes=brought,
            both=both,
            missed=missed,
            document=None,
            refusal=why.words,
        )
    return News(parent=parent, changes=brought, both=both, missed=missed, document=document)


@blueprint.get("/recipes/<key>/versions")
@needs("dairy.read")
def versions(key: str) -> Page:
    """Every version with its why; two of them beside each other."""
    found = recipes.versions_of(here(), key)
    if not found:
        raise NotHere("no such recipe")
    by_number = {each.number: each for each in found}
    new = by_number.get(request.args.get("new", type=int) or 0, found[0])
    old = by_number.get(request.args.get("old", type=int) or 0) or by_number.get(new.number - 1)
    changes = []
    if old:
        before, after = recipe_file.plain(old.document), recipe_file.plain(new.document)
        changes = told(between(before, after), before, after)
    return render_template(
        "recipes/versions.html",
        name=found[0].document["recipe"]["name"],
        key=key,
        found=found,
        old=old,
        new=new,
        changes=changes,
        news=_news(found[0]),
    )


@blueprint.post("/recipes/<key>/follow")
@needs("dairy.write")
def follow(key: str) -> Page:
    """A daughter takes over what its parent has changed, and keeps what is its own."""
    version = recipes.newest_of(here(), key)
    news = _news(version)
    if news is None:
        return redirect(url_for("recipes.one", key=key))
    if news.document is None:
        abort(422, news.refusal)
    why = f"follows {news.parent.document['recipe']['name']}, version {news.parent.number}"
    recipes.keep(here(), news.document, why)
    return redirect(url_for("recipes.versions", key=key))


@blueprint.post("/recipes/<key>/back")
@needs("dairy.write")
def back(key: str) -> Page:
    """An older version is the newest again; nothing is deleted."""
    wanted = request.form.get("number", type=int)
    found = [v for v in recipes.versions_of(here(), key) if v.number == wanted]
    if not found:
        raise NotHere("no such version")
    recipes.keep(here(), found[0].document, f"back to version {wanted}")
    return redirect(url_for("recipes.versions", key=key))


@blueprint.post("/recipes/<key>/away")
@needs("dairy.write")
def away(key: str) -> Page:
    """A recipe is put away, or brought back."""
    recipes.put_away(here(), key, "away" in request.form)
    return redirect(url_for("recipes.page"))
