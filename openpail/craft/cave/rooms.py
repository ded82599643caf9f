"""Room to ripen: where a cheese lies on which days, and whether there is a place for one more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from openpail.craft.cave.care import stage_days
from openpail.craft.house import House
from openpail.craft.recipe.recipe import Recipe


@dataclass(frozen=True, slots=True)
class Room:
    """A place to ripen and how many pieces it holds."""

    name: str
    holds: int


@dataclass(frozen=True, slots=True)
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
        found.append(Stay(stage.place, begins, ends, pieces))
        begins = ends
    if found:
        found[-1] = Stay(found[-1].place, found[-1].begins, None, pieces)
    return tuple(found)


def room_of(place: str, rooms: Sequence[Room]) -> Room | None:
    """The room that a recipe's words for a place speak of; the longest name wins.

    “box in the cave” is in the cave. Source: derivation.
    """
    named = [room for room in rooms if room.name.casefold() in place.casefold()]
    return max(named, key=lambda room: len(room.name), default=None)


def without_room(
    mine: Sequence[Stay], others: Sequence[Stay], rooms: Sequence[Room]
) -> tuple[Room, date, int] | None:
    """The first room in which a cheese would find no place.

    Parameters: mine, the stays of the new cheese; others, of all that rests or is planned; rooms,
    those of the dairy; a place that is none of them always has room.
    Returns: the room, the day, and how many of its places are taken then; None when all is well.
    Source: derivation.
    """
    for stay in mine:
        room = room_of(stay.place, rooms)
        if room is None:
            continue
        there = [other for other in others if room_of(other.place, rooms) == room]
        for day in sorted({stay.begins, *(other.begins for other in there)}):
            if day < stay.begins or (stay.ends is not None and day >= stay.ends):
                continue
            taken = sum(
                other.pieces
                for other in there
                if other.begins <= day and (other.ends is None or day < other.ends)
            )
            if taken + stay.pieces > room.holds:
                return room, day, taken
    return None
