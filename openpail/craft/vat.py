"""The vat: does this milk go in, and how high does it stand."""

from __future__ import annotations

from math import pi

from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.house import House


def check_room(milk_l: float, brim_l: float, name: str, house: House) -> None:
    """Refuse a milk that leaves no head room.

    Parameters: milk_l 0 or more; brim_l over 0, the vat filled to its brim; name; house.
    Raises: NotPossible, with how much goes in. Source: house value, 85 % of the brim.
    """
    most = house.number("vat.head_room") * brim_l
    if milk_l > most + 1e-9:
        raise NotPossible(
            f"{milk_l:.1f} L does not go into {name}: with head room it takes {most:.1f} L "
            f"(brim {brim_l:g} L). Choose a larger vat or less milk."
        )


def level_cm(milk_l: float, diameter_cm: float) -> float:
    """How high a milk stands in a round vat, cm.

    Parameters: milk_l 0 or more; diameter_cm over 0. Raises: OutOfRange. Source: derivation.
    """
    if diameter_cm <= 0:
        raise OutOfRange("Write the vat’s diameter in cm.")
    return milk_l * 1000 / (pi * (diameter_cm / 2) ** 2)
