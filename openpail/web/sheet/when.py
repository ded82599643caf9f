"""When to begin: what the clock of this make meets if it is begun now, and the good starts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from openpail.craft.clock import as_it_comes, between, course_of, good_begins, minute_of, moment_of
from openpail.craft.errors import NotPossible
from openpail.craft.figure import Figure
from openpail.craft.gear import Outfit, outfit
from openpail.craft.lengths import InVat, steps_in, warmings
from openpail.craft.plan import PlannedStep
from openpail.records.dairy.models import Vat
from openpail.records.milk import slips
from openpail.records.plans.actions import Planned
from openpail.web.edge import house, now
from openpail.web.plan.busy import busy
from openpail.web.plan.worked import gear, power
from openpail.web.sheet.asked import Worked

_AHEAD_MIN = 36 * 60
_MOST_STARTS = 3


@dataclass(frozen=True, slots=True)
class When:
    """A make begun now: when it goes to rest, what stands against it, its press and moulds; and
    the next good starts. warm: minutes of its warmings, where the vat says."""

    ends: datetime
    against: tuple[str, ...]
    starts: tuple[tuple[datetime, datetime], ...]
    given: Outfit
    warm: Mapping[str, Figure]


def steps_of(
    worked: Worked, vat: Vat | None
) -> tuple[tuple[PlannedStep, ...], Mapping[str, Figure]]:
    """The steps of a sheet with their lengths in this vat, and the minutes of its warmings."""
    milk = worked.job.milk
    litres = sum(draw.litres for draw in worked.draws)
    celsius = (
        sum(slips.celsius_of(draw.lot, house()) * draw.litres for draw in worked.draws) / litres
    )
    warm = warmings(worked.recipe, InVat(milk.mass, celsius, power(vat) if vat else None))
    return steps_in(worked.recipe, worked.sheet.set if worked.sheet else None, warm), warm


def when(worked: Worked, vat: Vat, plan: Planned | None) -> When:
    """Look at the clock of a sheet, beside quiet hours and all other makes than its own plan."""
    planned, warm = steps_of(worked, vat)
    begin = minute_of(now())
    there = busy(int(planned[-1].end_min // 1440) + 4, without=plan)
    given, lacks = _given(worked, planned, vat, plan, there.by_others())
    course = course_of(planned, begin, given, there.until)
    straight = as_it_comes(course, begin)
    starts = [
        (moment_of(a), moment_of(min(b, begin + _AHEAD_MIN)))
        for a, b in good_begins(course, there.taken())[0]
        if a <= begin + _AHEAD_MIN
    ]
    return When(moment_of(straight.ends), (*lacks, *there.against(planned, straight)),
                tuple(starts[:_MOST_STARTS]), given, warm)  # fmt: skip


def _given(
    worked: Worked,
    planned: tuple[PlannedStep, ...],
    vat: Vat,
    plan: Planned | None,
    taken: dict[str, list[tuple[int, int]]],
) -> tuple[Outfit, tuple[str, ...]]:
    """The press and moulds of its plan, else such as are free; what the dairy lacks, in words."""
    if plan and plan.vat.id == vat.id:
        return plan.given, ()
    begin = minute_of(now())
    near = between(taken, begin, begin + round(planned[-1].end_min))
    cheese = worked.sheet.cheese.value if worked.sheet else 0.0
    try:
        return outfit(planned, cheese, vat.name, gear(), near), ()
    except NotPossible as lacks:
        return Outfit(vat.name), (lacks.words,)
