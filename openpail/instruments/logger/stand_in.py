"""A stand-in for a cave logger: a small process on loopback that speaks the protocol.

Its places follow the physics of an evening: the day outside comes through, a door stands open, a
fridge cycles. Ask it for a fault and it sends wrong checksums, hangs up, forgets a stretch, reads
what cannot be, or says nothing.
"""

from __future__ import annotations

import random
import socketserver
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from math import pi, sin

from openpail.instruments import wire
from openpail.instruments.kept import stamp
from openpail.instruments.logger.reader import VERSION
from openpail.instruments.stand_ins import parser_of, serve

FAULTS = ("none", "checksum", "hang-up", "count", "silent", "impossible")
STEP = timedelta(minutes=10)
KEEPS = timedelta(days=30)
# mean and swing of a day, °C; mean humidity, % (None: it is not read there)
PLACES: dict[str, tuple[float, float, float | None]] = {
    "cave": (12.0, 0.4, 86.0),
    "cool": (13.5, 1.2, 78.0),
    "fridge": (4.2, 0.6, None),
    "warm": (20.0, 0.5, 78.0),
}


def _now() -> datetime:
    return datetime.now(UTC)


@dataclass(kw_only=True)
class LoggerMood:
    """How the stand-in behaves: faults are used up in order, then it is well; gap, a stretch that
    it forgot; now, its clock."""

    faults: list[str] = field(default_factory=list)
    gap: tuple[datetime, datetime] | None = None
    now: Callable[[], datetime] = _now
    seed: int = 7

    def next_fault(self) -> str:
        """The fault of the next answer."""
        return self.faults.pop(0) if self.faults else "none"


class LoggerStandIn(socketserver.ThreadingTCPServer):
    """The stand-in's server; `mood` may be changed while it runs."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, port: int, mood: LoggerMood) -> None:
        super().__init__(("127.0.0.1", port), _LoggerTalk)
        self.mood = mood


class _LoggerTalk(socketserver.StreamRequestHandler):
    server: LoggerStandIn

    def handle(self) -> None:
        for raw in self.rfile:
            word, _, rest = raw.decode("ascii", "replace").strip().partition(" ")
            if word == "HELLO":
                self._say(f"READY {VERSION} stand-in")
            elif word == "CHANNELS":
                self._say("CHANNEL " + " ".join(PLACES))
            elif word == "SINCE":
                if not self._since(*[*rest.split(), "", ""][:2]):
                    return
            else:
                self._say("ERROR unknown line")

    def _since(self, channel: str, moment: str) -> bool:
        """Answer a question; False when the line is to be dropped."""
        if channel not in PLACES:
            self._say(f"ERROR no channel {channel}")
            return True
        try:
            after = datetime.strptime(moment, "%Y-%m-%dT%H:%M:%SZ").replace(tzinfo=UTC)
        except ValueError:
            self._say("ERROR no moment")
            return True
        mood = self.server.mood
        fault = mood.next_fault()
        if fault == "silent":
            time.sleep(60)
            return False
        count = 0
        for true in values(channel, after, mood):
            line = _faulty(true, fault, count)
            if fault == "hang-up" and count == 5:
                self.wfile.write(line[: len(line) // 2].encode("ascii"))
                return False
            self._say(line)
            count += 1
        self._say(f"END {channel} {count + (fault == 'count')}")
        return True

    def _say(self, line: str) -> None:
        self.wfile.write(line.encode("ascii") + wire.END)
        self.wfile.flush()


def _faulty(line: str, fault: str, count: int) -> str:
    """A line as a fault sends it."""
    if fault == "checksum" and count % 3 == 1:
        return line[:-2] + ("00" if line[-2:] != "00" else "FF")
    if fault == "impossible" and count == 0:
        return wire.signed(" ".join([*line.split()[:3], "c=99"]))
    return line


def values(channel: str, after: datetime, mood: LoggerMood) -> Iterator[str]:
    """The values that a channel kept after a moment, as lines: the same whenever it is asked."""
    mean, swing, damp = PLACES[channel]
    now = mood.now()
    begins = max(after, now - KEEPS)
    at = datetime.fromtimestamp((begins.timestamp() // 600 + 1) * 600, UTC)
    while at <= now:
        if mood.gap is None or not mood.gap[0] <= at < mood.gap[1]:
            chance = random.Random(f"{mood.seed} {channel} {at.timestamp()}")  # noqa: S311
            day = sin(2 * pi * (at.hour + at.minute / 60 - 9) / 24)
            opened = 1.2 if chance.random() < 0.01 else 0.0
            words = [f"VALUE {channel} {stamp(at)}"]
            words.append(f"c={mean + swing * day + opened + chance.gauss(0, 0.08):.2f}")
            if damp is not None:
                wet = damp - 1.5 * day - 4 * opened + chance.gauss(0, 0.5)
                words.append(f"h={min(100.0, wet):.1f}")
            yield wire.signed(" ".join(words))
        at += STEP


def main(arguments: Sequence[str] | None = None) -> None:
    """Serve until stopped."""
    parser = parser_of("cave logger", 7432)
    parser.add_argument(
        "--fault", action="append", choices=FAULTS, default=[], help="for the next answer"
    )
    told = parser.parse_args(arguments)
    mood = LoggerMood(faults=told.fault, seed=told.seed or 7)
    serve("cave logger", told, lambda: LoggerStandIn(told.port, mood))


if __name__ == "__main__":
    main()
