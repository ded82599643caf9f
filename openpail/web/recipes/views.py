"""Recipes, to read and to take away."""

from __future__ import annotations

import json

from flask import Blueprint, Response, render_template

from openpail.craft.plan import forwards
from openpail.formats import recipe_file
from openpail.records.recipes import actions as recipes
from openpail.web.edge import Page, dairy, db, needs

blueprint = Blueprint("recipes", __name__, template_folder="templates")


@blueprint.get("/recipes")
@needs("dairy.read")
def page() -> Page:
    """The dairy's recipes."""
    found = [recipe_file.read(v.document) for v in recipes.newest_versions(db(), dairy())]
    rows = [(recipe, sum(p.minutes for p in forwards(recipe))) for recipe in found]
    return render_template("recipes/page.html", rows=rows)


@blueprint.get("/recipes/<key>")
@needs("dairy.read")
def one(key: str) -> Page:
    """One recipe, whole."""
    version = recipes.newest_of(db(), dairy(), key)
    recipe = recipe_file.read(version.document)
    return render_template(
        "recipes/one.html", recipe=recipe, version=version, planned=forwards(recipe)
    )


@blueprint.get("/recipes/<key>.json")
@needs("dairy.read")
def download(key: str) -> Page:
    """The recipe as its open file."""
    version = recipes.newest_of(db(), dairy(), key)
    body = json.dumps(version.document, ensure_ascii=False, indent=1)
    response = Response(body + "\n", mimetype="application/json")
    response.headers["Content-Disposition"] = (
        f"attachment; filename={version.document['recipe']['key']}.json"
    )
    return response
