"""What stays said of milk, and of all that is made of it, because it happened.

A closed set. Marks are worked out of the facts each time, and are only ever joined: what is poured
together, skimmed off, runs off as whey or becomes a cheese has the marks of all that went into it.
One goes when the fact that it rests on was told wrong and is told right, and then everywhere.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Literal, get_args

MarkKey = Literal[
    "residue",
    "withdrawal",
    "colostrum",
    "discard",
    "slow-acid",
    "stood",
    "coliforms",
    "soured",
    "off-smell",
    "plates",
    "old",
    "gas",
    "spots",
    "raw-soft",
]
MARK_KEYS: tuple[MarkKey, ...] = get_args(MarkKey)  # the gravest first
RAW_SOFT: MarkKey = "raw-soft"

_UNTESTED = "It is not eaten, sold or fed unless a test says so."


@dataclass(frozen=True, slots=True, kw_only=True)
class MarkSort:
    """What a mark means.

    title: in a word; is_bar: no word lifts it; leaves: why a piece does not leave, "" where the
    days of its ageing answer that; label: what stands on the draft of its label.
    """

    title: str
    leaves: str
    label: str
    is_bar: bool = False


MARK_SORTS: Mapping[MarkKey, MarkSort] = {
    "residue": MarkSort(
        title="Residue",
        leaves="A residue was found in its milk: no cheese. It is not eaten, sold or fed.",
        label="RESIDUE IN ITS MILK: not eaten, sold or fed",
        is_bar=True,
    ),
    "withdrawal": MarkSort(
        title="Withdrawal",
        leaves="An animal of its milk was on withdrawal: no cheese. It is not eaten, sold or fed.",
        label="MILK ON WITHDRAWAL: not eaten, sold or fed",
        is_bar=True,
    ),
    "colostrum": MarkSort(
        title="Colostrum, or a sick animal",
        leaves="Colostrum, or milk of a sick animal, was in it: no cheese. It is not eaten or "
        "sold.",
        label="COLOSTRUM OR SICK MILK: not eaten or sold",
        is_bar=True,
    ),
    "discard": MarkSort(
        title="To be discarded",
        leaves="Its milk was to be discarded: a toxin may be in it, and outlives cooking. It is "
        "not eaten, sold or fed.",
        label="MILK TO BE DISCARDED: not eaten, sold or fed",
        is_bar=True,
    ),
    "slow-acid": MarkSort(
        title="Slow acid",
        leaves=f"Its acid was slow: a toxin may be in it, and outlives cooking. {_UNTESTED}",
        label="SLOW ACID: not eaten, sold or fed unless tested",
    ),
    "stood": MarkSort(
        title="Stood warm",
        leaves="Its milk stood warm, or unread, before its culture: a toxin may be in it, and "
        f"outlives cooking. {_UNTESTED}",
        label="STOOD WARM: not eaten, sold or fed unless tested",
    ),
    "coliforms": MarkSort(
        title="Gas of dirty milk",
        leaves=f"Gas of dirty milk was in its curd: germs that make ill may be in it. {_UNTESTED}",
        label="GAS OF DIRTY MILK: not eaten, sold or fed unless tested",
    ),
    "soured": MarkSort(
        title="Soured by itself",
        leaves="Its milk had soured by itself, of germs that nobody chose. It is not eaten, sold "
        "or fed unless a test says so.",
        label="MILK SOURED BY ITSELF: not eaten, sold or fed unless tested",
    ),
    "off-smell": MarkSort(
        title="Smelled off",
        leaves=f"Its milk smelled off. {_UNTESTED}",
        label="MILK SMELLED OFF: not eaten, sold or fed unless tested",
    ),
    "plates": MarkSort(
        title="Too many germs",
        leaves=f"Its milk had too many germs for this cheese. {_UNTESTED}",
        label="PLATE COUNT TOO HIGH: not eaten or sold unless tested",
    ),
    "old": MarkSort(
        title="Too old",
        leaves=f"Its milk was too old for this cheese. {_UNTESTED}",
        label="MILK TOO OLD: not eaten or sold unless tested",
    ),
    "gas": MarkSort(
        title="Gas in raw curd",
        leaves=f"Gas was in its raw curd: germs that make ill may be in it. {_UNTESTED}",
        label="GAS IN RAW CURD: not eaten or sold unless tested",
    ),
    "spots": MarkSort(
        title="Strange mould",
        leaves="A mould that its plan does not name grew on it, and goes through so moist a "
        "cheese: discard it.",
        label="STRANGE MOULD: not eaten or sold",
    ),
    "raw-soft": MarkSort(
        title="Raw and soft", leaves="", label="Soft, of raw milk: sold only where a law allows it"
    ),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Mark:
    """One thing that happened, and stays.

    key, of the closed set; words: what was found; of: the milk or the make that it happened to;
    word: what its maker wrote to go on all the same; known_at: since when it is known, None where
    it was known as it began.
    """

    key: MarkKey
    words: str
    of: str = ""
    word: str = ""
    known_at: datetime | None = None

    @property
    def sort(self) -> MarkSort:
        """What it means."""
        return MARK_SORTS[self.key]

    @property
    def said(self) -> str:
        """What it happened to, what was found, and what its maker wrote."""
        of = f"{self.of}: " if self.of else ""
        return f"{of}{self.words} {self.word}".strip()


Marks = tuple[Mark, ...]
NO_MARKS: Marks = ()


def joined(*of_each: Iterable[Mark]) -> Marks:
    """All marks of what comes together: none is lost, none is said twice; the gravest first.

    Parameters: of_each, the marks of each part. Source: our own judgement: a hazard joins whole.
    """
    every: dict[tuple[MarkKey, str, str], Mark] = {}
    for mark in (mark for part in of_each for mark in part):
        same = mark.key, mark.of, mark.words
        kept = every.get(same)
        word = max((kept.word if kept else "", mark.word), key=len)
        known = min(
            (each.known_at for each in (kept, mark) if each and each.known_at), default=None
        )
        every[same] = replace(mark, word=word, known_at=known)
    return tuple(
        sorted(every.values(), key=lambda each: (MARK_KEYS.index(each.key), each.of, each.words))
    )


def as_key(text: str) -> MarkKey | None:
    """The mark of a caution's key, None where nothing stays of it. Parameters: text.
    Source: derivation."""
    return next((key for key in MARK_KEYS if key == text), None)


def gravest(marks: Iterable[Mark]) -> Mark | None:
    """The gravest of marks that may make ill, None where none does.

    Parameters: marks, as `joined` has them. Source: our own judgement, the order of the set.
    """
    return next((each for each in marks if each.sort.leaves), None)


def bars(marks: Iterable[Mark]) -> Marks:
    """Those of marks that no word lifts. Parameters: marks. Source: handbook of milk."""
    return tuple(each for each in marks if each.sort.is_bar)
