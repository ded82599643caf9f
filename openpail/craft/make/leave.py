"""How long a step may be left, until which moment and what then; what to do on coming back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.make.turns import next_turn
from openpail.craft.recipe.recipe import MayLeave, StepKind
from openpail.craft.units import so_long

# Where the recipe does not say.
_NOT_NOW = MayLeave("not now")
_USUAL: Mapping[StepKind, MayLeave] = {
    "warm": MayLeave("at a time", 5, "then it catches at the wall, or runs past its warmth"),
    "heat": MayLeave("at a time", 3, "then it mats, and the wall of the vat cooks it"),
    "stir": MayLeave("at a time", 2, "then the curd mats into lumps"),
    "test": MayLeave("end", 0, "later the first flocks are missed"),
    "wait": MayLeave("end", 0, "later it sours or sets further than it should"),
    "heal": MayLeave("end", 0, "later the dice stick together"),
    "hold": MayLeave("end", 0, "later it goes further than it should"),
    "settle": MayLeave("end", 0, "later it packs hard"),
    "drain": MayLeave("end", 0, "later it gets too dry, and sours on"),
    "hang": MayLeave("end", 0, "later it gets dry and sours on"),
    "press": MayLeave("end", 0, "later it only waits under its load"),
    "brine": MayLeave("end", 0, "later it takes up more salt"),
    "dry": MayLeave("end", 0, "later its rind cracks"),
    "cheddar": MayLeave("at a time", 5, "then the slabs cool and are turned too late"),
    "cool": MayLeave("end", 0, "later it only cools further"),
    "cook in whey": MayLeave("end", 0, "later it goes tough"),
}

_BACK: Mapping[StepKind, tuple[float, str]] = {
    "warm": (3.0, "Stir, read the warmth at wall and middle, and go by what it says."),
    "heat": (
        2.0,
        "It has matted and is hot at the wall: heat off, break it up with the hands under the "
        "whey, stir until every grain is free, read the warmth.",
    ),
    "stir": (
        2.0,
        "It has matted: break it up with the hands under the whey, gently, until every grain is "
        "free, then stir on for the minutes that were missed.",
    ),
    "test": (
        1.0,
        "Try the blade at once; with flocks there already, say when you think they came.",
    ),
    "heal": (5.0, "Loosen the dice from the wall with the flat of the spoon before you stir."),
    "cheddar": (10.0, "Turn the slabs at once, the cold side in; keep them over 30 °C."),
    "wait": (
        5.0,
        "Look at its sign and read it before you go on: it may be further than the clock.",
    ),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Leave:
    """How long a step may be left: until a moment, that only a reading moves; or so many minutes at
    a time; neither, where it may not be. words, with what happens then."""

    until: datetime | None
    at_a_time_min: float
    words: str

    @property
    def may_be(self) -> bool:
        """Whether somebody may turn away from it."""
        return self.until is not None or self.at_a_time_min > 0


def may_be_left(state: StepState, now: datetime) -> Leave:
    """How long the step of now may be left.

    As the recipe says; else what is usual for such a step. The moment is counted from the step's
    own beginning and end, so that it stands still while the clock runs.
    Parameters: state, of the step; now. Source: the recipe; usual practice.
    """
    step = state.planned.step
    said = step.leave or _USUAL.get(step.kind, _NOT_NOW)
    long = timedelta(minutes=said.minutes)
    if said.counted == "at a time":
        words = _and(f"Up to {so_long(said.minutes)} at a time", said.then)
        return Leave(until=None, at_a_time_min=said.minutes, words=words)
    until: datetime | None
    match said.counted:
        case "beginning":
            until = state.begins + long
        case "before end":
            until = state.ends - long
        case "past end":
            until = state.ends + long
        case "end":
            until = state.ends + timedelta(minutes=step.may_stretch_minutes)
        case _:
            until = None
    if until is None:
        return Leave(until=None, at_a_time_min=0.0, words=_and("Not now", said.then))
    if until <= now:
        return Leave(until=None, at_a_time_min=0.0, words=_and("No longer", said.then))
    return Leave(until=until, at_a_time_min=0.0, words=_and("Any time", said.then))


def _and(head: str, then: str) -> str:
    return f"{head}; {then.strip().rstrip('.')}." if then.strip() else f"{head}."


@dataclass(frozen=True, slots=True, kw_only=True)
class Missed:
    """What was missed while nobody was at the vat: minutes away, what fell due, what to do now."""

    minutes: float
    due: tuple[str, ...]
    now: str


def missed(day: MakeDay, as_it_stood: MakeDay, *, since: datetime, until: datetime) -> Missed:
    """What happened while nobody was there.

    Parameters: day, its steps on the clock; as_it_stood, the same when they went, by which it is
    told what would have come; since and until, away and back. Source: usual practice.
    """
    minutes = max(0.0, (until - since).total_seconds() / 60)
    current = day.current
    if current is None:
        return Missed(minutes=minutes, due=(), now="Nothing waits.")
    turn = next_turn(current, day.standing)
    turns = (turn.words,) if turn and since < turn.at <= until else ()
    due = tuple(
        each.planned.step.title
        for each in as_it_stood.steps
        if each.done_at is None
        and since < each.begins <= until
        and each.planned.step.key != current.planned.step.key
        and day.state(each.planned.step.key).done_at is None
    )
    limit, words = _BACK.get(current.planned.step.kind, (0.0, ""))
    if current.ends < until and not words:
        over = so_long((until - current.ends).total_seconds() / 60)
        words = f"It is {over} over its time: look at its sign, and go on from here."
        limit = 0.0
    if not words or minutes <= limit:
        words = "Nothing is lost: go on where you were."
    return Missed(minutes=minutes, due=(*turns, *due), now=words)
