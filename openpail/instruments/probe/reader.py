"""Reads a probe in the vat: what it shows now, and what it kept since a moment."""

from __future__ import annotations

import re
import time
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from openpail.craft.errors import CraftError
from openpail.craft.make.checks import check_reading
from openpail.craft.make.deeds import ReadingTaken
from openpail.instruments import kept, wire
from openpail.instruments.kept import Instrument, moment_of, stamp

VERSION = 1
NAME = "probe"
TIMEOUT_S = 5.0
_AHEAD = timedelta(minutes=1)


@dataclass(frozen=True, slots=True)
class ProbeReading:
    """What a probe showed: when, °C, pH; None for what it does not measure."""

    at: datetime
    celsius: float | None
    ph: float | None


def now(address: str, timeout_s: float = TIMEOUT_S) -> ProbeReading:
    """What a probe shows. Parameters: address host:port; timeout_s for all of it.

    Raises: NoReading.
    """
    probe = Instrument(NAME, address)
    try:
        with probe.connected(time.monotonic() + timeout_s) as lines:
            lines.say("NOW")
            line = lines.hear()
            if line.startswith("ERROR"):
                raise wire.NoReading(f"The probe says: {line[6:86] or 'an error'}.")
            return parse(line, datetime.min.replace(tzinfo=UTC))
    except (TimeoutError, OSError) as error:
        raise probe.unreachable(error) from error
    except (EOFError, wire.BadRecord) as error:
        raise probe.distrusted(error) from error


def since(address: str, after: datetime, timeout_s: float = TIMEOUT_S) -> kept.Log[ProbeReading]:
    """All readings that a probe kept after a moment.

    Parameters: address host:port; after, with its zone; timeout_s for all of it. Raises: NoReading.
    """
    return kept.since(
        Instrument(NAME, address),
        lambda last: f"SINCE {stamp(last)}",
        parse,
        end="END",
        after=after,
        timeout_s=timeout_s,
    )


def parse(line: str, after: datetime, clock: datetime | None = None) -> ProbeReading:
    """One reading. Parameters: line; after, the moment it has to be later than; clock of the
    reader, None for its own. Raises: BadRecord."""
    words = wire.body_of(line)
    if len(words) < 3 or words[0] != "READING":
        raise wire.BadRecord("it is no reading")
    at = moment_of(words[1])
    parts = dict(_part(word) for word in words[2:])
    celsius, ph = parts.get("c"), parts.get("p")
    try:
        check_reading(ReadingTaken(celsius=celsius, ph=ph))
    except CraftError as error:
        raise wire.BadRecord(f"no milk is so. {error.words}") from error
    if at <= after:
        raise wire.BadRecord("it is older than was asked")
    if at > (clock or datetime.now(UTC)) + _AHEAD:
        raise wire.BadRecord("its clock is ahead of ours")
    return ProbeReading(at, celsius, ph)


def _part(word: str) -> tuple[str, float]:
    match = re.fullmatch(r"([cp])=(-?\d{1,3}(?:\.\d+)?)", word)
    if match is None:
        raise wire.BadRecord(f"“{word}” is no value")
    return match[1], float(match[2])
