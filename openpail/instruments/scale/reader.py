"""Reads a scale once what lies on it is still."""

from __future__ import annotations

import re
import time

from openpail.instruments import wire
from openpail.instruments.kept import Instrument
from openpail.instruments.wire import NoReading

VERSION = 1
NAME = "scale"
TIMEOUT_S = 6.0
_AGAIN_S = 0.15
_SAME_KG = 0.005
_MOST_KG = 600.0


def weigh(address: str, timeout_s: float = TIMEOUT_S) -> float:
    """What lies on a scale, kg, once two weights in a row are still and the same.

    Parameters: address host:port; timeout_s for all of it. Raises: NoReading.
    """
    scale = Instrument(NAME, address)
    ends = time.monotonic() + timeout_s
    last: float | None = None
    moved = False
    try:
        with scale.connected(ends) as lines:
            while time.monotonic() < ends:
                lines.say("WEIGH")
                kg, still = _weight(lines.hear())
                moved = moved or not still
                if still and last is not None and abs(kg - last) <= _SAME_KG:
                    return kg
                last = kg if still else None
                time.sleep(min(_AGAIN_S, wire.left(ends)))
    except (TimeoutError, OSError) as error:
        if moved:
            raise NoReading(_MOVES) from error
        raise scale.unreachable(error) from error
    except (EOFError, wire.BadRecord) as error:
        raise scale.distrusted(error) from error
    raise NoReading(_MOVES)


_MOVES = "What lies on the scale does not come to rest. Let go of it, and weigh again."


def tare(address: str, timeout_s: float = TIMEOUT_S) -> None:
    """Set a scale to nothing with what lies on it. Parameters: as `weigh`. Raises: NoReading."""
    scale = Instrument(NAME, address)
    try:
        with scale.connected(time.monotonic() + timeout_s) as lines:
            lines.say("TARE")
            line = lines.hear()
            if line != "OK":
                raise wire.BadRecord(f"it answered “{line[:40]}”")
    except (TimeoutError, OSError) as error:
        raise scale.unreachable(error) from error
    except (EOFError, wire.BadRecord) as error:
        raise scale.distrusted(error) from error


def _weight(line: str) -> tuple[float, bool]:
    """A weight, kg, and whether it is still. Raises: BadRecord, NoReading."""
    if line.startswith("ERROR"):
        raise NoReading(f"The scale says: {line[6:86] or 'an error'}.")
    words = wire.body_of(line)
    good = len(words) == 3 and words[0] == "WEIGHT" and words[2] in ("still", "moving")
    if not good or re.fullmatch(r"-?\d{1,4}(?:\.\d+)?", words[1]) is None:
        raise wire.BadRecord("it is no weight")
    kg = float(words[1])
    if abs(kg) > _MOST_KG:
        raise wire.BadRecord("no scale of a dairy weighs that")
    return kg, words[2] == "still"
