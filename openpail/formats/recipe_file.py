"""A recipe as an open JSON file: read with every refused part named, written back the same.

A file holds one document, or a list of them. A daughter's document names its parent and what it
changes; written whole it carries the recipe too, written short only the changes.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from itertools import pairwise
from typing import Any, Protocol

from pydantic import TypeAdapter, ValidationError

from openpail.craft.errors import CraftError, NotPossible, Unknown
from openpail.craft.recipe.recipe import Recipe, RecipeStep
from openpail.craft.recipe.yields import check_family
from openpail.craft.stock.products import FORMS, SORTS
from openpail.formats.changes import Body, Change, applied, between
from openpail.formats.leave_text import leave_of
from openpail.formats.recipe_words import safe_key

FORMAT = "open-pail-recipe"
VERSION = 1
# Of the same version: a file of a later one is read as far as it is known here, one of before it by
# what it says otherwise. 1.1: how long a step may be left is told in parts, not in a sentence.
# 1.2: and so is the salt that a cheese takes from its brine at most. 1.3: and so are the minutes
# after which it is turned.
MINOR = 3
MOST_RECIPES = 500
_TURNED = re.compile(r"After ((?:\d+, )+\d+ and \d+) minutes")
_MOST_SALT = re.compile(r"(\d(?:[.,]\d+)?) % at most")

_adapter: TypeAdapter[Recipe] = TypeAdapter(Recipe)
_changes: TypeAdapter[list[Change]] = TypeAdapter(list[Change])


class Newer(Unknown):
    """A file of a version from after this one: kept as it is, for the day it can be read."""


def read(document: Mapping[str, Any]) -> Recipe:
    """The recipe in a document.

    Parameters: document, as parsed from JSON; parts we do not know are left where they are.
    Returns: the recipe. Raises: NotPossible with each refused part named; Unknown for another
    format; Newer for a version from after this one.
    """
    if document.get("format") != FORMAT:
        raise Unknown("This is not an Open Pail recipe file.")
    version = document.get("version")
    if isinstance(version, int) and version > VERSION:
        raise Newer(f"This recipe file is of version {version}; version {VERSION} is read here.")
    if version != VERSION:
        raise Unknown(f"This recipe file is of version {version}; version {VERSION} is read here.")
    recipe: Recipe = _validated(_adapter, _in_parts(document.get("recipe"), document.get("minor")))
    check(recipe)
    return recipe


_KEPT: dict[str, Recipe] = {}
_MOST_KEPT = 500
_LONGEST_KEY, _LONGEST_NAME = 60, 120


class Version(Protocol):
    """A version of a recipe that is kept: its document never changes, and the checksum says so."""

    @property
    def checksum(self) -> str:
        """Of the document."""

    @property
    def document(self) -> Mapping[str, Any]:
        """As it was written."""


def read_version(version: Version) -> Recipe:
    """The recipe of a version, read once for as long as the process lives. Raises: as `read`.

    The document is asked for only the first time, so that it need not be fetched.
    """
    if version.checksum not in _KEPT:
        if len(_KEPT) >= _MOST_KEPT:
            _KEPT.clear()
        _KEPT[version.checksum] = read(version.document)
    return _KEPT[version.checksum]


def _validated(adapter: TypeAdapter[Any], part: Any) -> Any:
    try:
        return adapter.validate_python(part)
    except ValidationError as wrong:
        parts = [f"{'.'.join(map(str, e['loc']))}: {e['msg']}" for e in wrong.errors()]
        raise NotPossible("Not understood: " + "; ".join(parts)) from wrong


def check(recipe: Recipe) -> None:
    """Refuse a recipe whose parts do not fit each other. Raises NotPossible, Unknown."""
    if recipe.family != "whey":
        check_family(recipe.family)
    wrong = [*_wrong_keys(recipe), *_wrong_labels(recipe)]
    if not recipe.reference or not recipe.steps:
        wrong.append("a recipe needs the milk it was written for, and steps")
    if len(recipe.name) > _LONGEST_NAME:
        raise NotPossible(f"{recipe.name[:40]}…: a name has {_LONGEST_NAME} signs at most.")
    if recipe.ingredient("rennet") and recipe.renneting_c is None:
        wrong.append("rennet without a renneting temperature")
    bands = [band for step in recipe.steps for band in (step.celsius, step.ph)]
    bands += [band for stage in recipe.stages for band in (stage.celsius, stage.humidity_pct)]
    if any(band and not band.low <= band.target <= band.high for band in bands):
        wrong.append("a target lies outside its own band")
    wrong += [f"turns of “{step.title}” that do not fit it" for step in recipe.steps if _off(step)]
    if any(not 2 <= step.ph.low <= step.ph.high <= 8 for step in recipe.steps if step.ph):
        wrong.append("a pH outside 2 to 8")
    if wrong:
        raise NotPossible(f"{recipe.name}: " + "; ".join(wrong) + ".")


def _off(step: RecipeStep) -> bool:
    """Whether its turns come in another order, at another count, or after its end."""
    turns = step.turns_min
    wanted = turns and (len(turns) == step.times and turns[-1] <= step.minutes)
    return bool(turns) and not (wanted and all(a < b for a, b in pairwise((0.0, *turns))))


def _wrong_keys(recipe: Recipe) -> Iterator[str]:
    keys = {ingredient.key for ingredient in recipe.ingredients}
    for step in recipe.steps:
        for key in step.adds:
            if key not in keys:
                yield f"step “{step.title}” adds “{key}”, which no ingredient is"
    parts: list[tuple[str, Sequence[Any]]] = [
        ("ingredients", recipe.ingredients),
        ("steps", recipe.steps),
        ("stages", recipe.stages),
        *((f"cares of {stage.place}", stage.cares) for stage in recipe.stages),
    ]
    for name, all_of in parts:
        twice = [key for key, times in Counter(each.key for each in all_of).items() if times > 1]
        if twice:
            yield f"two {name} have one key, {', '.join(twice)}"
        if any(len(each.key) > _LONGEST_KEY or set("/:") & set(each.key) for each in all_of):
            yield f"a key of the {name} has a / or : in it, or is longer than {_LONGEST_KEY} signs"


def _wrong_labels(recipe: Recipe) -> Iterator[str]:
    for each in recipe.ingredients:
        product = each.product
        if product.sort and product.sort not in SORTS.get(product.kind, {}):
            yield f"“{product.sort}” is no sort of {product.kind}"
        if product.form and product.form not in FORMS[product.kind]:
            yield f"{product.kind} does not come as “{product.form}”"
        if product.kind == "rennet" and not product.strength:
            yield f"{product.name} has no strength"


def _in_parts(body: Any, minor: Any) -> Any:
    """A recipe's body as of this minor version: sentences of an older one told in parts."""
    steps = body.get("steps") if isinstance(body, dict) else None
    if not isinstance(steps, list) or minor == MINOR:
        return body
    now = [_step_in_parts(step) if isinstance(step, dict) else step for step in steps]
    return {**body, "steps": now}


def _step_in_parts(step: Mapping[str, Any]) -> Mapping[str, Any]:
    told: dict[str, Any] = {}
    if isinstance(step.get("leave"), str):
        told["leave"] = leave_of(step["leave"])
    most = _MOST_SALT.search(str(step.get("words", ""))) if step.get("kind") == "brine" else None
    if most and "most_salt_pct" not in step:
        told["most_salt_pct"] = float(most[1].replace(",", "."))
    after = _TURNED.match(str(step.get("words", "")))
    turns = [float(each) for each in re.findall(r"\d+", after[1])] if after else []
    if len(turns) == step.get("times") and "turns_min" not in step:
        told["turns_min"] = turns
    return {**step, **told}


def unknown_parts(document: Mapping[str, Any], recipe: Recipe) -> list[str]:
    """Places of a document that its recipe does not take up; they are kept as they stand."""
    known = {"format", "version", "minor", "recipe", "parent", "changes"}
    body = _adapter.dump_python(recipe, mode="json")
    return [
        *(name for name in document if name not in known),
        *_unknown(document.get("recipe"), body, ""),
    ]


def _unknown(part: Any, known: Any, place: str) -> Iterator[str]:
    if isinstance(part, dict) and isinstance(known, dict):
        for name, value in part.items():
            if name not in known:
                yield f"{place}{name}"
            else:
                yield from _unknown(value, known[name], f"{place}{name}/")
    elif isinstance(part, list) and isinstance(known, list):
        for value, one in zip(part, known, strict=False):
            name = value.get("key", "") if isinstance(value, dict) else ""
            yield from _unknown(value, one, f"{place}{name}/")


def write(recipe: Recipe, over: Mapping[str, Any] | None = None) -> Body:
    """The recipe as a document, ready for json.dumps.

    Parameters: recipe; over, the document it was before, whose unknown parts are carried on.
    """
    body = _adapter.dump_python(recipe, mode="json", exclude_defaults=True)
    if not over:
        return {"format": FORMAT, "version": VERSION, "minor": MINOR, "recipe": body}
    known = _adapter.dump_python(recipe, mode="json")
    return {
        **over,
        "format": FORMAT,
        "version": VERSION,
        "minor": MINOR,
        "recipe": _carried(over.get("recipe"), body, known),
    }


def _carried(old: Any, new: Any, known: Any) -> Any:
    """The new part with what the old one had beside the known parts."""
    if isinstance(old, dict) and isinstance(new, dict) and isinstance(known, dict):
        kept = {name: value for name, value in old.items() if name not in known}
        return {
            **{name: _carried(old.get(name), value, known[name]) for name, value in new.items()},
            **kept,
        }
    if isinstance(old, list) and isinstance(new, list) and isinstance(known, list):
        by_key = {each.get("key"): each for each in old if isinstance(each, dict)}
        return [
            _carried(by_key.get(value["key"]), value, whole)
            if isinstance(value, dict) and "key" in value
            else value
            for value, whole in zip(new, known, strict=True)
        ]
    return new


def plain(document: Mapping[str, Any]) -> Body:
    """The recipe's body of a document, without what only repeats what is usual: to compare by."""
    body: Body = write(read(document), document)["recipe"]
    return body


def write_many(documents: Iterable[Mapping[str, Any]]) -> str:
    """Documents as the text of one file: one as itself, several as a list."""
    whole = list(documents)
    return json.dumps(whole[0] if len(whole) == 1 else whole, ensure_ascii=False, indent=1) + "\n"


def checksum(document: Mapping[str, Any]) -> str:
    """A recipe version's checksum: SHA-256 of the document with its keys in order."""
    plain = json.dumps(document, sort_keys=True, ensure_ascii=False, separators=(",", ":"))
    return hashlib.sha256(plain.encode()).hexdigest()


# ── daughters ──


def daughter(recipe: Recipe, parent: Mapping[str, Any], over: Mapping[str, Any] | None) -> Body:
    """A daughter's whole document: the recipe, its parent as it was, and what it changes.

    Parameters: recipe; parent, the document of the parent's version it follows; over, the
    daughter's document before, for its unknown parts.
    """
    document, theirs = write(recipe, over), plain(parent)
    document["parent"] = {
        "key": theirs["key"],
        "name": theirs["name"],
        "checksum": checksum(parent),
    }
    return {
        **document,
        "changes": [change.to_json() for change in between(theirs, document["recipe"])],
    }


def changes_of(document: Mapping[str, Any]) -> list[Change]:
    """What a daughter changes of its parent. Raises NotPossible for a list that is none."""
    found: list[Change] = _validated(_changes, document.get("changes", []))
    return found


Find = Callable[[str], Mapping[str, Any] | None]


def completed(document: Mapping[str, Any], find: Find) -> Body:
    """A document whole: a daughter written short gets its recipe from its parent.

    Parameters: document; find, the document of a recipe by its key, None when there is none.
    Raises: NotPossible when the parent is not at hand or a change finds no place in it.
    """
    if "recipe" in document or "parent" not in document:
        return dict(document)
    parent = document["parent"]
    key = parent.get("key") if isinstance(parent, dict) else None
    theirs = find(key) if isinstance(key, str) else None
    if theirs is None:
        raise NotPossible(f"A daughter of “{key}”, which is not here: bring that recipe in first.")
    made = applied(theirs["recipe"], changes_of(document))
    if made.missed:
        raise NotPossible(" ".join(words for _, words in made.missed))
    whole = {**document, "recipe": made.body}
    return daughter(read(whole), theirs, whole)


# ── whole files ──


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """One document of a file: its recipe, or why there is none; what of it is not known here.

    newer: from a version after this one, to be kept as it is.
    """

    name: str
    document: Body
    recipe: Recipe | None = None
    refused: str = ""
    unknown: tuple[str, ...] = ()
    newer: bool = False


def read_file(text: str, find: Find = lambda _key: None) -> list[Found]:
    """Every document of a file's text, each understood or refused by itself.

    Parameters: text; find, for the parents of daughters that are written short.
    Raises: NotPossible when the text is not JSON or holds no document.
    """
    try:
        whole = json.loads(text)
    except (ValueError, RecursionError) as wrong:
        raise NotPossible(f"This file is not JSON: {wrong}.") from wrong
    documents = whole if isinstance(whole, list) else [whole]
    if not documents or not all(isinstance(each, dict) for each in documents):
        raise NotPossible("This file holds no recipe.")
    if len(documents) > MOST_RECIPES:
        raise NotPossible(f"More than {MOST_RECIPES} recipes in one file: bring them in parts.")
    here: dict[str, Body] = {}
    found: dict[int, Found] = {}
    more = True
    while more:  # a daughter may stand before its parent, and that one before its own
        before = len(here)
        for number, document in enumerate(documents):
            if number not in found or (found[number].refused and not found[number].newer):
                one = found[number] = _found(
                    document, lambda key: here.get(safe_key(key)) or find(safe_key(key))
                )
                if one.recipe:
                    here[one.recipe.key] = one.document
        more = len(here) > before
    return [found[number] for number in sorted(found)]


def _found(document: Body, find: Find) -> Found:
    body = document.get("recipe")
    name = str(body.get("name", "")) if isinstance(body, dict) else ""
    name = name[:80].encode("utf-8", "replace").decode() or "without a name"
    try:
        _check_signs(document)
        whole = _with_safe_key(completed(document, find))
        recipe = read(whole)
    except CraftError as why:
        return Found(name=name, document=document, refused=why.words, newer=isinstance(why, Newer))
    return Found(
        name=recipe.name, document=whole, recipe=recipe, unknown=tuple(unknown_parts(whole, recipe))
    )


def _with_safe_key(document: Body) -> Body:
    """The document with a recipe's key that an address can hold; its name stays as written."""
    body = document.get("recipe")
    if not isinstance(body, dict) or not isinstance(body.get("key"), str):
        return document
    return {**document, "recipe": {**body, "key": safe_key(body["key"])}}


def _check_signs(document: Body) -> None:
    """Refuse what no database and no other program can take: half signs, noughts, no-numbers."""
    try:
        plain = json.dumps(document, allow_nan=False, ensure_ascii=False)
        plain.encode()
    except (ValueError, RecursionError) as wrong:
        raise NotPossible("It holds signs or numbers that cannot be kept.") from wrong
    if "\\u0000" in plain:
        raise NotPossible("It holds signs or numbers that cannot be kept.")


def read_text(text: str) -> tuple[Recipe, Body]:
    """The one recipe in a file's text, with the document it stood in.

    Raises: NotPossible when the text is not JSON or a part is refused.
    """
    found = read_file(text)
    if len(found) != 1 or found[0].recipe is None:
        raise NotPossible(found[0].refused or "This file holds more than one recipe.")
    return found[0].recipe, found[0].document


@cache
def library() -> tuple[tuple[Recipe, Body], ...]:
    """The starter library: every recipe that ships, with its document, by name."""
    folder = files("openpail.formats").joinpath("library")
    texts = [each.read_text("utf-8") for each in folder.iterdir() if each.name.endswith(".json")]
    found = read_file(f"[{','.join(texts)}]")
    for each in found:
        if each.recipe is None:
            raise NotPossible(f"{each.name}: {each.refused}")
    pairs = [(each.recipe, each.document) for each in found if each.recipe]
    return tuple(sorted(pairs, key=lambda pair: pair[0].name))


def schema() -> Body:
    """The JSON Schema (2020-12) of a document, for other programs and editors."""
    recipe = _adapter.json_schema(ref_template="#/$defs/{model}")
    change = TypeAdapter(Change).json_schema(ref_template="#/$defs/{model}")
    kept = recipe.pop("$defs")
    # a file of version 1.0 has a sentence there
    kept["RecipeStep"]["properties"]["leave"]["anyOf"].append({"type": "string"})
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"A recipe of Open Pail, version {VERSION}",
        "type": "object",
        "properties": {
            "format": {"const": FORMAT},
            "version": {"const": VERSION},
            "minor": {"type": "integer", "minimum": 0},
            "recipe": {"$ref": "#/$defs/Recipe"},
            "parent": {
                "type": "object",
                "properties": {
                    "key": {"type": "string"},
                    "name": {"type": "string"},
                    "checksum": {"type": "string", "pattern": "^[0-9a-f]{64}$"},
                },
                "required": ["key"],
            },
            "changes": {"type": "array", "items": {"$ref": "#/$defs/Change"}},
        },
        "required": ["format", "version"],
        "anyOf": [{"required": ["recipe"]}, {"required": ["parent", "changes"]}],
        "$defs": {**kept, "Recipe": recipe, "Change": change},
    }
