"""Reads what the cave logger kept since a moment: patient, but only for a few seconds."""

from __future__ import annotations

import re
import time
from dataclasses import dataclass
from datetime import datetime

from openpail.craft.cave.climate import check_reading
from openpail.craft.errors import CraftError
from openpail.instruments import kept, wire
from openpail.instruments.kept import Instrument, moment_of, stamp
from openpail.instruments.wire import NoReading

VERSION = 1
NAME = "logger"
TIMEOUT_S = 8.0


@dataclass(frozen=True, slots=True)
class Logged:
    """One value: when, °C, % of humidity; None for what was not read."""

    at: datetime
    celsius: float | None
    humidity: float | None


def channels(address: str, timeout_s: float = TIMEOUT_S) -> tuple[str, ...]:
    """The channels of a logger. Parameters: address host:port. Raises: NoReading."""
    logger = Instrument(NAME, address)
    try:
        with logger.connected(time.monotonic() + timeout_s) as lines:
            lines.say("CHANNELS")
            word, *names = lines.hear().split()
            if word != "CHANNEL":
                raise wire.BadRecord(f"it answered “{word}”")
            return tuple(names)
    except (TimeoutError, OSError) as error:
        raise logger.unreachable(error) from error
    except (EOFError, wire.BadRecord) as error:
        raise logger.distrusted(error) from error


def since(
    address: str, channel: str, after: datetime, timeout_s: float = TIMEOUT_S
) -> kept.Log[Logged]:
    """All values of a channel after a moment.

    Parameters: address host:port; channel, its name; after, with its zone; timeout_s for all of it.
    Raises: NoReading.
    """
    if re.fullmatch(r"[A-Za-z0-9-]{1,40}", channel) is None:
        raise NoReading("A channel has letters, figures and dashes: write it at Dairy, Gear.")
    return kept.since(
        Instrument(NAME, address),
        lambda last: f"SINCE {channel} {stamp(last)}",
        lambda line, last: parse(line, channel, last),
        end=f"END {channel}",
        after=after,
        timeout_s=timeout_s,
    )


def parse(line: str, channel: str, after: datetime) -> Logged:
    """One value of a channel. Raises: BadRecord."""
    words = wire.body_of(line)
    if len(words) < 4 or words[0] != "VALUE" or words[1] != channel:
        raise wire.BadRecord("it is no value of this channel")
    at = moment_of(words[2])
    parts = dict(_part(word) for word in words[3:])
    celsius, humidity = parts.get("c"), parts.get("h")
    try:
        check_reading(celsius, humidity)
    except CraftError as error:
        raise wire.BadRecord(f"no place is so. {error.words}") from error
    if at <= after:
        raise wire.BadRecord("it is older than was asked")
    return Logged(at, celsius, humidity)


def _part(word: str) -> tuple[str, float]:
    match = re.fullmatch(r"([ch])=(-?\d{1,3}(?:\.\d+)?)", word)
    if match is None:
        raise wire.BadRecord(f"“{word}” is no value")
    return match[1], float(match[2])
