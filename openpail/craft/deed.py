"""A deed as plain data: each is read, and written, by the types of its own fields.

A deed is a small dataclass with a `kind`. What its types do not say alone, how a field is read says
beside them: `Annotated[str, ReadBy(…)]`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import MISSING, Field, dataclass, fields
from datetime import datetime
from types import NoneType, UnionType
from typing import (
    TYPE_CHECKING,
    Annotated,
    Any,
    Literal,
    TypeVar,
    Union,
    get_args,
    get_origin,
    get_type_hints,
)
from uuid import UUID

from openpail.craft.errors import OutOfRange, Unknown

if TYPE_CHECKING:
    from _typeshed import DataclassInstance

Reader = Callable[[Any, str], Any]
D = TypeVar("D", bound="DataclassInstance")

_LARGEST = 1e9  # of any unit
_YEARS = (1900, 2200)  # with room for any offset and zone on either side
_LONGEST_SHOWN = 40


@dataclass(frozen=True, slots=True)
class ReadBy:
    """How a field is read: from a value and the name of the field, raising OutOfRange about it."""

    read: Reader


def words(value: Any, about: str) -> str:
    """Words, of signs that can be kept: no noughts, no half signs.

    Parameters: value, what was sent; about, the field. Raises: OutOfRange.
    """
    if not isinstance(value, str):
        raise OutOfRange("Write words here.", about)
    if "\x00" in value or value != value.encode("utf-8", "replace").decode():
        raise OutOfRange("There is a sign in it that cannot be kept.", about)
    return value


def id_of(value: Any, about: str) -> str:
    """An id. Parameters: value, what was sent; about, the field. Raises: OutOfRange."""
    try:
        return str(UUID(str(value)))
    except ValueError:
        raise OutOfRange("This is no id.", about) from None


def moment_of(value: object, about: str = "happened") -> datetime:
    """A moment with its zone.

    Parameters: value, ISO 8601; about, the field that it stands in. Raises: OutOfRange.
    """
    try:
        found = datetime.fromisoformat(str(value))
    except ValueError:
        raise OutOfRange("Write the moment as ISO 8601 with its offset.", about) from None
    if found.tzinfo is None:
        raise OutOfRange("This moment does not say of which zone it is.", about)
    if not _YEARS[0] <= found.year <= _YEARS[1]:
        raise OutOfRange("No make was in that year. Look at the time.", about)
    return found


def number(value: Any, about: str) -> float:
    """A number that somebody may have read.

    Parameters: value, what was sent; about, the field. Raises: OutOfRange.
    """
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise OutOfRange(f"“{str(value)[:_LONGEST_SHOWN]}” is not a number.", about)
    if not abs(value) <= _LARGEST:
        raise OutOfRange("This is not a number that anybody reads.", about)
    return float(value)


def one_of(*known: str, wrong: str = "Choose one of those that are offered.") -> Reader:
    """A reader of one of some words.

    Parameters: known, the words; wrong, what is said of another. Source: derivation.
    """

    def read_one(value: Any, about: str) -> str:
        if value not in known:
            raise OutOfRange(wrong, about)
        return str(value)

    return read_one


def _whole(value: Any, about: str) -> int:
    found = number(value, about)
    if found != int(found):
        raise OutOfRange("Write a whole number.", about)
    return int(found)


def _yes_or_no(value: Any, about: str) -> bool:
    if not isinstance(value, bool):
        raise OutOfRange("Say yes or no.", about)
    return value


def _many(read_each: Reader) -> Reader:
    def read_many(value: Any, about: str) -> tuple[Any, ...]:
        if not isinstance(value, list | tuple):
            raise OutOfRange("Write one for each.", about)
        return tuple(read_each(each, about) for each in value)

    return read_many


def _named(read_each: Reader) -> Reader:
    def read_named(value: Any, about: str) -> dict[str, Any]:
        if not isinstance(value, Mapping):
            raise OutOfRange("Say of what, and how much.", about)
        return {words(name, about): read_each(each, about) for name, each in value.items()}

    return read_named


Note = Annotated[str, ReadBy(lambda value, about: words(value, about).strip())]
Id = Annotated[str, ReadBy(id_of)]
IdOrNone = Annotated[str, ReadBy(lambda value, about: id_of(value, about) if value else "")]
MomentOrNone = Annotated[
    str, ReadBy(lambda value, about: moment_of(value, about).isoformat() if value else "")
]

_BY_TYPE: Mapping[object, Reader] = {
    **{float: number, int: _whole, bool: _yes_or_no, str: words},
    Any: lambda value, about: value,  # what it belongs to reads it
}
_READERS: dict[type, Mapping[str, Reader]] = {}


def _reader(hint: Any) -> Reader:
    """How a value of a type is read."""
    if get_origin(hint) is Annotated:
        told = [each for each in hint.__metadata__ if isinstance(each, ReadBy)]
        return told[0].read if told else _reader(get_args(hint)[0])
    if get_origin(hint) in (Union, UnionType):
        parts = [each for each in get_args(hint) if each is not NoneType]
        choices = [known for each in parts for known in get_args(each)]
        return one_of(*choices) if get_origin(parts[0]) is Literal else _reader(parts[0])
    if get_origin(hint) is Literal:
        return one_of(*get_args(hint))
    if get_origin(hint) is tuple:
        return _many(_reader(get_args(hint)[0]))
    if get_origin(hint) is not None:
        return _named(_reader(get_args(hint)[1]))
    return _BY_TYPE[hint]


def readers(sort: type) -> Mapping[str, Reader]:
    """How each field of a deed is read, by its name. Parameters: sort, its class.

    Source: derivation.
    """
    if sort not in _READERS:
        hints = get_type_hints(sort, include_extras=True)
        _READERS[sort] = {each.name: _reader(hints[each.name]) for each in fields(sort)}
    return _READERS[sort]


def read(kind: str, payload: Mapping[str, Any], deeds: Mapping[str, type[D]], whose: str) -> D:
    """A deed from plain data. What is None is as if it were not said.

    Parameters: kind, its name; payload, its fields; deeds, the classes by kind; whose deeds they
    are, in words. Raises: Unknown for a deed or field that is none of them, OutOfRange by field.
    Source: derivation.
    """
    if kind not in deeds:
        raise Unknown(f"“{kind}” is no deed of {whose}.", "deed")
    sort = deeds[kind]
    known = readers(sort)
    strange = sorted(set(payload) - known.keys())
    if strange:
        raise Unknown(f"“{strange[0]}” does not belong to this deed.", strange[0])
    told = {name: known[name](value, name) for name, value in payload.items() if value is not None}
    for each in fields(sort):
        if _is_needed(each) and each.name not in told:
            raise OutOfRange(f"“{each.name}” is not said.", each.name)
    return sort(**told)


def to_payload(deed: Any) -> dict[str, Any]:
    """A deed as plain data, without what it says by saying nothing: what `read` takes.

    Parameters: deed, of any kind. Source: derivation.
    """
    told = {each.name: getattr(deed, each.name) for each in fields(type(deed))}
    unsaid = {each.name: blank(type(deed), each.name) for each in fields(type(deed))}
    return {
        name: _plain(value)
        for name, value in told.items()
        if value is not None and value != unsaid[name]
    }


def _plain(value: Any) -> Any:
    if isinstance(value, tuple):
        return list(value)
    return dict(value) if isinstance(value, Mapping) else value


def _is_needed(part: Field[Any]) -> bool:
    return part.default is MISSING and part.default_factory is MISSING


def blank(sort: type, name: str) -> Any:
    """What a field of a deed is when nothing is said of it; None where it must be said.

    Parameters: sort, the deed's class; name, of a field of it. Source: derivation.
    """
    part = next(each for each in fields(sort) if each.name == name)
    if part.default_factory is not MISSING:
        return part.default_factory()
    return None if part.default is MISSING else part.default
