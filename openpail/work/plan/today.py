"""Today: the next thing, the cares, what is to be made ready, the milk that waits, the stock."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from openpail.craft.doses.notices import Notice
from openpail.craft.milk.fitness import Fitness
from openpail.records.makes.models import Make
from openpail.records.milk import heatings, keeping, slips
from openpail.records.milk.models import Heating, MilkLot, Task
from openpail.records.stock import actions as stock
from openpail.records.stock.actions import Lot
from openpail.work.cave.ripening import CareGroup, groups, late, live
from openpail.work.here import Here
from openpail.work.logbook.came_late import CameLate, came_late
from openpail.work.make.day import Underway, running
from openpail.work.plan.planned import Due, due, tasks
from openpail.work.plan.wall import Running, wall

_COMING_DAYS = 7
_SOON, _THIS_HOUR = timedelta(minutes=30), timedelta(hours=1)


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


@dataclass(frozen=True, slots=True, kw_only=True)
class NextThing:
    """What the hands do next: of a make, at its moment; or cares of today, that have none.

    after: the step that runs until then, "" where none does; of: what the moment is called; cares:
    those that wait, the first of them first, and whether they are late and matter; is_weighing:
    whether nothing is left but the scale.
    """

    words: str
    at: datetime | None = None
    make: Make | None = None
    after: str = ""
    of: str = ""
    cares: tuple[CareGroup, ...] = ()
    are_late: bool = False
    is_weighing: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class TodayAt:
    """All that Today shows. next: the soonest that wants hands first."""

    wall: list[Running]
    heating: list[Heating]
    next: list[NextThing]
    wanted: list[Wanted]
    cares: list[CareGroup]
    coming: list[CareGroup]
    waiting: list[tuple[MilkLot, Fitness, float]]
    stock_says: list[tuple[Lot, Notice]]
    hungry: list[Lot]
    tasks: list[Task]
    came_late: list[CameLate]


def today(here: Here) -> TodayAt:
    """The next thing, the day, the cares, the milk waiting."""
    under_way = running(here)
    until = here.ahead(_COMING_DAYS)
    cares = groups(here, live(here, until), date.min, until)
    due_now = [each for each in cares if each.due <= here.today]
    waiting = [
        (lot, slips.fitness_of(lot, here.known), keeping.hours_old(lot, here.now))
        for lot in here.waiting
    ]
    return TodayAt(
        wall=wall(here, under_way),
        heating=heatings.running(here.session, here.dairy),
        next=_next(here, under_way, due_now),
        wanted=_wanted(here),
        cares=due_now,
        coming=[each for each in cares if each.due > here.today],
        waiting=waiting,
        stock_says=_stock_says(here),
        hungry=[
            lot for lot in here.shelf if lot.jar and here.day_of(lot.jar.feed_by) <= here.today
        ],
        tasks=tasks(here, until),
        came_late=came_late(here),
    )


def _next(here: Here, under_way: Sequence[Underway], cares: Sequence[CareGroup]) -> list[NextThing]:
    """What wants hands, the soonest first: cares that are late and matter before what comes in more
    than half an hour, those of today before what comes in more than one."""
    grave = [each for each in cares if matters(each, here.today)]
    of_today = [each for each in cares if each not in grave]
    found = [
        (here.now + after, _care_thing(those, are_late=those is grave))
        for those, after in ((grave, _SOON), (of_today, _THIS_HOUR))
        if those
    ]
    for each in under_way:
        hands, step = each.now.hands, each.now.step
        if hands is None:
            continue
        runs = step if step and step.runs and hands.on in ("coming", "look", "turn") else None
        after = runs.planned.step.title if runs else ""
        name = {"turn": "turn", "weigh": "weigh"}.get(hands.on, "ends")
        of = f"make/{each.make.number}/{step.planned.step.key if step else 'all'}/{name}"
        thing = NextThing(
            words=hands.words,
            at=hands.at,
            make=each.make,
            after=after,
            of=of,
            is_weighing=hands.on == "weigh",
        )
        found.append((hands.at, thing))
    return [thing for _, thing in sorted(found, key=lambda pair: pair[0])]


def _care_thing(those: Sequence[CareGroup], *, are_late: bool) -> NextThing:
    return NextThing(words=those[0].care.words, cares=tuple(those), are_late=are_late)


def matters(group: CareGroup, today: date) -> bool:
    """Whether cares are so late that they matter more than what comes later today."""
    return late(group.care, group.pieces[0], today).level == "matters"


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
