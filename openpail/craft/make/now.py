"""What now: the step of now, since when, when it is due and by what, what may be left, what comes
next for the hands, what is late. Every page, paper, feed and device tells these, and no other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.make.leave import Leave, may_be_left
from openpail.craft.make.order import EndsBy, ends_by
from openpail.craft.make.turns import NextTurn, next_tightening, next_turn
from openpail.craft.recipe.recipe import Recipe

WEIGH_IT = "Weigh it"
# What the hands do at the end of a step that is ended by what they see.
_LOOKS: Mapping[EndsBy, str] = {
    "flocks": "Try the blade for first flocks",
    "set_looked": "Try the set for a clean break",
}
# What the hands do: turn or tighten inside the step, do or end the step of now, look whether it is
# there, begin the one that comes when it ends, weigh what is made.
HandsOn = Literal["turn", "now", "look", "coming", "weigh"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Hands:
    """What the hands do next: in words, when, and in which part of the make."""

    words: str
    at: datetime
    on: HandsOn


_LATE_TAP_MIN = 5.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Now:
    """A make at one moment.

    step: of now, None when all are done; at_end: what the hands do when it ends; turn: what they do
    inside it, None for nothing; hands: what they do next of all, None when nothing is left; leave:
    how long it may be left; over_min: how long the step is over its end, 0 while it is not;
    tap_late_min: how long ago it was to be told done, whatever ends it, 0 while nobody is late;
    late_min: minutes that all that follows comes later than first planned, under 0 for sooner.
    """

    step: StepState | None
    at_end: str
    turn: NextTurn | None
    hands: Hands | None
    leave: Leave | None
    over_min: float
    tap_late_min: float
    late_min: float


def what_now(recipe: Recipe, day: MakeDay, now: datetime, *, has_screw: bool = False) -> Now:
    """What a make wants at a moment.

    Parameters: recipe; day, its steps on the clock; now; has_screw, whether it stands in a press
    that is screwed. Source: derivation.
    """
    step = day.current
    if step is None:
        return Now(
            step=None,
            at_end="",
            turn=None,
            hands=_weigh(day),
            leave=None,
            over_min=0.0,
            tap_late_min=0.0,
            late_min=0.0,
        )
    turn = next_tightening(step, day.standing, has_screw) or next_turn(step, day.standing)
    at_end = _at_end(recipe, day, step)
    over_min = max(0.0, (now - step.ends).total_seconds() / 60)
    told_here = "weight" not in step.planned.step.asks
    return Now(
        step=step,
        at_end=at_end.words,
        turn=turn,
        hands=_hands(step, turn, at_end, now),
        leave=may_be_left(step, now),
        over_min=over_min if step.runs else 0.0,
        tap_late_min=over_min if told_here and over_min > _LATE_TAP_MIN else 0.0,
        late_min=day.late_min,
    )


def _weigh(day: MakeDay) -> Hands | None:
    """All steps are done: what is left is the scale."""
    if day.standing.weighed or day.standing.ended or not day.steps:
        return None
    return Hands(words=WEIGH_IT, at=max(each.ends for each in day.steps), on="weigh")


def _at_end(recipe: Recipe, day: MakeDay, step: StepState) -> Hands:
    """What the hands do when the step of now ends: what ends it, or what comes then."""
    coming, ends = day.following(1), ends_by(recipe, step.planned.step)
    if ends in _LOOKS:
        return Hands(words=_LOOKS[ends], at=step.ends, on="look")
    if ends == "weighed" or not coming:
        return Hands(words=step.planned.step.title, at=step.ends, on="now")
    return Hands(words=coming[0].planned.step.title, at=step.ends, on="coming")


def _hands(step: StepState, turn: NextTurn | None, at_end: Hands, now: datetime) -> Hands:
    if turn and turn.at < step.ends:
        return Hands(words=turn.words, at=turn.at, on="turn")
    if not step.runs:
        return Hands(words=step.planned.step.title, at=step.begins, on="now")
    if now >= step.ends and at_end.on == "coming":  # over its time, and nobody said that it is done
        return Hands(words=step.planned.step.title, at=step.ends, on="now")
    return at_end
