"""Several makes on one clock: placed one by one, going back when the last finds no place."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from openpail.craft.clock.one import (
    Course,
    Part,
    Placed,
    as_it_comes,
    earliest,
    good_begins,
    placed_from,
)
from openpail.craft.clock.spans import (
    FAR,
    HANDS,
    NOTHING_TAKEN,
    Span,
    Taken,
    both,
    first_from,
)


@dataclass(frozen=True, slots=True)
class PlacedDay:
    """Several makes placed, in the order they were asked for; whether every way was looked at."""

    makes: tuple[Placed, ...]
    looked_at_all: bool = True


def place(
    courses: Sequence[Course], taken: Taken = NOTHING_TAKEN, step: int = 1, effort: int = 20_000
) -> PlacedDay | None:
    """Place several makes: the first as early as the others leave it, then the second, and on.

    Parameters: courses, the one that matters most first; taken by all else; step, minutes
    between starts and stretches that are tried; effort, how often a make is looked at, at most.
    Returns: the makes with no pair of hands, vat or press wanted twice; None when none fits (or,
    at the end of the effort, none was found). Source: derivation: search with going back.
    """
    left = [effort]
    found = _place(list(courses), {k: list(v) for k, v in taken.items()}, step, left)
    if found is None:
        return None
    return PlacedDay(tuple(found), left[0] > 0)


def _place(
    courses: list[Course], taken: dict[str, list[Span]], step: int, left: list[int]
) -> list[Placed] | None:
    if not courses:
        return []
    # What finds no place beside the ones already placed will find none beside one more.
    if any(earliest(course, taken) is None for course in courses):
        return None
    for placed in _ways(courses[0], taken, step):
        left[0] -= len(courses)  # each that is left is looked at again beside it
        if left[0] <= 0:
            return None
        more = {thing: list(spans) for thing, spans in taken.items()}
        for thing, spans in placed.taken().items():
            more.setdefault(thing, []).extend(spans)
        rest = _place(courses[1:], more, step, left)
        if rest is not None:
            return [placed, *rest]
    return None


def _ways(course: Course, taken: Taken, step: int) -> Iterator[Placed]:
    """Every way to place one make, by its start, then by the stretch of its parts in order."""
    begins = good_begins(course, taken)

    def onward(at: int, number: int) -> Iterator[tuple[int, ...]]:
        if number == len(course.parts):
            yield (at,)
            return
        part = course.parts[number]
        earliest = at + part.minutes
        latest = _clear_until(part, at, taken)
        for following in _moments(begins[number + 1], earliest, earliest + part.stretch, step):
            if following <= latest:
                for rest in onward(following, number + 1):
                    yield (at, *rest)

    for start in _moments(begins[0], course.earliest, FAR, step):
        for way in onward(start, 0):
            yield Placed(course, way[:-1], way[-1])


def _clear_until(part: Part, at: int, taken: Taken) -> int:
    """Until when all that a part holds is free, from a moment on."""
    busy = [a for thing in part.holds for a, b in taken.get(thing, ()) if b > at]
    return min(busy, default=FAR)


def _moments(spans: Sequence[Span], low: int, high: int, step: int) -> Iterator[int]:
    """Moments between two, ends in: the first of each span, then every so many minutes."""
    for a, b in both(spans, ((low, high),)):
        yield from range(a, min(b, a + 14 * 1440) + 1, step)


def make_way(
    courses: Sequence[tuple[Course, int]], taken: Taken, quiet: Sequence[Span]
) -> list[Placed]:
    """Makes that were to begin at a moment each, moved where something stands in their way.

    Parameters: courses with their starts, the one that comes first first; taken, by what goes
    before them; quiet hours. Returns: each at its own start where that is still good, or wants
    hands at night and nothing else is in its way; else at the next good one; at its own again
    where there is none. Source: derivation.
    """
    things = {thing: list(spans) for thing, spans in taken.items()}
    found = []
    for course, start in courses:
        begins = good_begins(course, {**things, HANDS: [*things.get(HANDS, ()), *quiet]})
        moved = first_from(begins[0], max(start, course.earliest))
        placed = as_it_comes(course, start)
        in_its_way = start < course.earliest or meets(placed, things)
        if moved is not None and (moved == start or in_its_way):
            placed = placed_from(course, moved, begins)
        found.append(placed)
        for thing, spans in placed.taken().items():
            things.setdefault(thing, []).extend(spans)
    return found


def meets(placed: Placed, taken: Taken) -> bool:
    """Whether a make, as it is placed, wants something that is taken then. Source: derivation."""
    return any(
        a < y and x < b
        for thing, spans in placed.taken().items()
        for a, b in spans
        for x, y in taken.get(thing, ())
    )
