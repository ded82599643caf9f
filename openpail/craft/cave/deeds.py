"""What can happen to a piece at rest: one small dataclass a deed, there and back as plain data."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, ClassVar, Literal, get_args

from openpail.craft.deed import read

OUTS: Mapping[str, str] = {
    "eaten": "eaten here",
    "sold": "sold",
    "given": "given away",
    "thrown": "thrown away",
}
By = Literal["typed", "shelf", "label"]
Seal = Literal["wrap", "foil", "bag", "wax", "cloth", "oil"]
SEALS: Mapping[Seal, str] = {
    "wrap": "in paper",
    "foil": "in foil",
    "bag": "in a bag",
    "wax": "in wax",
    "cloth": "in cloth and fat",
    "oil": "in oil",
}
Ripe = Literal["young", "right", "past"]
RIPE: Mapping[Ripe, str] = {
    "young": "too young still",
    "right": "as it should be",
    "past": "past its best",
}

Mark = Literal["poor", "fair", "good", "fine"]
MARKS: tuple[Mark, ...] = get_args(Mark)
ASPECTS: Mapping[str, str] = {
    "look": "Appearance",
    "cut": "Cut",
    "smell": "Smell",
    "texture": "Texture",
    "taste": "Taste",
}
FAULTS: Mapping[str, str] = {
    "bitter": "bitter",
    "sour": "sour",
    "rancid": "rancid",
    "yeasty": "yeasty",
    "ammonia": "ammonia",
    "gas": "gas holes",
    "slip_skin": "slip skin",
    "cracked": "cracked",
    "dry": "dry",
    "wet": "wet",
    "bland": "bland",
    "too_salty": "too salty",
    "not_salty": "wants salt",
}
Again = Literal["yes", "changed", "no"]
AGAIN: Mapping[Again, str] = {"yes": "yes", "changed": "yes, changed", "no": "no"}
Cook = Literal["holds", "softens", "melts", "weeps"]
COOK: Mapping[Cook, str] = {
    "holds": "holds its shape",
    "softens": "softens",
    "melts": "melts smooth",
    "weeps": "melts and weeps fat",
}
Stretch = Literal["breaks", "short", "long"]
STRETCH: Mapping[Stretch, str] = {
    "breaks": "breaks",
    "short": "short strings",
    "long": "long strings",
}


@dataclass(frozen=True, slots=True)
class Cared:
    """A care is done: key of its stage and its own."""

    stage: str
    key: str
    word: str = ""
    kind: ClassVar[str] = "cared"


@dataclass(frozen=True, slots=True)
class Seen:
    """A sign was looked at or felt: its key, and the step it is at, from 0."""

    sign: str
    step: int
    word: str = ""
    kind: ClassVar[str] = "seen"


@dataclass(frozen=True, slots=True)
class WeighedAgain:
    """It was weighed: kg of what is there of it."""

    kg: float
    word: str = ""
    kind: ClassVar[str] = "weighed_again"


@dataclass(frozen=True, slots=True, kw_only=True)
class MovedTo:
    """It was moved: its number as it was told, and how; to which place and shelf (0: any); the key
    of the stage that begins with it, "" where its stage goes on."""

    label: str
    place: str
    shelf: int = 0
    stage: str = ""
    by: By = "typed"
    word: str = ""
    kind: ClassVar[str] = "moved"


@dataclass(frozen=True, slots=True, kw_only=True)
class Sealed:
    """It was sealed: its number as it was told; in what; the step of its rind (`dry` of the signs),
    None where nobody looked."""

    label: str
    how: Seal
    rind: int | None = None
    by: By = "typed"
    word: str = ""
    kind: ClassVar[str] = "sealed"


@dataclass(frozen=True, slots=True)
class Opened:
    """What it was sealed in was taken off."""

    label: str
    by: By = "typed"
    kind: ClassVar[str] = "opened"


@dataclass(frozen=True, slots=True, kw_only=True)
class CutUp:
    """It was cut into parts: kg of each, and the place of each."""

    label: str
    kgs: tuple[float, ...]
    places: tuple[str, ...]
    by: By = "typed"
    word: str = ""
    kind: ClassVar[str] = "cut_up"


@dataclass(frozen=True, slots=True)
class EarlyTaste:
    """It was tasted: how ripe it is, and a word about it."""

    ripe: Ripe
    words: str = ""
    word: str = ""
    kind: ClassVar[str] = "early_taste"


@dataclass(frozen=True, slots=True)
class TastingBegun:
    """It is set out to be tasted: who will, each alone."""

    tasters: tuple[str, ...]
    word: str = ""
    kind: ClassVar[str] = "tasting_begun"


@dataclass(frozen=True, slots=True, kw_only=True)
class Tasted:
    """One taster's own word: of which tasting (the id of the deed that began it), who; a mark of
    each aspect, "" for none; faults; whether they would make it again; how it cooks and stretches.
    """

    tasting: str
    taster: str
    look: Mark | Literal[""] = ""
    cut: Mark | Literal[""] = ""
    smell: Mark | Literal[""] = ""
    texture: Mark | Literal[""] = ""
    taste: Mark | Literal[""] = ""
    faults: tuple[str, ...] = ()
    again: Again | Literal[""] = ""
    next_time: str = ""
    cook: Cook | Literal[""] = ""
    stretch: Stretch | Literal[""] = ""
    words: str = ""
    file: str = ""
    kind: ClassVar[str] = "tasted"

    def with_file(self, file: str) -> Tasted:
        """The same with a photo. Parameters: file, its id. Source: derivation."""
        return replace(self, file=file)


@dataclass(frozen=True, slots=True)
class TastingClosed:
    """A tasting is opened to all before everybody tasted."""

    tasting: str
    kind: ClassVar[str] = "tasting_closed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Out:
    """It goes out: where (a key of OUTS), to whom, how many kg (None: all of it), and why."""

    where: str
    to: str = ""
    kg: float | None = None
    why: str = ""
    label: str = ""
    by: By = "typed"
    kind: ClassVar[str] = "out"


@dataclass(frozen=True, slots=True)
class PieceUndone:
    """A deed did not happen; why, where more than a slip of the finger is taken back."""

    why: str = ""
    kind: ClassVar[str] = "undo"


@dataclass(frozen=True, slots=True)
class PieceAmended:
    """A deed happened otherwise: what of it was different; `at` for when."""

    change: Mapping[str, Any] = field(default_factory=dict)
    kind: ClassVar[str] = "amend"


PieceDeed = (
    Cared
    | Seen
    | WeighedAgain
    | MovedTo
    | Sealed
    | Opened
    | CutUp
    | EarlyTaste
    | TastingBegun
    | Tasted
    | TastingClosed
    | Out
    | PieceUndone
    | PieceAmended
)
Named = MovedTo | Sealed | Opened | CutUp | Out
PIECE_DEEDS: Mapping[str, type[PieceDeed]] = {each.kind: each for each in get_args(PieceDeed)}


@dataclass(frozen=True, slots=True, kw_only=True)
class PieceTold:
    """A deed as it was told: its id, when it happened, of which deed it speaks where it mends one,
    and what tells two of one moment apart."""

    id: str
    deed: PieceDeed
    at: datetime
    amends: str | None = None
    counter: int = 0

    @property
    def order(self) -> tuple[datetime, int, str]:
        """By when it happened."""
        return self.at, self.counter, self.id


def read_deed(kind: str, payload: Mapping[str, Any]) -> PieceDeed:
    """A deed of a piece from plain data. Raises: Unknown, OutOfRange by field.

    Parameters: kind, its name; payload, its fields.
    """
    return read(kind, payload, PIECE_DEEDS, "a piece")
