"""The hours at which the hands are called to the cheeses: in the day, never in quiet hours."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta, tzinfo

_MARGIN = timedelta(minutes=15)
_DAY_MIN = 24 * 60


def _minute(moment: time) -> int:
    return moment.hour * 60 + moment.minute


def awake(quiet_from: time, quiet_until: time) -> tuple[int, int]:
    """From and until which minute of a day hands may be wanted.

    Parameters: quiet_from, quiet_until, local times; equal where there are no quiet hours.
    Returns: minutes from midnight; the longer part where quiet hours lie within the day.
    Source: derivation.
    """
    begins, ends = _minute(quiet_from), _minute(quiet_until)
    if begins == ends:
        return 0, _DAY_MIN
    if begins > ends:
        return ends, begins
    return (ends, _DAY_MIN) if _DAY_MIN - ends >= begins else (0, begins)


def called_at(
    day: date, times: int, round_h: float, quiet: tuple[time, time], zone: tzinfo
) -> list[datetime]:
    """When the cares of a day are called, so many times spread over it.

    Parameters: day, local; times, 1 to 4; round_h, the hour of the first; quiet, from and until;
    zone of the dairy. Returns: moments of that day on its own clock. Source: derivation.
    """
    first, last = awake(*quiet)
    last -= int(_MARGIN.total_seconds() // 60)
    begin = min(max(round(60 * round_h), first), max(first, last))
    step = 0 if times <= 1 else max(0, last - begin) / (times - 1)
    found = []
    for number in range(times):
        hour, minute = divmod(int(begin + number * step), 60)
        found.append(datetime.combine(day, time(min(hour, 23), minute), zone))
    return found
