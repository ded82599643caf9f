"""A stand-in for a milk analyser: a small process on loopback that speaks the protocol.

It is as slow to warm up, as noisy and as moody as the real ones: ask it for a fault and it sends
a wrong checksum, hangs up in the middle of a record, finds the cup blank, or says nothing.
"""

from __future__ import annotations

import random
import socketserver
import time
from collections.abc import Sequence
from dataclasses import dataclass, field

from openpail.instruments import wire
from openpail.instruments.analyser import lines
from openpail.instruments.stand_ins import parser_of, serve

FAULTS = ("none", "checksum", "hang-up", "blank", "silent", "slow", "impossible", "other-sample")
# mean and spread of one measurement of the milk in the stand-in's cup
CUP: dict[str, tuple[float, float]] = {
    "fat": (4.05, 0.03),
    "protein": (3.42, 0.03),
    "lactose": (4.45, 0.03),
    "snf": (8.72, 0.05),
    "density": (1.0312, 0.0001),
    "fp": (-0.553, 0.002),
    "temp": (38.0, 0.5),
}


@dataclass(kw_only=True)
class Mood:
    """How the stand-in behaves: faults are used up in order, then it is well."""

    faults: list[str] = field(default_factory=list)
    warm_at: float = 0.0
    busy_s: float = 0.3
    chance: random.Random = field(default_factory=random.Random)  # noqa: S311 - no secret

    def next_fault(self) -> str:
        """The fault of the next measurement."""
        return self.faults.pop(0) if self.faults else "none"


class StandIn(socketserver.ThreadingTCPServer):
    """The stand-in's server; `mood` may be changed while it runs."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, port: int, mood: Mood) -> None:
        super().__init__(("127.0.0.1", port), _Talk)
        self.mood = mood


class _Talk(socketserver.StreamRequestHandler):
    server: StandIn

    def handle(self) -> None:
        for raw in self.rfile:
            word, _, rest = raw.decode("ascii", "replace").strip().partition(" ")
            if word == "HELLO":
                self._greet()
            elif word == "MEASURE":
                if not self._measure(rest.strip()):
                    return
            else:
                self._say("ERROR unknown line")

    def _greet(self) -> None:
        cold = self.server.mood.warm_at - time.monotonic()
        self._say(f"WAIT {cold:.1f}" if cold > 0 else f"READY {lines.VERSION} stand-in")

    def _measure(self, sample: str) -> bool:
        """Answer one measurement; False when the line is to be dropped."""
        mood = self.server.mood
        fault = mood.next_fault()
        if fault == "silent":
            time.sleep(60)
            return False
        self._say(f"BUSY {mood.busy_s:g}")
        time.sleep(60 if fault == "slow" else mood.busy_s)
        if fault == "blank":
            self._say(lines.blank(sample))
            return True
        line = lines.result("other" if fault == "other-sample" else sample, self._values(fault))
        if fault == "checksum":
            line = line[:-2] + ("00" if line[-2:] != "00" else "FF")
        if fault == "hang-up":
            self.wfile.write(line[: len(line) // 2].encode("ascii"))
            return False
        self._say(line)
        return True

    def _values(self, fault: str) -> dict[str, float]:
        chance = self.server.mood.chance
        values = {key: round(chance.gauss(mean, sd), 4) for key, (mean, sd) in CUP.items()}
        return {**values, "fat": 93.0} if fault == "impossible" else values

    def _say(self, line: str) -> None:
        self.wfile.write(line.encode("ascii") + wire.END)
        self.wfile.flush()


def main(arguments: Sequence[str] | None = None) -> None:
    """Serve until stopped."""
    parser = parser_of("milk analyser", 7431)
    parser.add_argument(
        "--fault",
        action="append",
        choices=FAULTS,
        default=[],
        help="for the next measurement; may be given several times",
    )
    parser.add_argument("--warm-up", type=float, default=3.0, metavar="SECONDS")
    told = parser.parse_args(arguments)
    warm_at = time.monotonic() + told.warm_up
    mood = Mood(faults=told.fault, warm_at=warm_at, chance=random.Random(told.seed))  # noqa: S311
    serve("analyser", told, lambda: StandIn(told.port, mood))


if __name__ == "__main__":
    main()
