"""Planned makes moved: to a moment, back from an end, beside each other, out of the way."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from openpail.craft.clock import (
    backwards,
    between,
    make_way,
    minute_of,
    moment_of,
    place,
)
from openpail.craft.gear import Outfit
from openpail.records.errors import RecordError
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned
from openpail.web.edge import dairy, db, now
from openpail.web.plan.busy import busy, course_for, fit_out, placed

_STEP_MIN = 5
_EFFORT = 1_500  # a few seconds at the most
_MINUTES_OF_DAY = 1440


def days_until(minute: int) -> int:
    """Days of the clock to look at for a make that ends at a minute."""
    return max(0, minute - minute_of(now())) // _MINUTES_OF_DAY + 4


def to(each: Planned, begins: datetime) -> None:
    """It begins at a moment, with the press and moulds that are free then."""
    end = placed(each).ends + minute_of(begins) - minute_of(each.begins)
    near = between(busy(days_until(end), without=each).by_others(), minute_of(begins), end)
    plans.move(db(), dairy(), each.row, begins, fit_out(each, near))


def back_from(each: Planned, end: datetime) -> datetime:
    """The last good start that has it at rest by a moment. Raises RecordError for none."""
    course = course_for(each, minute_of(now()), minute_of(end))
    found = backwards(course, busy(days_until(course.latest_end), without=each).taken())
    if found is None:
        raise RecordError("No start from now on has it at rest by then with the night left alone.")
    return moment_of(found.begins[0])


def beside_each_other() -> None:
    """All that is planned is laid out anew, each as early as it can be on its own day or later.

    Raises: RecordError when none of the ways that were tried keeps them apart.
    """
    found = plans.planned(db(), dairy())
    last = max((placed(each).ends for each in found), default=0)
    there = busy(days_until(last), planned=())
    given = _dealt_out(found, there.by_others())
    courses = [
        course_for(each, _not_before(each), there.until, outfit)
        for each, outfit in zip(found, given, strict=True)
    ]
    day = place(courses, there.taken(), step=_STEP_MIN, effort=_EFFORT)
    if day is None:
        raise RecordError("They find no place beside each other: drop one, or move it by hand.")
    for each, made, outfit in zip(found, day.makes, given, strict=True):
        plans.move(db(), dairy(), each.row, moment_of(made.begins[0]), outfit)


def _not_before(each: Planned) -> int:
    """A make of a later day stays on its day: its milk is asked for then."""
    midnight = each.begins.replace(hour=0, minute=0, second=0, microsecond=0)
    return max(minute_of(now()), minute_of(midnight))


def _dealt_out(found: Sequence[Planned], taken: dict[str, list[tuple[int, int]]]) -> list[Outfit]:
    """Presses and moulds dealt out so that two makes share as few as can be."""
    dealt = []
    for each in found:
        given = fit_out(each, taken)
        dealt.append(given)
        for thing in (given.press, *given.moulds):
            if thing:
                taken.setdefault(thing, []).append((0, placed(each).ends))
    return dealt


def out_of_the_way() -> None:
    """After a make was begun: the planned ones that it stands in the way of move on."""
    found = plans.planned(db(), dairy())
    last = max((placed(each).ends for each in found), default=0)
    there = busy(days_until(last), planned=())
    given = [_still_free(each, there.by_others()) for each in found]
    wanted = [
        (course_for(each, minute_of(now()), there.until, outfit), minute_of(each.begins))
        for each, outfit in zip(found, given, strict=True)
    ]
    placings = make_way(wanted, there.by_others(), there.quiet)
    for each, outfit, made in zip(found, given, placings, strict=True):
        if made.begins[0] != minute_of(each.begins):
            plans.move(db(), dairy(), each.row, moment_of(made.begins[0]), outfit, pushed=True)
        elif outfit != each.given:
            plans.give(each.row, outfit)


def _still_free(each: Planned, taken: dict[str, list[tuple[int, int]]]) -> Outfit:
    """Its press and moulds, or others where one of them is taken meanwhile."""
    near = between(taken, minute_of(each.begins), placed(each).ends)
    mine = (each.given.press, *each.given.moulds)
    return fit_out(each, near) if any(near.get(thing) for thing in mine) else each.given
