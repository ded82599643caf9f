"""Press and brine in numbers: how hard a load presses, how long brine salts, where a tub ends."""

from __future__ import annotations

from math import pi, sqrt

from openpail.craft.errors import OutOfRange
from openpail.craft.house import House

_G = 9.80665
PSI_PER_KPA = 0.1450377


def pressure_kpa(load_kg: float, area_cm2: float) -> float:
    """How hard a load presses, kPa.

    Parameters: load_kg, 0 or more; area_cm2 under it, over 0. Raises: OutOfRange.
    Source: p = m g / A.
    """
    if area_cm2 <= 0:
        raise OutOfRange("A mould has an area.")
    return load_kg * _G / (area_cm2 * 1e-4) / 1000


def round_area_cm2(across_cm: float) -> float:
    """The area of a round mould, cm². Parameters: across_cm, its width. Source: derivation."""
    return pi * across_cm**2 / 4


def press_word(kpa: float, house: House) -> str:
    """The school's word for a pressure. Parameters: kpa; house. Source: house value."""
    for word in ("light", "medium", "firm"):
        if kpa < house.number(f"press.{word}_to"):
            return word
    return "hard"


def brine_hours(cheese_kg: float, salt_pct: float, brine_pct: float, house: House) -> float:
    """Hours in brine for a wanted salt, by the rule that scales as salt moves.

    Parameters: cheese_kg of one piece, over 0; salt_pct wanted of the cheese, 0.1–5; brine_pct
    1–27; house. Raises: OutOfRange. Source: house value.
    """
    if cheese_kg <= 0 or not 0.1 <= salt_pct <= 5 or not 1 <= brine_pct <= 27:
        raise OutOfRange("A piece of some weight, 0.1 to 5 % salt, a brine of 1 to 27 %.")
    salt, brine = house.number("brine.rule_salt"), house.number("brine.rule_brine")
    hours = house.number("brine.rule_hours") * cheese_kg ** (2 / 3)
    return float(hours * (salt_pct / salt) ** 2 * (brine / brine_pct) ** 2)


def brine_salt_pct(hours: float, cheese_kg: float, brine_pct: float, house: House) -> float:
    """Salt that a piece takes up in so many hours, % of the cheese: `brine_hours` the other way.

    Parameters: hours, 0 or more; cheese_kg, brine_pct and house as there. Source: house value.
    """
    salt = house.number("brine.rule_salt")
    return salt * sqrt(hours / brine_hours(cheese_kg, salt, brine_pct, house))


def keeping_pct(
    cheese_kg: float, moisture: float, salt_pct: float, brine_kg: float, brine_pct: float
) -> float:
    """Where cheese and its keeping brine come to rest, % salt in all the water of both.

    Parameters: cheese_kg, its moisture (a fraction) and salt_pct of it; brine_kg over it, of
    brine_pct. Raises: OutOfRange without water. Source: mass balance.
    """
    water = cheese_kg * moisture + brine_kg * (1 - brine_pct / 100)
    if water <= 0:
        raise OutOfRange("Neither the cheese nor the brine holds water.")
    salt = (cheese_kg * salt_pct + brine_kg * brine_pct) / 100
    return 100 * salt / (salt + water)
