"""Trials: what is planned, which make is next, what the makes say of it."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from openpail.craft.errors import RecordError
from openpail.craft.recipe.recipe import RecipeStep
from openpail.craft.table.facts import MadeFact, from_plain
from openpail.craft.table.trial import TrialSaid, next_is_new, said
from openpail.formats.recipe_file import read_version
from openpail.records.makes import actions as makes
from openpail.records.makes import looks
from openpail.records.makes.looks import Find, FoundMake
from openpail.records.recipes import actions as recipes
from openpail.records.recipes.models import RecipeRow
from openpail.records.trials import actions as trials
from openpail.records.trials.models import Trial
from openpail.work.asked import of_dairy
from openpail.work.here import Here
from openpail.work.logbook.book import look_anew

# A row that a screen has in its hands and tells of by name.
__all__ = ["Trial"]

_MOST_LISTED = 60

all_of = of_dairy(trials.trials)


@dataclass(frozen=True, slots=True, kw_only=True)
class TrialSeen:
    """A trial: its row, its cheese, its makes and on which side each stands, the makes that could
    be put on one, whether the next is to be made the new way, and what they say; the
    title of the step at which it is done, "" for the whole make."""

    row: Trial
    recipe: RecipeRow
    sides: Mapping[uuid.UUID, bool]
    makes: tuple[FoundMake, ...]
    next_is_new: bool
    said: TrialSaid
    step_title: str

    def count(self, is_new: bool) -> int:
        """How many makes stand on a side."""
        return sum(each is is_new for each in self.sides.values())

    @property
    def is_full(self) -> bool:
        """Whether as many makes are made of each kind as were wanted."""
        return min(self.count(True), self.count(False)) >= self.row.each


def seen(here: Here, trial_id: uuid.UUID) -> TrialSeen:
    """One trial as it stands. Raises NotHere."""
    row = trials.trial(here.session, here.dairy, trial_id)
    look_anew(here)
    recipe = recipes.by_id(here.session, here.dairy, row.recipe_id)
    sides = trials.sides(here.session, row)
    listed = looks.find(here.session, here.dairy, Find(recipe=recipe.key), _MOST_LISTED)
    kept = looks.facts_of(here.session, here.dairy, list(sides))
    facts: dict[bool, list[Sequence[MadeFact]]] = {True: [], False: []}
    for make_id, is_new in sides.items():
        if make_id in kept:
            facts[is_new].append(from_plain(kept[make_id]))
    shown = [each for each in listed if each.id in sides or each.started_at >= row.begun_at]
    return TrialSeen(
        row=row,
        recipe=recipe,
        sides=sides,
        makes=tuple(shown),
        next_is_new=next_is_new(str(row.id), trials.sides_by_name(here.session, row)),
        said=said(facts[True], facts[False], row.fact),
        step_title=next((e.title for e in _steps(here, recipe) if e.key == row.step), ""),
    )


@dataclass(frozen=True, slots=True)
class TrialNext:
    """A trial that is under way, as the sheet of its cheese tells of it."""

    row: Trial
    is_new_way: bool


def under_way(here: Here, recipe_key: str) -> list[TrialNext]:
    """The trials of a cheese that are under way, each with how its next make is to be made."""
    found = []
    for row in trials.of_recipe(here.session, here.dairy, recipe_key):
        sides = trials.sides_by_name(here.session, row)
        found.append(TrialNext(row, next_is_new(str(row.id), sides)))
    return found


def steps_of(here: Here, recipe_id: uuid.UUID) -> Sequence[RecipeStep]:
    """The steps of a cheese, as its newest version has them: at which of them a trial is done."""
    return _steps(here, recipes.by_id(here.session, here.dairy, recipe_id))


def _steps(here: Here, row: RecipeRow) -> Sequence[RecipeStep]:
    return read_version(recipes.newest_of(here.session, here.dairy, row.key)).steps


def plan(here: Here, recipe_id: uuid.UUID, *, words: str, fact: str, step: str, each: int) -> Trial:
    """A trial is planned: one thing made another way, so many makes of each kind.

    Parameters: fact, the key of what it is to change; step, the key of the step at which it is
    done, "" for the whole make. Raises: RecordError by field.
    """
    if step and step not in {each.key for each in steps_of(here, recipe_id)}:
        raise RecordError("Choose a step of this cheese.", "step")
    return trials.plan(
        here.session,
        here.dairy,
        recipe_id,
        words=words,
        fact=fact,
        step=step,
        each=each,
        now=here.now,
        person_id=here.person_id,
    )


def end(here: Here, trial_id: uuid.UUID) -> None:
    """A trial is over. Raises NotHere."""
    trials.end(trials.trial(here.session, here.dairy, trial_id), here.now)


def put(here: Here, trial_id: uuid.UUID, make_id: uuid.UUID, is_new_way: bool | None) -> None:
    """A make is put on a side of a trial, or taken out. Raises: NotHere; RecordError."""
    row = trials.trial(here.session, here.dairy, trial_id)
    make = makes.make(here.session, here.dairy, make_id)
    trials.put(here.session, row, make.id, is_new_way)


def tells(here: Here, recipe_key: str) -> list[MadeFact]:
    """What the makes of a cheese tell of, one fact a key: what a trial may be of."""
    look_anew(here)
    rows = looks.find(here.session, here.dairy, Find(recipe=recipe_key), 8)
    kept = looks.facts_of(here.session, here.dairy, [each.id for each in rows])
    found = {each.key: each for facts in kept.values() for each in from_plain(facts)}
    return [each for each in found.values() if each.value is not None and each.group != "cheese"]
