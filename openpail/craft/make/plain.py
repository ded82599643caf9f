"""Deeds as plain data: read from it in words that a maker can act on, and written to it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import MISSING, fields
from datetime import datetime, timedelta
from typing import Any, get_args
from uuid import UUID

from openpail.craft.errors import OutOfRange, Unknown
from openpail.craft.make.deeds import (
    BECAME_WORDS,
    DEEDS,
    WHEY_WORDS,
    Deed,
    FeltOf,
    FileSort,
    Look,
    Told,
)

MOST_OFFSET, LEAST_OFFSET = timedelta(days=400), timedelta(seconds=5)
PAYLOAD_VERSION = 1
_LARGEST = 1e9  # of any unit
_YEARS = (1900, 2200)  # with room for any offset and zone on either side


def read(kind: str, payload: Mapping[str, Any]) -> Deed:
    """A deed from plain data (payload version 1).

    Parameters: kind, its name; payload, its fields. Raises: Unknown for a deed or field that is
    none of ours, OutOfRange for a value of the wrong sort. Source: derivation.
    """
    if kind not in DEEDS:
        raise Unknown(f"“{kind}” is no deed of a make.", "deed")
    sort = DEEDS[kind]
    names = {each.name for each in fields(sort)}
    strange = sorted(set(payload) - names)
    if strange:
        raise Unknown(f"“{strange[0]}” does not belong to this deed.", strange[0])
    told = {key: _plain(key, value) for key, value in payload.items()}
    missing = [
        each.name
        for each in fields(sort)
        if each.default is MISSING and each.default_factory is MISSING and each.name not in told
    ]
    if missing:
        raise OutOfRange(f"“{missing[0]}” is not said.", missing[0])
    return sort(**told)


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
        id=_id(data.get("id"), "id"),
        deed=read(str(data.get("deed", "")), data.get("payload", {})),
        happened=moment_of(data.get("happened"), "happened"),
        amends=None if amends is None else _id(amends, "amends"),
        offset=offset,
        device=_words("device", device),
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


def _id(text: object, field: str) -> str:
    try:
        return str(UUID(str(text)))
    except ValueError:
        raise OutOfRange("This is no id.", field) from None


def _plain(key: str, value: Any) -> Any:
    """One field of a deed from plain data. What may be nothing is nothing when it is None."""
    if value is None and key in _MAY_BE_NOTHING:
        return None
    read_part: Callable[[str, Any], Any] = _READ.get(key, _number)
    return read_part(key, value)


def _one_of(words: str, *known: str) -> Callable[[str, Any], str]:
    def read_one(key: str, value: Any) -> str:
        if value not in known:
            raise OutOfRange(words, key)
        return str(value)

    return read_one


def _stripped(key: str, value: Any) -> str:
    return _words(key, value).strip()


def _yes_or_no(key: str, value: Any) -> bool | None:
    if not isinstance(value, bool):
        raise OutOfRange("Say yes or no.", key)
    return value


def _change(key: str, value: Any) -> dict[str, Any]:
    if not isinstance(value, Mapping):
        raise OutOfRange("Say what is to be mended.", key)
    return {name: None if told is None else _plain(name, told) for name, told in value.items()}


def _amounts(key: str, value: Any) -> dict[str, float]:
    if not isinstance(value, Mapping):
        raise OutOfRange("Say what was given, and how much of it.", key)
    return {_words(key, name): _number(key, each) for name, each in value.items()}


def _lots(key: str, value: Any) -> dict[str, str]:
    if not isinstance(value, Mapping):
        raise OutOfRange("Say from which bottle it came.", key)
    return {_words(key, name): _id(each, key) for name, each in value.items()}


def _weights(key: str, value: Any) -> tuple[float, ...]:
    if not isinstance(value, list | tuple):
        raise OutOfRange("Write the weight of each piece.", key)
    return tuple(_number(key, each) for each in value)


def _words(key: str, value: object) -> str:
    """Words, of signs that can be kept: no noughts, no half signs."""
    if not isinstance(value, str):
        raise OutOfRange("Write words here.", key)
    if "\x00" in value or value != value.encode("utf-8", "replace").decode():
        raise OutOfRange("There is a sign in it that cannot be kept.", key)
    return value


def _number(key: str, value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise OutOfRange(f"“{str(value)[:40]}” is not a number.", key)
    if not abs(value) <= _LARGEST:
        raise OutOfRange("This is not a number that anybody reads.", key)
    return float(value)


def _whole(key: str, value: Any) -> int:
    number = _number(key, value)
    if number != int(number):
        raise OutOfRange("Write a whole number.", key)
    return int(number)


_MAY_BE_NOTHING = frozenset({"celsius", "ph", "acid_pct", "counts", "load_kg"})
_READ: Mapping[str, Callable[[str, Any], Any]] = {
    **dict.fromkeys(("step", "key", "cause", "mould", "press"), _words),
    **dict.fromkeys(("note", "word", "words", "sign"), _stripped),
    **dict.fromkeys(("counts", "off", "stacked", "together", "about"), _yes_or_no),
    "count": _whole,
    "to": _one_of("Say where the whey went.", *WHEY_WORDS),
    "tub": lambda key, value: _id(value, key),
    "until": lambda key, value: moment_of(value, key).isoformat() if value else "",
    "became": _one_of("Say what became of the milk.", *BECAME_WORDS),
    "look": _one_of("Say how the set looks: liquid, soft, clean or over.", *get_args(Look)),
    "of": _one_of("Say what was felt or seen.", "", *get_args(FeltOf)),
    "file_sort": _one_of("It is a photo or a sound.", *get_args(FileSort)),
    "timer": lambda key, value: _id(value, key),
    "file": lambda key, value: _id(value, key) if value else "",
    "change": _change,
    "happened": lambda key, value: moment_of(value, key).isoformat(),
    "pieces_kg": _weights,
    "gave": _amounts,
    "bottles": _lots,
}


def moment_of(value: object, field: str = "happened") -> datetime:
    """A moment with its zone.

    Parameters: value, ISO 8601; field, that it stands in. Raises: OutOfRange.
    """
    try:
        found = datetime.fromisoformat(str(value))
    except ValueError:
        raise OutOfRange("Write the moment as ISO 8601 with its offset.", field) from None
    if found.tzinfo is None:
        raise OutOfRange("This moment does not say of which zone it is.", field)
    if not _YEARS[0] <= found.year <= _YEARS[1]:
        raise OutOfRange("No make was in that year. Look at the time.", field)
    return found


def to_payload(deed: Deed) -> dict[str, Any]:
    """A deed as plain data: what `read` takes. Source: derivation."""
    told = {each.name: getattr(deed, each.name) for each in fields(deed)}
    plain = {key: list(value) if isinstance(value, tuple) else value for key, value in told.items()}
    return {
        key: dict(value) if isinstance(value, Mapping) else value
        for key, value in plain.items()
        if value not in (None, "", {}) and (value is not False or key == "counts")
    }
