"""The clock of makes: when to begin so that no pair of hands is wanted at night, or twice.

Time is whole minutes since an epoch of the caller's; what is taken is half-open, [from, to). A step
begins when the one before it ends. It may run longer within its bound; its hands-on minutes stand
at its beginning. For one make the set of all good starts is worked out exactly, backwards from its
end; several are placed one after the other, going back when the last one finds no place.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

from openpail.craft.errors import OutOfRange
from openpail.craft.gear import Outfit, needs
from openpail.craft.plan import PlannedStep

Span = tuple[int, int]
Spans = tuple[Span, ...]
HANDS = "hands"
_FAR = 10**9


@dataclass(frozen=True, slots=True)
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
    latest_end: int = _FAR


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


Taken = Mapping[str, Sequence[Span]]
NOTHING_TAKEN: Taken = {}


def course_of(
    planned: Sequence[PlannedStep], earliest: int, given: Outfit, latest_end: int = _FAR
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
        parts.append(Part(minutes, hands, round(each.step.may_stretch_minutes), frozenset(held)))
    return Course(tuple(parts), earliest, latest_end)


# ── spans ──


def gaps(taken: Sequence[Span], begin: int = -_FAR, end: int = _FAR) -> Spans:
    """What is free between begin and end beside what is taken. Source: derivation."""
    free, at = [], begin
    for a, b in sorted(taken):
        if a > at:
            free.append((at, min(a, end)))
        at = max(at, b)
        if at >= end:
            break
    if at < end:
        free.append((at, end))
    return tuple(free)


def _joined(spans: Sequence[Span]) -> Spans:
    """Spans of moments, both ends in, as few as they can be."""
    found: list[Span] = []
    for a, b in sorted(span for span in spans if span[0] <= span[1]):
        if found and a <= found[-1][1] + 1:
            found[-1] = (found[-1][0], max(found[-1][1], b))
        else:
            found.append((a, b))
    return tuple(found)


def _both(one: Sequence[Span], other: Sequence[Span]) -> Spans:
    """Moments that lie in both, ends in."""
    found, i, j, many, others = [], 0, 0, len(one), len(other)
    while i < many and j < others:
        a, b = one[i]
        x, y = other[j]
        if b < y:
            i += 1
        else:
            j += 1
            b = y
        if x < a:
            x = a
        if x <= b:
            found.append((x, b))
    return tuple(found)


# ── one make ──


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
            before = _both(before, [(a, b - part.hands) for a, b in free if b - a >= part.hands])
        begins.append(before)
    return tuple(reversed(begins))


def _held(part: Part, after: Spans, taken: Taken, earliest: int) -> Spans:
    """Moments at which a part may begin for its end to lie in `after`, with all it holds free."""
    busy = [span for thing in part.holds for span in taken.get(thing, ())]
    longest = part.minutes + part.stretch
    if not busy:
        return _joined([(max(earliest, x - longest), y - part.minutes) for x, y in after])
    found = []
    for a, b in gaps(busy, earliest):
        for x, y in _both(after, ((a, b),)):
            found.append((max(a, x - longest), min(b, y) - part.minutes))
    return _joined(found)


def first_from(spans: Sequence[Span], moment: int) -> int | None:
    """The first of the moments not before one, None when there is none. Source: derivation."""
    return next((max(a, moment) for a, b in spans if b >= moment), None)


def handy(spans: Sequence[Span], moment: int, every: int = 5, patience: int = 120) -> int | None:
    """The first good start at or after a moment that a clock shows plainly, None for no start.

    Parameters: spans, from `good_begins`; every, minutes; patience, how many minutes later than
    the first good start it may be, which is taken when none so near is plain. Source: derivation.
    """
    first = first_from(spans, moment)
    if first is None:
        return None
    plain = (-(-max(a, moment) // every) * every for a, b in spans if b >= moment
             and -(-max(a, moment) // every) * every <= b)  # fmt: skip
    found = next(plain, None)
    return first if found is None or found > first + patience else found


def last_until(spans: Sequence[Span], moment: int) -> int | None:
    """The last of the moments not after one, None when there is none. Source: derivation."""
    return next((min(b, moment) for a, b in reversed(spans) if a <= moment), None)


def forwards(course: Course, taken: Taken = NOTHING_TAKEN) -> Placed | None:
    """The make begun as early as it can be, stretched as little as it must.

    Parameters: as `good_begins`. Returns: None when no start is good. Source: derivation.
    """
    begins = good_begins(course, taken)
    start = first_from(begins[0], course.earliest)
    return None if start is None else _from(course, start, begins)


def backwards(course: Course, taken: Taken = NOTHING_TAKEN) -> Placed | None:
    """The make begun as late as it can be to end in time.

    Parameters: as `good_begins`, of a course with its latest end. Raises: OutOfRange without one.
    """
    if course.latest_end >= _FAR:
        raise OutOfRange("Say by when it has to be done.")
    begins = good_begins(course, taken)
    start = last_until(begins[0], course.latest_end)
    return None if start is None else _from(course, start, begins)


def begun_at(course: Course, start: int, taken: Taken = NOTHING_TAKEN) -> Placed | None:
    """The make begun at a moment, None when that is no good start. Source: derivation."""
    begins = good_begins(course, taken)
    if first_from(begins[0], start) != start:
        return None
    return _from(course, start, begins)


def _from(course: Course, start: int, begins: Sequence[Spans]) -> Placed:
    at, chosen = start, []
    for part, after in zip(course.parts, begins[1:], strict=True):
        chosen.append(at)
        following = first_from(after, at + part.minutes)
        assert following is not None and following <= at + part.minutes + part.stretch
        at = following
    return Placed(course, tuple(chosen), at)


def as_it_comes(course: Course, start: int) -> Placed:
    """The make begun at a moment and never stretched, whatever that meets. Source: derivation."""
    begins = [start]
    for part in course.parts:
        begins.append(begins[-1] + part.minutes)
    return Placed(course, tuple(begins[:-1]), begins[-1])


# ── several makes ──


@dataclass(frozen=True, slots=True)
class Day:
    """Several makes placed, in the order they were asked for; whether every way was looked at."""

    makes: tuple[Placed, ...]
    looked_at_all: bool = True


def place(
    courses: Sequence[Course], taken: Taken = NOTHING_TAKEN, step: int = 1, effort: int = 20_000
) -> Day | None:
    """Place several makes: the first as early as the others leave it, then the second, and on.

    Parameters: courses, the one that matters most first; taken by all else; step, minutes
    between starts and stretches that are tried; effort, how many placings to try at most.
    Returns: the makes with no pair of hands, vat or press wanted twice; None when none fits (or,
    at the end of the effort, none was found). Source: derivation: search with going back.
    """
    left = [effort]
    found = _place(list(courses), {k: list(v) for k, v in taken.items()}, step, left)
    if found is None:
        return None
    return Day(tuple(found), left[0] > 0)


def _place(
    courses: list[Course], taken: dict[str, list[Span]], step: int, left: list[int]
) -> list[Placed] | None:
    if not courses:
        return []
    # What finds no place beside the ones already placed will find none beside one more.
    if any(forwards(course, taken) is None for course in courses):
        return None
    for placed in _ways(courses[0], taken, step):
        left[0] -= 1
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

    for start in _moments(begins[0], course.earliest, _FAR, step):
        for way in onward(start, 0):
            yield Placed(course, way[:-1], way[-1])


def _clear_until(part: Part, at: int, taken: Taken) -> int:
    """Until when all that a part holds is free, from a moment on."""
    busy = [a for thing in part.holds for a, b in taken.get(thing, ()) if b > at]
    return min(busy, default=_FAR)


def _moments(spans: Sequence[Span], low: int, high: int, step: int) -> Iterator[int]:
    """Moments between two, ends in: the first of each span, then every so many minutes."""
    for a, b in _both(spans, ((low, high),)):
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
            placed = _from(course, moved, begins)
        found.append(placed)
        for thing, spans in placed.taken().items():
            things.setdefault(thing, []).extend(spans)
    return found


def between(taken: Taken, begin: int, end: int) -> dict[str, list[Span]]:
    """What of the things is taken between two moments; hands are no thing. Source: derivation."""
    return {
        thing: [(a, b) for a, b in spans if a < end and begin < b]
        for thing, spans in taken.items()
        if thing != HANDS
    }


def meets(placed: Placed, taken: Taken) -> bool:
    """Whether a make, as it is placed, wants something that is taken then. Source: derivation."""
    return any(
        a < y and x < b
        for thing, spans in placed.taken().items()
        for a, b in spans
        for x, y in taken.get(thing, ())
    )


# ── the day at the dairy ──


def minute_of(moment: datetime) -> int:
    """A moment (with its zone) as whole minutes since 1970 in UTC. Source: derivation."""
    return int(moment.timestamp() // 60)


def moment_of(minute: int) -> datetime:
    """The moment of a minute, in UTC. Source: derivation."""
    return datetime.fromtimestamp(60 * minute, UTC)


def quiet_spans(first: date, days: int, begins: time, ends: time, zone: ZoneInfo) -> list[Span]:
    """Quiet hours of so many nights, on the dairy's own clock through every change of it.

    Parameters: first, the date of the first evening (the night before is counted too); days;
    begins and ends, local times, over midnight or not; zone. Source: derivation.
    """
    over = timedelta(days=1 if ends <= begins else 0)
    if begins == ends:
        return []
    nights = (first + timedelta(days=number) for number in range(-1, days + 1))
    return [
        (minute_of(datetime.combine(night, begins, zone)),
         minute_of(datetime.combine(night + over, ends, zone)))
        for night in nights
    ]  # fmt: skip


def hands_in(placed: Placed, quiet: Sequence[Span]) -> list[tuple[int, int]]:
    """Parts whose hands are wanted in quiet hours: their number and when. Source: derivation."""
    return [
        (number, begins)
        for number, (part, begins) in enumerate(
            zip(placed.course.parts, placed.begins, strict=True)
        )
        if part.hands and any(a < begins + part.hands and begins < b for a, b in quiet)
    ]
