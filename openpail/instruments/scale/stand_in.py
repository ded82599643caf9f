"""A stand-in for a scale: a small process on loopback that speaks the protocol.

What is laid on it comes to rest after a moment, with the trembling of a shelf. Ask it for a fault
and it sends wrong checksums, hangs up, says nothing, babbles, or never comes to rest.
"""

from __future__ import annotations

import random
import socketserver
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from math import exp

from openpail.instruments import wire
from openpail.instruments.scale.reader import VERSION
from openpail.instruments.stand_ins import parser_of, serve

FAULTS = ("none", "checksum", "hang-up", "silent", "garbage", "restless", "too much")
_RESTS_S, _STEP_KG, _STILL_KG = 0.12, 0.005, 0.004


@dataclass(kw_only=True)
class ScaleMood:
    """How the stand-in behaves: faults are used up in order, then it is well; kg that lies on it
    since a moment of its own clock, and what it takes off as its dish."""

    faults: list[str] = field(default_factory=list)
    kg: float = 0.0
    since: float = 0.0
    tare_kg: float = 0.0
    seed: int = 7

    def lay(self, kg: float) -> None:
        """Lay something on it. Parameters: kg of all that lies there then."""
        self.kg, self.since = kg, time.monotonic()

    def next_fault(self) -> str:
        """The fault of the next answer."""
        return self.faults.pop(0) if self.faults else "none"

    def shows(self) -> tuple[float, bool]:
        """What it shows, kg, and whether it is still."""
        swings = 0.3 * self.kg * exp(-(time.monotonic() - self.since) / _RESTS_S)
        shaken = random.Random(time.monotonic_ns() + self.seed).uniform(-swings, swings)  # noqa: S311
        kg = round((self.kg - self.tare_kg + shaken) / _STEP_KG) * _STEP_KG
        return kg, swings < _STILL_KG


class ScaleStandIn(socketserver.ThreadingTCPServer):
    """The stand-in's server; `mood` may be changed while it runs."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, port: int, mood: ScaleMood) -> None:
        super().__init__(("127.0.0.1", port), _ScaleTalk)
        self.mood = mood


class _ScaleTalk(socketserver.StreamRequestHandler):
    server: ScaleStandIn

    def handle(self) -> None:
        for raw in self.rfile:
            word, _, rest = raw.decode("ascii", "replace").strip().partition(" ")
            if word == "HELLO":
                self._say(f"READY {VERSION} stand-in")
            elif word == "WEIGH":
                if not self._weigh():
                    return
            elif word == "TARE":
                self.server.mood.tare_kg = self.server.mood.kg
                self._say("OK")
            elif word == "LAY":
                self.server.mood.lay(float(rest))
                self._say("OK")
            else:
                self._say("ERROR unknown line")

    def _weigh(self) -> bool:
        """Answer; False when the line is to be dropped."""
        mood = self.server.mood
        fault = mood.next_fault()
        if fault == "silent":
            time.sleep(60)
            return False
        kg, still = mood.shows()
        if fault == "restless":
            mood.faults.insert(0, fault)
            still = False
        line = wire.signed(f"WEIGHT {kg:.3f} {'still' if still else 'moving'}")
        if fault == "hang-up":
            self.wfile.write(line[: len(line) // 2].encode("ascii"))
            return False
        if fault == "checksum":
            line = line[:-2] + ("00" if line[-2:] != "00" else "FF")
        if fault == "garbage":
            line = "\x07 WEIGHT much"
        self._say("ERROR too much on it" if fault == "too much" else line)
        return True

    def _say(self, line: str) -> None:
        self.wfile.write(line.encode("ascii", "replace") + wire.END)
        self.wfile.flush()


def main(arguments: Sequence[str] | None = None) -> None:
    """Serve until stopped."""
    parser = parser_of("scale", 7434)
    parser.add_argument(
        "--fault", action="append", choices=FAULTS, default=[], help="for the next answer"
    )
    parser.add_argument("--kg", type=float, default=2.4, help="what lies on it")
    told = parser.parse_args(arguments)
    mood = ScaleMood(faults=told.fault, kg=told.kg, seed=told.seed or 7)
    serve("scale", told, lambda: ScaleStandIn(told.port, mood))


if __name__ == "__main__":
    main()
