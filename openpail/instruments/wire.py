"""What all instruments share: whole lines over TCP, a checksum, and an end of patience."""

from __future__ import annotations

import socket
import time

from openpail.craft.errors import PailError

END = b"\r\n"
_LONGEST_LINE = 1024


class NoReading(PailError):
    """An instrument gave nothing that may be kept; `words` tell the maker what happened."""


class BadRecord(ValueError):
    """A line that is not a whole, right record."""


def checksum(body: str) -> str:
    """XOR of the bytes of a record's body, two hexadecimal digits."""
    total = 0
    for byte in body.encode("ascii", "replace"):
        total ^= byte
    return f"{total:02X}"


def signed(body: str) -> str:
    """A record with its checksum."""
    return f"{body} *{checksum(body + ' ')}"


def body_of(line: str) -> list[str]:
    """The words of a record whose checksum is right. Raises BadRecord."""
    body, star, given = line.rpartition("*")
    if not star or checksum(body) != given:
        raise BadRecord("its checksum is wrong")
    return body.split()


def left(ends: float) -> float:
    """Seconds until the end of patience. Raises TimeoutError after it."""
    rest = ends - time.monotonic()
    if rest <= 0:
        raise TimeoutError
    return rest


class Lines:
    """Whole lines from a socket, none of them waited for beyond the end of time."""

    def __init__(self, device: socket.socket, ends: float) -> None:
        self.device, self.ends, self.rest = device, ends, b""

    def say(self, line: str) -> None:
        """Send a line."""
        self.device.settimeout(left(self.ends))
        self.device.sendall(line.encode("ascii") + END)

    def hear(self) -> str:
        """The next line. Raises BadRecord, EOFError, TimeoutError."""
        while END not in self.rest:
            if len(self.rest) > _LONGEST_LINE:
                raise BadRecord("its line does not end")
            self.device.settimeout(left(self.ends))
            more = self.device.recv(4096)
            if not more:
                raise EOFError("it hung up in the middle of a record")
            self.rest += more
        line, self.rest = self.rest.split(END, 1)
        return line.decode("ascii", "replace")


def connect(address: str, ends: float) -> socket.socket:
    """A connection to an instrument at host:port. Raises OSError, TimeoutError."""
    host, _, port = address.rpartition(":")
    return socket.create_connection((host, int(port)), timeout=left(ends))


class Greeted(Lines):
    """A line to an instrument that has greeted; to be used with `with`."""

    def __init__(self, address: str, ends: float, name: str, version: int) -> None:
        super().__init__(connect(address, ends), ends)
        try:
            self.say(f"HELLO {version}")
            word = self.hear().partition(" ")[0]
        except BaseException:
            self.device.close()
            raise
        if word != "READY":
            self.device.close()
            raise NoReading(f"The {name} greeted with “{word[:20]}”: it is none that we know.")

    def __enter__(self) -> Greeted:
        return self

    def __exit__(self, *_: object) -> None:
        self.device.close()
