"""What covers cheese in a vessel, brine or spirit; and how often to turn what stands out of it."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.press.load import round_area_cm2

OVER_CM = 1.0
_WELL, _HALF = 0.75, 0.45


@dataclass(frozen=True, slots=True)
class TubSize:
    """A tub, box or crock by its inside: across_cm, a round one's width or the longer side, 5 to
    300; side_cm, None for a round one; height_cm, 3 to 150."""

    across_cm: float
    height_cm: float
    side_cm: float | None = None

    def __post_init__(self) -> None:
        for value, low, high, about in (
            (self.across_cm, 5, 300, "across"),
            (self.side_cm, 5, 300, "side"),
            (self.height_cm, 3, 150, "height"),
        ):
            if value is not None and not low <= value <= high:
                raise OutOfRange(f"Write {low} to {high} cm, measured inside.", about)

    @property
    def floor_cm2(self) -> float:
        """Its floor."""
        if self.side_cm is None:
            return round_area_cm2(self.across_cm)
        return self.across_cm * self.side_cm

    @property
    def volume_l(self) -> float:
        """What it holds to the brim."""
        return self.floor_cm2 * self.height_cm / 1000


@dataclass(frozen=True, slots=True, kw_only=True)
class Cover:
    """litres that cover the cheese by a centimetre; deep_cm, how deep it stands then; share of the
    cheese's height that what is at hand reaches, 1 for all of it; turn_hours, how often to turn
    where it does not cover, 0 where it does."""

    litres: float
    deep_cm: float
    share: float
    turn_hours: float


def cover(
    vessel: TubSize,
    pieces: int,
    floor_cm2: float,
    high_cm: float,
    there_l: float | None = None,
) -> Cover:
    """What covers pieces that lie side by side in a vessel.

    Parameters: vessel; pieces, 1 or more; floor_cm2 of one, over 0; high_cm of one, over 0;
    there_l, what is at hand, None for enough. Raises: NotPossible where they find no room beside
    each other or stand over the brim; OutOfRange. Source: volume of the box less the cheese, and
    1 cm; turning, our own judgement.
    """
    if pieces < 1 or floor_cm2 <= 0 or high_cm <= 0:
        raise OutOfRange("At least one piece, of some size.")
    if pieces * floor_cm2 > vessel.floor_cm2:
        raise NotPossible(
            f"{pieces} pieces want {pieces * floor_cm2:.0f} cm² side by side, its floor has "
            f"{vessel.floor_cm2:.0f}."
        )
    deep = high_cm + OVER_CM
    if high_cm > vessel.height_cm:
        raise NotPossible(
            f"The cheese is {high_cm:.0f} cm high, the vessel {vessel.height_cm:.0f} cm."
        )
    around = vessel.floor_cm2 - pieces * floor_cm2
    needs = (around * high_cm + vessel.floor_cm2 * OVER_CM) / 1000
    if there_l is None or there_l >= needs:
        return Cover(litres=needs, deep_cm=deep, share=1.0, turn_hours=0.0)
    if around <= 0:
        return Cover(litres=needs, deep_cm=deep, share=0.0, turn_hours=6.0)
    share = min(1.0, 1000 * there_l / around / high_cm)
    turn = 12.0 if share >= _WELL else 8.0 if share >= _HALF else 6.0
    return Cover(litres=needs, deep_cm=deep, share=share, turn_hours=turn)
