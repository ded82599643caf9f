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
    Room(name="cave", holds=24, sort="cave", shelves=3, width_cm=120.0, depth_cm=35.0),
    Room(name="cool room", holds=8, sort="cool"),
    Room(name="fridge", holds=14, sort="fridge", shelves=2, width_cm=55.0, depth_cm=40.0),
    Room(name="warm cupboard", holds=3, sort="warm"),
    Room(name="freezer", holds=10, sort="freezer"),
)


def around(today, house=HOUSE, warm=None, house_day=0, rooms=ROOMS):
    """What all pieces share on a day; warm: days read of places."""
    return Around(
        today=today,
        house=house,
        warmth=RoomWarmth(warm or {}, house),
        rooms=rooms,
        house_day=house_day,
    )


def begun(recipe, made_on, kg=2.0):
    """How a piece of a recipe begins."""
    first = recipe.stages[0].place if recipe.stages else "shelf"
    stages = tuple(stage.key for stage in recipe.stages)
    return Begun(
        kg=kg, course=laid_down(around(made_on).place(first), made_on), stages=stages, zone=ZONE
    )


def told(deed, day, number=0, amends=None, name=None):
    """A deed on a day, late in the afternoon."""
    at = datetime(day.year, day.month, day.day, 17, 0, tzinfo=ZONE) + timedelta(minutes=number)
    return PieceTold(
        id=name or f"{day}-{number}-{deed.kind}", deed=deed, at=at, amends=amends, counter=number
    )


def resting(recipe, made_on, deeds=(), raw=False, kg=2.0):
    """A piece with what was told of it."""
    standing = fold(deeds, begun(recipe, made_on, kg))
    return PieceNow(recipe=recipe, made_on=made_on, course=standing.course, of=OfPiece(raw), kg=kg)


def plan_of(recipe, made_on, deeds=(), today=None, raw=False, until=None, **more):
    """The plan of a piece on a day."""
    piece = resting(recipe, made_on, deeds, raw)
    return care_plan(piece, around(today or made_on, **more), until)


def new_id():
    """An id for a deed."""
    return uuid.uuid4()
