"""One make on the clock: every start from which no pair of hands is wanted at night, or twice.

A step begins when the one before it ends. It may run longer within its bound; its hands-on minutes
stand at its beginning. The set of all good starts is worked out exactly, backwards from the end.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from openpail.craft.clock.gear import Outfit, needs
from openpail.craft.clock.spans import (
    FAR,
    HANDS,
    NOTHING_TAKEN,
    Span,
    Spans,
    Taken,
    both,
    first_from,
    gaps,
    joined,
    last_until,
)
from openpail.craft.errors import OutOfRange
from openpail.craft.recipe.steps import PlannedStep


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """One step on the clock: minutes, of them by hand at its beginning, how much longer it may
    run, and what it holds all the while (a vat, a press, moulds)."""

    minutes: int
    hands: int = 0
    stretch: int = 0
    holds: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Course:
    """A make to be placed: its parts, from when it may begin, by when it must have ended."""

    parts: tuple[Part, ...]
    earliest: int
    latest_end: int = FAR


@dataclass(frozen=True, slots=True)
class Placed:
    """A make with the beginning of each of its parts, and its end."""

    course: Course
    begins: tuple[int, ...]
    ends: int

    def taken(self) -> dict[str, list[Span]]:
        """What it takes: hands and everything it holds. Source: derivation."""
        found: dict[str, list[Span]] = {}
        edges = (*self.begins, self.ends)
        for part, (begins, ends) in zip(self.course.parts, pairwise(edges), strict=True):
            if part.hands:
                found.setdefault(HANDS, []).append((begins, begins + part.hands))
            for thing in part.holds:
                found.setdefault(thing, []).append((begins, ends))
        return found


def course_of(
    planned: Sequence[PlannedStep], earliest: int, given: Outfit, latest_end: int = FAR
) -> Course:
    """A recipe's steps as a course that holds its vat, press and moulds while it wants them.

    Parameters: planned, at least one; earliest and latest_end, minutes of the epoch; given, what
    the make is given, by name. Source: derivation.
    """
    wants = needs(planned)
    parts = []
    for each, vat, press, mould in zip(planned, wants.vat, wants.press, wants.mould, strict=True):
        held = {given.vat} if vat else set()
        held |= {given.press} if press and given.press else set()
        held |= set(given.moulds) if mould else set()
        minutes = max(1, round(each.minutes))
        hands = min(minutes, round(each.step.hands_on_minutes))
        parts.append(
            Part(
                minutes=minutes,
                hands=hands,
                stretch=round(each.step.may_stretch_minutes),
                holds=frozenset(held),
            )
        )
    return Course(tuple(parts), earliest, latest_end)


def good_begins(course: Course, taken: Taken = NOTHING_TAKEN) -> tuple[Spans, ...]:
    """For each part, and for the end, all moments at which it may begin so that the rest fits.

    Parameters: course; taken, of hands (quiet hours are hands taken) and of each thing held.
    Returns: spans of moments, both ends in; the first is every good start of the make.
    Source: derivation, exact.
    """
    begins: list[Spans] = [((course.earliest, course.latest_end),)]
    free = gaps(taken.get(HANDS, ()), course.earliest)
    for part in reversed(course.parts):
        before = _held(part, begins[-1], taken, course.earliest)
        if part.hands:  # moments from which the hands have so many minutes
            before = both(before, [(a, b - part.hands) for a, b in free if b - a >= part.hands])
        begins.append(before)
    return tuple(reversed(begins))


def _held(part: Part, after: Spans, taken: Taken, earliest: int) -> Spans:
    """Moments at which a part may begin for its end to lie in `after`, with all it holds free."""
    busy = [span for thing in part.holds for span in taken.get(thing, ())]
    longest = part.minutes + part.stretch
    if not busy:
        return joined([(max(earliest, x - longest), y - part.minutes) for x, y in after])
    found = []
    for a, b in gaps(busy, earliest):
        for x, y in both(after, ((a, b),)):
            found.append((max(a, x - longest), min(b, y) - part.minutes))
    return joined(found)


def earliest(course: Course, taken: Taken = NOTHING_TAKEN) -> Placed | None:
    """The make begun as early as it can be, stretched as little as it must.

    Parameters: course and taken as `good_begins`. Returns: None when no start is good.
    Source: derivation.
    """
    begins = good_begins(course, taken)
    start = first_from(begins[0], course.earliest)
    return None if start is None else placed_from(course, start, begins)


def latest(course: Course, taken: Taken = NOTHING_TAKEN) -> Placed | None:
    """The make begun as late as it can be to end in time.

    Parameters: taken as `good_begins`; course, one with its latest end. Raises: OutOfRange without.
    """
    if course.latest_end >= FAR:
        raise OutOfRange("Say by when it has to be done.")
    begins = good_begins(course, taken)
    start = last_until(begins[0], course.latest_end)
    return None if start is None else placed_from(course, start, begins)


def begun_at(course: Course, start: int, taken: Taken = NOTHING_TAKEN) -> Placed | None:
    """The make begun at a moment, None when that is no good start.

    Parameters: course; start, minutes since the epoch; taken as `good_begins`.
    Source: derivation.
    """
    begins = good_begins(course, taken)
    if first_from(begins[0], start) != start:
        return None
    return placed_from(course, start, begins)


def placed_from(course: Course, start: int, begins: Sequence[Spans]) -> Placed:
    """A make begun at a good start, each part stretched as little as it must.

    Parameters: course; start, one of the moments of begins[0]; begins, from `good_begins`.
    Source: derivation.
    """
    at, chosen = start, []
    for part, after in zip(course.parts, begins[1:], strict=True):
        chosen.append(at)
        following = first_from(after, at + part.minutes)
        assert following is not None and following <= at + part.minutes + part.stretch
        at = following
    return Placed(course, tuple(chosen), at)


def as_it_comes(course: Course, start: int) -> Placed:
    """The make begun at a moment and never stretched, whatever that meets.

    Parameters: course; start, minutes since the epoch. Source: derivation.
    """
    begins = [start]
    for part in course.parts:
        begins.append(begins[-1] + part.minutes)
    return Placed(course, tuple(begins[:-1]), begins[-1])


def hands_in(placed: Placed, quiet: Sequence[Span]) -> list[tuple[int, int]]:
    """Parts whose hands are wanted in quiet hours: their number and when.

    Parameters: placed; quiet, spans in minutes since the epoch. Source: derivation.
    """
    return [
        (number, begins)
        for number, (part, begins) in enumerate(
            zip(placed.course.parts, placed.begins, strict=True)
        )
        if part.hands and any(a < begins + part.hands and begins < b for a, b in quiet)
    ]
