"""The vat: does this milk go in, how high does it stand, and its dip-stick."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from math import pi

from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.house import House

Fills = Sequence[tuple[float, float]]
_LARGEST_L, _LARGEST_CM = 10_000.0, 500.0
_MOST_FILLS = 200
_STEPS_L, _MOST_LINES = (1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0), 60


def most_l(brim_l: float, house: House) -> float:
    """How much milk a vat takes with head room, L.

    Parameters: brim_l, over 0; house. Source: house value, 85 % of the brim.
    """
    return house.number("vat.head_room") * brim_l


def check_sizes(brim_l: float, diameter_cm: float | None) -> None:
    """Refuse a vat that nobody owns.

    Parameters: brim_l, over 0; diameter_cm, over 0, or None where nobody measured it.
    Raises: OutOfRange about brim or diameter. Source: our judgement, 10 000 L, 5 m deep or wide.
    """
    if brim_l > _LARGEST_L:
        raise OutOfRange(f"{brim_l:,.0f} L is more than a farm’s vat holds.", "brim")
    if diameter_cm is None:
        return
    if diameter_cm <= 0:
        raise OutOfRange("Write how wide it is inside.", "diameter")
    if diameter_cm > _LARGEST_CM:
        raise OutOfRange(f"{diameter_cm:.0f} cm is wider than a vat.", "diameter")
    deep = level_cm(brim_l, diameter_cm)
    if deep and deep > _LARGEST_CM:
        raise OutOfRange(
            f"{brim_l:g} L over {diameter_cm:g} cm would stand {deep / 100:,.0f} m deep: look at "
            "both again.",
            "diameter",
        )


def check_room(milk_l: float, brim_l: float, name: str, house: House) -> None:
    """Refuse a milk that leaves no head room.

    Parameters: milk_l 0 or more; brim_l over 0, the vat filled to its brim; name; house.
    Raises: NotPossible, with how much goes in. Source: house value, 85 % of the brim.
    """
    most = most_l(brim_l, house)
    if milk_l > most + 1e-9:
        raise NotPossible(
            f"{milk_l:.1f} L does not go into {name}: with head room it takes {most:.1f} L "
            f"(brim {brim_l:g} L). Choose a larger vat or less milk."
        )


def level_cm(milk_l: float, diameter_cm: float | None, fills: Fills = ()) -> float | None:
    """How high a milk stands in a vat, cm; None where neither width nor fills were measured.

    Parameters: milk_l 0 or more; diameter_cm over 0, of a straight-sided round vat; fills,
    measured pairs of cm and L by rising cm, which speak instead when there are two or more.
    Raises: OutOfRange. Source: derivation; straight between measured fills.
    """
    if len(fills) <= 1:
        if diameter_cm is None:
            return None
        if diameter_cm <= 0:
            raise OutOfRange("Write how wide the vat is inside.", "diameter")
        return milk_l * 1000 / (pi * (diameter_cm / 2) ** 2)
    points = check_fills(fills)
    for (cm0, l0), (cm1, l1) in itertools.pairwise(points):
        if milk_l <= l1:
            return cm0 + (cm1 - cm0) * (milk_l - l0) / (l1 - l0)
    (cm0, l0), (cm1, l1) = points[-2:]
    return cm1 + (cm1 - cm0) * (milk_l - l1) / (l1 - l0)


def litres_at(cm: float, diameter_cm: float | None, fills: Fills = ()) -> float | None:
    """What stands in a vat so high, L: `level_cm` the other way; None where it was never measured.

    Parameters: cm on the stick, 0 or more; diameter_cm and fills as there. Raises: OutOfRange.
    Source: as there.
    """
    if cm < 0:
        raise OutOfRange("A stick is wet from the floor up.", "litres")
    if len(fills) <= 1:
        return None if diameter_cm is None else cm * pi * (diameter_cm / 2) ** 2 / 1000
    points = check_fills(fills)
    for (cm0, l0), (cm1, l1) in itertools.pairwise(points):
        if cm <= cm1:
            return l0 + (l1 - l0) * (cm - cm0) / (cm1 - cm0)
    (cm0, l0), (cm1, l1) = points[-2:]
    return l1 + (l1 - l0) * (cm - cm1) / (cm1 - cm0)


def check_fills(fills: Fills) -> tuple[tuple[float, float], ...]:
    """Measured fills from an empty vat on, by rising cm.

    Raises: OutOfRange when a higher stick does not hold more. Source: derivation.
    """
    if len(fills) > _MOST_FILLS:
        raise OutOfRange(f"At most {_MOST_FILLS} measured fills.", "fills")
    points = sorted(((float(cm), float(litres)) for cm, litres in fills), key=lambda p: p[0])
    if points and points[0][0] > 0:
        points = [(0.0, 0.0), *points]
    for (cm0, l0), (cm1, l1) in itertools.pairwise(points):
        if cm1 <= cm0 or l1 <= l0:
            raise OutOfRange(
                f"At {cm1:g} cm there must be more than the {l0:g} L at {cm0:g} cm: "
                "look at the measured fills.",
                "fills",
            )
    return tuple(points)


def dip_stick(
    brim_l: float, diameter_cm: float | None, fills: Fills = ()
) -> list[tuple[float, float]]:
    """The dip-stick of a vat: pairs of L and cm, to the brim, in steps of 1, 2, 5, 10 … L.

    Parameters: brim_l over 0; diameter_cm and fills as `level_cm`; without either it is empty.
    Raises: OutOfRange. Source: derivation.
    """
    every_l = next(
        each for each in _STEPS_L if brim_l / each <= _MOST_LINES or each == _STEPS_L[-1]
    )
    count = int(brim_l / every_l + 1e-9)
    marks = ((i * every_l, level_cm(i * every_l, diameter_cm, fills)) for i in range(1, count + 1))
    return [(litres, cm) for litres, cm in marks if cm is not None]
