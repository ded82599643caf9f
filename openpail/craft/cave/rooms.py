"""Room to ripen: where a cheese lies on which days, and whether there is a place for one more."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from itertools import accumulate
from typing import Literal, NamedTuple

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


_UNKNOWN_CM = 10.0


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


def floor_of(recipe: Recipe, house: House) -> float:
    """What a piece of a recipe wants of a shelf, cm²; a small one's where that is not known.

    Parameters: recipe; house. Source: the recipe; house value for the air around it.
    """
    wheels = recipe.wheels
    if wheels is None:
        return floor_cm2(_UNKNOWN_CM, None, house)
    return floor_cm2(wheels.across_cm, wheels.side_cm, house)


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
    """Pieces at a place (as the recipe calls it) from a day on, until one (None: until eaten);
    floor_cm2, what one wants of a shelf, 0 where its shelf is not measured by it."""

    place: str
    begins: date
    ends: date | None
    pieces: int = 1
    floor_cm2: float = 0.0


def stays(
    recipe: Recipe, made_on: date, house: House, raw: bool = False, pieces: int = 1
) -> tuple[Stay, ...]:
    """Where a cheese lies, stage by stage; it keeps the last place until it is eaten.

    Parameters: recipe; made_on; house; raw, of the raw class; pieces, 1 or more.
    Source: the recipe's stages.
    """
    found: list[Stay] = []
    begins, floor = made_on, floor_of(recipe, house)
    for stage, days in stage_days(recipe, house, raw):
        ends = begins + timedelta(days=days)
        found.append(
            Stay(place=stage.place, begins=begins, ends=ends, pieces=pieces, floor_cm2=floor)
        )
        begins = ends
    if found:
        found[-1] = replace(found[-1], ends=None)
    return tuple(found)


def room_of(place: str, rooms: Sequence[Room]) -> Room | None:
    """The room that a recipe's words for a place speak of; the longest name wins.

    Parameters: place, as the recipe says it; rooms of the dairy. Returns: None when it names none:
    “box in the cave” is in the cave. Source: derivation.
    """
    named = [room for room in rooms if room.name.casefold() in place.casefold()]
    return max(named, key=lambda room: len(room.name), default=None)


class Filled(NamedTuple):
    """What is taken of a room from a day on: pieces, and cm² of its shelves."""

    day: date
    pieces: int
    cm2: float


Taken = Mapping[Room, Sequence[Filled]]


@dataclass(frozen=True, slots=True)
class Full:
    """A room in which a cheese finds no place, from when, and how many lie there then."""

    room: Room
    day: date
    pieces: int

    @property
    def words(self) -> str:
        """How full it is: by its shelves where they were measured, else by number."""
        if self.room.area_cm2:
            return f"its shelves are full with the {self.pieces} pieces there"
        return f"{self.pieces} of {self.room.holds} places are taken"


def taken_places(stays: Iterable[Stay], rooms: Sequence[Room]) -> Taken:
    """What is taken of each room, from each day on which that changes.

    Parameters: stays of all that rests or is planned; rooms, those of the dairy.
    Source: derivation.
    """
    there: dict[str, Room | None] = {}
    changes: dict[Room, dict[date, tuple[int, float]]] = {room: {} for room in rooms}

    def change(room: Room, day: date, pieces: int, floor_cm2: float) -> None:
        before = changes[room].get(day, (0, 0.0))
        changes[room][day] = before[0] + pieces, before[1] + pieces * floor_cm2

    for stay in stays:
        room = there.setdefault(stay.place, room_of(stay.place, rooms))
        if room is not None:
            change(room, stay.begins, stay.pieces, stay.floor_cm2)
            if stay.ends is not None:
                change(room, stay.ends, -stay.pieces, stay.floor_cm2)
    found: dict[Room, list[Filled]] = {}
    for room, moves in changes.items():
        days = sorted(moves)
        pieces = accumulate(moves[day][0] for day in days)
        cm2 = accumulate(moves[day][1] for day in days)
        found[room] = [Filled(*each) for each in zip(days, pieces, cm2, strict=True)]
    return found


def without_room(mine: Sequence[Stay], taken: Taken) -> Full | None:
    """The first room in which a cheese would find no place: by the area of its shelves where they
    were measured, as when a piece is moved, else by number.

    Parameters: mine, the stays of the new cheese; taken, from `taken_places`; a place that is none
    of its rooms always has room. Returns: None when all is well. Source: derivation.
    """
    rooms = list(taken)
    for stay in mine:
        room = room_of(stay.place, rooms)
        if room is None:
            continue
        steps = taken[room]
        first = bisect_right(steps, stay.begins, key=lambda step: step.day)
        before = steps[first - 1] if first else Filled(stay.begins, 0, 0.0)
        later = [step for step in steps[first:] if stay.ends is None or step.day < stay.ends]
        for step in (before._replace(day=stay.begins), *later):
            if _is_over(room, step, stay):
                return Full(room, step.day, step.pieces)
    return None


def _is_over(room: Room, there: Filled, stay: Stay) -> bool:
    if room.area_cm2:
        return there.cm2 + stay.pieces * stay.floor_cm2 > room.area_cm2
    return there.pieces + stay.pieces > room.holds
