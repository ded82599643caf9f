"""The wall of clocks: all that runs in the dairy, over all makes, the soonest first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.make.deeds import TimerSet, TimerStopped
from openpail.craft.make.turns import NextTurn, next_tightening, next_turn
from openpail.craft.recipe.recipe import StepKind
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.work.gear import press_of
from openpail.work.here import Here

# A step of these kinds has no end of its own: it is done when the hands are.
_BY_HAND: frozenset[StepKind] = frozenset(
    {"add", "cut", "mill", "salt", "mould", "take whey off", "stretch", "turn"}
)
SOUNDS = 4


@dataclass(frozen=True, slots=True)
class Running:
    """One clock: of which make, what for, when it ends; set by hand by which deed, "" of a step.

    voice: what is said aloud when it ends.
    """

    make: Make
    words: str
    begins: datetime
    ends: datetime
    timer: str
    voice: str
    species: str
    step: str = ""

    @property
    def sound(self) -> int:
        """Which of the sounds is its make's, from 1: two makes side by side sound apart."""
        return sound_of(self.make)

    @property
    def key(self) -> str:
        """What this clock is called on a page: a new end is a new alarm."""
        return self.timer or f"{self.make.id}:{self.step}:{self.ends:%H%M}"


def sound_of(make: Make) -> int:
    """Which of the sounds is a make's."""
    return make.number % SOUNDS + 1


def wall(here: Here, running: Sequence[tuple[Make, MakeDay]]) -> list[Running]:
    """All clocks of the makes under way: the step of now, and what was set by hand."""
    found = []
    for make, day in running:
        species = makes.sheet_of(make).milk.most.breed.split("_")[0]
        state = day.current
        if state is not None and runs(state):
            step, then = state.planned.step, day.following(1)
            voice = f"{make.name}: {then[0].planned.step.title if then else step.title}, now"
            found.append(
                Running(make, step.title, state.begins, state.ends, "", voice, species, step.key)
            )
        for turn in _turns(here, make, day):
            voice = f"{make.name}: {turn.words}, now"
            key = f"{step_key(day)}:{turn.words}:{turn.done}"
            found.append(Running(make, turn.words, turn.at, turn.at, "", voice, species, key))
        stopped = {deed.timer for _, deed in day.standing.of(TimerStopped)}
        for tap, deed in day.standing.of(TimerSet):
            if tap.id not in stopped:
                words = deed.words or "Timer"
                ends = tap.at + timedelta(minutes=deed.minutes)
                voice = f"{make.name}: {words}, time is up"
                found.append(Running(make, words, tap.at, ends, tap.id, voice, species))
    return sorted(found, key=lambda each: each.ends)


def _turns(here: Here, make: Make, day: MakeDay) -> list[NextTurn]:
    """What the hands do inside the step of now: turn it, screw it down again."""
    state, standing = day.current, day.standing
    if state is None:
        return []
    sort = press_of(here, make, standing) if state.planned.step.kind == "press" else None
    has_screw = bool(sort and sort.press and sort.press.sort == "screw")
    found = (next_tightening(state, standing, has_screw), next_turn(state, standing))
    return [each for each in found if each]


def step_key(day: MakeDay) -> str:
    """The key of the step of now, "" when all are done."""
    return day.current.planned.step.key if day.current else ""


def runs(state: StepState) -> bool:
    """Whether a step has a clock that ends it, and not only the hands."""
    step = state.planned.step
    return step.kind not in _BY_HAND and "weight" not in step.asks and step.minutes > 0
