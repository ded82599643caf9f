"""Today: the next thing, the cares, what is to be made ready, the milk that waits, the stock."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from openpail.craft.doses.notices import Notice
from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.milk.fitness import Fitness
from openpail.records.makes.models import Make
from openpail.records.milk import heatings, slips
from openpail.records.milk.models import Heating, MilkLot, Task
from openpail.records.stock import actions as stock
from openpail.records.stock.actions import Lot
from openpail.work.here import Here
from openpail.work.plan import Due, due, tasks
from openpail.work.ripening import CareGroup, groups, live
from openpail.work.vat import running
from openpail.work.wall import Running, wall

_COMING_DAYS = 7


@dataclass
class Wanted:
    """Things that one planned make wants ready on a day: all its kit, or one product or milk."""

    things: list[Due]

    def is_kit_of(self, other: Due) -> bool:
        """Whether it is the kit of the same make."""
        first = self.things[0]
        return first.what.sort == "kit" and first.plan.row.id == other.plan.row.id

    @property
    def first(self) -> Due:
        """The first of them."""
        return self.things[0]


@dataclass(frozen=True, slots=True)
class NextStep:
    """Where a make stands: the step of now, and the one that comes when it ends."""

    make: Make
    now: StepState
    coming: StepState | None

    @property
    def title(self) -> str:
        """What the hands do next: what comes, or what is wanted now and has no end but a tap."""
        return self.coming.planned.step.title if self.coming else self.now.planned.step.title


@dataclass(frozen=True, slots=True)
class TodayAt:
    """All that Today shows."""

    running: list[tuple[Make, MakeDay]]
    wall: list[Running]
    heating: list[Heating]
    next: list[NextStep]
    wanted: list[Wanted]
    cares: list[CareGroup]
    coming: list[CareGroup]
    waiting: list[tuple[MilkLot, Fitness, float]]
    stock_says: list[tuple[Lot, Notice]]
    hungry: list[Lot]
    tasks: list[Task]


def today(here: Here) -> TodayAt:
    """The next thing, the day, the cares, the milk waiting."""
    days = running(here)
    until = here.ahead(_COMING_DAYS)
    cares = groups(here, live(here, until), date.min, until)
    waiting = [
        (lot, slips.fitness_of(lot, here.known), slips.hours_old(lot, here.now))
        for lot in here.waiting
    ]
    return TodayAt(
        days,
        wall(here, days),
        heatings.running(here.session, here.dairy),
        _next(days),
        _wanted(here),
        [each for each in cares if each.due <= here.today],
        [each for each in cares if each.due > here.today],
        waiting,
        _stock_says(here),
        [lot for lot in here.shelf if lot.jar and here.day_of(lot.jar.feed_by) <= here.today],
        tasks(here, until),
    )


def _next(days: Sequence[tuple[Make, MakeDay]]) -> list[NextStep]:
    """What comes next in each make under way, the soonest first."""
    found = []
    for make, day in days:
        if day.current:
            coming = day.following(1)
            found.append(NextStep(make, day.current, coming[0] if coming else None))
    return sorted(found, key=lambda each: each.now.ends)


def _stock_says(here: Here) -> list[tuple[Lot, Notice]]:
    """What of the stock wants looking at: the gravest of each lot, notes left out."""
    noticed = [(lot, stock.notices_of(lot, here.today, here.house)) for lot in here.shelf]
    said = [(lot, notices[0]) for lot, notices in noticed if notices and notices[0].grave != "note"]
    return sorted(said, key=lambda each: each[1].grave != "stop")


def _wanted(here: Here) -> list[Wanted]:
    """What the planned makes want ready by tomorrow and is not; what is set out, as one."""
    found: list[Wanted] = []
    for each in due(here, here.planned):
        if each.done or each.day > here.ahead(1):
            continue
        last = found[-1] if found else None
        if each.what.sort == "kit" and last and last.is_kit_of(each):
            last.things.append(each)
        else:
            found.append(Wanted([each]))
    return found
