"""The recipes of the house: those to choose from, and what each of them says."""

from __future__ import annotations

from openpail.craft.recipe.recipe import Recipe
from openpail.formats import recipe_file
from openpail.records.recipes import actions
from openpail.records.recipes.models import RecipeRow
from openpail.work.here import Here


def in_use(here: Here) -> list[RecipeRow]:
    """The recipes in use by their names, without what they say: to choose from."""
    return actions.in_use(here.session, here.dairy)


def known(here: Here) -> list[Recipe]:
    """The newest version of each recipe in use, read; by name."""
    versions = actions.newest_versions(here.session, here.dairy, documents=False)
    return [recipe_file.read_version(version) for version in versions]
