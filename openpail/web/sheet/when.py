"""When to begin: what the clock of this make meets if it is begun now, and the good starts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from openpail.craft.clock import (
    HANDS,
    Placed,
    Span,
    as_it_comes,
    course_of,
    good_begins,
    hands_in,
    minute_of,
    moment_of,
    quiet_spans,
)
from openpail.craft.plan import PlannedStep, forwards
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Vat
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.web.edge import dairy, db, now, today, zone
from openpail.web.sheet.asked import Worked
from openpail.web.ui.show import clock
from openpail.web.vat.state import planned_of, state_of

_AHEAD_MIN = 36 * 60
_MOST_STARTS = 3


@dataclass(frozen=True, slots=True)
class When:
    """A make begun now: when it goes to rest, what stands against it; and the next good starts."""

    ends: datetime
    against: tuple[str, ...]
    starts: tuple[tuple[datetime, datetime], ...]


def when(worked: Worked, vat: Vat) -> When:
    """Look at the clock of a sheet, beside quiet hours and the makes under way."""
    times = worked.sheet.set if worked.sheet else None
    floc, cut = (times.flocculation.value, times.cut.value) if times else (None, None)
    planned = forwards(worked.recipe, floc, cut)
    begin = minute_of(now())
    course = course_of(planned, begin, vat.name)
    straight = as_it_comes(course, begin)
    days = (straight.ends - begin) // 1440 + 4
    quiet = quiet_spans(today(), days, dairy().quiet_from, dairy().quiet_until, zone())
    others = [(make, under_way(make, begin)) for make in makes.under_way(db(), dairy())]
    taken: dict[str, list[Span]] = {HANDS: list(quiet)}
    for _, placed in others:
        for thing, spans in placed.taken().items():
            taken.setdefault(thing, []).extend(spans)
    starts = [
        (moment_of(a), moment_of(min(b, begin + _AHEAD_MIN)))
        for a, b in good_begins(course, taken)[0]
        if a <= begin + _AHEAD_MIN
    ]
    against = (*_at_night(planned, straight, quiet), *_clashes(straight, others))
    return When(moment_of(straight.ends), against, tuple(starts[:_MOST_STARTS]))


def under_way(make: Make, at: int) -> Placed:
    """A make under way as it stands on the clock; `at` is now, in the clock's minutes."""
    steps = state_of(make).steps
    vat = dairies.vat(db(), dairy(), make.vat_id).name
    course = course_of(planned_of(make), at, vat)
    return Placed(course, tuple(minute_of(step.begins) for step in steps),
                  minute_of(steps[-1].ends))  # fmt: skip


def _at_night(planned: Sequence[PlannedStep], made: Placed, quiet: Sequence[Span]) -> list[str]:
    wanted = hands_in(made, quiet)
    if not wanted:
        return []
    number, at = wanted[0]
    more = f", and {len(wanted) - 1} more" if len(wanted) > 1 else ""
    title = planned[number].step.title
    return [f"hands are wanted {clock(moment_of(at))}, in quiet hours: “{title}”{more}"]


def _clashes(made: Placed, others: Sequence[tuple[Make, Placed]]) -> list[str]:
    """Another make that wants the hands, the vat or the press at the same time."""
    found = []
    mine = made.taken()
    for make, other in others:
        theirs = other.taken()
        for thing, spans in mine.items():
            both = [max(a, x) for a, b in spans for x, y in theirs.get(thing, ())
                    if a < y and x < b]  # fmt: skip
            if both:
                what = "hands are wanted" if thing == HANDS else f"the {thing} is wanted"
                found.append(f"{what} {clock(moment_of(min(both)))} by {make.name} too")
    return found
