"""What is on trial, as the make it is tried in speaks of it."""

from __future__ import annotations

import uuid
from dataclasses import dataclass

from openpail.craft.recipe.recipe import Recipe, RecipeStep
from openpail.craft.table.trial import next_is_new
from openpail.records.trials import actions as trials
from openpail.records.trials.models import Trial
from openpail.work.here import Here


@dataclass(frozen=True, slots=True, kw_only=True)
class TrialAtMake:
    """A trial as one make speaks of it: its row; whether the make is made the new way, None where
    nobody said; how it falls by lot; the title of its step, "" for the whole make; whether that
    step is the present one."""

    row: Trial
    is_new_way: bool | None
    by_lot: bool
    step_title: str
    is_now: bool


def trials_at(
    here: Here, recipe: Recipe, make_id: uuid.UUID, step: RecipeStep | None
) -> tuple[TrialAtMake, ...]:
    """The trials under way of a make's cheese.

    Parameters: recipe and make_id, of the make; step, the present one, None once all are done:
    then nothing is told. Source: the trials as they were planned; a lot drawn in pairs.
    """
    if step is None:
        return ()
    titles = {each.key: each.title for each in recipe.steps}
    found = trials.of_make(here.session, here.dairy, recipe.key, make_id)
    return tuple(
        TrialAtMake(
            row=row,
            is_new_way=side,
            by_lot=next_is_new(str(row.id), trials.sides_by_name(here.session, row)),
            step_title=titles.get(row.step, ""),
            is_now=row.step == step.key,
        )
        for row, side in found
    )
