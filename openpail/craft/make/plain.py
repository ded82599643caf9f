"""Deeds of a make as other devices tell them."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from openpail.craft import deed as deeds
from openpail.craft.deed import id_of, moment_of
from openpail.craft.errors import OutOfRange
from openpail.craft.make.deeds import DEEDS, Deed, Told

MOST_OFFSET, LEAST_OFFSET = timedelta(days=400), timedelta(seconds=5)
PAYLOAD_VERSION = 1


def read(kind: str, payload: Mapping[str, Any]) -> Deed:
    """A deed of a make from plain data (payload version 1).

    Parameters: kind, its name; payload, its fields. Raises: Unknown, OutOfRange by field.
    Source: derivation.
    """
    return deeds.read(kind, payload, DEEDS, "a make")


def read_told(data: object, device: str, offset: timedelta) -> Told:
    """A deed as another device tells it.

    Parameters: data, an object with id, deed, payload, happened and perhaps counter and amends;
    device, its name; offset, what its clock is behind ours. Raises: OutOfRange or Unknown, naming
    the part that they speak of. Source: derivation.
    """
    if not isinstance(data, Mapping) or not isinstance(data.get("payload", {}), Mapping):
        raise OutOfRange("A deed is an object with id, deed, payload and happened.", "deed")
    counter = data.get("counter", 0)
    if isinstance(counter, bool) or not isinstance(counter, int) or not 0 <= counter < 2**31:
        raise OutOfRange("The counter is a whole number.", "counter")
    amends = data.get("amends")
    return Told(
        id=id_of(data.get("id"), "id"),
        deed=read(str(data.get("deed", "")), data.get("payload", {})),
        happened=moment_of(data.get("happened"), "happened"),
        amends=None if amends is None else id_of(amends, "amends"),
        offset=offset,
        device=deeds.words(device, "device"),
        counter=counter,
    )


def clock_offset(sent: object, now: datetime) -> timedelta:
    """How far a device's clock is behind ours; under five seconds it is only the way here.

    Parameters: sent, its own clock as it sends, ISO 8601; now, ours. Raises: OutOfRange for a
    clock that is more than a year off. Source: our own judgement.
    """
    offset = now - moment_of(sent, "sent")
    if abs(offset) > MOST_OFFSET:
        raise OutOfRange("The clock of this device is more than a year off: set it.", "sent")
    return offset if abs(offset) >= LEAST_OFFSET else timedelta(0)
