"""What can happen to a tub of brine: one small dataclass a deed, there and back as plain data."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, ClassVar, Literal, get_args

from openpail.craft.deed import read
from openpail.craft.salt.brine import ReadBy

Floats = Literal["sinks", "just", "high"]
FLOAT_WORDS: Mapping[Floats, str] = {
    "sinks": "it sinks, or hangs in the middle",
    "just": "it just floats",
    "high": "it floats a finger high",
}


@dataclass(frozen=True, slots=True)
class Made:
    """Brine is made, or bought, or whey is salted: litres of it in the tub, % salt; whey: it is of
    whey, strained and heated, with its own calcium and acid."""

    litres: float
    pct: float
    whey: bool = False
    kind: ClassVar[str] = "made"


@dataclass(frozen=True, slots=True, kw_only=True)
class Read:
    """Its strength is read: value on the scale of an instrument, °C of the brine; pH where it was
    read too; litres that stand in the tub, where somebody looked. word, where it is far from what
    was expected."""

    value: float
    by: ReadBy
    celsius: float = 20.0
    ph: float | None = None
    litres: float | None = None
    word: str = ""
    kind: ClassVar[str] = "read"


@dataclass(frozen=True, slots=True)
class PhRead:
    """Its pH is read, or set with vinegar and read again."""

    ph: float
    kind: ClassVar[str] = "ph"


@dataclass(frozen=True, slots=True)
class Floated:
    """How a cheese lies in it: a sign, not a figure; word, where it speaks against what is
    known."""

    how: Floats
    word: str = ""
    kind: ClassVar[str] = "floated"


@dataclass(frozen=True, slots=True)
class SaltIn:
    """Salt goes into it: kg; word, where that is more than it can hold."""

    kg: float
    word: str = ""
    kind: ClassVar[str] = "salt_in"


@dataclass(frozen=True, slots=True)
class WaterIn:
    """Water goes into it: litres."""

    litres: float
    kind: ClassVar[str] = "water_in"


@dataclass(frozen=True, slots=True)
class CalciumIn:
    """Calcium chloride goes into it: g of the dihydrate."""

    grams: float
    kind: ClassVar[str] = "calcium_in"


@dataclass(frozen=True, slots=True)
class Cleaned:
    """It was strained through a cloth, or boiled, skimmed and cooled."""

    how: Literal["strained", "boiled"]
    kind: ClassVar[str] = "cleaned"


@dataclass(frozen=True, slots=True)
class Discarded:
    """It is poured away, and why."""

    word: str
    kind: ClassVar[str] = "discarded"


@dataclass(frozen=True, slots=True)
class TubUndone:
    """A deed did not happen: a slip of the finger."""

    kind: ClassVar[str] = "undo"


TubDeed = (
    Made | Read | PhRead | Floated | SaltIn | WaterIn | CalciumIn | Cleaned | Discarded | TubUndone
)
TUB_DEEDS: Mapping[str, type[TubDeed]] = {each.kind: each for each in get_args(TubDeed)}


@dataclass(frozen=True, slots=True, kw_only=True)
class TubTold:
    """A deed as it was told: its id, when, of which deed it speaks where it mends one, and the
    count of the deeds before it, which tells two of one moment apart."""

    id: str
    deed: TubDeed
    at: datetime
    amends: str | None = None
    counter: int = 0


@dataclass(frozen=True, slots=True)
class Batch:
    """What a batch of cheese took out of the brine: when it came out, kg of salt, what it was."""

    at: datetime
    salt_kg: float
    words: str = ""


def read_deed(kind: str, payload: Mapping[str, Any]) -> TubDeed:
    """A deed of a tub from plain data. Raises: Unknown, OutOfRange by field.

    Parameters: kind, its name; payload, its fields.
    """
    return read(kind, payload, TUB_DEEDS, "a brine")
