"""How long a step may be left, in minutes and consequence; what to do on coming back."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.recipe.recipe import StepKind
from openpail.craft.units import so_long

_WORDS = ("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
_NUMBERS = {word: number for number, word in enumerate(_WORDS, start=1)}
_COUNT = rf"(\d+|{'|'.join(_NUMBERS)})"
_NOT_NOW = re.compile(r"^(not now|not in|stay by it)", re.I)
_BEFORE_ITS_TIME = re.compile(rf"until {_COUNT} min\w* before its time", re.I)
_SO_LONG = re.compile(
    r"^(?:any time )?(?:up to |within |for )?(?:the |an )?"
    rf"(?:(?P<half>half (?:an )?hour)|(?P<hour>hour)|(?P<count>{_COUNT}) (?P<unit>min|h)\w*)"
    r"(?P<more> (?:longer|more|over)\b)?",
    re.I,
)
_TO_ITS_END = re.compile(r"^(any ?time|until|overnight|all day)", re.I)

# Minutes, and what happens then, where the recipe does not say.
_USUAL: Mapping[StepKind, tuple[float | None, str]] = {
    "warm": (5.0, "then it catches at the wall, or runs past its warmth"),
    "heat": (3.0, "then it mats, and the wall of the vat cooks it"),
    "stir": (2.0, "then the curd mats into lumps"),
    "test": (None, "later the first flocks are missed, and the cut goes by the model’s clock"),
    "wait": (None, "later it sours or sets further than it should"),
    "heal": (None, "later the dice stick together"),
    "hold": (None, "later it goes further than it should"),
    "settle": (None, "later it packs hard"),
    "drain": (None, "later it gets too dry, and sours on"),
    "hang": (None, "later it gets dry and sours on"),
    "press": (None, "later it only waits under its load"),
    "brine": (None, "later it takes up more salt"),
    "dry": (None, "later its rind cracks"),
    "cheddar": (5.0, "then the slabs cool and are turned too late"),
    "cool": (None, "later it only cools further"),
    "cook in whey": (None, "later it goes tough"),
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


@dataclass(frozen=True, slots=True)
class Leave:
    """How long a step may be left: minutes from now (0 not now), until when, and what then."""

    minutes: float
    until: datetime | None
    words: str


def may_be_left(state: StepState, now: datetime) -> Leave:
    """How long the step of now may be left.

    The recipe's own words where it has some; else what is usual for such a step.
    Parameters: state, of the step; now. Source: the recipe; usual practice.
    """
    step, said = state.planned.step, state.planned.step.leave
    left = max(0.0, (state.ends - now).total_seconds() / 60)
    longest = left + step.may_stretch_minutes
    minutes = _said_minutes(said, left, longest)
    usual, then = _USUAL.get(step.kind, (0.0, ""))
    if minutes is None:
        minutes = longest if usual is None else min(usual, longest) if longest else usual
    if minutes < 1:
        return Leave(0.0, None, _and("Not now", said if not _NOT_NOW.search(said) else ""))
    until = now + timedelta(minutes=minutes)
    if _SO_LONG.search(said):
        return Leave(minutes, until, said)
    return Leave(minutes, until, _and(f"Up to {so_long(minutes)}", said or then))


def _and(head: str, rest: str) -> str:
    rest = rest.strip().rstrip(".")
    return f"{head}. {rest[0].upper()}{rest[1:]}." if rest else f"{head}."


def _said_minutes(said: str, left: float, longest: float) -> float | None:
    """What the recipe's words come to, None where they hold no time."""
    if _NOT_NOW.search(said):
        return 0.0
    before = _BEFORE_ITS_TIME.search(said)
    if before:
        return max(0.0, left - _count(before[1]))
    told = _SO_LONG.search(said)
    if told:
        return _minutes(told) + (left if told["more"] else 0.0)
    return longest if _TO_ITS_END.search(said) else None


def _minutes(told: re.Match[str]) -> float:
    if told["count"]:
        return _count(told["count"]) * (60.0 if told["unit"].lower() == "h" else 1.0)
    return 30.0 if told["half"] else 60.0


def _count(text: str) -> float:
    return float(_NUMBERS.get(text.lower(), 0) or text)


@dataclass(frozen=True, slots=True)
class Missed:
    """What was missed while nobody was at the vat: minutes away, what fell due, what to do now."""

    minutes: float
    due: tuple[str, ...]
    now: str


def missed(day: MakeDay, since: datetime, until: datetime) -> Missed:
    """What happened while nobody was there.

    Parameters: day, its steps on the clock; since and until, away and back.
    Source: usual practice.
    """
    minutes = max(0.0, (until - since).total_seconds() / 60)
    current = day.current
    due = tuple(
        each.planned.step.title
        for each in day.steps
        if each.done_at is None and since <= each.was_to_begin <= until and each is not current
    )
    if current is None:
        return Missed(minutes, due, "Nothing waits.")
    limit, words = _BACK.get(current.planned.step.kind, (0.0, ""))
    if current.ends < until and not words:
        over = so_long((until - current.ends).total_seconds() / 60)
        words = f"It is {over} over its time: look at its sign, and go on from here."
        limit = 0.0
    if words and minutes > limit:
        return Missed(minutes, due, words)
    return Missed(minutes, due, "Nothing is lost: go on where you were.")
