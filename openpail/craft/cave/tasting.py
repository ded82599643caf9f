"""Tastings: each taster alone, blind to the others until all have; disagreement is shown, and
never averaged away."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from openpail.craft.cave.deeds import (
    ASPECTS,
    FAULTS,
    MARKS,
    PieceTold,
    Tasted,
    TastingBegun,
    TastingClosed,
)
from openpail.craft.errors import NotPossible, OutOfRange

Outcome = Literal["good", "mixed", "poor"]
OUTCOMES: dict[Outcome, str] = {
    "good": "good: all would make it again",
    "mixed": "mixed",
    "poor": "poor: somebody would not make it again",
}
MOST_TASTERS, LONGEST_NAME = 12, 40
_APART = 2  # marks of the ladder


@dataclass(frozen=True, slots=True)
class AspectSaid:
    """What the tasters say of one aspect: who says which mark; apart: they differ by two marks or
    more."""

    aspect: str
    said: tuple[tuple[str, str], ...]

    @property
    def apart(self) -> bool:
        """Whether they differ so much that it is worth talking about."""
        steps = [MARKS.index(mark) for _, mark in self.said if mark in MARKS]
        return bool(steps) and max(steps) - min(steps) >= _APART

    def who(self, mark: str) -> tuple[str, ...]:
        """Who says this mark."""
        return tuple(name for name, told in self.said if told == mark)


@dataclass(frozen=True, slots=True, kw_only=True)
class Tasting:
    """A piece as it was tasted: the deed that began it, when, by whom it was to be, what each said
    by now, and whether it was opened before all had."""

    id: str
    at: datetime
    tasters: tuple[str, ...]
    tastes: tuple[Tasted, ...] = ()
    closed: bool = False

    @property
    def absent(self) -> tuple[str, ...]:
        """Who has not tasted."""
        done = {each.taster for each in self.tastes}
        return tuple(name for name in self.tasters if name not in done)

    @property
    def waits_for(self) -> tuple[str, ...]:
        """Who is still to taste; nobody once it is open to all."""
        return () if self.closed else self.absent

    @property
    def is_blind(self) -> bool:
        """Whether nobody may see yet what the others said."""
        return bool(self.waits_for)

    @property
    def ladders(self) -> tuple[AspectSaid, ...]:
        """Each aspect that somebody marked, with who said what."""
        found = []
        for aspect in ASPECTS:
            told = tuple(
                (each.taster, getattr(each, aspect))
                for each in self.tastes
                if getattr(each, aspect)
            )
            if told:
                found.append(AspectSaid(aspect, told))
        return tuple(found)

    @property
    def faults(self) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """Each fault that somebody found, with who did."""
        return tuple(
            (fault, tuple(each.taster for each in self.tastes if fault in each.faults))
            for fault in FAULTS
            if any(fault in each.faults for each in self.tastes)
        )

    @property
    def outcome(self) -> Outcome | None:
        """How it ate, None while it is blind or nobody said."""
        if self.is_blind or not self.tastes:
            return None
        again = {each.again for each in self.tastes}
        marks = [each.taste for each in self.tastes if each.taste]
        if "no" in again or "poor" in marks:
            return "poor"
        well = again <= {"yes", ""} and all(mark in ("good", "fine") for mark in marks)
        return "good" if well and (marks or again - {""}) else "mixed"


def tastings(told: Iterable[PieceTold]) -> tuple[Tasting, ...]:
    """The tastings of a piece, the first first.

    Parameters: told, its deeds that count, by when they happened. Returns: each with what counts of
    it: a taster's first word. Source: derivation.
    """
    found: dict[str, Tasting] = {}
    for each in told:
        match each.deed:
            case TastingBegun(tasters=tasters):
                found[each.id] = Tasting(id=each.id, at=each.at, tasters=tasters)
            case Tasted(tasting=key) if key in found:
                found[key] = _with(found[key], each.deed)
            case TastingClosed(tasting=key) if key in found:
                at = found[key]
                found[key] = Tasting(
                    id=at.id, at=at.at, tasters=at.tasters, tastes=at.tastes, closed=True
                )
    return tuple(found.values())


def _with(tasting: Tasting, taste: Tasted) -> Tasting:
    if any(each.taster == taste.taster for each in tasting.tastes):
        return tasting
    return Tasting(
        id=tasting.id,
        at=tasting.at,
        tasters=tasting.tasters,
        tastes=(*tasting.tastes, taste),
        closed=tasting.closed,
    )


def check_tasting(deed: TastingBegun | Tasted | TastingClosed, told: Iterable[PieceTold]) -> None:
    """Refuse a tasting that cannot be.

    Parameters: deed; told, the deeds of the piece that count. Raises: OutOfRange by field,
    NotPossible. Source: our own judgement: each alone, once.
    """
    there = {each.id: each for each in tastings(told)}
    if isinstance(deed, TastingBegun):
        _check_begun(deed, there.values())
        return
    at = there.get(deed.tasting)
    if at is None:
        raise NotPossible("That tasting was not begun, or was taken back.", "tasting")
    if isinstance(deed, TastingClosed):
        if not at.is_blind:
            raise NotPossible("It is open to all already.", "tasting")
        if not at.tastes:
            raise NotPossible("Nobody has tasted yet.", "tasting")
        return
    if deed.taster not in at.tasters:
        raise OutOfRange("Say who tastes: one of those it was set out for.", "taster")
    if any(each.taster == deed.taster for each in at.tastes):
        raise NotPossible(f"{deed.taster} has tasted already.", "taster")
    if at.closed:
        raise NotPossible("It is open to all: a word now would not be blind.", "tasting")
    if not deed.taste:
        raise OutOfRange("Say at least how it tastes.", "taste")
    strange = [each for each in deed.faults if each not in FAULTS]
    if strange:
        raise OutOfRange("Choose faults of those that are offered.", "faults")


def _check_begun(deed: TastingBegun, others: Iterable[Tasting]) -> None:
    names = [name.strip() for name in deed.tasters]
    if not 1 <= len(names) <= MOST_TASTERS or not all(names):
        raise OutOfRange(f"Write who tastes, 1 to {MOST_TASTERS} names.", "tasters")
    if len({name.casefold() for name in names}) < len(names):
        raise OutOfRange("Two of them have one name: nobody could tell them apart.", "tasters")
    if any(len(name) > LONGEST_NAME for name in names):
        raise OutOfRange(f"A name has at most {LONGEST_NAME} letters.", "tasters")
    if any(each.is_blind for each in others):
        raise NotPossible("It is being tasted already: finish that first.", "tasters")
