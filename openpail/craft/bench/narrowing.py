"""What the Bench says of a blend: its ratios, how wide they are, and what would narrow them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from math import hypot
from typing import NamedTuple

from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.milk.blend import Blend, Pour
from openpail.craft.recipe.yields import fat_in_dry_matter


def casein_to_fat(blend: Blend) -> Figure | None:
    """Casein to fat of a blend, a ratio; None without fat. Source: derivation."""
    return _to_fat(blend, blend.casein, "casein")


def protein_to_fat(blend: Blend) -> Figure | None:
    """True protein to fat of a blend, a ratio; None without fat. Source: derivation."""
    return _to_fat(blend, blend.protein, "true protein")


def _to_fat(blend: Blend, part: Figure, name: str) -> Figure | None:
    fat = blend.fat
    if fat.value <= 0 or part.value <= 0:
        return None
    figure = Figure.start(name, part.value, "%", rests_on_assumed=part.rests_on_assumed).times(
        f"for each of {fat.value:.2f} % fat", 1 / fat.value, into="×", about=fat.rests_on_assumed
    )
    spread = hypot((part.sd or 0.0) / part.value, (fat.sd or 0.0) / fat.value)
    return figure.give_or_take(spread * figure.value)


def fdm(blend: Blend, family: str, house: House) -> Figure:
    """Fat in dry matter of the cheese a blend gives, %.

    Parameters: blend; family; house. Raises: Unknown family. Source: yield form.
    """

    def of(fat: float, casein: float) -> float:
        whey = max(0.0, blend.protein.value - casein)
        return 100 * fat_in_dry_matter(family, fat, casein, house, whey)

    fat, casein = blend.fat, blend.casein
    value = of(fat.value, casein.value)
    sd = hypot(
        of(fat.value + (fat.sd or 0.0), casein.value) - value,
        of(fat.value, casein.value + (casein.sd or 0.0)) - value,
    )
    about = fat.rests_on_assumed or casein.rests_on_assumed
    return Figure.start(
        f"fat kept against all solids, {fat.value:.2f} % fat and {casein.value:.2f} % casein",
        value,
        "%",
        source="house value, yield factors",
        sd=sd,
        rests_on_assumed=about,
    )


class Narrowing(NamedTuple):
    """The one measurement that narrows a result most: of which milk, and from how wide to; asks,
    what the slip of that milk left open, "" where a test is what lacks."""

    lot: str
    test: str
    sd: float
    sd_after: float
    asks: str = ""


_TEST_WORDS = {"fat": "fat", "casein": "protein"}


def which_protein(pours: Sequence[Pour]) -> str:
    """What to ask of a slip that names a protein without saying which; "" where none does.

    Parameters: pours. Source: derivation.
    """
    untold = [each.name for each in pours if each.milk.protein_untold]
    return f"Say which protein the slip of {untold[0]} names, true or crude" if untold else ""


def most_useful(pours: Sequence[Pour], house: House) -> Narrowing | None:
    """Which single measurement would narrow casein to fat most, None when none would.

    Each assumed part of each pour is moved by its standard deviation, then taken as tested.

    Parameters: pours, at least one; house, for how rough a test is.
    Returns: the lot, the test, and the ratio's standard deviation before and after.
    Source: derivation (central differences, summed in squares).
    """
    if sum(each.mass.value * each.milk.fat.value for each in pours) <= 0:
        return None
    ratio = _ratio_of(pours)
    after_test = {
        "fat": house.number("milk.test_fat_sd"),
        "casein": house.number("milk.test_protein_sd"),
    }
    shares: list[_Share] = []
    for i, each in enumerate(pours):
        for part in ("fat", "casein"):
            figure: Figure = getattr(each.milk, part)
            if figure.sd:
                slope = (ratio(i, part, figure.sd) - ratio(i, part, -figure.sd)) / (2 * figure.sd)
                shares.append(_Share(pour=each, part=part, slope=abs(slope), figure=figure))
    total = sum((share.slope * (share.figure.sd or 0.0)) ** 2 for share in shares)
    best: Narrowing | None = None
    for share in (s for s in shares if s.figure.rests_on_assumed):
        own = (share.slope * (share.figure.sd or 0.0)) ** 2
        rest = total - own + (share.slope * after_test[share.part]) ** 2
        if rest < total and (best is None or rest < best.sd_after**2):
            asks = which_protein([share.pour]) if share.part == "casein" else ""
            test = _TEST_WORDS[share.part]
            best = Narrowing(share.pour.name, test, total**0.5, max(0.0, rest) ** 0.5, asks)
    return best


@dataclass(frozen=True, slots=True, kw_only=True)
class _Share:
    pour: Pour
    part: str
    slope: float
    figure: Figure


def _ratio_of(pours: Sequence[Pour]) -> Callable[[int, str, float], float]:
    """Casein to fat of the pours with one part of one of them moved."""

    def ratio(moved: int, part: str, by: float) -> float:
        totals = {"fat": 0.0, "casein": 0.0}
        for i, each in enumerate(pours):
            for name in totals:
                value = getattr(each.milk, name).value + (by if (i, name) == (moved, part) else 0.0)
                totals[name] += each.mass.value * value
        return totals["casein"] / totals["fat"]

    return ratio
