"""Recipes come in as documents; a change is a new version."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from openpail.craft.recipe import Recipe
from openpail.records.base import Json
from openpail.records.dairy.models import Dairy
from openpail.records.errors import NotHere
from openpail.records.recipes.models import RecipeRow, RecipeVersion


def keep(
    session: Session,
    dairy: Dairy,
    recipe: Recipe,
    document: Json,
    checksum: str,
    now: datetime,
    why: str = "",
) -> RecipeVersion:
    """Keep a recipe: a first version, a next one, or, when nothing changed, the one there is."""
    row = session.scalar(
        select(RecipeRow).where(RecipeRow.dairy_id == dairy.id, RecipeRow.key == recipe.key)
    )
    if row is None:
        row = RecipeRow(dairy_id=dairy.id, id=uuid.uuid4(), key=recipe.key, name="", family="")
        session.add(row)
    row.name, row.family = recipe.name, recipe.family
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
) -> None:
    """Put the starter library into a dairy."""
    for recipe, document, checksum in library:
        keep(session, dairy, recipe, document, checksum, now, "from the starter library")


def _newest(session: Session, row: RecipeRow) -> RecipeVersion | None:
    query = (
        select(RecipeVersion)
        .where(RecipeVersion.dairy_id == row.dairy_id, RecipeVersion.recipe_id == row.id)
        .order_by(RecipeVersion.number.desc())
    )
    return session.scalar(query)


def newest_versions(session: Session, dairy: Dairy) -> list[RecipeVersion]:
    """The newest version of each recipe, by the recipe's name."""
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
        .where(RecipeVersion.dairy_id == dairy.id)
        .order_by(RecipeRow.name)
    )
    return list(session.scalars(query))


def newest_of(session: Session, dairy: Dairy, key: str) -> RecipeVersion:
    """The newest version of the recipe of a key. Raises NotHere."""
    query = (
        select(RecipeVersion)
        .join(
            RecipeRow,
            (RecipeRow.dairy_id == RecipeVersion.dairy_id)
            & (RecipeRow.id == RecipeVersion.recipe_id),
        )
        .where(RecipeRow.dairy_id == dairy.id, RecipeRow.key == key)
        .order_by(RecipeVersion.number.desc())
        .limit(1)
    )
    version = session.scalar(query)
    if not version:
        raise NotHere("no such recipe")
    return version
