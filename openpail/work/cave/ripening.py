"""What rests, each with its own plan: worked out once for all that are alike."""

from __future__ import annotations

import json
import uuid
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from functools import lru_cache

from openpail.craft.cave.care import CarePlan, DueCare, care_plan
from openpail.craft.cave.course import PieceCourse, from_json, laid_down, plan_key
from openpail.craft.cave.fold import Begun, fold
from openpail.craft.cave.keep import Facts
from openpail.craft.cave.late import Late, how_late
from openpail.craft.cave.piece import Around, PieceNow, known_from_json, known_to_json
from openpail.craft.cave.rooms import Stay, floor_of, room_left
from openpail.craft.cave.warmth import RoomWarmth
from openpail.craft.make.laid import facts_of, of_piece
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.ripening import OfPiece
from openpail.craft.recipe.rubbed import rind_rubs
from openpail.craft.units import so_many
from openpail.formats import recipe_file
from openpail.records.climate import actions as climate
from openpail.records.dairy import gear as gears
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.actions import Live, WholePiece
from openpail.records.pieces.models import Piece
from openpail.work.here import Here
from openpail.work.press.brining import mould_of


@dataclass(frozen=True, slots=True)
class LivePiece:
    """A piece that rests, as its plan sees it, with its plan."""

    row: Live
    now: PieceNow
    plan: CarePlan

    @property
    def place(self) -> str:
        """Where it lies."""
        return self.now.course.now.place


def around(here: Here, since: date | None = None) -> Around:
    """What all pieces share. Parameters: since, the day from which on the climate is wanted."""
    return _shared(here, since).around


@dataclass(frozen=True, slots=True)
class _Shared:
    """What all pieces share, and the plans that were worked out with it."""

    around: Around
    plans: dict[object, CarePlan]


# What was worked out before in this process. It follows from its key and from nothing else, so that
# nothing has to be told when a deed, a reading or a house value changes: the key is another then.
_KEPT: dict[object, _Shared] = {}
_MOST_KEPT, _MOST_PLANS = 32, 2_000


def _shared(here: Here, since: date | None) -> _Shared:
    asked = ("around", since)
    if asked not in here.worked:
        here.worked[asked] = _kept(here, since)
    found = here.worked[asked]
    assert isinstance(found, _Shared)
    return found


def _kept(here: Here, since: date | None) -> _Shared:
    rooms = tuple(gears.as_room(row) for row in here.room_rows)
    with_air = since if rooms else None
    air = climate.stamp(here.session, here.dairy, with_air) if with_air else ()
    # the house stands in what is kept, so that its id is no other's
    key = (here.dairy.id, here.today, id(here.house), rooms, here.dairy.house_day, with_air, air)
    found = _KEPT.get(key)
    if found is None:
        read = climate.days(here.session, here.dairy, with_air) if with_air else {}
        if len(_KEPT) >= _MOST_KEPT:
            _KEPT.clear()
        warmth = RoomWarmth(read, here.house)
        of = Around(
            today=here.today,
            house=here.house,
            warmth=warmth,
            rooms=rooms,
            house_day=here.dairy.house_day,
        )
        found = _KEPT[key] = _Shared(of, {})
    return found


def live(here: Here, until: date | None = None) -> list[LivePiece]:
    """All pieces that rest, with their plans, the oldest first.

    Parameters: until, the last day for which cares are wanted, None for today.
    """
    last = until or here.today
    key = ("live", last)
    if key not in here.worked:
        rows = resting(here)
        there = pieces.versions(here.session, here.dairy, {row.version_id for row in rows})
        recipes = {row.id: recipe_file.read_version(row) for row in there.values()}
        since = min((row.made_on for row in rows), default=None)
        here.worked[key] = _planned(rows, recipes, _shared(here, since), last)
    found = here.worked[key]
    assert isinstance(found, list)
    return found


def resting(here: Here) -> list[Live]:
    """The pieces that rest, asked for once however far ahead they are planned."""
    if "rows" not in here.worked:
        here.worked["rows"] = pieces.live(here.session, here.dairy)
    found = here.worked["rows"]
    assert isinstance(found, list)
    return found


# A piece stands still between two deeds: what it comes to is read of its text once.


@lru_cache(maxsize=_MOST_PLANS)
def _course(told: str) -> tuple[PieceCourse, tuple[object, ...]]:
    """The course of a text, and what of it a plan follows from."""
    read = json.loads(told)
    return from_json(read), plan_key(read)


@lru_cache(maxsize=_MOST_PLANS)
def _known(facts: str, raw: bool) -> tuple[OfPiece, Facts]:
    """What is known of the make of a piece, of its text."""
    return known_from_json(json.loads(facts), raw)


def _planned(
    rows: Iterable[Live], recipes: Mapping[uuid.UUID, Recipe], of: _Shared, until: date
) -> list[LivePiece]:
    rubbed = {key for key, recipe in recipes.items() if len(rind_rubs(recipe, 1.0)) > 1}
    found = []
    for row in rows:
        course, of_course = _course(row.course)
        of_piece, facts = _known(row.facts, row.raw)
        recipe = recipes[row.version_id]
        now = PieceNow(
            recipe=recipe,
            made_on=row.made_on,
            course=course,
            of=of_piece,
            facts=facts,
            kg=row.mass_kg,
        )
        kg = row.mass_kg if row.version_id in rubbed else 0.0
        key = (until, *row.alike, of_course, kg)
        plan = of.plans.get(key)
        if plan is None:
            if len(of.plans) >= _MOST_PLANS:
                of.plans.clear()
            plan = of.plans[key] = care_plan(now, of.around, until)
        found.append(LivePiece(row, now, plan))
    return found


def as_now(here: Here, row: Piece, recipe: Recipe) -> PieceNow:
    """A piece as its plan needs it."""
    made, facts = known_from_json(row.facts, row.raw)
    return PieceNow(
        recipe=recipe,
        made_on=row.made_on,
        course=from_json(row.course),
        of=made,
        facts=facts,
        kg=row.mass_kg,
    )


def next_care(here: Here, row: Piece, recipe: Recipe) -> DueCare | None:
    """The care that a piece wants first, None when none is left."""
    plan = care_plan(as_now(here, row, recipe), around(here, row.made_on))
    return plan.cares[0] if plan.cares else None


def stays_of(here: Here) -> list[Stay]:
    """Where all that rests lies, now and by its plan."""
    found: list[Stay] = []
    for each in live(here):
        of = around(here)
        ran = [run for run in each.plan.ran if not run.over]
        for run in ran:
            now = run.stage == each.now.course.stage
            place = each.place if now else of.place(each.now.recipe.stages[run.stage].place)
            begins = each.now.course.now.begins if now else run.begins
            ends = max(run.ends, here.today) if run is not ran[-1] else None
            found.append(
                Stay(
                    place=place,
                    begins=begins,
                    ends=ends,
                    floor_cm2=floor_of(each.now.recipe, here.house),
                )
            )
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class CareGroup:
    """The same care, due on the same day, for pieces of one cheese at one place.

    due: the day, of late ones the first; care: of the one that is latest; pieces, the latest first.
    """

    place: str
    name: str
    care: DueCare
    due: date
    pieces: tuple[LivePiece, ...]

    @property
    def labels(self) -> tuple[str, ...]:
        """The numbers of its pieces."""
        return tuple(each.row.label for each in self.pieces)

    @property
    def ids(self) -> str:
        """The ids of its pieces, as a form carries them."""
        return ",".join(str(each.row.id) for each in self.pieces)


def late(care: DueCare, of: LivePiece, today: date) -> Late:
    """How late a care of a piece is, and how much it matters."""
    return how_late(care, of.row.made_on, of.now.course.sealed, today)


def groups(here: Here, these: Iterable[LivePiece], since: date, until: date) -> list[CareGroup]:
    """All cares of pieces that are due from a day until another, grouped as hands do them: by
    place, cheese and words; all that is late with what is due today, else day by day."""
    found: dict[tuple[object, ...], list[tuple[DueCare, LivePiece]]] = {}
    for each in these:
        for care in each.plan.cares:
            if since <= care.due <= until:
                day = max(care.due, here.today)
                key = (care.place, each.row.name, care.name, care.words, day)
                found.setdefault(key, []).append((care, each))
    made = []
    for those in found.values():
        those.sort(key=lambda pair: pair[0].due)
        care, first = those[0]
        together = tuple(each for _, each in those)
        made.append(
            CareGroup(
                place=care.place, name=first.row.name, care=care, due=care.due, pieces=together
            )
        )
    return sorted(made, key=lambda each: (each.due, each.place, each.pieces[0].row.label))


# ── room ──


def places_left(here: Here, recipe: Recipe, place: str) -> int | None:
    """How many more of a cheese a place holds, None where that is not known."""
    room = next((each for each in around(here).rooms if each.name == place), None)
    if room is None:
        return None
    taken = [floor_of(each.now.recipe, here.house) for each in live(here) if each.place == place]
    return room_left(room, taken, floor_of(recipe, here.house))


def no_place(here: Here, recipe: Recipe, count: int) -> str:
    """What is asked before so many pieces are laid down where there is no room, "" where there
    is."""
    place = around(here).place(recipe.stages[0].place) if recipe.stages else ""
    left = places_left(here, recipe, place)
    if left is None or left >= count:
        return ""
    many = so_many(count, "piece")
    return f"The {place} has room for {left} more, and {many} come out: where do they lie?"


# ── pieces come out of a make ──


def follow(
    here: Here, make: Make, recipe: Recipe, *, standing: Standing, before: Standing, salt_pct: float
) -> None:
    """The pieces of a make follow its deeds: laid down when they are weighed, weighed otherwise
    when that is mended. Parameters: standing and before; salt_pct that they hold."""
    if standing.weighed is None:
        return
    day = here.day_of(standing.weighed.at)
    if before.weighed is None:
        sheet = makes.sheet_of(make)
        pieces.lay_down(
            here.session,
            make,
            recipe.name,
            family=recipe.family,
            wholes=_wholes(here, make, recipe, standing=standing, salt_pct=salt_pct, day=day),
            made_on=day,
            laid_at=standing.weighed.at,
            raw=sheet.milk.raw,
            about=standing.about,
        )
    elif (standing.pieces_kg, standing.about) != (before.pieces_kg, before.about):
        wholes = _wholes(here, make, recipe, standing=standing, salt_pct=salt_pct, day=day)
        rows = pieces.weighed_anew(here.session, make, wholes, about=standing.about)
        refold(here, rows, recipe)


def _wholes(
    here: Here, make: Make, recipe: Recipe, *, standing: Standing, salt_pct: float, day: date
) -> list[WholePiece]:
    """The pieces of a make as they are laid down."""
    sheet = makes.sheet_of(make)
    moulded = standing.moulded
    of_mould = moulded is not None and moulded.count == len(standing.pieces_kg)
    mould = mould_of(here, make, standing) if of_mould else None
    facts = facts_of(recipe, sheet, standing, sum(standing.pieces_kg), salt_pct)
    first = recipe.stages[0].place if recipe.stages else "shelf"
    course = laid_down(around(here).place(first), day)
    return [
        WholePiece(kg, course, known_to_json(of_piece(recipe, sheet, kg, mould), facts))
        for kg in standing.pieces_kg
    ]


def begun_of(here: Here, row: Piece, recipe: Recipe) -> Begun:
    """How a piece began."""
    stages = tuple(stage.key for stage in recipe.stages)
    return Begun(kg=row.mass_kg, course=from_json(row.begins), stages=stages, zone=here.zone)


def refold(here: Here, rows: Iterable[Piece], recipe: Recipe) -> None:
    """Where pieces stand is worked out anew: how they began was other than told."""
    rows = list(rows)
    told = pieces.told(here.session, here.dairy.id, [row.id for row in rows])
    for row in rows:
        mine = told.get(row.id, [])
        standing = fold([pieces.as_told(each) for each in mine], begun_of(here, row, recipe))
        who = {str(each.id): each.person_id for each in mine}
        pieces.keep_standing(here.session, row, standing, who)
