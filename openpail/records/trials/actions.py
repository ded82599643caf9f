"""A trial is planned, makes are put on its sides, it is ended; a look is kept."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime

from sqlalchemy import and_, delete, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from openpail.craft.errors import NotHere, RecordError
from openpail.records.base import mine
from openpail.records.dairy.models import Dairy
from openpail.records.recipes.models import RecipeRow
from openpail.records.trials.models import KeptLook, Trial, TrialMake

LEAST_EACH, MOST_EACH = 2, 40
_MOST_LOOKS, _LONGEST_NAME = 24, 60
_MOST_TRIALS = 60


def plan(
    session: Session,
    dairy: Dairy,
    recipe_id: uuid.UUID,
    *,
    words: str,
    fact: str,
    step: str,
    each: int,
    now: datetime,
    person_id: uuid.UUID | None,
) -> Trial:
    """Plan a trial. Raises RecordError, by its field."""
    if not words:
        raise RecordError("Write what is made another way.", "words")
    if not LEAST_EACH <= each <= MOST_EACH:
        raise RecordError(f"Write {LEAST_EACH} to {MOST_EACH} makes of each kind.", "each")
    row = Trial(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        recipe_id=recipe_id,
        words=words,
        fact=fact,
        step=step,
        each=each,
        begun_at=now,
        ended_at=None,
        person_id=person_id,
    )
    session.add(row)
    session.flush()
    return row


def trial(session: Session, dairy: Dairy, trial_id: uuid.UUID) -> Trial:
    """One trial. Raises NotHere."""
    row = session.scalar(mine(Trial, dairy.id).where(Trial.id == trial_id))
    if row is None:
        raise NotHere("no such trial")
    return row


def trials(session: Session, dairy: Dairy) -> list[Trial]:
    """The trials, those under way first, the newest first."""
    query = mine(Trial, dairy.id).order_by(Trial.ended_at.is_not(None), Trial.begun_at.desc())
    return list(session.scalars(query.limit(_MOST_TRIALS)))


def of_recipe(session: Session, dairy: Dairy, recipe_key: str) -> list[Trial]:
    """The trials of a recipe that are under way, the oldest first."""
    query = (
        mine(Trial, dairy.id)
        .join(
            RecipeRow,
            and_(RecipeRow.dairy_id == Trial.dairy_id, RecipeRow.id == Trial.recipe_id),
        )
        .where(RecipeRow.key == recipe_key, Trial.ended_at.is_(None))
    )
    return list(session.scalars(query.order_by(Trial.begun_at)))


def of_make(
    session: Session, dairy: Dairy, recipe_key: str, make_id: uuid.UUID
) -> list[tuple[Trial, bool | None]]:
    """The trials under way of a make's recipe, each with its side: whether it is made the new way,
    None where nobody said."""
    query = (
        select(Trial, TrialMake.is_new_way)
        .join(
            RecipeRow,
            and_(RecipeRow.dairy_id == Trial.dairy_id, RecipeRow.id == Trial.recipe_id),
        )
        .outerjoin(
            TrialMake,
            and_(
                TrialMake.dairy_id == Trial.dairy_id,
                TrialMake.trial_id == Trial.id,
                TrialMake.make_id == make_id,
            ),
        )
        .where(Trial.dairy_id == dairy.id, RecipeRow.key == recipe_key, Trial.ended_at.is_(None))
    )
    return [(row, side) for row, side in session.execute(query.order_by(Trial.begun_at))]


def sides(session: Session, row: Trial) -> Mapping[uuid.UUID, bool]:
    """The makes of a trial, and whether each was made the new way."""
    query = select(TrialMake.make_id, TrialMake.is_new_way).where(
        TrialMake.dairy_id == row.dairy_id, TrialMake.trial_id == row.id
    )
    return dict(session.execute(query).all())


def sides_by_name(session: Session, row: Trial) -> dict[str, bool]:
    """The sides of a trial, by the name of each make: what the lot is drawn from."""
    return {str(make_id): is_new for make_id, is_new in sides(session, row).items()}


def put(session: Session, row: Trial, make_id: uuid.UUID, is_new_way: bool | None) -> None:
    """A make is put on a side of a trial, or taken out (None). Raises RecordError once it is
    ended."""
    if row.ended_at is not None:
        raise RecordError("This trial is ended.")
    if is_new_way is None:
        session.execute(
            delete(TrialMake).where(
                TrialMake.dairy_id == row.dairy_id,
                TrialMake.trial_id == row.id,
                TrialMake.make_id == make_id,
            )
        )
        return
    values = {
        "dairy_id": row.dairy_id,
        "id": uuid.uuid4(),
        "trial_id": row.id,
        "make_id": make_id,
        "is_new_way": is_new_way,
    }
    session.execute(
        insert(TrialMake)
        .values(values)
        .on_conflict_do_update(
            index_elements=["dairy_id", "trial_id", "make_id"], set_={"is_new_way": is_new_way}
        )
    )


def end(row: Trial, now: datetime) -> None:
    """A trial is ended. Raises RecordError where it is already."""
    if row.ended_at is not None:
        raise RecordError("This trial is ended.")
    row.ended_at = now


# ── looks ──


def keep_look(session: Session, dairy: Dairy, name: str, query: str, now: datetime) -> None:
    """Keep a look under a name; one of that name is replaced. Raises RecordError."""
    if not 0 < len(name) <= _LONGEST_NAME:
        raise RecordError(f"Give it a name of up to {_LONGEST_NAME} letters.", "name")
    others = select(func.count()).where(KeptLook.dairy_id == dairy.id, KeptLook.name != name)
    if (session.scalar(others) or 0) >= _MOST_LOOKS:
        raise RecordError(f"{_MOST_LOOKS} looks are kept: let one go first.", "name")
    values = {
        "dairy_id": dairy.id,
        "id": uuid.uuid4(),
        "name": name,
        "query": query,
        "created_at": now,
    }
    new = insert(KeptLook).values(values)
    session.execute(
        new.on_conflict_do_update(index_elements=["dairy_id", "name"], set_={"query": query})
    )


def looks(session: Session, dairy: Dairy) -> list[KeptLook]:
    """The looks that are kept, by name."""
    return list(session.scalars(mine(KeptLook, dairy.id).order_by(KeptLook.name)))


def let_go(session: Session, dairy: Dairy, look_id: uuid.UUID) -> None:
    """A look is kept no longer. Raises NotHere."""
    row = session.scalar(mine(KeptLook, dairy.id).where(KeptLook.id == look_id))
    if row is None:
        raise NotHere("no such look")
    session.delete(row)
    session.flush()
