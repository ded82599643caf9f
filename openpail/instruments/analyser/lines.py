"""Records of the analyser's protocol: written with a checksum, read only when it is right."""

from __future__ import annotations

import re
from collections.abc import Mapping

VERSION = 1
END = b"\r\n"


class BadRecord(ValueError):
    """A line that is not a whole, right record."""


def checksum(body: str) -> str:
    """XOR of the bytes of a record's body, two hexadecimal digits."""
    total = 0
    for byte in body.encode("ascii", "replace"):
        total ^= byte
    return f"{total:02X}"


def result(sample: str, values: Mapping[str, float]) -> str:
    """A RESULT line, without its end."""
    body = (
        " ".join(["RESULT", sample, *(f"{key}={value:g}" for key, value in values.items())]) + " "
    )
    return f"{body}*{checksum(body)}"


def blank(sample: str) -> str:
    """A BLANK line, without its end."""
    body = f"BLANK {sample} "
    return f"{body}*{checksum(body)}"


def parse(line: str, sample: str) -> dict[str, float] | None:
    """The values of a record of this sample, None for a blank one. Raises BadRecord."""
    body, star, given = line.rpartition("*")
    if not star or checksum(body) != given:
        raise BadRecord("its checksum is wrong")
    words = body.split()
    if len(words) < 2 or words[0] not in ("RESULT", "BLANK"):
        raise BadRecord("it is no record")
    if words[1] != sample:
        raise BadRecord(f"it is of another sample, {words[1]}")
    if words[0] == "BLANK":
        return None
    values = {}
    for word in words[2:]:
        match = re.fullmatch(r"([a-z]+)=(-?\d+(?:\.\d+)?(?:e-?\d+)?)", word)
        if not match:
            raise BadRecord(f"“{word}” is no value")
        values[match[1]] = float(match[2])
    return values
