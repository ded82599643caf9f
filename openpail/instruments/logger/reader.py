"""Reads what the cave logger kept since a moment: patient, but only for a few seconds."""

from __future__ import annotations

import re
import time
from dataclasses import dataclass
from datetime import UTC, datetime

from openpail.craft.cave.climate import check_reading
from openpail.craft.errors import CraftError
from openpail.instruments import wire
from openpail.instruments.wire import NoReading

VERSION = 1
TIMEOUT_S = 8.0
TRIES = 2
MOST_VALUES = 100_000


@dataclass(frozen=True, slots=True)
class Logged:
    """One value: when, °C, % of humidity; None for what was not read."""

    at: datetime
    celsius: float | None
    humidity: float | None


@dataclass(frozen=True, slots=True)
class Log:
    """What a channel kept, by time; how many lines were broken and left out; how many tries."""

    values: tuple[Logged, ...]
    broken: int
    tries: int


def stamp(moment: datetime) -> str:
    """A moment as the protocol writes it."""
    return moment.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def channels(address: str, timeout_s: float = TIMEOUT_S) -> tuple[str, ...]:
    """The channels of a logger. Parameters: address host:port. Raises: NoReading."""
    ends = time.monotonic() + timeout_s
    try:
        with wire.connect(_asked(address), ends) as device:
            return _channels(_greeted(wire.Lines(device, ends)))
    except (TimeoutError, OSError) as error:
        raise _unreachable(error, address) from error
    except (EOFError, wire.BadRecord) as error:
        raise NoReading(f"What the logger sent cannot be trusted: {error}.") from error


def since(address: str, channel: str, after: datetime, timeout_s: float = TIMEOUT_S) -> Log:
    """All values of a channel after a moment.

    A hang-up, or a count that is not right, is tried once more from the last good value.

    Parameters: address host:port; channel, its name; after, with its zone; timeout_s for all of it.
    Raises: NoReading.
    """
    if re.fullmatch(r"[A-Za-z0-9-]{1,40}", channel) is None:
        raise NoReading("A channel has letters, figures and dashes: write it at Dairy, Gear.")
    ends = time.monotonic() + timeout_s
    found: dict[datetime, Logged] = {}
    broken = 0
    tries = 0
    while tries < TRIES:
        tries += 1
        last = max(found, default=after)
        try:
            with wire.connect(_asked(address), ends) as device:
                lines = _greeted(wire.Lines(device, ends))
                whole, lost = _values(lines, channel, last, found)
        except EOFError:
            whole, lost = False, 0
        except (TimeoutError, OSError) as error:
            if not found:
                raise _unreachable(error, address) from error
            whole, lost = False, 0
        broken += lost
        if whole or time.monotonic() >= ends:
            break
    if not found and broken:
        raise NoReading("What the logger sent cannot be trusted. Nothing was kept; read again.")
    return Log(tuple(found[at] for at in sorted(found)), broken, tries)


def _asked(address: str) -> str:
    if not address:
        raise NoReading("Nobody has said where the logger answers: write it at Dairy.")
    return address


def _channels(lines: wire.Lines) -> tuple[str, ...]:
    lines.say("CHANNELS")
    word, *names = lines.hear().split()
    if word != "CHANNEL":
        raise wire.BadRecord(f"it answered “{word}”")
    return tuple(names)


def _unreachable(error: OSError, address: str) -> NoReading:
    if isinstance(error, TimeoutError):
        return NoReading("The logger did not answer in time. Is it switched on?")
    return NoReading(f"There is no logger at {address}. Look at its cable, or at Dairy.")


def _greeted(lines: wire.Lines) -> wire.Lines:
    lines.say(f"HELLO {VERSION}")
    word = lines.hear().partition(" ")[0]
    if word != "READY":
        raise NoReading(f"The logger greeted with “{word[:20]}”: it is none that we know.")
    return lines


def _values(
    lines: wire.Lines, channel: str, after: datetime, found: dict[datetime, Logged]
) -> tuple[bool, int]:
    """Hear a channel out. Returns: whether all that was sent came, and how many were broken."""
    lines.say(f"SINCE {channel} {stamp(after)}")
    heard = broken = 0
    while heard <= MOST_VALUES:
        line = lines.hear()
        word, _, rest = line.partition(" ")
        if word == "ERROR":
            raise NoReading(f"The logger says: {rest[:80] or 'an error'}.")
        if word == "END":
            return rest.split() == [channel, str(heard)], broken
        heard += 1
        try:
            value = parse(line, channel, after)
        except wire.BadRecord:
            broken += 1
        else:
            found[value.at] = value
    return True, broken


def parse(line: str, channel: str, after: datetime) -> Logged:
    """One value of a channel. Raises: BadRecord."""
    words = wire.body_of(line)
    if len(words) < 4 or words[0] != "VALUE" or words[1] != channel:
        raise wire.BadRecord("it is no value of this channel")
    try:
        at = datetime.strptime(words[2], "%Y-%m-%dT%H:%M:%SZ").replace(tzinfo=UTC)
    except ValueError:
        raise wire.BadRecord(f"“{words[2]}” is no moment") from None
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
