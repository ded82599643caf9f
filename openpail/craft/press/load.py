"""A load and its pressure: how hard it presses, and the same pressure on another mould."""

from __future__ import annotations

from math import pi

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure
from openpail.craft.house import House

_G = 9.80665
PSI_PER_KPA = 0.1450377
_SAME = 1e-9


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


def for_mould(
    written: Figure, own_area_cm2: float, area_cm2: float, own_beside: int, beside: int
) -> Figure:
    """The recipe's load, on another mould: as hard on every square centimetre.

    Parameters: written, the recipe's load, kg; own_area_cm2 of one of its pieces; area_cm2 of one
    of these, over 0; own_beside and beside, pieces under one plate (stacked ones count as one), 1
    or more. Raises: OutOfRange. Source: p = m g / A.
    """
    if min(own_area_cm2, area_cm2) <= 0 or min(own_beside, beside) < 1:
        raise OutOfRange("A mould has an area.")
    figure = written
    if abs(area_cm2 / own_area_cm2 - 1) > _SAME:
        words = f"{area_cm2:.0f} cm² under the follower, the recipe’s has {own_area_cm2:.0f}"
        figure = figure.times(words, area_cm2 / own_area_cm2, source="p = m g / A")
    if beside != own_beside:
        words = f"{beside} side by side, the recipe’s has {own_beside}"
        figure = figure.times(words, beside / own_beside, source="p = m g / A")
    return figure
