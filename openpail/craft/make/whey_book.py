"""The whey of a make: what ran, where it went, what is left; and what is said of it."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.make.deeds import WheyRan, WheyWent
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe

_SALTY_PCT = 0.5
_SOUR = frozenset({"acid_heat_soft", "acid_heat_pressed", "lactic", "stretched_quick", "bloomy"})


@dataclass(frozen=True, slots=True, kw_only=True)
class WheyBook:
    """ran, L: measured, else expected (about); kept for whey cheese; went, to each what, L; left;
    says, what to heed."""

    ran_l: float
    about: bool
    kept_l: float
    went: tuple[tuple[str, float], ...]
    left_l: float
    says: tuple[str, ...]

    @property
    def over_l(self) -> float:
        """What went more than ran, 0 where all adds up."""
        return max(0.0, -self.left_l)


def whey_book(recipe: Recipe, standing: Standing, expected_l: float, salt_g: float) -> WheyBook:
    """Where the whey of a make went.

    Parameters: recipe; standing; expected_l of whey; salt_g that is in it, 0 for none. Source: mass
    balance.
    """
    measured = [deed.litres for _, deed in standing.of(WheyRan)]
    ran = measured[-1] if measured else expected_l
    kept = sum(each.litres for each in standing.whey)
    went: dict[str, float] = {}
    for _, deed in standing.of(WheyWent):
        went[deed.to] = went.get(deed.to, 0.0) + deed.litres
    left = ran - kept - sum(went.values())
    says = []
    if ran > 0 and salt_g / (10 * ran) > _SALTY_PCT:
        pct = salt_g / (10 * ran)
        says.append(f"It holds about {pct:.1f} % salt: not for animals or land without care.")
    if recipe.family in _SOUR:
        says.append(
            "It is sour: animals get it thinned and not alone, land only a little at a time."
        )
    return WheyBook(
        ran_l=ran,
        about=not measured,
        kept_l=kept,
        went=tuple(went.items()),
        left_l=left,
        says=tuple(says),
    )
