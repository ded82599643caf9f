"""Planned makes moved: to a moment, back from an end, beside each other, out of the way."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import datetime

from openpail.craft.clock.gear import Outfit
from openpail.craft.clock.one import latest
from openpail.craft.clock.several import make_way, place
from openpail.craft.clock.spans import between, minute_of, moment_of
from openpail.craft.errors import RecordError
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned
from openpail.work.here import Here
from openpail.work.plan.clock import busy, days_until
from openpail.work.plan.planned import clock, course_for, fit_out, placed

_STEP_MIN = 5
_EFFORT = 1_500  # a few seconds at the most


def to(here: Here, plan_id: uuid.UUID, begins: datetime) -> None:
    """It begins at a moment, with the press and moulds that are free then.

    Raises: NotHere; RecordError for the past.
    """
    each = here.plan(plan_id)
    end = placed(here, each).ends + minute_of(begins) - minute_of(each.begins)
    there = clock(here, days_until(here, end), without=each)
    near = between(there.by_others(), minute_of(begins), end)
    plans.move(
        here.session,
        here.dairy,
        each.row,
        begins=begins,
        given=fit_out(here, each, near),
        now=here.now,
    )
    here.forget(Here.planned)


def back_from(here: Here, plan_id: uuid.UUID, end: datetime) -> datetime:
    """The last good start that has it at rest by a moment. Raises RecordError for none, NotHere."""
    each = here.plan(plan_id)
    course = course_for(here, each, minute_of(here.now), minute_of(end))
    there = clock(here, days_until(here, course.latest_end), without=each)
    found = latest(course, there.taken())
    if found is None:
        raise RecordError("No start from now on has it at rest by then with the night left alone.")
    return moment_of(found.begins[0])


def beside_each_other(here: Here) -> None:
    """All that is planned is laid out anew, each as early as it can be on its own day or later.

    Raises: RecordError when none of the ways that were tried keeps them apart.
    """
    found = here.planned
    last = max((placed(here, each).ends for each in found), default=0)
    there = busy(here, days_until(here, last), ())
    given = _dealt_out(here, found, there.by_others())
    courses = [
        course_for(here, each, _not_before(here, each), there.until, outfit)
        for each, outfit in zip(found, given, strict=True)
    ]
    day = place(courses, there.taken(), step=_STEP_MIN, effort=_EFFORT)
    if day is None:
        raise RecordError("They find no place beside each other: drop one, or move it by hand.")
    for each, made, outfit in zip(found, day.makes, given, strict=True):
        begins = moment_of(made.begins[0])
        plans.move(here.session, here.dairy, each.row, begins=begins, given=outfit, now=here.now)
    here.forget(Here.planned)


def _not_before(here: Here, each: Planned) -> int:
    """A make of a later day stays on its day: its milk is asked for then."""
    midnight = each.begins.replace(hour=0, minute=0, second=0, microsecond=0)
    return max(minute_of(here.now), minute_of(midnight))


def _dealt_out(
    here: Here, found: Sequence[Planned], taken: dict[str, list[tuple[int, int]]]
) -> list[Outfit]:
    """Presses and moulds dealt out so that two makes share as few as can be."""
    dealt = []
    for each in found:
        given = fit_out(here, each, taken)
        dealt.append(given)
        for thing in (given.press, *given.moulds):
            if thing:
                taken.setdefault(thing, []).append((0, placed(here, each).ends))
    return dealt


def out_of_the_way(here: Here) -> None:
    """After a make was begun: the planned ones that it stands in the way of move on."""
    found = here.planned
    last = max((placed(here, each).ends for each in found), default=0)
    there = busy(here, days_until(here, last), ())
    given = [_still_free(here, each, there.by_others()) for each in found]
    wanted = [
        (course_for(here, each, minute_of(here.now), there.until, outfit), minute_of(each.begins))
        for each, outfit in zip(found, given, strict=True)
    ]
    placings = make_way(wanted, there.by_others(), there.quiet)
    for each, outfit, made in zip(found, given, placings, strict=True):
        if made.begins[0] != minute_of(each.begins):
            begins = moment_of(made.begins[0])
            plans.move(
                here.session,
                here.dairy,
                each.row,
                begins=begins,
                given=outfit,
                now=here.now,
                pushed=True,
            )
        elif outfit != each.given(here.gear):
            plans.give(here.session, each.row, outfit)
    here.forget(Here.planned)


def _still_free(here: Here, each: Planned, taken: dict[str, list[tuple[int, int]]]) -> Outfit:
    """Its press and moulds, or others where one of them is taken meanwhile."""
    near = between(taken, minute_of(each.begins), placed(here, each).ends)
    has = each.given(here.gear)
    mine = (has.press, *has.moulds)
    return fit_out(here, each, near) if any(near.get(thing) for thing in mine) else has
