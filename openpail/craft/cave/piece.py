"""A piece as its plan needs it, and what all pieces of a dairy share."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Any

from openpail.craft.cave.course import PieceCourse
from openpail.craft.cave.keep import Facts
from openpail.craft.cave.rooms import Room, room_of
from openpail.craft.cave.warmth import RoomWarmth
from openpail.craft.house import House
from openpail.craft.marks import RAW_SOFT, Marks
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.ripening import OfPiece

AS_WRITTEN, NOTHING_KNOWN = OfPiece(), Facts()


@dataclass(frozen=True, kw_only=True)
class Around:
    """What all pieces of a dairy share: the day, the house, how warm its places were, the places,
    and the weekday of its weekly cares (1 Monday … 7 Sunday, 0 none)."""

    today: date
    house: House
    warmth: RoomWarmth
    rooms: Sequence[Room] = ()
    house_day: int = 0
    _places: dict[str, str] = field(default_factory=dict)

    def place(self, words: str) -> str:
        """The dairy's own place that a recipe's words speak of; the words where it has none."""
        if words not in self._places:
            room = room_of(words, self.rooms)
            self._places[words] = room.name if room else words
        return self._places[words]

    def is_freezer(self, place: str) -> bool:
        """Whether a place is one of its freezers."""
        return any(room.sort == "freezer" and room.name == place for room in self.rooms)


@dataclass(frozen=True, slots=True, kw_only=True)
class PieceNow:
    """A piece as its plan needs it: recipe, the day it was made, its course, what moves its days,
    what is known of it, kg of it as it came out of its mould."""

    recipe: Recipe
    made_on: date
    course: PieceCourse
    of: OfPiece = AS_WRITTEN
    facts: Facts = NOTHING_KNOWN
    kg: float = 0.0


def with_cold(piece: PieceNow, around: Around) -> Facts:
    """What is known of a piece, with since when it lies in a freezer, or since when it no longer
    does. Parameters: piece; around. Source: derivation."""
    freezer = thawed = None
    cold = False
    for each in piece.course.lain:
        there = around.is_freezer(each.place)
        if there and not cold:
            freezer, thawed = each.begins, None
        elif cold and not there:
            freezer, thawed = None, each.begins
        cold = there
    return replace(piece.facts, freezer=freezer, thawed=thawed)


def counts_raw(family: str, raw: bool, marks: Marks) -> bool:
    """Whether a cheese of the raw class is treated as raw: one of acid and heat, or of whey, counts
    as heated where nothing marks it.

    Parameters: family, in snake case; raw, its milk; marks, what stays said of it.
    Source: handbook of safety.
    """
    heated = family.startswith("acid_heat") or family == "whey"
    return raw and not (heated and all(each.key != RAW_SOFT for each in marks))


def aged_days(course: PieceCourse, around: Around, until: date) -> int:
    """Days that a cheese aged: in a place at 1.7 °C or above, no freezer.

    Parameters: course; around; until, the day that is not counted any more.
    Source: 21 CFR 133: 60 days at 35 °F or above.
    """
    found = 0
    ends = [*(each.begins for each in course.lain[1:]), until]
    for each, end in zip(course.lain, ends, strict=True):
        if not around.is_freezer(each.place):
            cold = around.warmth.too_cold(each.place, each.begins, end)
            found += max(0, (end - each.begins).days) - cold
    return found


def known_to_json(of: OfPiece, facts: Facts) -> dict[str, Any]:
    """What is known of a piece as plain data, whether it is raw left out. Parameters: of; facts.
    Source: derivation."""
    told: dict[str, Any] = {"thick": round(of.thick, 3), "animals": dict(of.animals)}
    for name in ("ph", "moisture", "brine_rests_pct"):
        value = getattr(facts, name)
        if value is not None:
            told[name] = round(value, 4)
    return told | ({"packed_hot": True} if facts.packed_hot else {})


def known_from_json(told: Mapping[str, Any], raw: bool) -> tuple[OfPiece, Facts]:
    """What `known_to_json` wrote; what is not there is as its recipe has it. Parameters: told; raw,
    of the raw class. Source: derivation."""
    of = OfPiece(raw, float(told.get("thick", 1.0)), told.get("animals", {}))
    return of, Facts(
        ph=told.get("ph"),
        moisture=told.get("moisture"),
        brine_rests_pct=told.get("brine_rests_pct"),
        packed_hot=bool(told.get("packed_hot", False)),
    )
