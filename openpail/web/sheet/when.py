"""When to begin: what the clock of this make meets if it is begun now, and the good starts."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from openpail.craft.clock import as_it_comes, course_of, good_begins, minute_of, moment_of
from openpail.craft.plan import forwards
from openpail.records.dairy.models import Vat
from openpail.web.edge import now
from openpail.web.plan.busy import busy
from openpail.web.sheet.asked import Worked

_AHEAD_MIN = 36 * 60
_MOST_STARTS = 3


@dataclass(frozen=True, slots=True)
class When:
    """A make begun now: when it goes to rest, what stands against it; and the next good starts."""

    ends: datetime
    against: tuple[str, ...]
    starts: tuple[tuple[datetime, datetime], ...]


def when(worked: Worked, vat: Vat) -> When:
    """Look at the clock of a sheet, beside quiet hours and all other makes."""
    times = worked.sheet.set if worked.sheet else None
    floc, cut = (times.flocculation.value, times.cut.value) if times else (None, None)
    planned = forwards(worked.recipe, floc, cut)
    begin = minute_of(now())
    course = course_of(planned, begin, vat.name)
    straight = as_it_comes(course, begin)
    there = busy((straight.ends - begin) // 1440 + 4)
    starts = [
        (moment_of(a), moment_of(min(b, begin + _AHEAD_MIN)))
        for a, b in good_begins(course, there.taken())[0]
        if a <= begin + _AHEAD_MIN
    ]
    return When(moment_of(straight.ends), there.against(planned, straight),
                tuple(starts[:_MOST_STARTS]))  # fmt: skip
