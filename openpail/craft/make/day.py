"""The steps of a make on the clock, from now."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from openpail.craft.make.deeds import SetLooked
from openpail.craft.make.order import waits_for
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe, RecipeStep
from openpail.craft.recipe.steps import PlannedStep

LOOK_AGAIN_MIN = 5.0
_WORTH_SAYING_MIN = 2.0


@dataclass(frozen=True, slots=True)
class StepState:
    """A step on the make's own clock: when it was to begin, when it begins now, when done.

    skipped: why it was left out, "" where it was not; again: how often it was taken up anew.
    """

    planned: PlannedStep
    was_to_begin: datetime
    begins: datetime
    ends: datetime
    done_at: datetime | None = None
    done_by: str | None = None
    skipped: str = ""
    again: int = 0

    @property
    def times(self) -> int:
        """How often it was done, the running one with it."""
        return self.again + 1

    @property
    def minutes(self) -> float:
        """How long it is to last, or lasted."""
        return (self.ends - self.begins).total_seconds() / 60


@dataclass(frozen=True, slots=True)
class MakeDay:
    """A make's steps from now on. `current` is the step for the hands, None when all are done."""

    steps: tuple[StepState, ...]
    current: StepState | None
    standing: Standing
    cut_min: float | None

    @property
    def number(self) -> int:
        """The current step's number, from 1; past the last when all are done."""
        if self.current is None:
            return len(self.steps) + 1
        return self.steps.index(self.current) + 1

    def following(self, count: int) -> tuple[StepState, ...]:
        """The steps after the current one that are still to do."""
        rest = [step for step in self.steps[self.number :] if step.done_at is None]
        return tuple(rest[:count])

    def state(self, key: str) -> StepState:
        """The step of that key."""
        return next(step for step in self.steps if step.planned.step.key == key)

    @property
    def late_min(self) -> float:
        """Minutes that what comes next begins later than was first planned; earlier under 0; 0 for
        what nobody would speak of."""
        coming = self.following(1)
        if not coming:
            return 0.0
        by = (coming[0].begins - coming[0].was_to_begin).total_seconds() / 60
        return by if abs(by) >= _WORTH_SAYING_MIN else 0.0

    def may_be_done(self, recipe: Recipe) -> tuple[RecipeStep, ...]:
        """The steps that may be done now beside the current one.

        Parameters: recipe. Source: usual practice.
        """
        open_steps = [each for each in self.steps if each.done_at is None]
        waiting = {each.planned.step.key for each in open_steps}
        now = self.current.planned.step.key if self.current else ""
        return tuple(
            each.planned.step
            for each in open_steps
            if each.planned.step.key != now
            and not any(step.key in waiting for step in waits_for(recipe, each.planned.step.key))
        )


def on_the_clock(
    planned: Sequence[PlannedStep],
    started: datetime,
    standing: Standing,
    now: datetime,
    cut_multiplier: float | None = None,
    flocks_min: float | None = None,
) -> MakeDay:
    """A make's steps now, every later one moved to "from now".

    Parameters: planned, from `laid_out`; started; standing, from `fold`; now, with zone;
    cut_multiplier, flocculation times to wait for the cut in this milk (an observed flocculation
    then moves the cut, unless it is too far from flocks_min, the expected). Source: derivation.
    """
    floc = standing.believed_min(flocks_min)
    cut_min = floc * cut_multiplier if floc and cut_multiplier else None
    looks = [tap.at for tap, _ in standing.of(SetLooked)]
    states: list[StepState] = []
    at = started
    for each in planned:
        key = each.step.key
        done = standing.done.get(key)
        begun = standing.begun.get(key)
        begins = max(at, begun) if begun and not done else begun or at
        minutes = each.minutes
        if each.step.clock == "cut" and standing.rennet_at and cut_min is not None:
            minutes = max(0.0, (standing.rennet_at - begins).total_seconds() / 60 + cut_min)
        ends = done.at if done else begins + timedelta(minutes=minutes)
        if each.step.clock == "cut" and not done and looks:
            ends = max(ends, looks[-1] + timedelta(minutes=LOOK_AGAIN_MIN))
        states.append(
            StepState(
                each,
                started + timedelta(minutes=each.start_min),
                min(begins, ends),
                ends,
                done.at if done else None,
                done.id if done else None,
                standing.skipped.get(key, ""),
                standing.again.get(key, 0),
            )
        )
        at = max(at, ends) if done else max(ends, now)
    current = next((step for step in states if step.done_at is None), None)
    return MakeDay(tuple(states), current, standing, cut_min)


def lasting(
    planned: Sequence[PlannedStep], minutes: Mapping[str, float]
) -> tuple[PlannedStep, ...]:
    """The same steps, some of them longer or shorter than they were planned.

    Parameters: planned; minutes by step. When each was first to begin stays as it was.
    Source: derivation.
    """
    return tuple(
        replace(each, minutes=minutes.get(each.step.key, each.minutes)) for each in planned
    )


def hours_since(moment: datetime | None, at: datetime) -> float:
    """Hours from a moment to `at`, 0 when there is none. Source: derivation."""
    return 0.0 if moment is None else (at - moment).total_seconds() / 3600
