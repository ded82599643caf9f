"""The ribbon of a day: a lane for each make, hands-on blocks solid, waits hatched."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from itertools import pairwise

from flask import url_for

from openpail.craft.clock import Placed, moment_of
from openpail.craft.plan import MakeDay
from openpail.records.makes.models import Make
from openpail.records.plans.actions import Planned
from openpail.web.edge import dairy, local, now, today, zone
from openpail.web.plan.worked import worked
from openpail.web.ui import draw


@dataclass(frozen=True, slots=True)
class Stretch:
    """A part of a make on the clock: by hand or waiting, done or to come."""

    words: str
    begins: datetime
    ends: datetime
    hands_on: bool
    done: bool = False


@dataclass(frozen=True, slots=True)
class Course:
    """A make as it runs over its days."""

    name: str
    href: str
    planned: bool
    stretches: tuple[Stretch, ...]


@dataclass(frozen=True, slots=True)
class Ribbon:
    """A day's ribbon: its lanes (course and blocks), the quiet hours, and where now is on it."""

    day: date
    lanes: tuple[tuple[Course, list[draw.Block]], ...]
    quiet: tuple[tuple[float, float], ...]
    now_x: float | None

    @property
    def words(self) -> str:
        """What stands on it, for who cannot see it."""
        return ", ".join(course.name for course, _ in self.lanes) or "nothing"


def of_make(make: Make, state: MakeDay) -> Course:
    """A make under way: what was done as it was done, the rest from now on."""
    found: list[Stretch] = []
    for step in state.steps:
        ends = step.done_at or step.ends
        if step is state.current:
            ends = max(ends, now())
        hands = step.planned.step.hands_on_minutes
        found += _split(step.planned.step.kind, step.begins, ends, hands, step.done_at is not None)
    return Course(make.name, url_for("vat.page", make_id=make.id), False, tuple(found))


def of_plan(each: Planned, made: Placed) -> Course:
    """A planned make where it is placed."""
    found: list[Stretch] = []
    edges = [moment_of(minute) for minute in (*made.begins, made.ends)]
    for step, (begins, ends) in zip(worked(each).steps, pairwise(edges), strict=True):
        found += _split(step.step.kind, begins, ends, step.step.hands_on_minutes, False)
    href = url_for("plan.page", plan_id=each.row.id)
    return Course(each.name, href, True, tuple(found))


def _split(
    words: str, begins: datetime, ends: datetime, hands_min: float, done: bool
) -> Iterable[Stretch]:
    """A step's hands at its beginning, then its wait."""
    between = min(ends, begins + timedelta(minutes=hands_min))
    if begins < between:
        yield Stretch(words, begins, between, True, done)
    if between < ends:
        yield Stretch(words, between, ends, False, done)


def ribbon(day: date, courses: Sequence[Course]) -> Ribbon:
    """One day's ribbon with the makes that are on it."""
    noon = datetime.combine(day, time(12), zone())
    lanes = [(course, _blocks(course, noon)) for course in courses]
    x = draw.ribbon_x(now(), zone(), noon)
    return Ribbon(
        day,
        tuple((course, blocks) for course, blocks in lanes if blocks),
        _quiet(day, noon),
        x if day == today() and 0 < x < draw.RIBBON_WIDTH else None,
    )


def ribbons(courses: Sequence[Course], first: datetime, last: datetime) -> list[Ribbon]:
    """A ribbon for each day between two moments on which there is something to draw."""
    begin, end = local(first).date(), local(last).date()
    days = (begin + timedelta(days=number) for number in range((end - begin).days + 1))
    return [each for each in (ribbon(day, courses) for day in days) if each.lanes]


def _blocks(course: Course, noon: datetime) -> list[draw.Block]:
    found = []
    for each in course.stretches:
        x0, x1 = (draw.ribbon_x(at, zone(), noon) for at in (each.begins, each.ends))
        if x1 > x0:
            found.append(draw.Block(x0, x1 - x0, each.hands_on, each.words, each.done))
    return draw.merged(found)


def _quiet(day: date, noon: datetime) -> tuple[tuple[float, float], ...]:
    def x(at: time, plus: int = 0) -> float:
        moment = datetime.combine(day + timedelta(days=plus), at, zone())
        return draw.ribbon_x(moment.astimezone(UTC), zone(), noon)

    begins, ends = dairy().quiet_from, dairy().quiet_until
    if begins == ends:
        return ()
    spans = [(x(begins), x(ends))]  # within one day, a rest at noon
    if begins > ends:
        spans = [(0.0, x(ends)), (x(begins), x(ends, 1))]
    return tuple((a, b - a) for a, b in spans if b > a)
