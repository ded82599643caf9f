"""What can happen to a piece at rest: it is cared for, and it goes out; each with its limits."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any, ClassVar

from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.recipe.ripening import RAW_DAYS

OUTS: Mapping[str, str] = {
    "eaten": "eaten here",
    "sold": "sold",
    "given": "given away",
    "thrown": "thrown away",
}
LONGEST_WORDS = 300
LEAST_WORDS = 10
_TO_PEOPLE = frozenset({"eaten", "sold", "given"})
_AHEAD = timedelta(minutes=2)
_NOTHING_KG = 0.005


@dataclass(frozen=True, slots=True)
class Cared:
    """A care is done: its id, with all earlier ones of its kind."""

    care: str
    kind: ClassVar[str] = "cared"


@dataclass(frozen=True, slots=True)
class Uncared:
    """A care was not done after all, nor the earlier ones that were over with it: its id."""

    care: str
    kind: ClassVar[str] = "uncared"


@dataclass(frozen=True, slots=True)
class Out:
    """A piece goes out: where (a key of OUTS), to whom, how many kg (None: all of it), and why."""

    where: str
    to: str = ""
    kg: float | None = None
    why: str = ""
    kind: ClassVar[str] = "out"


@dataclass(frozen=True, slots=True)
class Back:
    """A piece, or a part of it, did not go after all: the id of what was told, and why."""

    out: str
    why: str = ""
    kind: ClassVar[str] = "back"


PieceDeed = Cared | Uncared | Out | Back


def to_payload(deed: PieceDeed) -> dict[str, Any]:
    """A deed as plain data. Source: derivation."""
    if isinstance(deed, Cared | Uncared):
        return {"care": deed.care}
    if isinstance(deed, Back):
        return {"out": deed.out, "why": deed.why}
    return {"where": deed.where, "to": deed.to, "kg": deed.kg, "why": deed.why}


@dataclass(frozen=True, slots=True)
class Guarded:
    """What of a piece speaks against its leaving: raw, the day it was made, its lasting marks."""

    raw: bool
    made_on: date
    marks: Collection[str] = ()

    def words(self, where: str, today: date) -> str:
        """Why it does not leave so today without the maker's word, "" when nothing speaks against.

        Parameters: where, a key of OUTS; today. Source: 21 CFR 133, 60 days; house value.
        """
        if where not in _TO_PEOPLE:
            return ""
        if "slow-acid" in self.marks:
            return (
                "Its acid was slow: a toxin may be in it, and outlives cooking. It is not eaten, "
                "sold or fed unless a test says so."
            )
        if "raw-soft" in self.marks:
            return (
                "Soft, of raw milk: no age clears it."
                if where == "eaten"
                else "Soft, of raw milk: no age clears it. It leaves by a law that allows it."
            )
        day = (today - self.made_on).days
        if self.raw and day < RAW_DAYS:
            return f"Of raw milk, on day {day} of {RAW_DAYS}."
        return ""


def check(
    deed: PieceDeed,
    at: datetime,
    now: datetime,
    ended_at: datetime | None,
    left_kg: float,
    guard: str = "",
) -> None:
    """Refuse what cannot happen to a piece, in words.

    Parameters: deed; at, when it happened, and now; ended_at, None while it is there; left_kg of
    it; guard, `Guarded.words`, "" when nothing speaks against it.
    Raises: OutOfRange by field, NotPossible once it is gone. Source: house value.
    """
    if at > now + _AHEAD:
        raise OutOfRange("That has not happened yet. Look at the time.", "happened")
    if isinstance(deed, Back):
        if len(deed.why.strip()) < LEAST_WORDS:
            raise OutOfRange("Write why it is there after all, in a few words.", "back")
        return
    if ended_at is not None:
        raise NotPossible("This piece is gone already: nothing more can be done to it.")
    if isinstance(deed, Cared | Uncared):
        return
    if deed.where not in OUTS:
        raise OutOfRange("Choose what became of it.", "where")
    if max(len(deed.to), len(deed.why)) > LONGEST_WORDS:
        raise OutOfRange(f"At most {LONGEST_WORDS} letters, please.", "why")
    if guard and len(deed.why.strip()) < LEAST_WORDS:
        raise OutOfRange(f"{guard} Write why it leaves all the same; it is kept.", "why")
    if deed.kg is not None and not 0 < deed.kg <= left_kg + _NOTHING_KG:
        raise OutOfRange(f"Write how much of it, up to {left_kg:.2f} kg; blank is all.", "kg")
