"""A recipe as an open JSON file: read with every refused part named, written back the same."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from functools import cache
from importlib.resources import files
from typing import Any

from pydantic import TypeAdapter, ValidationError

from openpail.craft.errors import CraftError, NotPossible, Unknown
from openpail.craft.recipe import Recipe
from openpail.craft.yields import check_family

FORMAT = "open-pail-recipe"
VERSION = 1

_adapter: TypeAdapter[Recipe] = TypeAdapter(Recipe)


def read(document: Mapping[str, Any]) -> Recipe:
    """The recipe in a document.

    Parameters: document, as parsed from JSON; parts we do not know are left where they are.
    Returns: the recipe. Raises: NotPossible with each refused part named; Unknown for another
    format or a version from after this one.
    """
    if document.get("format") != FORMAT:
        raise Unknown("This is not an Open Pail recipe file.")
    version = document.get("version")
    if version != VERSION:
        raise Unknown(f"This recipe file is of version {version}; version {VERSION} is read here.")
    try:
        recipe = _adapter.validate_python(document.get("recipe"))
    except ValidationError as wrong:
        parts = [f"{'.'.join(map(str, e['loc']))}: {e['msg']}" for e in wrong.errors()]
        raise NotPossible("Not understood: " + "; ".join(parts)) from wrong
    check(recipe)
    return recipe


def check(recipe: Recipe) -> None:
    """Refuse a recipe whose parts do not fit each other. Raises NotPossible, Unknown."""
    if recipe.family != "whey":
        check_family(recipe.family)
    keys = {ingredient.key for ingredient in recipe.ingredients}
    wrong = [
        f"step “{step.title}” adds “{key}”, which no ingredient is"
        for step in recipe.steps
        for key in step.adds
        if key not in keys
    ]
    if len({step.key for step in recipe.steps}) != len(recipe.steps):
        wrong.append("two steps have one key")
    if not recipe.reference or not recipe.steps:
        wrong.append("a recipe needs the milk it was written for, and steps")
    if recipe.ingredient("rennet") and recipe.renneting_c is None:
        wrong.append("rennet without a renneting temperature")
    if wrong:
        raise NotPossible(f"{recipe.name}: " + "; ".join(wrong) + ".")


def read_text(text: str) -> tuple[Recipe, dict[str, Any]]:
    """The recipe in a file's text, with the document it stood in.

    Raises: NotPossible when the text is not JSON or a part is refused; Unknown as `read`.
    """
    try:
        document = json.loads(text)
    except ValueError as wrong:
        raise NotPossible(f"This file is not JSON: {wrong}.") from wrong
    if not isinstance(document, dict):
        raise NotPossible("This file holds no recipe.")
    return read(document), document


def write(recipe: Recipe) -> dict[str, Any]:
    """The recipe as a document, ready for json.dumps."""
    body = _adapter.dump_python(recipe, mode="json")
    return {"format": FORMAT, "version": VERSION, "recipe": body}


def checksum(document: Mapping[str, Any]) -> str:
    """A recipe version's checksum: SHA-256 of the document with its keys in order."""
    plain = json.dumps(document, sort_keys=True, ensure_ascii=False, separators=(",", ":"))
    return hashlib.sha256(plain.encode()).hexdigest()


@cache
def library() -> tuple[tuple[Recipe, dict[str, Any]], ...]:
    """The starter library: every recipe that ships, with its document, by name."""
    folder = files("openpail.formats").joinpath("library")
    found = []
    for each in folder.iterdir():
        if each.name.endswith(".json"):
            try:
                found.append(read_text(each.read_text("utf-8")))
            except CraftError as wrong:
                raise NotPossible(f"{each.name}: {wrong.words}") from wrong
    return tuple(sorted(found, key=lambda pair: pair[0].name))
