"""The wall of clocks: all that runs in the dairy, over all makes, the soonest first."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial

from openpail.craft.make.deeds import TimerSet, TimerStopped
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.work.here import Here
from openpail.work.make.day import Underway

SOUNDS = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Running:
    """One clock: of which make, what for, when it ends; set by hand by which deed, "" of a step.

    voice: what is said aloud when it ends; of: what its end is called in its make.
    """

    make: Make
    words: str
    begins: datetime
    ends: datetime
    voice: str
    species: str
    of: str
    timer: str = ""
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


def wall(here: Here, running: Sequence[Underway]) -> list[Running]:
    """All clocks of the makes under way: the step of now, and what was set by hand."""
    found = []
    namesakes = Counter(each.make.name for each in running)
    for each in running:
        make, day = each.make, each.day
        # two vats of one cheese: an alarm that names the cheese alone sends somebody to the other
        name = make.name if namesakes[make.name] == 1 else f"{make.name}, make {make.number}"
        species = makes.sheet_of(make).milk.most.breed.split("_")[0]
        clock = partial(Running, make=make, species=species)
        state, turn = each.now.step, each.now.turn
        key = state.planned.step.key if state else ""
        if state is not None and state.runs:
            found.append(
                clock(
                    words=state.planned.step.title,
                    begins=state.begins,
                    ends=state.ends,
                    voice=f"{name}: {each.now.at_end}, now",
                    step=key,
                    of=f"{key}/ends",
                )
            )
        if turn:
            found.append(
                clock(
                    words=turn.words,
                    begins=turn.at,
                    ends=turn.at,
                    voice=f"{name}: {turn.words}, now",
                    step=f"{key}:{turn.words}:{turn.done}",
                    of=f"{key}/turn",
                )
            )
        stopped = {deed.timer for _, deed in day.standing.of(TimerStopped)}
        for tap, deed in day.standing.of(TimerSet):
            if tap.id not in stopped:
                words = deed.words or "Timer"
                found.append(
                    clock(
                        words=words,
                        begins=tap.at,
                        ends=tap.at + timedelta(minutes=deed.minutes),
                        timer=tap.id,
                        voice=f"{name}: {words}, time is up",
                        of=f"timer/{tap.id}",
                    )
                )
    return sorted(found, key=lambda each: each.ends)
