"""What all instruments share that keep values: asked for those since a moment, once more where an
answer broke off."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Generic, Protocol, TypeVar

from openpail.instruments import wire
from openpail.instruments.wire import NoReading

TRIES = 2
MOST_VALUES = 100_000


class KeptValue(Protocol):
    """A value that an instrument kept: it knows its moment."""

    @property
    def at(self) -> datetime:
        """When."""


V = TypeVar("V", bound=KeptValue)


@dataclass(frozen=True, slots=True)
class Log(Generic[V]):
    """What an instrument kept, by time; how many lines were broken and left out; how many tries."""

    values: tuple[V, ...]
    broken: int
    tries: int


@dataclass(frozen=True, slots=True)
class Instrument:
    """An instrument on the other end of a line: what it is called, where it answers, the version of
    its protocol."""

    name: str
    address: str
    version: int = 1

    def connected(self, ends: float) -> wire.Greeted:
        """A line to it, greeted. Raises: NoReading; OSError, TimeoutError, EOFError, BadRecord."""
        if not self.address:
            raise NoReading(f"Nobody has said where the {self.name} answers: write it at Dairy.")
        return wire.Greeted(self.address, ends, self.name, self.version)

    def unreachable(self, error: OSError) -> NoReading:
        """Why it gave nothing, in words."""
        if isinstance(error, TimeoutError):
            return NoReading(f"The {self.name} did not answer in time. Is it switched on?")
        return NoReading(
            f"There is no {self.name} at {self.address}. Look at its cable, or at Dairy."
        )

    def distrusted(self, error: Exception) -> NoReading:
        """What came cannot be trusted, in words."""
        return NoReading(f"What the {self.name} sent cannot be trusted: {error}.")


def stamp(moment: datetime) -> str:
    """A moment as the protocols write it."""
    return moment.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def moment_of(word: str) -> datetime:
    """A moment as the protocols write it, read. Raises: BadRecord."""
    try:
        return datetime.strptime(word, "%Y-%m-%dT%H:%M:%SZ").replace(tzinfo=UTC)
    except ValueError:
        raise wire.BadRecord(f"“{word}” is no moment") from None


def since(
    instrument: Instrument,
    question: Callable[[datetime], str],
    parse: Callable[[str, datetime], V],
    *,
    end: str,
    after: datetime,
    timeout_s: float,
) -> Log[V]:
    """All values after a moment.

    A hang-up, or a count that is not right, is tried once more from the last good value.

    Parameters: instrument; question, the line that asks for values after a moment; parse, one line
    of an answer (BadRecord for none); end, the words its last line begins with; after, with its
    zone; timeout_s for all of it. Raises: NoReading.
    """
    ends = time.monotonic() + timeout_s
    found: dict[datetime, V] = {}
    broken = tries = 0
    while tries < TRIES:
        tries += 1
        last = max(found, default=after)
        try:
            with instrument.connected(ends) as lines:
                lines.say(question(last))
                whole, lost = _heard(lines, instrument, parse, end=end, after=last, found=found)
        except EOFError:
            whole, lost = False, 0
        except wire.BadRecord as error:
            raise instrument.distrusted(error) from error
        except (TimeoutError, OSError) as error:
            if not found:
                raise instrument.unreachable(error) from error
            whole, lost = False, 0
        broken += lost
        if whole or time.monotonic() >= ends:
            break
    if not found and broken:
        raise NoReading(
            f"What the {instrument.name} sent cannot be trusted. Nothing was kept; read again."
        )
    return Log(tuple(found[at] for at in sorted(found)), broken, tries)


def _heard(
    lines: wire.Lines,
    instrument: Instrument,
    parse: Callable[[str, datetime], V],
    *,
    end: str,
    after: datetime,
    found: dict[datetime, V],
) -> tuple[bool, int]:
    """Hear an answer out. Returns: whether all that was sent came, and how many were broken."""
    heard = broken = 0
    while heard <= MOST_VALUES:
        line = lines.hear()
        if line.startswith("ERROR"):
            raise NoReading(f"The {instrument.name} says: {line[6:86] or 'an error'}.")
        if line.startswith(end):
            return line == f"{end} {heard}", broken
        heard += 1
        try:
            value = parse(line, after)
        except wire.BadRecord:
            broken += 1
        else:
            found[value.at] = value
    return True, broken
