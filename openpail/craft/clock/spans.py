"""Spans of minutes: what is free beside what is taken, quiet hours, the moment of a minute.

Time is whole minutes since 1970 in UTC; what is taken is half-open, [from, to).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

Span = tuple[int, int]
Spans = tuple[Span, ...]
Taken = Mapping[str, Sequence[Span]]
HANDS = "hands"
NOTHING_TAKEN: Taken = {}
FAR = 10**9


def gaps(taken: Sequence[Span], begin: int = -FAR, end: int = FAR) -> Spans:
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


def joined(spans: Sequence[Span]) -> Spans:
    """Spans of moments, both ends in, as few as they can be.

    Parameters: spans in minutes since the epoch, in any order. Source: derivation.
    """
    found: list[Span] = []
    for a, b in sorted(span for span in spans if span[0] <= span[1]):
        if found and a <= found[-1][1] + 1:
            found[-1] = (found[-1][0], max(found[-1][1], b))
        else:
            found.append((a, b))
    return tuple(found)


def both(one: Sequence[Span], other: Sequence[Span]) -> Spans:
    """Moments that lie in both, ends in.

    Parameters: one and other, spans in minutes since the epoch, in order. Source: derivation.
    """
    found, i, j, many, others = [], 0, 0, len(one), len(other)
    while i < many and j < others:
        a, b = one[i]
        x, y = other[j]
        if b < y:
            i += 1
        else:
            j += 1
            b = y
        x = max(x, a)
        if x <= b:
            found.append((x, b))
    return tuple(found)


def first_from(spans: Sequence[Span], moment: int) -> int | None:
    """The first of the moments not before one, None when there is none.

    Parameters: spans in order and moment, minutes since the epoch. Source: derivation.
    """
    return next((max(a, moment) for a, b in spans if b >= moment), None)


def handy(spans: Sequence[Span], moment: int, every: int = 5, patience: int = 120) -> int | None:
    """The first good start at or after a moment that a clock shows plainly, None for no start.

    Parameters: spans, from `good_begins`; every, minutes; patience, how many minutes later than
    the first good start it may be, which is taken when none so near is plain. Source: derivation.
    """
    first = first_from(spans, moment)
    if first is None:
        return None
    plain = (
        -(-max(a, moment) // every) * every
        for a, b in spans
        if b >= moment and -(-max(a, moment) // every) * every <= b
    )
    found = next(plain, None)
    return first if found is None or found > first + patience else found


def last_until(spans: Sequence[Span], moment: int) -> int | None:
    """The last of the moments not after one, None when there is none.

    Parameters: spans in order and moment, minutes since the epoch. Source: derivation.
    """
    return next((min(b, moment) for a, b in reversed(spans) if a <= moment), None)


def between(taken: Taken, begin: int, end: int) -> dict[str, list[Span]]:
    """What of the things is taken between two moments; hands are no thing.

    Parameters: taken, spans by thing; begin and end, minutes since the epoch. Source: derivation.
    """
    return {
        thing: [(a, b) for a, b in spans if a < end and begin < b]
        for thing, spans in taken.items()
        if thing != HANDS
    }


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
        (
            minute_of(datetime.combine(night, begins, zone)),
            minute_of(datetime.combine(night + over, ends, zone)),
        )
        for night in nights
    ]
