"""The calendar, as iCalendar: hands-on blocks at their times, cares and tasks as whole days.

Timed events stand in UTC, whole days as dates, every one with a UID of its own, so that no reader
of the file needs to know the dairy's time zone or a rule of repeating.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from icalendar import Alarm, Calendar, Event

_MORNING = timedelta(hours=8)
PRODUCT = "-//Open Pail//calendar//EN"


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One entry: its own lasting id, words, more words; moments with their zone, or one whole day.

    begins and ends, a moment each, the end after the beginning; or begins alone, a date. rings:
    minutes before it begins at which it sounds, None for in silence; a whole day's, in the morning.
    of: the name that its beginning goes by on every page, "" for one that has none.
    """

    uid: str
    words: str
    begins: datetime | date
    ends: datetime | None = None
    more: str = ""
    rings: int | None = None
    of: str = ""


def write(name: str, entries: Iterable[Entry], now: datetime) -> bytes:
    """The calendar file.

    Parameters: name of the calendar; entries; now, with its zone, when it was written.
    Raises: ValueError for a moment without a zone, or an end that is not after its beginning.
    Source: RFC 5545.
    """
    calendar = Calendar()
    calendar.add("prodid", PRODUCT)
    calendar.add("version", "2.0")
    calendar.add("method", "PUBLISH")
    calendar.add("x-wr-calname", name)
    for each in entries:
        calendar.add_component(_event(each, now))
    return bytes(calendar.to_ical())


def _event(entry: Entry, now: datetime) -> Event:
    event = Event()
    event.add("uid", f"{entry.uid}@openpail")
    event.add("dtstamp", now.astimezone(UTC))
    event.add("summary", entry.words)
    if entry.more:
        event.add("description", entry.more)
    if entry.of:
        event.add("x-open-pail-of", entry.of)
    if isinstance(entry.begins, datetime):
        if entry.begins.tzinfo is None or entry.ends is None or entry.ends <= entry.begins:
            raise ValueError(f"{entry.words}: a moment has a zone, and ends after it began")
        event.add("dtstart", entry.begins.astimezone(UTC))
        event.add("dtend", entry.ends.astimezone(UTC))
    else:
        event.add("dtstart", entry.begins)
        event.add("dtend", entry.begins + timedelta(days=1))
        event.add("transp", "TRANSPARENT")
    if entry.rings is not None:
        event.add_component(_alarm(entry))
    return event


def _alarm(entry: Entry) -> Alarm:
    """A whole day begins at midnight: its alarm sounds at eight in the morning."""
    timed = isinstance(entry.begins, datetime)
    before = timedelta(minutes=-(entry.rings or 0)) if timed else _MORNING
    alarm = Alarm()
    alarm.add("action", "DISPLAY")
    alarm.add("description", entry.words)
    alarm.add("trigger", before)
    return alarm
