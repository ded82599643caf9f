"""What the first flocks say: against what was expected, of the cut, and of the bottle."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.make.additions import expected_flocks
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.standing import Standing, odd_flocks
from openpail.craft.recipe.recipe import Recipe

_AS_EXPECTED = 0.15
_WEAK = 1.25
_TRIES = 3


@dataclass(frozen=True, slots=True)
class FlocksSaid:
    """The first flocks: minutes seen and expected, when to cut now, and what they say."""

    seen_min: float
    expected_min: float
    cut_at: datetime
    words: str


def flocks_said(recipe: Recipe, sheet: Frozen, standing: Standing) -> FlocksSaid | None:
    """What the first flocks say; None before they are seen, or without a rennet.

    Parameters: recipe and sheet; standing. Source: rennet flocculation; house values.
    """
    seen, times = standing.flocks_min, sheet.set
    if times is None or seen is None or standing.rennet_at is None:
        return None
    expected = expected_flocks(recipe, sheet, standing)
    believed = standing.believed_min(expected)
    cut = times.cut.value if believed is None else believed * times.multiplier.value
    cut_at = standing.rennet_at + timedelta(minutes=cut)
    return FlocksSaid(seen, expected, cut_at, _words(seen, expected, believed is not None))


def _words(seen: float, expected: float, counts: bool) -> str:
    share = seen / expected
    if odd_flocks(seen, expected) and not counts:
        return "So far off that it moves neither the cut nor what is learnt of the bottle."
    if abs(share - 1) <= _AS_EXPECTED:
        return "As expected: the bottle does what is known of it."
    if share > 1:
        weak = "a weaker bottle, a colder milk or a sweeter one"
        grave = " Wait for the clean break, whatever the clock says." if share > _WEAK else ""
        return f"{100 * (share - 1):.0f} % later than expected: {weak}. The cut follows.{grave}"
    return (
        f"{100 * (1 - share):.0f} % sooner than expected: a stronger bottle, a warmer milk or a "
        "sourer one. The cut follows: have the knife ready."
    )


def wants_help(looks: int) -> bool:
    """Whether a set that was tried so often without a clean break wants help.

    Parameters: looks, how often it was not firm. Source: house value.
    """
    return looks >= _TRIES
