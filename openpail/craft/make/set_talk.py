"""What the first flocks say: against what was expected, of the cut, and of the bottle."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from math import ceil

from openpail.craft.house import House
from openpail.craft.make.additions import expected_flocks
from openpail.craft.make.asks import flocks_asked
from openpail.craft.make.day import MakeDay, cut_after
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.standing import odd_flocks
from openpail.craft.recipe.recipe import Recipe

# Times the expected: a table of the flocks to come ends there, later ones are worked out when seen.
_LATEST_FLOCKS = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class FlocksSaid:
    """The first flocks: minutes seen and expected, when to cut now (None once it broke clean), and
    what they say."""

    seen_min: float
    expected_min: float
    cut_at: datetime | None
    words: str


def flocks_said(recipe: Recipe, sheet: Frozen, day: MakeDay) -> FlocksSaid | None:
    """What the first flocks say; None before they are seen, or without a rennet.

    Parameters: recipe and sheet; day, the steps on the clock, which has the moment of the cut.
    Source: rennet flocculation; house values.
    """
    seen = day.standing.flocks_min
    if sheet.set is None or seen is None:
        return None
    expected = expected_flocks(recipe, sheet, day.standing)
    counts = bool(day.standing.flocks_count)
    words = _words(seen, expected, sheet.house, counts=counts)
    return FlocksSaid(seen_min=seen, expected_min=expected, cut_at=day.cut_at, words=words)


def _words(seen: float, expected: float, house: House, *, counts: bool) -> str:
    share = seen / expected
    if odd_flocks(seen, expected, house) and not counts:
        return (
            "So far off that nothing is learnt of the bottle by it. The cut follows what you saw, "
            "and the clean break has the last word."
        )
    if abs(share - 1) <= house.number("set.as_expected"):
        return "As expected: the bottle does what is known of it."
    if share > 1:
        weak = "a weaker bottle, a colder milk or a sweeter one"
        grave = (
            " Wait for the clean break, whatever the clock says."
            if share > house.number("set.weak")
            else ""
        )
        return f"{100 * (share - 1):.0f} % later than expected: {weak}. The cut follows.{grave}"
    return (
        f"{100 * (1 - share):.0f} % sooner than expected: a stronger bottle, a warmer milk or a "
        "sourer one. The cut follows: have the knife ready."
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class CutBy:
    """When the set is to be cut, by when the flocks are seen: minutes after the rennet of both.

    asks: what is asked before flocks so far off are taken, "" for nothing.
    """

    flocks_min: int
    cut_min: float
    asks: str = ""


def cuts_by_flocks(sheet: Frozen, expected_min: float) -> tuple[CutBy, ...]:
    """When to cut, for every minute at which the first flocks may be seen; () without a rennet.

    Parameters: sheet; expected_min, when the flocks are expected, minutes after the rennet, 0 where
    nothing tells. Source: rennet flocculation.
    """
    if sheet.set is None or expected_min <= 0:
        return ()
    return tuple(
        CutBy(
            flocks_min=minute,
            cut_min=round(cut_after(minute, sheet.set.multiplier.value), 1),
            asks=flocks_asked(minute, expected_min, sheet.house),
        )
        for minute in range(1, ceil(_LATEST_FLOCKS * expected_min) + 1)
    )


def wants_help(looks: int, house: House) -> bool:
    """Whether a set that was tried so often without a clean break wants help.

    Parameters: looks, how often it was not firm; house. Source: house value.
    """
    return looks >= house.number("set.tries")
