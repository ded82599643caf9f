"""A mould in numbers, and how so much curd fills it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from math import ceil, pi
from typing import Annotated, Literal

from annotated_types import Ge, Le

from openpail.craft.errors import OutOfRange
from openpail.craft.house import House
from openpail.craft.press.load import round_area_cm2

MouldSort = Literal["pressing", "hoop", "basket"]
MOULD_WORDS: dict[MouldSort, str] = {
    "pressing": "with a follower, to be pressed",
    "hoop": "open hoop, no bottom",
    "basket": "draining basket",
}
_COLLAR_CM = 0.5
_FLAT, _FULL = 0.35, 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Mould:
    """A mould by its measures: across_cm, a round one's width or the longer side, 2 to 120;
    side_cm, the other side, None for a round one; height_cm inside, 1 to 60; follower_cm, the
    follower's width where it is narrower, None where nobody measured it."""

    sort: MouldSort
    across_cm: Annotated[float, Ge(2), Le(120)]
    height_cm: Annotated[float, Ge(1), Le(60)]
    side_cm: Annotated[float, Ge(2), Le(120)] | None = None
    follower_cm: Annotated[float, Ge(2), Le(120)] | None = None

    def __post_init__(self) -> None:
        for value, low, high, about, words in (
            (self.across_cm, 2, 120, "across", "A mould is 2 to 120 cm wide."),
            (self.side_cm, 2, 120, "side", "A side is 2 to 120 cm long."),
            (self.height_cm, 1, 60, "height", "A mould is 1 to 60 cm high."),
            (self.follower_cm, 2, self.across_cm, "follower", "A follower fits into its mould."),
        ):
            if value is not None and not low <= value <= high:
                raise OutOfRange(words, about)

    @property
    def floor_cm2(self) -> float:
        """What the curd stands on."""
        if self.side_cm is None:
            return round_area_cm2(self.across_cm)
        return self.across_cm * self.side_cm

    @property
    def area_cm2(self) -> float:
        """What a load lies on: the follower where it was measured, else the mould."""
        if self.follower_cm is None:
            return self.floor_cm2
        return self.floor_cm2 * (self.follower_cm / self.across_cm) ** 2

    @property
    def volume_l(self) -> float:
        """What it holds to the rim."""
        return self.floor_cm2 * self.height_cm / 1000

    def height_of(self, cheese_kg: float, house: House) -> float:
        """How high a cheese of so many kg stands in it, cm.

        Parameters: cheese_kg, 0 or more; house. Source: house value.
        """
        return 1000 * cheese_kg / house.number("press.cheese_kg_per_l") / self.floor_cm2

    def surface_cm2(self, cheese_kg: float, house: House) -> float:
        """All the faces of a cheese that came out of it, cm².

        Parameters: cheese_kg, 0 or more; house. Source: derivation.
        """
        high = self.height_of(cheese_kg, house)
        around = (
            pi * self.across_cm if self.side_cm is None else 2 * (self.across_cm + self.side_cm)
        )
        return 2 * self.floor_cm2 + around * high


@dataclass(frozen=True, slots=True, kw_only=True)
class Filling:
    """So many moulds of one sort, filled with a curd.

    each_kg of curd goes into each; fill_cm, how high it stands at first; over_cm, how far over the
    rim, 0 when it does not; cheese_cm, how high the cheese is in the end; fits: whether that is
    neither a pancake nor more than the mould holds.
    """

    count: int
    each_kg: float
    fill_cm: float
    over_cm: float
    cheese_cm: float
    fits: bool

    @property
    def wants_collar(self) -> bool:
        """Whether the curd stands so far over the rim that it wants a collar."""
        return self.over_cm > _COLLAR_CM


def fill(curd_kg: float, cheese_kg: float, count: int, mould: Mould, house: House) -> Filling:
    """How a curd fills so many moulds, in equal parts by weight.

    Parameters: curd_kg, as it goes in; cheese_kg, expected of it; both over 0; count, 1 or more;
    mould; house. Raises: OutOfRange. Source: mass balance; house values.
    """
    if min(curd_kg, cheese_kg) <= 0 or count < 1:
        raise OutOfRange("Some curd, and at least one mould.")
    each = curd_kg / count
    if mould.sort == "pressing":
        high = 1000 * each / house.number("press.loose_curd") / mould.floor_cm2
    else:
        high = house.number("press.ladled_sinks") * mould.height_of(cheese_kg / count, house)
    cheese = mould.height_of(cheese_kg / count, house)
    fits = _FLAT * mould.height_cm <= cheese <= _FULL * mould.height_cm
    return Filling(
        count=count,
        each_kg=each,
        fill_cm=high,
        over_cm=max(0.0, high - mould.height_cm),
        cheese_cm=cheese,
        fits=fits,
    )


def fewest(cheese_kg: float, mould: Mould, house: House) -> int:
    """The fewest moulds of a sort that hold a cheese, 1 or more: moulds are whole.

    Parameters: cheese_kg, over 0; mould; house. Source: derivation.
    """
    return max(1, ceil(mould.height_of(cheese_kg, house) / (_FULL * mould.height_cm) - 0.02))


def choices(
    curd_kg: float, cheese_kg: float, moulds: Iterable[tuple[str, Mould, int]], house: House
) -> list[tuple[str, Filling]]:
    """Which moulds for this curd: each sort at its fewest, what fits well first.

    Parameters: curd_kg and cheese_kg, over 0; moulds, of each sort its name, measures and how many
    there are; house. Returns: sorts of which there are too few are left out.
    Source: derivation.
    """
    found = []
    for name, mould, there in moulds:
        count = fewest(cheese_kg, mould, house)
        if count <= there:
            found.append((name, fill(curd_kg, cheese_kg, count, mould, house)))
    return sorted(found, key=lambda pair: (not pair[1].fits, pair[1].count, pair[1].over_cm))
