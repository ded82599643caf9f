"""What a text leaves open, asked in the order of the work: a few questions, the rest as usual."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from openpail.formats.written.readings import ChosenReading

MOST_QUESTIONS = 5
_ORDER = ("milk", "heat", "measure", "amount", "strength", "family", "ripens")


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenQuestion:
    """Something that a text leaves open.

    key, of its answer; words it is asked with; choices, value and words of each; example of an
    answer that is typed; usual, what is taken until it is answered, "" where nothing can be; answer
    that was given; wrong, what is wrong with it.
    """

    key: str
    words: str
    choices: tuple[tuple[str, str], ...] = ()
    example: str = ""
    usual: str = ""
    answer: str = ""
    wrong: str = ""


@dataclass(frozen=True, slots=True)
class MakersWord:
    """What the maker said of a text besides it: answers by their question's key, chosen
    readings."""

    answers: Mapping[str, str] = field(default_factory=dict)
    chosen: tuple[ChosenReading, ...] = ()


def in_order(found: Iterable[OpenQuestion]) -> tuple[OpenQuestion, ...]:
    """The questions to ask: at most five, in the order of the work; those without a usual answer
    are never left out.

    Parameters: found, every question that a text leaves open.
    """
    rows = sorted(found, key=lambda each: _ORDER.index(each.key.partition("-")[0]))
    spare = MOST_QUESTIONS - sum(1 for each in rows if not each.usual)
    kept = []
    for each in rows:
        if each.usual:
            if spare <= 0:
                continue
            spare -= 1
        kept.append(each)
    return tuple(kept[:MOST_QUESTIONS])
