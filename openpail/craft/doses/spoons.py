"""Small amounts by the maker's own spoons: the fewest measures that are near enough."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, lru_cache
from itertools import combinations_with_replacement

from openpail.craft.doses.asked import Ways
from openpail.craft.errors import OutOfRange, Unknown
from openpail.craft.house import House
from openpail.craft.stock.products import Product, drop_ml, g_per_tsp
from openpail.craft.units import TEASPOON_ML, System, parse_amount, parse_number

_WHOLE_FROM_G = 100

SPOONS: tuple[tuple[str, float], ...] = (
    ("1 tbsp", 3.0),
    ("1 tsp", 1.0),
    ("½ tsp", 1 / 2),
    ("¼ tsp", 1 / 4),
    ("⅛ tsp", 1 / 8),
    ("1/16 tsp", 1 / 16),
    ("1/32 tsp", 1 / 32),
    ("1/64 tsp", 1 / 64),
)
MOST_MEASURES = 3
_NEAR = 0.05
_MOST_DROPS = 5


@dataclass(frozen=True, slots=True)
class Spoons:
    """Spoons to fill level, in words, and how far they are off (a fraction, signed)."""

    words: str
    ml: float
    error: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Hand:
    """An amount as the hands get it: words, another way when that one is rough, its error.

    by_spoon: the words are spoons to fill, near enough, as the dairy measures.
    """

    words: str
    advice: str = ""
    error: float = 0.0
    by_spoon: bool = False


@lru_cache(maxsize=4096)
def in_hand(amount: float, bottle: Product, ways: Ways, house: House) -> Hand:
    """How to measure an amount, by the dairy's way with small ones.

    Parameters: amount over 0, in the bottle's unit; bottle, for its unit and its spoonful; ways,
    for the spoons in the drawer and the scale; house.
    Source: house values.
    """
    if bottle.in_pieces:
        return _pieces(amount, bottle.unit, house)
    scale, water = _by_scale(amount, bottle, ways, house), _in_water(amount, bottle.unit)
    if scale and (ways.small == "scale" or bottle.kind == "salt"):  # a spoon of which grain?
        return Hand(words=scale)
    if ways.small == "dilution" and amount < 1:
        return Hand(words=water, advice=scale)
    ml = amount
    if bottle.unit == "g":
        per_tsp = g_per_tsp(bottle, house)
        if per_tsp is None:
            return Hand(words="by the scale")
        ml = amount / per_tsp * TEASPOON_ML
    drawer = tuple(each for each in SPOONS if each[0] in ways.spoons) or SPOONS
    found = by_spoon(ml, drawer, one_drop_ml=drop_ml(bottle, house) if bottle.unit == "mL" else 0.0)
    if found is None:
        return Hand(words="by the jug" if bottle.unit == "mL" else "by the scale")
    level = ", level" if bottle.unit == "g" else ""
    words = f"{found.words}{level}"
    if abs(found.error) <= house.number("measure.worst"):
        return Hand(words=words, advice="", error=found.error, by_spoon=ways.small == "spoons")
    off = f"{100 * abs(found.error):.0f} % {'short' if found.error < 0 else 'over'}"
    better = " or ".join(each for each in (scale, water) if each)
    return Hand(words=words, advice=f"{off}: better {better}", error=found.error)


def _by_scale(amount: float, bottle: Product, ways: Ways, house: House) -> str:
    """A weight, when the scale shows it finely enough; "" when not."""
    if bottle.unit != "g" or ways.scale_g > 2 * house.number("measure.worst") * amount:
        return ""
    return f"weigh {amount:.2g} g" if amount < _WHOLE_FROM_G else f"weigh {amount:.0f} g"


def _in_water(amount: float, unit: str) -> str:
    """A dilution to measure instead, used at once."""
    if unit == "g":
        strong = 1 if amount < 1 else 10
        return (
            f"dissolve {strong} g in 100 mL of boiled, cooled water, give "
            f"{100 * amount / strong:.0f} mL, use now"
        )
    return f"mix 1 mL into 9 of cool water, give {10 * amount:.2g} mL, use now"


_QUARTERS = {0.0: "", 0.25: "¼", 0.5: "½", 0.75: "¾"}


def _pieces(amount: float, unit: str, house: House) -> Hand:
    """Tablets by the quarter, cubes by the half, packets and units as near as they come."""
    part = {"tablet": 0.25, "cube": 0.5, "packet": 0.25}.get(unit, 0.5)
    near = max(part, round(amount / part) * part)
    whole, rest = int(near), _QUARTERS[near % 1]
    words = f"{whole or ''}{' ' if whole and rest else ''}{rest} {unit}{'s' if near > 1 else ''}"
    error = near / amount - 1
    if abs(error) <= house.number("measure.worst"):
        return Hand(words=words, advice="", error=error)
    off = f"{100 * abs(error):.0f} % {'short' if error < 0 else 'over'}"
    return Hand(
        words=words, advice=f"{off}: better weigh {amount:.2g} times what one weighs", error=error
    )


# How many measures, teaspoons in all, which spoons, how many drops.
_Heap = tuple[int, float, tuple[int, ...], int]


@cache
def _heaps(spoons: tuple[tuple[str, float], ...]) -> tuple[_Heap, ...]:
    found = []
    for count in range(1, MOST_MEASURES + 1):
        for chosen in combinations_with_replacement(range(len(spoons)), count):
            found.append((count, sum(spoons[i][1] for i in chosen), chosen, 0))
    return tuple(found)


def by_spoon(
    ml: float, spoons: Sequence[tuple[str, float]] = SPOONS, *, one_drop_ml: float = 0.0
) -> Spoons | None:
    """The fewest level spoons for a small volume.

    Parameters: ml over 0; spoons, names and teaspoons each, largest first; one_drop_ml, of its
    dropper, 0 for what cannot be dropped.
    Returns: at most three measures, never worse than the nearest single spoon; None when the
    amount is over three of the largest (a jug's work).
    Raises: OutOfRange for nothing. Source: derivation.
    """
    if ml <= 0:
        raise OutOfRange("There is nothing to measure.")
    tsp = ml / TEASPOON_ML
    if tsp > MOST_MEASURES * spoons[0][1]:
        return None
    heaps = _candidates(tuple(spoons), tsp, one_drop_ml / TEASPOON_ML)
    near = [heap for heap in heaps if abs(heap[1] - tsp) <= _NEAR * tsp]
    if near:
        _, total, chosen, dropped = min(near, key=lambda h: (h[0], abs(h[1] - tsp)))
    else:
        _, total, chosen, dropped = min(heaps, key=lambda h: (abs(h[1] - tsp), h[0]))
    return Spoons(_words(spoons, chosen, dropped), total * TEASPOON_ML, total / tsp - 1)


def _candidates(spoons: tuple[tuple[str, float], ...], tsp: float, drop: float) -> Sequence[_Heap]:
    if not drop:
        return _heaps(spoons)
    heaps = list(_heaps(spoons))
    for count, total, chosen, _ in ((0, 0.0, (), 0), *_heaps(spoons)):
        wanted = round((tsp - total) / drop)
        if count < MOST_MEASURES and 1 <= wanted <= _MOST_DROPS:
            heaps.append((count + 1, total + wanted * drop, chosen, wanted))
    return heaps


def _words(spoons: Sequence[tuple[str, float]], chosen: tuple[int, ...], dropped: int) -> str:
    parts = []
    for i in sorted(set(chosen)):
        times = chosen.count(i)
        parts.append(spoons[i][0] if times == 1 else f"{times} × {spoons[i][0]}")
    if dropped:
        parts.append(f"{dropped} drop{'s' if dropped > 1 else ''}")
    return " + ".join(parts)


def in_its_unit(text: str, bottle: Product, house: House, system: System = "metric") -> float:
    """An amount of a product as typed, in the unit its doses are measured in.

    Parameters: text like "1/4 tsp", "5 mL", "2 tablets", "0.6"; bottle; house, for what a level
    teaspoon weighs; system, for bare cups and ounces.
    Raises: Unknown for nonsense, and for spoons of what nobody has weighed. Source: house value.
    """
    words, unit = text.strip().lower(), bottle.unit
    if bottle.in_pieces:
        return parse_number(re.sub(rf"\s*{unit}s?$", "", words))
    try:
        volume = parse_amount(text, "volume", system, "mL" if unit == "mL" else "")
    except Unknown as not_a_volume:
        if unit == "mL":
            raise Unknown(
                f"“{text.strip()}”: {bottle.name} is measured by volume, like 5 mL or 1 tsp."
            ) from not_a_volume
        return round(1000 * parse_amount(text, "mass", system, "g").base, 9)
    if unit == "mL" and volume.unit.key == "drop":
        return round(volume.value * drop_ml(bottle, house), 9)
    if unit == "mL":
        return round(1000 * volume.base, 9)
    per_tsp = g_per_tsp(bottle, house)
    if per_tsp is None:
        raise Unknown(f"“{text.strip()}”: {bottle.name} is weighed; nobody knows its spoon.")
    return round(1000 * volume.base / TEASPOON_ML * per_tsp, 9)
