"""A cheese at rest as the craft sees it, and a door to one in a real dairy."""

import uuid
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from openpail.craft.cave.care import care_plan
from openpail.craft.cave.course import laid_down
from openpail.craft.cave.deeds import PieceTold
from openpail.craft.cave.fold import Begun, fold
from openpail.craft.cave.piece import Around, PieceNow
from openpail.craft.cave.rooms import Room
from openpail.craft.cave.warmth import RoomWarmth
from openpail.craft.recipe.ripening import OfPiece
from tests.support import HOUSE

ZONE = ZoneInfo("Europe/Dublin")
ROOMS = (
    Room("cave", 24, "cave", 3, 120.0, 35.0),
    Room("cool room", 8, "cool"),
    Room("fridge", 14, "fridge", 2, 55.0, 40.0),
    Room("warm cupboard", 3, "warm"),
    Room("freezer", 10, "freezer"),
)


def around(today, house=HOUSE, warm=None, house_day=0, rooms=ROOMS):
    """What all pieces share on a day; warm: days read of places."""
    return Around(today, house, RoomWarmth(warm or {}, house), rooms, house_day)


def begun(recipe, made_on, kg=2.0):
    """How a piece of a recipe begins."""
    first = recipe.stages[0].place if recipe.stages else "shelf"
    stages = tuple(stage.key for stage in recipe.stages)
    return Begun(kg, laid_down(around(made_on).place(first), made_on), stages, ZONE)


def told(deed, day, number=0, amends=None, name=None):
    """A deed on a day, late in the afternoon."""
    at = datetime(day.year, day.month, day.day, 17, 0, tzinfo=ZONE) + timedelta(minutes=number)
    return PieceTold(name or f"{day}-{number}-{deed.kind}", deed, at, amends, number)


def resting(recipe, made_on, deeds=(), raw=False, kg=2.0):
    """A piece with what was told of it."""
    standing = fold(deeds, begun(recipe, made_on, kg))
    return PieceNow(recipe, made_on, standing.course, OfPiece(raw), kg=kg)


def plan_of(recipe, made_on, deeds=(), today=None, raw=False, until=None, **more):
    """The plan of a piece on a day."""
    piece = resting(recipe, made_on, deeds, raw)
    return care_plan(piece, around(today or made_on, **more), until)


def new_id():
    """An id for a deed."""
    return uuid.uuid4()
