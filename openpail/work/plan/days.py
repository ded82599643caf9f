"""The days ahead: every make as it runs, what is due on which day, and all of it as a calendar."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise

from openpail.craft.cave.hours import called_at
from openpail.craft.clock.one import Placed
from openpail.craft.clock.spans import moment_of
from openpail.craft.make.day import MakeDay
from openpail.craft.units import so_many
from openpail.formats.calendar import Entry
from openpail.records.makes.models import Make
from openpail.records.milk.models import Task
from openpail.records.plans.actions import Planned
from openpail.work.cave.ripening import CareGroup, groups, live
from openpail.work.here import Here
from openpail.work.make.day import running
from openpail.work.plan.planned import Due, due, placed, tasks, worked
from openpail.work.press.brining import LiesIn, lying

DAYS = 7
_FILE_DAYS = 90
_TOLD = 8
_MOST_IN_ROUND = 24
# Blocks of hands so near each other are one entry: nobody leaves the vat in between.
_NEAR = timedelta(minutes=30)
_SHORT = timedelta(minutes=15)
_BEFORE_MIN = 10


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch:
    """A part of a make on the clock: by hand or waiting, done or to come."""

    words: str
    begins: datetime
    ends: datetime
    hands_on: bool
    done: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Lane:
    """A make as it runs over its days, under way or planned."""

    id: uuid.UUID
    name: str
    planned: bool
    stretches: tuple[Stretch, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class CareOfDay:
    """How many pieces of one cheese want one care on a day; what is late is wanted today."""

    day: date
    words: str
    name: str
    pieces: int


@dataclass(frozen=True, slots=True, kw_only=True)
class DayAhead:
    """A day: what is due on it."""

    date: date
    cares: tuple[CareOfDay, ...]
    wanted: tuple[Due, ...]
    tasks: tuple[Task, ...]
    brines: tuple[LiesIn, ...] = ()

    @property
    def kits(self) -> list[Planned]:
        """The planned makes whose kit is set out on it."""
        kit = {each.plan.row.id: each.plan for each in self.wanted if each.what.sort == "kit"}
        return list(kit.values())


def lane_of_make(here: Here, make: Make, day: MakeDay) -> Lane:
    """A make under way: what was done as it was done, the rest from now on."""
    found: list[Stretch] = []
    for step in day.steps:
        ends = step.done_at or step.ends
        if step is day.current:
            ends = max(ends, here.now)
        what = step.planned.step
        done = step.done_at is not None
        found += _split(what.kind, step.begins, ends, what.hands_on_minutes, done=done)
    return Lane(id=make.id, name=make.name, planned=False, stretches=tuple(found))


def lane_of_plan(here: Here, each: Planned, made: Placed) -> Lane:
    """A planned make where it is placed."""
    found: list[Stretch] = []
    edges = [moment_of(minute) for minute in (*made.begins, made.ends)]
    for step, (begins, ends) in zip(worked(here, each).steps, pairwise(edges), strict=True):
        what = step.step
        found += _split(what.kind, begins, ends, what.hands_on_minutes, done=False)
    return Lane(id=each.row.id, name=each.name, planned=True, stretches=tuple(found))


def _split(
    words: str, begins: datetime, ends: datetime, hands_min: float, *, done: bool
) -> Iterable[Stretch]:
    """A step's hands at its beginning, then its wait."""
    between = min(ends, begins + timedelta(minutes=hands_min))
    if begins < between:
        yield Stretch(words=words, begins=begins, ends=between, hands_on=True, done=done)
    if between < ends:
        yield Stretch(words=words, begins=between, ends=ends, hands_on=False, done=done)


def lanes(here: Here) -> list[Lane]:
    """Every make under way, and every planned one."""
    found = [lane_of_make(here, each.make, each.day) for each in running(here)]
    return found + [lane_of_plan(here, each, placed(here, each)) for each in here.planned]


def days(here: Here) -> list[DayAhead]:
    """What is due on each of the next days."""
    last = here.ahead(DAYS)
    cares = cares_by_day(here, last)
    to_thaw = tasks(here, last)
    wanted = [each for each in due(here, here.planned) if not each.done]
    brines = lying(here)
    found = []
    for number in range(DAYS):
        day = here.ahead(number)
        mine = tuple(each for each in wanted if each.day == day or (number == 0 and each.late))
        thaw = tuple(task for task in to_thaw if task.due == day)
        touched = tuple(each for each in cares if each.day == day)
        out = tuple(e for e in brines if e.stay.until and here.day_of(e.stay.until) == day)
        found.append(DayAhead(date=day, cares=touched, wanted=mine, tasks=thaw, brines=out))
    return found


def cares_by_day(here: Here, until: date) -> list[CareOfDay]:
    """What is to be done to how many pieces, day by day until one."""
    found: dict[tuple[date, str, str], int] = {}
    for group in groups(here, live(here, until), date.min, until):
        key = (max(group.due, here.today), group.care.words, group.name)
        found[key] = found.get(key, 0) + len(group.pieces)
    return [
        CareOfDay(day=day, words=words, name=name, pieces=pieces)
        for (day, words, name), pieces in sorted(found.items())
    ]


# ── the calendar ──


def entries(here: Here) -> Iterator[Entry]:
    """All that is planned, an entry each."""
    for lane in lanes(here):
        yield from _blocks(f"{'plan' if lane.planned else 'make'}-{lane.id}", lane)
    for wanted in due(here, here.planned):
        if not wanted.done and wanted.what.sort != "kit":
            key = f"ready-{wanted.plan.row.id}-{wanted.what.key}"
            yield Entry(
                uid=key, words=wanted.what.words, begins=wanted.day, more=f"for {wanted.plan.name}"
            )
    yield from _brines(here)
    until = here.ahead(_FILE_DAYS)
    for task in tasks(here, until):
        yield Entry(uid=f"task-{task.id}", words=task.words, begins=task.due)
    yield from _cares(here, until)


def _cares(here: Here, until: date) -> Iterator[Entry]:
    """The cares: each that is done once an entry of its own, that moves with its plan; those of
    every day a round of each place, called outside quiet hours."""
    rounds: dict[tuple[date, str], list[CareGroup]] = {}
    for each in groups(here, live(here, until), date.min, until):
        day = max(each.due, here.today)
        if each.care.matters == "once" and each.care.times == 1:
            begins = _called(here, day, 1)[0]
            lead = each.pieces[0].row.id
            key = f"care-{lead}-{each.care.stage}-{each.care.key}"
            words = _care_words(each)
            yield Entry(
                uid=key, words=words, begins=begins, ends=begins + _SHORT, more=each.place, rings=0
            )
        else:
            rounds.setdefault((day, each.place), []).append(each)
    for (day, place), those in rounds.items():
        yield from _round(here, day, place, those)


def _round(here: Here, day: date, place: str, those: Sequence[CareGroup]) -> Iterator[Entry]:
    """What one place wants on a day, in one walk, or as often as its most frequent care."""
    of = uuid.uuid5(here.dairy.id, place)
    moments = _called(here, day, max(each.care.times for each in those))
    for number, begins in enumerate(moments):
        mine = [each for each in those if each.care.times > number]
        pieces = sum(len(each.pieces) for each in mine)
        words = f"{place.capitalize()}: {so_many(pieces, 'cheese')} to care for"
        if len(mine) == 1:
            words = f"{place.capitalize()}: {_care_words(mine[0])}"
        more = "; ".join(_care_words(each) for each in mine[:_MOST_IN_ROUND])
        ends = begins + max(_SHORT, timedelta(minutes=min(pieces, 60)))
        yield Entry(
            uid=f"round-{of}-{day.isoformat()}-{number}",
            words=words,
            begins=begins,
            ends=ends,
            more=more,
            rings=0,
        )


def _called(here: Here, day: date, times: int) -> list[datetime]:
    quiet = (here.dairy.quiet_from, here.dairy.quiet_until)
    return called_at(day, times, here.house.number("cave.round_at"), quiet, here.zone)


def _brines(here: Here) -> Iterator[Entry]:
    """What lies in brine: turned half-way, and out; each at its time, with an alarm."""
    for lies in lying(here):
        told = f"{lies.make.name}, {lies.labels}"
        name = f"make/{lies.make.number}/{lies.stay.step}"
        due = [("brine", f"Out of {lies.tub.name}", lies.stay.until, "ends")]
        if lies.turn and lies.turn > here.now:
            due.insert(0, ("turn", f"Turn it in {lies.tub.name}", lies.turn, "turn"))
        for key, words, moment, what in due:
            if moment is not None:
                at = _minute(moment)
                yield Entry(
                    uid=f"{key}-{lies.stay.id}",
                    words=f"{words}: {told}",
                    begins=at,
                    ends=at + _SHORT,
                    rings=0,
                    of=f"{name}/{what}",
                )


def _care_words(each: CareGroup) -> str:
    """A care with the pieces it is for, as many as a line has room for."""
    words, labels = each.care.words, each.labels
    if len(labels) == 1:
        return f"{words}: {labels[0]} {each.name}"
    told = ", ".join(labels[:_TOLD])
    more = f" and {len(labels) - _TOLD} more" if len(labels) > _TOLD else ""
    return f"{words}: {len(labels)} {each.name} ({told}{more})"


def _blocks(uid: str, lane: Lane) -> Iterator[Entry]:
    """An entry for each time that hands are wanted, from now on."""
    block: list[Stretch] = []
    number = 0
    for each in [s for s in lane.stretches if s.hands_on and not s.done]:
        if block and each.begins - block[-1].ends > _NEAR:
            yield _entry(f"{uid}-{number}", lane, block)
            block, number = [], number + 1
        block.append(each)
    if block:
        yield _entry(f"{uid}-{number}", lane, block)


def _entry(uid: str, lane: Lane, block: Sequence[Stretch]) -> Entry:
    words = list(dict.fromkeys(each.words for each in block))
    some = words if len(words) < 4 else [words[0], "…", words[-1]]
    begins, ends = _minute(block[0].begins), _minute(block[-1].ends)
    ends = max(ends, begins + timedelta(minutes=1))
    told = f"{lane.name}: {', '.join(some)}"
    return Entry(
        uid=uid, words=told, begins=begins, ends=ends, more=", ".join(words), rings=_BEFORE_MIN
    )


def _minute(moment: datetime) -> datetime:
    return moment.astimezone(UTC).replace(second=0, microsecond=0)
