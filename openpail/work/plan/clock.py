"""What the dairy's clock has taken: quiet hours, the makes under way, the makes planned."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, time

from openpail.craft.clock.one import Course, Placed, as_it_comes, begun_at, course_of, hands_in
from openpail.craft.clock.spans import HANDS, Span, minute_of, moment_of, quiet_spans
from openpail.craft.recipe.steps import PlannedStep
from openpail.records.makes.models import Make
from openpail.work.here import Here
from openpail.work.make.day import day_of
from openpail.work.make.made import given_to

MINUTES_OF_DAY = 1440


@dataclass(frozen=True, slots=True, kw_only=True)
class Against:
    """Something that stands against a make begun so.

    at night: hands are wanted for a step, and `more` times again; else a thing is wanted (HANDS or
    by name) by another make too.
    """

    at: datetime
    step: str = ""
    more: int = 0
    thing: str = ""
    by: str = ""
    lacks: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Busy:
    """Quiet hours, and every other make with what it takes, by its name.

    until: the minute to which the quiet hours are known; no make may be placed beyond it. names:
    what people call each thing.
    """

    quiet: list[Span]
    others: list[tuple[str, Placed]]
    until: int
    names: Mapping[str, str]

    def taken(self) -> dict[str, list[Span]]:
        """All of it together, as the planner takes it."""
        others = self.by_others()
        return {**others, HANDS: [*self.quiet, *others.get(HANDS, ())]}

    def by_others(self) -> dict[str, list[Span]]:
        """What the other makes take, quiet hours left out."""
        found: dict[str, list[Span]] = {}
        for _, placed in self.others:
            for thing, spans in placed.taken().items():
                found.setdefault(thing, []).extend(spans)
        return found

    def against(self, planned: Sequence[PlannedStep], made: Placed) -> tuple[Against, ...]:
        """What stands against a make placed so."""
        return (*self._at_night(planned, made), *self._clashes(made))

    def _at_night(self, planned: Sequence[PlannedStep], made: Placed) -> list[Against]:
        wanted = hands_in(made, self.quiet)
        if not wanted:
            return []
        number, at = wanted[0]
        return [Against(at=moment_of(at), step=planned[number].step.title, more=len(wanted) - 1)]

    def _clashes(self, made: Placed) -> list[Against]:
        """Another make that wants the hands, the vat, the press or a mould at the same time."""
        found = []
        mine = made.taken()
        for name, other in self.others:
            theirs = other.taken()
            for thing, spans in mine.items():
                both = [
                    max(a, x) for a, b in spans for x, y in theirs.get(thing, ()) if a < y and x < b
                ]
                if both:
                    called = self.names.get(thing, thing)
                    found.append(Against(at=moment_of(min(both)), thing=called, by=name))
        return found


def busy(here: Here, days: int, others: Sequence[tuple[str, Placed]]) -> Busy:
    """The clock for so many days from today: the makes under way, and these others."""
    running = [(make.name, on_the_clock(here, make)) for make in here.under_way]
    last = datetime.combine(here.ahead(days), time(12), here.zone)
    return Busy(
        quiet=quiet(here, days), others=[*running, *others], until=minute_of(last), names=here.names
    )


def quiet(here: Here, days: int) -> list[Span]:
    """The quiet hours of so many nights from today."""
    dairy = here.dairy
    return quiet_spans(here.today, days, dairy.quiet_from, dairy.quiet_until, here.zone)


def on_the_clock(here: Here, make: Make) -> Placed:
    """A make under way as it stands, its later steps from now on."""
    steps = day_of(here, make).steps
    planned = [step.planned for step in steps]
    course = course_of(planned, minute_of(here.now), given_to(here, make))
    begins = tuple(minute_of(step.begins) for step in steps)
    return Placed(course, begins, minute_of(steps[-1].ends))


def placed_at(
    here: Here, course: Course, begins: datetime, taken: Mapping[str, Sequence[Span]] | None
) -> Placed:
    """A course begun at a moment.

    It is stretched where that keeps it clear of what is taken (None: of quiet hours); where
    nothing does, it stands as it comes.
    """
    begin = minute_of(begins)
    if taken is None:
        days = sum(part.minutes for part in course.parts) // MINUTES_OF_DAY + 2
        day, dairy = here.day_of(begins), here.dairy
        taken = {HANDS: quiet_spans(day, days, dairy.quiet_from, dairy.quiet_until, here.zone)}
    return begun_at(course, begin, taken) or as_it_comes(course, begin)


def days_until(here: Here, minute: int) -> int:
    """Days of the clock to look at for a make that ends at a minute."""
    return max(0, minute - minute_of(here.now)) // MINUTES_OF_DAY + 4
