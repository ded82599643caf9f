"""What stands in the fridge: rennet, calcium chloride, culture, acid and salt, as labelled."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Step
from openpail.craft.house import House, along

Kind = Literal["calcium", "culture", "rennet", "acid", "salt", "other"]
Salt = Literal["anhydrous", "dihydrate", "hexahydrate"]
Per = Literal["w/v", "w/w", "dry"]
Kept = Literal["fridge", "freezer", "room"]

ANHYDROUS_FRACTION: dict[Salt, float] = {
    "anhydrous": 1.0,
    "dihydrate": 110.98 / 147.01,
    "hexahydrate": 110.98 / 219.08,
}
_SOLUTION_DENSITY = (
    (0.0, 0.998),
    (10.0, 1.083),
    (20.0, 1.178),
    (30.0, 1.282),
    (33.0, 1.316),
    (35.0, 1.337),
    (40.0, 1.396),
)


@dataclass(frozen=True, slots=True)
class Product:
    """A product by its label.

    strength: rennet IMCU per mL (per g when solid); calcium chloride and acid per cent.
    counts, per: what a calcium chloride label counts, and in what. g_per_tsp: a level
    teaspoon, None when the house value of its kind speaks. months_open: since the bottle was
    opened; months_past: past its date (0 within it).
    """

    kind: Kind
    name: str
    strength: float | None = None
    counts: Salt = "dihydrate"
    per: Per = "w/v"
    g_per_tsp: float | None = None
    kept: Kept = "fridge"
    months_open: float = 0.0
    months_past: float = 0.0
    bought: bool = True


def calcium_solution_ml(g_anhydrous: float, counts: Salt, percent: float, per: Per) -> float:
    """How much of a calcium chloride bottle holds so much anhydrous salt, mL.

    Parameters: g_anhydrous 0 or more; counts, what the label counts; percent over 0 to 60
    (100 when dry); per "w/v" (g in 100 mL), "w/w" or "dry" (the answer is then g).
    Raises: OutOfRange.
    Source: molar masses 110.98, 147.01, 219.08 g/mol; solution densities, CRC Handbook.
    """
    if not 0 < percent <= (100 if per == "dry" else 60):
        raise OutOfRange(f"A calcium chloride label of {percent:g} % is not one we know.")
    fraction = ANHYDROUS_FRACTION[counts]
    if per == "w/w":
        rho = along(_SOLUTION_DENSITY, fraction * percent)
        return g_anhydrous / (fraction * percent / 100 * rho)
    return g_anhydrous / fraction / (percent / 100)


def strength_left(loss_per_month: float, months: float) -> float:
    """Share of a rennet's strength left after a store of so many months.

    Parameters: loss_per_month 0–1; months 0 or more. Raises: OutOfRange.
    Source: house value, remaining = (1 − loss)^months.
    """
    if months < 0 or not 0 <= loss_per_month < 1:
        raise OutOfRange("A bottle cannot have been open for less than no time.")
    return float((1 - loss_per_month) ** months)


def rennet_strength(bottle: Product, house: House) -> tuple[Step, ...]:
    """What a bottle of rennet holds today, IMCU per mL, as steps from its label.

    Parameters: bottle, with its strength and months open; house, the losses in force.
    Raises: OutOfRange without a strength. Source: house value.
    """
    if not bottle.strength or bottle.strength <= 0:
        raise OutOfRange(f"{bottle.name}: write its strength in IMCU per mL.")
    start = Step("start", f"{bottle.name}, by its label", bottle.strength, "IMCU/mL", "the label")
    key = "rennet.loss_room" if bottle.kept == "room" else "rennet.loss_fridge"
    left = strength_left(house.number(key), bottle.months_open)
    if left == 1:
        return (start,)
    words = f"{bottle.months_open:.0f} months open in the {bottle.kept}"
    return (start, Step("times", words, left, "", house.source(key), key))


def vigour(bottle: Product, house: House) -> float:
    """How much of its vigour a freeze-dried culture has kept, 0–1.

    Parameters: bottle, with the months past its date and where it was kept.
    Source: house value, 0.97 a month in the freezer, 0.90 in the fridge.
    """
    if bottle.months_past <= 0:
        return 1.0
    key = "culture.freezer_month" if bottle.kept == "freezer" else "culture.fridge_month"
    return float(house.number(key) ** bottle.months_past)
