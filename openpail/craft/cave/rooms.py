"""Room to ripen: where a cheese lies on which days, and whether there is a place for one more."""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import accumulate
from typing import Literal

from openpail.craft.house import House
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.ripening import stage_days

Sort = Literal["cave", "cool", "fridge", "warm", "freezer", "counter"]
SORTS: Mapping[Sort, str] = {
    "cave": "a cave or cellar",
    "cool": "a cool room to dry in",
    "fridge": "a fridge, or a box in it",
    "warm": "a warm cupboard",
    "freezer": "a freezer",
    "counter": "the shelf of those who fetch it",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """A place to ripen: how many pieces it holds, of what sort it is, its shelves and how wide and
    deep each is, cm (0 where nobody measured them)."""

    name: str
    holds: int
    sort: Sort = "cave"
    shelves: int = 1
    width_cm: float = 0.0
    depth_cm: float = 0.0

    @property
    def shelf_cm2(self) -> float:
        """What one shelf has room for, 0 where nobody measured it."""
        return self.width_cm * self.depth_cm

    @property
    def area_cm2(self) -> float:
        """What all its shelves have room for together, 0 where nobody measured them."""
        return self.shelves * self.shelf_cm2


def floor_cm2(across_cm: float, side_cm: float | None, house: House) -> float:
    """What a cheese wants of a shelf, with the air around it: round ones take a square too.

    Parameters: across_cm, over 0; side_cm, None for a round one; house. Source: house value.
    """
    gap = house.number("cave.gap_cm")
    return (across_cm + gap) * ((side_cm or across_cm) + gap)


def room_left(room: Room, taken: Iterable[float], one_cm2: float) -> int:
    """How many more of one size a room holds: by the area of its shelves where they were measured,
    else by number.

    Parameters: room; taken, what each piece in it wants, cm²; one_cm2, over 0.
    Returns: 0 or more. Source: derivation.
    """
    there = list(taken)
    by_number = room.holds - len(there)
    if room.area_cm2 and one_cm2 > 0:
        return max(0, int((room.area_cm2 - sum(there)) // one_cm2))
    return max(0, by_number)


@dataclass(frozen=True, slots=True, kw_only=True)
class Stay:
    """Pieces at a place (as the recipe calls it) from a day on, until one (None: until eaten)."""

    place: str
    begins: date
    ends: date | None
    pieces: int = 1


def stays(
    recipe: Recipe, made_on: date, house: House, raw: bool = False, pieces: int = 1
) -> tuple[Stay, ...]:
    """Where a cheese lies, stage by stage; it keeps the last place until it is eaten.

    Parameters: recipe; made_on; house; raw, of the raw class; pieces, 1 or more.
    Source: the recipe's stages.
    """
    found = []
    begins = made_on
    for stage, days in stage_days(recipe, house, raw):
        ends = begins + timedelta(days=days)
        found.append(Stay(place=stage.place, begins=begins, ends=ends, pieces=pieces))
        begins = ends
    if found:
        found[-1] = Stay(place=found[-1].place, begins=found[-1].begins, ends=None, pieces=pieces)
    return tuple(found)


def room_of(place: str, rooms: Sequence[Room]) -> Room | None:
    """The room that a recipe's words for a place speak of; the longest name wins.

    Parameters: place, as the recipe says it; rooms of the dairy. Returns: None when it names none:
    “box in the cave” is in the cave. Source: derivation.
    """
    named = [room for room in rooms if room.name.casefold() in place.casefold()]
    return max(named, key=lambda room: len(room.name), default=None)


Taken = Mapping[Room, Sequence[tuple[date, int]]]


def taken_places(stays: Iterable[Stay], rooms: Sequence[Room]) -> Taken:
    """How many places of each room are taken, from each day on which that changes.

    Parameters: stays of all that rests or is planned; rooms, those of the dairy.
    Source: derivation.
    """
    there: dict[str, Room | None] = {}
    changes: dict[Room, Counter[date]] = {room: Counter() for room in rooms}
    for stay in stays:
        room = there.setdefault(stay.place, room_of(stay.place, rooms))
        if room is not None:
            changes[room][stay.begins] += stay.pieces
            if stay.ends is not None:
                changes[room][stay.ends] -= stay.pieces
    found: dict[Room, list[tuple[date, int]]] = {}
    for room, moves in changes.items():
        days = sorted(moves)
        found[room] = list(zip(days, accumulate(moves[day] for day in days), strict=True))
    return found


def without_room(mine: Sequence[Stay], taken: Taken) -> tuple[Room, date, int] | None:
    """The first room in which a cheese would find no place.

    Parameters: mine, the stays of the new cheese; taken, from `taken_places`; a place that is none
    of its rooms always has room.
    Returns: the room, the day, and how many of its places are taken then; None when all is well.
    Source: derivation.
    """
    rooms = list(taken)
    for stay in mine:
        room = room_of(stay.place, rooms)
        if room is None:
            continue
        steps = taken[room]
        first = bisect_right(steps, stay.begins, key=lambda step: step[0])
        before = steps[first - 1][1] if first else 0
        later = [step for step in steps[first:] if stay.ends is None or step[0] < stay.ends]
        for day, count in [(stay.begins, before), *later]:
            if count + stay.pieces > room.holds:
                return room, day, count
    return None
