"""What the room does to a bag that drains and to a milk that sours by itself."""

from __future__ import annotations

from openpail.craft.errors import OutOfRange
from openpail.craft.house import House
from openpail.craft.recipe.recipe import Family, RecipeStep

_LEAST_C, _MOST_C = 2.0, 40.0
_WRITTEN_FOR_C = 21.0
_DRAINS = frozenset({"hang", "drain"})
_SLOW: frozenset[Family] = frozenset({"lactic", "acid_heat_soft", "whey"})


def _factor(what: str, room_c: float, house: House) -> float:
    if not _LEAST_C <= room_c <= _MOST_C:
        raise OutOfRange(f"A room is between {_LEAST_C:.0f} and {_MOST_C:.0f} °C.", "room_c")
    by, over = house.number(f"room.{what}_by"), house.number(f"room.{what}_over")
    return float(by ** ((_WRITTEN_FOR_C - room_c) / over))


def room_factor(family: Family, step: RecipeStep, room_c: float, house: House) -> float:
    """How much longer a step takes in a room than the recipe says, × 1 where the room is nothing.

    A bag and a slow drain by the room; a lactic milk that waits to sour, too. A recipe that names
    the warmth of its room was written for that one.
    Parameters: family; step; room_c, 2–40; house. Raises: OutOfRange. Source: house value.
    """
    sours = family == "lactic" and step.kind == "wait" and step.ph is not None
    if not sours and not (step.kind == "hang" or (step.kind in _DRAINS and family in _SLOW)):
        return 1.0
    what = "lactic" if sours else "drain"
    own = step.celsius.target if step.celsius else _WRITTEN_FOR_C
    return _factor(what, room_c, house) / _factor(what, own, house)
