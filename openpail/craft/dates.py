"""Days and moments as people write them, and which of them can be meant."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta, tzinfo
from functools import cache
from zoneinfo import available_timezones

from openpail.craft.errors import NotPossible, OutOfRange, Unknown

UNDO_WITHIN = timedelta(minutes=10)
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
