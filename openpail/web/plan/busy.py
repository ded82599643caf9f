"""What the dairy's clock has taken: quiet hours, the makes under way, the makes planned."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, time, timedelta

from openpail.craft.clock import (
    HANDS,
    Course,
    Placed,
    Span,
    Taken,
    as_it_comes,
    begun_at,
    course_of,
    hands_in,
    minute_of,
    moment_of,
    quiet_spans,
)
from openpail.craft.errors import NotPossible
from openpail.craft.gear import Outfit, outfit
from openpail.craft.plan import PlannedStep
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned
from openpail.web.edge import dairy, db, now, today, zone
from openpail.web.plan.worked import gear, worked
from openpail.web.ui.show import clock
from openpail.web.vat.state import given_to, state_of


@dataclass(frozen=True, slots=True)
class Busy:
    """Quiet hours, and every other make with what it takes, by its name.

    until: the minute to which the quiet hours are known; no make may be placed beyond it.
    """

    quiet: list[Span]
    others: list[tuple[str, Placed]]
    until: int

    def taken(self) -> dict[str, list[Span]]:
        """All of it together, as the planner takes it."""
        return {**self.by_others(), HANDS: [*self.quiet, *self.by_others().get(HANDS, ())]}

    def by_others(self) -> dict[str, list[Span]]:
        """What the other makes take, quiet hours left out."""
        found: dict[str, list[Span]] = {}
        for _, placed in self.others:
            for thing, spans in placed.taken().items():
                found.setdefault(thing, []).extend(spans)
        return found

    def against(self, planned: Sequence[PlannedStep], made: Placed) -> tuple[str, ...]:
        """What stands against a make placed so, in words."""
        return (*self._at_night(planned, made), *self._clashes(made))

    def _at_night(self, planned: Sequence[PlannedStep], made: Placed) -> list[str]:
        wanted = hands_in(made, self.quiet)
        if not wanted:
            return []
        number, at = wanted[0]
        more = f", and {len(wanted) - 1} more" if len(wanted) > 1 else ""
        title = planned[number].step.title
        return [f"hands are wanted {clock(moment_of(at))}, in quiet hours: “{title}”{more}"]

    def _clashes(self, made: Placed) -> list[str]:
        """Another make that wants the hands, the vat, the press or a mould at the same time."""
        found = []
        mine = made.taken()
        for name, other in self.others:
            theirs = other.taken()
            for thing, spans in mine.items():
                both = [max(a, x) for a, b in spans for x, y in theirs.get(thing, ())
                        if a < y and x < b]  # fmt: skip
                if both:
                    what = "hands are wanted" if thing == HANDS else f"the {thing} is wanted"
                    found.append(f"{what} {clock(moment_of(min(both)))} by {name} too")
        return found


def busy(
    days: int, without: Planned | None = None, *, planned: Sequence[Planned] | None = None
) -> Busy:
    """The clock for so many days from today, as it stands.

    without: a plan that is left out; planned: those that count, None for all there are.
    """
    others = [(make.name, on_the_clock(make)) for make in makes.under_way(db(), dairy())]
    for each in plans.planned(db(), dairy()) if planned is None else planned:
        if without is None or each.row.id != without.row.id:
            others.append((each.name, placed(each)))
    quiet = quiet_spans(today(), days, dairy().quiet_from, dairy().quiet_until, zone())
    last = datetime.combine(today() + timedelta(days=days), time(12), zone())
    return Busy(quiet, others, minute_of(last))


def on_the_clock(make: Make) -> Placed:
    """A make under way as it stands, its later steps from now on."""
    steps = state_of(make).steps
    planned = [step.planned for step in steps]
    course = course_of(planned, minute_of(now()), given_to(make))
    begins = tuple(minute_of(step.begins) for step in steps)
    return Placed(course, begins, minute_of(steps[-1].ends))


def course_for(
    each: Planned, earliest: int, latest_end: int, given: Outfit | None = None
) -> Course:
    """A planned make as a course, with the lengths its own milk and vat give it."""
    return course_of(worked(each).steps, earliest, given or each.given, latest_end)


def placed(each: Planned, taken: Taken | None = None) -> Placed:
    """A planned make on the clock.

    It is stretched where that keeps it clear of what is taken (None: of quiet hours); where
    nothing does, it stands as it comes.
    """
    begin = minute_of(each.begins)
    course = course_of(worked(each).steps, begin, each.given)
    if taken is None:
        days = int(worked(each).steps[-1].end_min // 1440) + 2
        taken = {HANDS: quiet_spans(each.row.day, days, dairy().quiet_from, dairy().quiet_until,
                                    zone())}  # fmt: skip
    return begun_at(course, begin, taken) or as_it_comes(course, begin)


def fit_out(each: Planned, taken: Taken) -> Outfit:
    """A press and moulds for a planned make, those that others want least; what it has when the
    dairy lists none that will do."""
    made = worked(each)
    try:
        return outfit(made.steps, made.cheese_kg, each.vat.name, gear(), taken)
    except NotPossible:
        return each.given
