"""Records of the analyser's protocol: written with a checksum, read only when it is right."""

from __future__ import annotations

import re
from collections.abc import Mapping

from openpail.instruments.wire import BadRecord, body_of, signed

VERSION = 1


def result(sample: str, values: Mapping[str, float]) -> str:
    """A RESULT line, without its end."""
    return signed(" ".join(["RESULT", sample, *(f"{key}={v:g}" for key, v in values.items())]))


def blank(sample: str) -> str:
    """A BLANK line, without its end."""
    return signed(f"BLANK {sample}")


def parse(line: str, sample: str) -> dict[str, float] | None:
    """The values of a record of this sample, None for a blank one. Raises BadRecord."""
    words = body_of(line)
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
