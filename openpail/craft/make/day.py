"""The steps of a make on the clock, from now."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Literal

from openpail.craft.make.deeds import SetLooked
from openpail.craft.make.order import waits_for
from openpail.craft.make.souring import AcidAhead
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe, RecipeStep, StepKind
from openpail.craft.recipe.steps import PlannedStep

_WORTH_SAYING_MIN = 2.0
# A step of these kinds has no end of its own: it is done when the hands are.
_BY_HAND: frozenset[StepKind] = frozenset(
    {"add", "cut", "mill", "salt", "mould", "take whey off", "stretch", "turn"}
)
# What a step ends by: the recipe's clock, the pH, the set as it was seen, the tub's own hours, the
# warmth of the room, or the hands alone.
Decides = Literal["clock", "acid", "set", "tub", "room", "hands"]


@dataclass(frozen=True, slots=True, kw_only=True)
class End:
    """When a step ends, where something else than its length tells: the moment, the earliest and
    the latest to think of, and what decides."""

    at: datetime
    decides: Decides
    early: datetime | None = None
    late: datetime | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class StepState:
    """A step on the make's own clock: when it was to begin, when it begins now, when done.

    ends: the one moment that every page tells; decides, what it goes by; early and late, its band,
    None where it has none; by_clock, when it would end by the recipe's own minutes; skipped: why it
    was left out, "" where it was not; again: how often it was taken up anew.
    """

    planned: PlannedStep
    was_to_begin: datetime
    begins: datetime
    ends: datetime
    by_clock: datetime
    decides: Decides = "clock"
    early: datetime | None = None
    late: datetime | None = None
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

    @property
    def runs(self) -> bool:
        """Whether it has an end of its own, and not only the hands."""
        return self.decides != "hands"


def by_hand(step: RecipeStep) -> bool:
    """Whether a step is done when the hands are, and no clock ends it.

    Parameters: step. Source: usual practice.
    """
    return step.kind in _BY_HAND or "weight" in step.asks or step.minutes <= 0


@dataclass(frozen=True, slots=True, kw_only=True)
class MakeDay:
    """A make's steps from now on. `current` is the step for the hands, None when all are done.

    cut_at: when the set is to be tried for the cut, None without one and once it broke clean;
    cut_min, minutes after the rennet until it should break clean, None where nothing tells them;
    acid: the next pH that is waited for, None where there is none.
    """

    steps: tuple[StepState, ...]
    current: StepState | None
    standing: Standing
    cut_at: datetime | None = None
    cut_min: float | None = None
    acid: AcidAhead | None = None

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
    standing: Standing,
    *,
    started: datetime,
    now: datetime,
    cut_multiplier: float | None = None,
    ends: Mapping[str, End] | None = None,
    acid: AcidAhead | None = None,
    look_again_min: float = 5.0,
) -> MakeDay:
    """A make's steps now, every later one moved to "from now".

    Parameters: planned, from `laid_out`; standing, from `fold`; started; now, with zone;
    cut_multiplier, flocculation times to wait for the cut in this milk: flocks that were seen move
    the cut; ends, of steps whose end something else than their length tells; acid, the next pH that
    is waited for, kept beside; look_again_min, when a set that was not firm is tried again.
    Source: derivation.
    """
    floc, known = standing.flocks_min, ends or {}
    cut_min = cut_after(floc, cut_multiplier) if floc and cut_multiplier else None
    looks = [tap.at for tap, _ in standing.of(SetLooked)]
    states: list[StepState] = []
    at = started
    for each in planned:
        state = _placed(each, at, standing, started, known.get(each.step.key))
        if each.step.clock == "cut" and not state.done_at and standing.rennet_at:
            state = _till_the_cut(state, standing.rennet_at, cut_min)
            cut_min = (state.ends - standing.rennet_at).total_seconds() / 60
            if looks:
                again = looks[-1] + timedelta(minutes=look_again_min)
                state = replace(state, ends=max(state.ends, again))
        states.append(state)
        at = max(at, state.ends) if state.done_at else max(state.ends, now)
    current = next((step for step in states if step.done_at is None), None)
    cut = next((each for each in states if each.planned.step.clock == "cut"), None)
    return MakeDay(
        steps=tuple(states),
        current=current,
        standing=standing,
        cut_at=cut.ends if cut and not cut.done_at else None,
        cut_min=cut_min,
        acid=acid,
    )


def _placed(
    each: PlannedStep, at: datetime, standing: Standing, started: datetime, known: End | None
) -> StepState:
    """A step after the ones before it, at its own length or till its known end."""
    key = each.step.key
    done, begun = standing.done.get(key), standing.begun.get(key)
    begins = max(at, begun) if begun and not done else begun or at
    by_clock = begins + timedelta(minutes=each.minutes)
    end = known if known and not done else End(at=by_clock, decides="clock")
    ends = done.at if done else max(begins, end.at)
    return StepState(
        planned=each,
        was_to_begin=started + timedelta(minutes=each.start_min),
        begins=min(begins, ends),
        ends=ends,
        by_clock=by_clock,
        decides="hands" if by_hand(each.step) else end.decides,
        early=end.early,
        late=end.late,
        done_at=done.at if done else None,
        done_by=done.id if done else None,
        skipped=standing.skipped.get(key, ""),
        again=standing.again.get(key, 0),
    )


def cut_after(flocks_min: float, multiplier: float) -> float:
    """Minutes after the rennet until the set should break clean.

    Parameters: flocks_min, minutes after the rennet at which the first flocks were seen, above 0;
    multiplier, flocculation times to wait, above 1. Source: rennet flocculation.
    """
    return flocks_min * multiplier


def _till_the_cut(state: StepState, rennet_at: datetime, cut_min: float | None) -> StepState:
    """The set ends by the flocks that were seen; by its own clock while none were."""
    if cut_min is None:
        return state
    ends = max(state.begins, rennet_at + timedelta(minutes=cut_min))
    return replace(state, ends=ends, decides="set")


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
