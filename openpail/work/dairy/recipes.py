"""The recipes of the house: those to choose from, what each of them says, and how one is written,
kept, brought in and put away."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass

from openpail.craft.doses.asked import Job
from openpail.craft.errors import CraftError, NotHere, RecordError
from openpail.craft.milk.blend import pour
from openpail.craft.recipe.recipe import Recipe, reference_pours
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.second_look import read_over
from openpail.craft.sheet.sheet import Sheet
from openpail.formats import recipe_file
from openpail.formats.recipe_file import Found
from openpail.formats.recipe_text import WrittenLine
from openpail.records.base import Json
from openpail.records.dairy.actions import ways_of
from openpail.records.recipes import actions
from openpail.records.recipes.models import KeptFile, RecipeDraft, RecipeRow, RecipeVersion
from openpail.work.asked import of_dairy
from openpail.work.here import Here

# Rows that a screen has in its hands and tells of by name.
__all__ = ["Json", "KeptFile", "RecipeDraft", "RecipeRow", "RecipeVersion"]

in_use = of_dairy(actions.in_use)
newest_versions = of_dairy(actions.newest_versions)
newest_of = of_dairy(actions.newest_of)
versions_of = of_dairy(actions.versions_of)
document_of = of_dairy(actions.document_of)
by_checksum = of_dairy(actions.by_checksum)
put_away = of_dairy(actions.put_away)


def known(here: Here) -> list[Recipe]:
    """The newest version of each recipe in use, read; by name."""
    versions = actions.newest_versions(here.session, here.dairy, documents=False)
    return [recipe_file.read_version(version) for version in versions]


def keep(here: Here, document: Json, why: str, *, recipe: Recipe | None = None) -> None:
    """What a document says is the newest version of its recipe.

    Parameters: recipe, what it says where that was read already. Raises: CraftError for a document
    that is none.
    """
    actions.keep(
        here.session,
        here.dairy,
        recipe or recipe_file.read(document),
        document=document,
        checksum=recipe_file.checksum(document),
        now=here.now,
        why=why,
        person_id=here.person_id,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class RecipeTried:
    """A recipe tried with the milk that it was written for: its sheet, or what refuses it."""

    sheet: Sheet | None
    refusal: str


def tried(here: Here, recipe: Recipe) -> RecipeTried:
    """Whether a recipe can be kept as a file and made into a sheet."""
    try:
        recipe_file.read(recipe_file.write(recipe))
        milk = pour(reference_pours(recipe, here.house), here.house)
        job = Job(recipe=recipe, milk=milk, house=here.house, ways=ways_of(here.dairy))
        return RecipeTried(sheet=adapt(job), refusal="")
    except CraftError as error:
        return RecipeTried(sheet=None, refusal=error.words)


def keep_read(here: Here, recipe: Recipe) -> bool:
    """Keep a recipe as it was read of a text; False where something speaks against it, or another
    is called so: then it is for the desk."""
    speaks = any(remark.grave for remark in read_over(recipe, here.house))
    if speaks or tried(here, recipe).refusal or versions_of(here, recipe.key, newest=True):
        return False
    keep(here, recipe_file.write(recipe), actions.WRITTEN_HERE, recipe=recipe)
    return True


def keep_library(here: Here) -> None:
    """The starter recipes that this dairy has not."""
    library = [(r, d, recipe_file.checksum(d)) for r, d in recipe_file.library()]
    actions.keep_library(here.session, here.dairy, library, here.now)


# ── being written ──

draft = of_dairy(actions.draft)
drafts = of_dairy(actions.drafts)


def begin(
    here: Here,
    fields: Mapping[str, list[str]],
    *,
    version: RecipeVersion | None = None,
    parent: Json | None = None,
    lines: Iterable[WrittenLine] | None = None,
) -> RecipeDraft:
    """Begin to write: anew, over a recipe's version, or as a daughter of a parent's document.

    Parameters: fields, what stands in the form; lines, those of the text that it was read from.
    """
    return actions.begin_draft(
        here.session,
        here.dairy,
        dict(fields),
        now=here.now,
        version=version,
        parent=parent,
        lines=None if lines is None else [asdict(line) for line in lines],
    )


def write(here: Here, draft: RecipeDraft, fields: Json, *, is_step: bool = False) -> None:
    """What was typed is kept; with `is_step`, as a part was added, moved or taken out, so that it
    can be taken back."""
    actions.change_draft(draft, fields, here.now, can_go_back=is_step)
    here.session.flush()


def take_back(here: Here, draft: RecipeDraft) -> None:
    """The last part that was added, moved or taken out was not."""
    if draft.before:
        *draft.before, draft.fields = draft.before
    here.session.flush()


def keep_draft(here: Here, draft: RecipeDraft, recipe: Recipe, why: str) -> str:
    """A draft becomes a version, and is gone; the key of its recipe.

    Raises: RecordError by field; after one about its why, where a line stands there, the newest
    version counts as seen, and the next try comes after it.
    """
    document = (
        recipe_file.daughter(recipe, draft.parent, draft.over)
        if draft.parent
        else recipe_file.write(recipe, draft.over)
    )
    try:
        version = actions.keep_draft(
            here.session,
            here.dairy,
            draft,
            recipe=recipe,
            document=document,
            checksum=recipe_file.checksum(document),
            now=here.now,
            why=why,
            person_id=here.person_id,
        )
    except RecordError as error:
        if error.about == "why" and why.strip():
            draft.over_number = newest_of(here, recipe.key).number
        raise
    return str(version.document["recipe"]["key"])


def drop_draft(here: Here, draft_id: uuid.UUID) -> None:
    """A draft goes; what was kept before stays. Raises NotHere."""
    here.session.delete(actions.draft(here.session, here.dairy, draft_id, to_change=True))


# ── files ──

kept_files = of_dairy(actions.kept_files)
drop_file = of_dairy(actions.drop_file)


def kept_file(here: Here, file_id: uuid.UUID) -> KeptFile:
    """A file that waits for a version that reads it. Raises NotHere."""
    found = next((each for each in kept_files(here) if each.id == file_id), None)
    if found is None:
        raise NotHere("no such file")
    return found


def take_in(here: Here, found: Sequence[Found]) -> None:
    """What a file brought is kept: recipes as their newest version, what cannot be read yet as it
    came."""
    for each in found:
        if each.recipe:
            keep(here, each.document, "from a file", recipe=each.recipe)
        elif each.newer:
            actions.keep_file(
                here.session,
                here.dairy,
                each.name,
                document=each.document,
                checksum=recipe_file.checksum(each.document),
                why=each.refused,
                now=here.now,
            )
