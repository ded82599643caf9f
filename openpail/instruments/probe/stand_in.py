"""A stand-in for a probe in a vat: a small process on loopback that speaks the protocol.

Its milk follows a reckoned vat: heat that lags and is lost, a culture that sours. Ask it for a
fault and it sends wrong checksums, hangs up, says nothing, babbles, or its clock jumps.
"""

from __future__ import annotations

import random
import socketserver
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

from openpail.craft.make.simulated import (
    START_PH,
    SimulatedState,
    SimulatedVat,
    filled,
    goes_on,
    sown,
)
from openpail.instruments import wire
from openpail.instruments.kept import moment_of, stamp
from openpail.instruments.probe.reader import VERSION
from openpail.instruments.stand_ins import parser_of, serve

FAULTS = ("none", "checksum", "hang-up", "count", "silent", "garbage", "clock", "out")
EVERY = timedelta(seconds=10)
KEEPS = 4000
_NOISE_C, _NOISE_PH = 0.06, 0.012


def _now() -> datetime:
    return datetime.now(UTC)


@dataclass(kw_only=True)
class ProbeMood:
    """How the stand-in behaves: faults are used up in order, then it is well; the vat it stands in,
    how warm it shall be (0: nobody warms it), how many minutes pass in one; its clock."""

    faults: list[str] = field(default_factory=list)
    vat: SimulatedVat = field(default_factory=lambda: SimulatedVat(litres=20.0))
    state: SimulatedState = field(default_factory=lambda: filled(8.0))
    target_c: float = 0.0
    fast: float = 1.0
    now: Callable[[], datetime] = _now
    seed: int = 7
    kept: list[tuple[datetime, float, float]] = field(default_factory=list)
    last: datetime | None = None
    lock: threading.Lock = field(default_factory=threading.Lock)

    def next_fault(self) -> str:
        """The fault of the next answer."""
        return self.faults.pop(0) if self.faults else "none"

    def go_on(self) -> None:
        """Let the milk become what it is by now, and keep what it showed on the way."""
        with self.lock:
            now = self.now().replace(microsecond=0)  # as the protocol writes it
            at = self.last or now - EVERY
            while at + EVERY <= now:
                at += EVERY
                minutes = self.fast * EVERY.total_seconds() / 60
                heat = 1.0 if self.state.celsius < self.target_c else 0.0
                self.state = goes_on(self.vat, self.state, minutes, heat)
                chance = random.Random(f"{self.seed} {at.timestamp()}")  # noqa: S311
                warm = self.state.celsius + chance.gauss(0, _NOISE_C)
                self.kept.append((at, warm, self.state.ph + chance.gauss(0, _NOISE_PH)))
            self.last = at
            del self.kept[:-KEEPS]

    def set(self, words: Sequence[str]) -> None:
        """Change it while it runs, as `SET` does. Raises: ValueError for what it does not know."""
        for word in words:
            name, _, value = word.partition("=")
            match name:
                case "target":
                    self.target_c = float(value)
                case "fast":
                    self.fast = float(value)
                case "room":
                    self.vat = SimulatedVat(
                        litres=self.vat.litres,
                        power_kw=self.vat.power_kw,
                        room_c=float(value),
                        culture=self.vat.culture,
                    )
                case "culture":
                    self.state = sown(self.state)
                case _:
                    raise ValueError(name)


class ProbeStandIn(socketserver.ThreadingTCPServer):
    """The stand-in's server; `mood` may be changed while it runs."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, port: int, mood: ProbeMood) -> None:
        super().__init__(("127.0.0.1", port), _ProbeTalk)
        self.mood = mood


class _ProbeTalk(socketserver.StreamRequestHandler):
    server: ProbeStandIn

    def handle(self) -> None:
        for raw in self.rfile:
            word, _, rest = raw.decode("ascii", "replace").strip().partition(" ")
            if word == "HELLO":
                self._say(f"READY {VERSION} stand-in")
            elif word in ("NOW", "SINCE"):
                if not self._answer(word, rest):
                    return
            elif word == "SET":
                self._set(rest)
            else:
                self._say("ERROR unknown line")

    def _set(self, rest: str) -> None:
        try:
            self.server.mood.set(rest.split())
        except ValueError as error:
            self._say(f"ERROR not set: {error}")
        else:
            self._say("OK")

    def _answer(self, word: str, rest: str) -> bool:
        """Answer a question; False when the line is to be dropped."""
        mood = self.server.mood
        mood.go_on()
        fault = mood.next_fault()
        if fault == "silent":
            time.sleep(60)
            return False
        if fault == "out":
            self._say("ERROR no probe in the milk")
            return True
        values = mood.kept[-1:]
        if word == "SINCE":
            try:
                after = moment_of(rest)
            except wire.BadRecord:
                self._say("ERROR no moment")
                return True
            values = [each for each in mood.kept if each[0] > after]
        for number, value in enumerate(values):
            line = _faulty(_line(*value), fault, number)
            if fault == "hang-up" and number == min(3, len(values) - 1):
                self.wfile.write(line[: len(line) // 2].encode("ascii"))
                return False
            self._say(line)
        if word == "SINCE":
            self._say(f"END {len(values) + (fault == 'count')}")
        return True

    def _say(self, line: str) -> None:
        self.wfile.write(line.encode("ascii", "replace") + wire.END)
        self.wfile.flush()


def _line(at: datetime, celsius: float, ph: float) -> str:
    return wire.signed(f"READING {stamp(at)} c={celsius:.2f} p={ph:.2f}")


def _faulty(line: str, fault: str, number: int) -> str:
    """A line as a fault sends it."""
    if fault == "checksum" and number % 3 == 0:
        return line[:-2] + ("00" if line[-2:] != "00" else "FF")
    if fault == "garbage" and number % 3 == 0:
        return "\x07\x7f=c READING ?? 99"
    if fault == "clock" and number % 3 == 0:
        words = line.split()
        return wire.signed(" ".join([words[0], "2099-01-01T00:00:00Z", *words[2:-1]]))
    return line


def main(arguments: Sequence[str] | None = None) -> None:
    """Serve until stopped."""
    parser = parser_of("probe in a vat", 7433)
    parser.add_argument(
        "--fault", action="append", choices=FAULTS, default=[], help="for the next answer"
    )
    parser.add_argument("--fast", type=float, default=1.0, help="so many minutes pass in one")
    parser.add_argument("--celsius", type=float, default=8.0, help="of the milk as it begins")
    parser.add_argument("--ph", type=float, default=START_PH, help="of the milk as it begins")
    parser.add_argument(
        "--target", type=float, default=0.0, help="°C to warm it to; 0: nobody does"
    )
    parser.add_argument("--culture", action="store_true", help="the culture is stirred in already")
    told = parser.parse_args(arguments)
    state = filled(told.celsius, told.ph)
    mood = ProbeMood(
        faults=told.fault,
        state=sown(state) if told.culture else state,
        target_c=told.target,
        fast=told.fast,
        seed=told.seed or 7,
    )
    serve("probe", told, lambda: ProbeStandIn(told.port, mood))


if __name__ == "__main__":
    main()
