"""Days and moments as people write them, and which of them can be meant."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import UTC, date, datetime, time, timedelta, tzinfo
from functools import cache
from zoneinfo import available_timezones

from openpail.craft.errors import NotPossible, OutOfRange, Unknown

UNDO_WITHIN = timedelta(minutes=10)
_AHEAD = timedelta(minutes=2)
_WEEK = 7
_WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_MONTHS = (
    *("jan", "feb", "mar", "apr", "may", "jun"),
    *("jul", "aug", "sep", "oct", "nov", "dec"),
)
_TIME = re.compile(r"^(?:(?P<day>.*?)[\s,]+)?(?P<hour>[01]?\d|2[0-3])[:.](?P<minute>[0-5]\d)$")
_LIKE = "Write the time like 06:40, or with its day: Mon 06:40, yesterday 23:10, 3 Dec 07:20."
_FIRST_YEAR, _YEARS_AHEAD = 1990, 20


@cache
def zones() -> tuple[str, ...]:
    """Time zones by name, places only."""
    return tuple(
        sorted(each for each in available_timezones() if "/" in each and "Etc" not in each)
    )


def zone_of(text: str, about: str = "") -> str:
    """A time zone by its name, or by its city's: Europe/Dublin, Dublin, new york.

    Parameters: text; about, the input it belongs to. Returns: its name.
    Raises: Unknown for none, or a city's name that several have. Source: the zone database.
    """
    wanted = "_".join(text.lower().split())
    if text.strip() in available_timezones():
        return text.strip()
    found = [each for each in zones() if wanted in (each.lower(), each.lower().rpartition("/")[2])]
    if len(found) == 1:
        return found[0]
    if found:
        raise Unknown(f"“{text[:40]}” may be {' or '.join(found[:3])}: write which.", about)
    raise Unknown(
        f"“{text[:40]}” is not a time zone. Write the nearest large city, like Dublin or New York.",
        about,
    )


def check_undo(done_at: datetime, now: datetime) -> None:
    """Refuse to take back what was done long ago.

    Parameters: done_at, when it was told; now. Raises: NotPossible. Source: our own judgement.
    """
    if now - done_at > UNDO_WITHIN:
        raise NotPossible("That is more than ten minutes ago: it stands as done.")


def check_day(day: date, about: str = "") -> None:
    """Refuse a day that nobody of today means.

    Parameters: day, a date or a moment; about, the input it belongs to.
    Raises: OutOfRange for a year before 1990 or more than 20 ahead. Source: our own judgement.
    """
    last = datetime.now(UTC).year + _YEARS_AHEAD
    if not _FIRST_YEAR <= day.year <= last:
        raise OutOfRange(
            f"The year {day.year} cannot be meant: write one from {_FIRST_YEAR} to {last}. "
            "What keeps for ever has no date: leave that blank.",
            about,
        )


def read_day(text: str, about: str = "") -> date:
    """A day written like 2026-11-23.

    Parameters: text; about, the input it belongs to.
    Raises: Unknown for no day, OutOfRange as `check_day`. Source: ISO 8601.
    """
    try:
        day = date.fromisoformat(text.strip())
    except ValueError:
        raise Unknown(f"Write the day like 2026-11-23, not “{text[:40]}”.", about) from None
    check_day(day, about)
    return day


def read_moment(text: str, zone: tzinfo, about: str = "") -> datetime:
    """A day and time, written like 2026-05-04 06:30, on the dairy's clock unless it names another.

    Parameters: text; zone of the dairy; about, the input it belongs to.
    Raises: Unknown for no moment, OutOfRange as `check_day`. Source: ISO 8601.
    """
    try:
        moment = datetime.fromisoformat(text.strip())
    except ValueError:
        raise Unknown("Write the day and time, like 2026-05-04 06:30.", about) from None
    check_day(moment, about)
    return moment.replace(tzinfo=zone) if moment.tzinfo is None else moment.astimezone(zone)


def told_time(
    text: str,
    zone: tzinfo,
    now: datetime,
    near: datetime | None = None,
    *,
    since: datetime | None = None,
    about: str = "",
) -> datetime:
    """A moment that is told after it happened: 06:40, Mon 06:40, yesterday 23:10, 3 Dec 07:20.

    A time without its day is the last one; of something that was told before, the one next to it: a
    step of Monday that is mended on Saturday stays on Monday.
    Parameters: text; zone of the dairy; now, with zone; near, what was told before, None for
    nothing; since, before which no weekday is meant, if another may be; about, the input it belongs
    to.
    Raises: OutOfRange for no time, or none that was. Source: our own judgement.
    """
    match = _TIME.match(" ".join(text.split()).casefold())
    if match is None:
        raise OutOfRange(_LIKE, about)
    clock, local = time(int(match["hour"]), int(match["minute"])), now.astimezone(zone)
    days = _days_meant(match["day"] or "", local.date(), (near or now).astimezone(zone).date())
    found = [datetime.combine(day, clock, zone).astimezone(UTC) for day in days]
    past = [moment for moment in found if moment <= now + _AHEAD]
    if not past:
        raise OutOfRange(_LIKE if not found else "That has not happened yet.", about)
    earliest = since if match["day"] else None
    meant = [moment for moment in past if earliest is None or moment >= earliest]
    by = near or now
    return min(meant or past, key=lambda moment: abs(moment - by))


def _days_meant(words: str, today: date, near: date) -> Iterable[date]:
    """The days that words may mean; without any, that of what was told before and those beside."""
    if not words:
        return [near + timedelta(days=by) for by in (-1, 0, 1)]
    if words in ("today", "yesterday"):
        return [today - timedelta(days=words == "yesterday")]
    if words[:3] in _WEEKDAYS and words.isalpha():
        back = (today.weekday() - _WEEKDAYS.index(words[:3])) % _WEEK
        last = today - timedelta(days=back)
        return [last - timedelta(days=_WEEK * weeks) for weeks in range(60)]
    parts = words.replace(",", " ").replace(".", " ").split()
    months = [_MONTHS.index(each[:3]) + 1 for each in parts if each[:3] in _MONTHS]
    numbers = [int(each) for each in parts if each.isdigit()]
    if len(months) == len(numbers) == 1 and len(parts) == len(months + numbers):
        return list(_in_years(months[0], numbers[0], today.year))
    try:
        return [date.fromisoformat(words)]
    except ValueError:
        return []


def _in_years(month: int, day: int, year: int) -> Iterable[date]:
    for each in (year, year - 1):
        try:
            yield date(each, month, day)
        except ValueError:
            continue
