"""Recipes come in as documents; a change is a new version."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from datetime import datetime

from sqlalchemy import ColumnElement, and_, func, select
from sqlalchemy.orm import InstrumentedAttribute, Session, aliased, defer

from openpail.craft.errors import NotHere, RecordError
from openpail.craft.recipe.recipe import Recipe
from openpail.records.base import Json, mine
from openpail.records.dairy.models import Dairy
from openpail.records.recipes.models import KeptFile, RecipeDraft, RecipeRow, RecipeVersion


def keep(
    session: Session,
    dairy: Dairy,
    recipe: Recipe,
    *,
    document: Json,
    checksum: str,
    now: datetime,
    why: str = "",
    person_id: uuid.UUID | None = None,
) -> RecipeVersion:
    """Keep a recipe: a first version, a next one, or, when nothing changed, the one there is."""
    row = session.scalar(
        select(RecipeRow).where(RecipeRow.dairy_id == dairy.id, RecipeRow.key == recipe.key)
    )
    if row is None:
        row = RecipeRow(dairy_id=dairy.id, id=uuid.uuid4(), key=recipe.key, name="", family="")
        session.add(row)
    row.name, row.family, row.put_away = recipe.name, recipe.family, False
    session.flush()
    last = _newest(session, row)
    if last and last.checksum == checksum:
        return last
    version = RecipeVersion(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        recipe_id=row.id,
        number=last.number + 1 if last else 1,
        document=document,
        checksum=checksum,
        why=why,
        person_id=person_id,
        created_at=now,
    )
    session.add(version)
    session.flush()
    return version


def keep_library(
    session: Session,
    dairy: Dairy,
    library: Iterable[tuple[Recipe, Json, str]],
    now: datetime,
) -> int:
    """Put the starter recipes into a dairy that it has not, and say how many those were."""
    query = select(RecipeRow.key).where(RecipeRow.dairy_id == dairy.id)
    there, kept = set(session.scalars(query)), 0
    for recipe, document, checksum in library:
        if recipe.key not in there:
            keep(
                session,
                dairy,
                recipe,
                document=document,
                checksum=checksum,
                now=now,
                why="from the starter library",
            )
            kept += 1
    return kept


def _newest(session: Session, row: RecipeRow) -> RecipeVersion | None:
    query = (
        select(RecipeVersion)
        .where(RecipeVersion.dairy_id == row.dairy_id, RecipeVersion.recipe_id == row.id)
        .order_by(RecipeVersion.number.desc())
    )
    return session.scalar(query)


def newest_versions(
    session: Session, dairy: Dairy, put_away: bool = False, *, documents: bool = True
) -> list[RecipeVersion]:
    """The newest version of each recipe in use, or of those put away, by the recipe's name.

    documents: False fetches each document only when it is asked for; together they are half a
    megabyte, and a page that has read them before needs none.
    """
    newest = (
        select(RecipeVersion.recipe_id, func.max(RecipeVersion.number).label("number"))
        .where(RecipeVersion.dairy_id == dairy.id)
        .group_by(RecipeVersion.recipe_id)
        .subquery()
    )
    query = (
        select(RecipeVersion)
        .join(
            newest,
            (RecipeVersion.recipe_id == newest.c.recipe_id)
            & (RecipeVersion.number == newest.c.number),
        )
        .join(
            RecipeRow,
            (RecipeRow.dairy_id == RecipeVersion.dairy_id)
            & (RecipeRow.id == RecipeVersion.recipe_id),
        )
        .where(RecipeVersion.dairy_id == dairy.id, RecipeRow.put_away.is_(put_away))
        .order_by(RecipeRow.name)
    )
    if not documents:
        query = query.options(defer(RecipeVersion.document))
    return list(session.scalars(query))


def is_newest_of(
    dairy_id: InstrumentedAttribute[uuid.UUID], recipe_id: InstrumentedAttribute[uuid.UUID]
) -> ColumnElement[bool]:
    """The condition to join a recipe's newest version to a row that names the recipe."""
    other = aliased(RecipeVersion)
    newest = (
        select(func.max(other.number))
        .where(other.dairy_id == dairy_id, other.recipe_id == recipe_id)
        .scalar_subquery()
    )
    return and_(
        RecipeVersion.dairy_id == dairy_id,
        RecipeVersion.recipe_id == recipe_id,
        RecipeVersion.number == newest,
    )


def in_use(session: Session, dairy: Dairy) -> list[RecipeRow]:
    """The recipes in use by their names, without what they say: to choose from."""
    query = (
        select(RecipeRow)
        .where(RecipeRow.dairy_id == dairy.id, RecipeRow.put_away.is_(False))
        .order_by(RecipeRow.name)
    )
    return list(session.scalars(query))


def by_id(session: Session, dairy: Dairy, recipe_id: uuid.UUID) -> RecipeRow:
    """A recipe by its id. Raises NotHere."""
    row = session.scalar(mine(RecipeRow, dairy.id).where(RecipeRow.id == recipe_id))
    if row is None:
        raise NotHere("no such recipe")
    return row


def newest_of(session: Session, dairy: Dairy, key: str) -> RecipeVersion:
    """The newest version of the recipe of a key. Raises NotHere."""
    found = versions_of(session, dairy, key, newest=True)
    if not found:
        raise NotHere("no such recipe")
    return found[0]


def versions_of(
    session: Session, dairy: Dairy, key: str, newest: bool = False
) -> list[RecipeVersion]:
    """Every version of the recipe of a key, the newest first, or only that one."""
    query = (
        select(RecipeVersion)
        .join(
            RecipeRow,
            (RecipeRow.dairy_id == RecipeVersion.dairy_id)
            & (RecipeRow.id == RecipeVersion.recipe_id),
        )
        .where(RecipeRow.dairy_id == dairy.id, RecipeRow.key == key)
        .order_by(RecipeVersion.number.desc())
        .limit(1 if newest else None)
    )
    return list(session.scalars(query))


def document_of(session: Session, dairy: Dairy, key: str) -> Json | None:
    """The newest document of a key, None when the dairy has no such recipe."""
    found = versions_of(session, dairy, key, newest=True)
    return found[0].document if found else None


def by_checksum(session: Session, dairy: Dairy, checksum: str) -> RecipeVersion | None:
    """A version by what it says."""
    query = select(RecipeVersion).where(
        RecipeVersion.dairy_id == dairy.id, RecipeVersion.checksum == checksum
    )
    return session.scalars(query).first()


def put_away(session: Session, dairy: Dairy, key: str, away: bool) -> None:
    """A recipe is no longer offered, or is again; its versions and makes stay. Raises NotHere."""
    row = session.scalar(
        select(RecipeRow).where(RecipeRow.dairy_id == dairy.id, RecipeRow.key == key)
    )
    if row is None:
        raise NotHere("no such recipe")
    row.put_away = away
    session.flush()


# ── drafts ──


def draft(
    session: Session, dairy: Dairy, draft_id: uuid.UUID, to_change: bool = False
) -> RecipeDraft:
    """A recipe being written, to look at or to change, one hand at a time. Raises NotHere."""
    found = session.get(RecipeDraft, (dairy.id, draft_id), with_for_update=to_change)
    if found is None:
        raise NotHere("no such draft")
    return found


def drafts(session: Session, dairy: Dairy) -> list[RecipeDraft]:
    """All that are being written, the last touched first."""
    query = (
        select(RecipeDraft)
        .where(RecipeDraft.dairy_id == dairy.id)
        .order_by(RecipeDraft.changed_at.desc())
    )
    return list(session.scalars(query))


def begin_draft(
    session: Session,
    dairy: Dairy,
    fields: Json,
    *,
    now: datetime,
    version: RecipeVersion | None = None,
    parent: Json | None = None,
    over: Json | None = None,
    lines: list[Json] | None = None,
) -> RecipeDraft:
    """Begin to write: anew, over a recipe's version, or as a daughter of a parent's document."""
    row = RecipeDraft(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        recipe_id=version.recipe_id if version else None,
        over_number=version.number if version else 0,
        fields=fields,
        before=[],
        over=version.document if version else over,
        parent=parent,
        lines=lines or [],
        changed_at=now,
    )
    session.add(row)
    session.flush()
    return row


MOST_BEFORE = 20


def change_draft(draft: RecipeDraft, fields: Json, now: datetime, can_go_back: bool) -> None:
    """What was typed is kept; before a part is added, moved or taken out, the state before."""
    if can_go_back:
        draft.before = [*draft.before, draft.fields][-MOST_BEFORE:]
    draft.fields, draft.changed_at = fields, now


WRITTEN_HERE = "written here"


def keep_draft(
    session: Session,
    dairy: Dairy,
    draft: RecipeDraft,
    *,
    recipe: Recipe,
    document: Json,
    checksum: str,
    now: datetime,
    why: str,
    person_id: uuid.UUID | None,
) -> RecipeVersion:
    """A draft becomes a version, and is gone.

    Raises: RecordError when its recipe has a newer version than the one it was begun over, when
    another recipe has that key, or without a line of why behind an earlier version.
    """
    if not why.strip() and draft.over_number:
        raise RecordError("Write in a line why: you will ask in a year.", "why")
    newest = next(iter(versions_of(session, dairy, recipe.key, newest=True)), None)
    if newest and newest.recipe_id != draft.recipe_id:
        raise RecordError("Another recipe is called so: give this one a name of its own.", "name")
    if newest and newest.number != draft.over_number:
        raise RecordError(
            f"Version {newest.number} was kept in the meantime. Look at it, then keep this one "
            "again: it will come after it.",
            "why",
        )
    version = keep(
        session,
        dairy,
        recipe,
        document=document,
        checksum=checksum,
        now=now,
        why=why.strip() or WRITTEN_HERE,
        person_id=person_id,
    )
    session.delete(draft)
    session.flush()
    return version


# ── files from after our time ──


def keep_file(
    session: Session,
    dairy: Dairy,
    name: str,
    *,
    document: Json,
    checksum: str,
    why: str,
    now: datetime,
) -> None:
    """Keep a file that cannot be read yet, once."""
    query = select(KeptFile).where(KeptFile.dairy_id == dairy.id, KeptFile.checksum == checksum)
    if session.scalar(query) is None:
        session.add(
            KeptFile(
                dairy_id=dairy.id,
                id=uuid.uuid4(),
                name=name,
                document=document,
                checksum=checksum,
                why=why,
                came_at=now,
            )
        )
        session.flush()


def kept_files(session: Session, dairy: Dairy) -> list[KeptFile]:
    """Files that wait for a version that reads them."""
    query = select(KeptFile).where(KeptFile.dairy_id == dairy.id).order_by(KeptFile.came_at)
    return list(session.scalars(query))


def drop_file(session: Session, dairy: Dairy, file_id: uuid.UUID) -> None:
    """A kept file goes. Raises NotHere."""
    found = session.get(KeptFile, (dairy.id, file_id))
    if found is None:
        raise NotHere("no such file")
    session.delete(found)
    session.flush()


def keys_of_family(session: Session, dairy: Dairy, family: str) -> tuple[str, ...]:
    """The keys of the recipes in use of a family, by name."""
    query = (
        mine(RecipeRow, dairy.id)
        .with_only_columns(RecipeRow.key)
        .where(RecipeRow.family == family, RecipeRow.put_away.is_(False))
        .order_by(RecipeRow.name)
    )
    return tuple(session.scalars(query))
