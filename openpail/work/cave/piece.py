"""One piece: what is known of it, and the one door to its deeds."""

from __future__ import annotations

import uuid
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta
from functools import partial

from openpail.craft.cave import checks
from openpail.craft.cave.care import CarePlan, care_plan
from openpail.craft.cave.checks import Guarded, PieceBounds
from openpail.craft.cave.climate import AirOver, over_stay
from openpail.craft.cave.course import from_json
from openpail.craft.cave.deeds import (
    CutUp,
    Out,
    PieceDeed,
    PieceTold,
    PieceUndone,
    WeighedAgain,
)
from openpail.craft.cave.fold import PieceStanding, fold, parts_begun
from openpail.craft.cave.loss import InAir, LossCurve, curve, expected, surface_m2_per_kg
from openpail.craft.cave.piece import Around, PieceNow, aged_days, counts_raw
from openpail.craft.cave.ready import why_ready
from openpail.craft.cave.signs import spotted
from openpail.craft.deed import to_payload
from openpail.craft.errors import WantsWord
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.make.taught import ShareTaught
from openpail.craft.marks import joined
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.stock.learning import NOTHING_LEARNT, Learnt
from openpail.craft.units import convert
from openpail.formats import recipe_file
from openpail.records.climate import actions as climate
from openpail.records.log import actions as log
from openpail.records.log.actions import Kept
from openpail.records.log.models import DeedRow
from openpail.records.makes import actions as makes
from openpail.records.makes import lessons
from openpail.records.makes.models import Make
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece
from openpail.work.cave.ripening import (
    LivePiece,
    around,
    as_now,
    begun_of,
    places_left,
    resting,
)
from openpail.work.here import Here
from openpail.work.make import marks


@dataclass(frozen=True, slots=True, kw_only=True)
class Telling:
    """One deed to be told of one piece: its id is made by whoever saw it."""

    piece_id: uuid.UUID
    deed: PieceDeed
    id: uuid.UUID
    amends: uuid.UUID | None = None
    at: datetime | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class OnePiece:
    """A piece with its make and recipe, where it stands, its plan, and what was told of it."""

    row: Piece
    make: Make
    recipe: Recipe
    now: PieceNow
    standing: PieceStanding
    plan: CarePlan
    around: Around
    told: tuple[DeedRow, ...]

    @property
    def salt(self) -> Figure | None:
        """The salt that it is thought to hold, %."""
        return Figure.from_json(self.row.salt) if self.row.salt else None


def one(here: Here, piece_id: uuid.UUID, days: int | None = None) -> OnePiece:
    """One piece; with the cares of so many days from now, None for all. Raises NotHere."""
    row = pieces.piece(here.session, here.dairy, piece_id)
    told = pieces.told(here.session, here.dairy.id, [row.id]).get(row.id, [])
    return _one(here, row, told, days)


def _one(here: Here, row: Piece, told: Sequence[DeedRow], days: int | None) -> OnePiece:
    make = makes.make(here.session, here.dairy, row.make_id)
    recipe = _recipe(here, make)
    now = as_now(here, row, recipe)
    standing = fold([pieces.as_told(each) for each in told], begun_of(here, row, recipe))
    of = around(here, row.made_on)
    until = None if days is None else here.today + timedelta(days=days)
    plan = care_plan(now, of, until)
    return OnePiece(
        row=row,
        make=make,
        recipe=recipe,
        now=now,
        standing=standing,
        plan=plan,
        around=of,
        told=tuple(told),
    )


def planned(here: Here, row: Piece) -> tuple[PieceNow, CarePlan]:
    """A piece as its plan needs it, and its plan as far as today."""
    recipe = _recipe(here, makes.make(here.session, here.dairy, row.make_id))
    now = as_now(here, row, recipe)
    return now, care_plan(now, around(here, row.made_on), here.today)


def _recipe(here: Here, make: Make) -> Recipe:
    key = make.recipe_version_id
    if key not in here.worked:
        row = pieces.versions(here.session, here.dairy, [key])[key]
        here.worked[key] = recipe_file.read_version(row)
    found = here.worked[key]
    assert isinstance(found, Recipe)
    return found


def guard_of(here: Here, row: Piece, now: PieceNow) -> Guarded:
    """What speaks against the leaving of a piece."""
    aged = aged_days(now.course, around(here, row.made_on), here.today)
    said = joined(marks.of_make(here, row.make_id), spotted(now.recipe, now.course, row.label))
    return Guarded(counts_raw(row.family, row.raw, said), aged, said)


# ── the door ──


def tell(here: Here, steps: Sequence[Telling]) -> None:
    """Tell deeds of pieces, all of them or none; one that was told before is harmless.

    Raises: NotHere; CraftError by field, RecordError.
    """
    rows = {
        row.id: row
        for row in pieces.some(
            here.session, here.dairy, [step.piece_id for step in steps], to_change=True
        )
    }
    marks.of_makes(here, {row.make_id for row in rows.values()})
    kept = log.there(here.session, here.dairy.id, [step.id for step in steps])
    told = pieces.told(here.session, here.dairy.id, rows)
    asked: list[str] = []
    for step in steps:
        if step.id not in kept:
            row = rows[step.piece_id]
            try:
                _tell_one(here, row, told.setdefault(row.id, []), step)
            except WantsWord as question:
                asked.append(
                    question.asked if len(steps) == 1 else f"{row.label}: {question.asked}"
                )
    if asked:  # each says its own, so that one word is not given for what nobody read
        raise WantsWord(" ".join(asked))
    here.forget()


def _tell_one(here: Here, row: Piece, told: list[DeedRow], step: Telling) -> None:
    at = step.at or here.now
    before = _one(here, row, told, None)
    _check(here, before, step, at)
    payload = to_payload(step.deed)
    counter = len(told)
    kept = Kept(
        subject="piece",
        subject_id=row.id,
        id=step.id,
        deed=step.deed.kind,
        payload=payload,
        happened=at,
        at=at,
        counter=counter,
        amends=step.amends,
    )
    log.add(here.session, here.dairy.id, kept, here.now, here.person_id)
    new = PieceTold(
        id=str(step.id),
        deed=step.deed,
        at=at,
        amends=str(step.amends) if step.amends else None,
        counter=counter,
    )
    every = [*(pieces.as_told(each) for each in told), new]
    standing = fold(every, begun_of(here, row, before.recipe))
    who = {str(each.id): each.person_id for each in told} | {str(step.id): here.person_id}
    pieces.keep_standing(here.session, row, standing, who)
    _follow_cut(here, row, before, step, new)
    if row.parent_id is None and any(isinstance(each.deed, WeighedAgain) for each in every):
        now = as_now(here, row, before.recipe)
        teach_drying(here, replace(before, now=now, standing=standing))


def _follow_cut(here: Here, row: Piece, before: OnePiece, step: Telling, new: PieceTold) -> None:
    """A piece that is cut becomes its parts; one that was not cut after all is whole again."""
    if isinstance(step.deed, CutUp):
        parts = parts_begun(new, before.standing, here.zone)
        pieces.cut_off(here.session, row, step.id, parts, new.at)
    cut = before.standing.cut
    if isinstance(step.deed, PieceUndone) and cut and cut.id == str(step.amends):
        pieces.not_cut_off(here.session, row)


def _check(here: Here, one: OnePiece, step: Telling, moment: datetime) -> None:
    row = one.row
    bounds = PieceBounds(
        label=row.label,
        name=row.name,
        piece=one.now,
        plan=one.plan,
        standing=one.standing,
        around=one.around,
        now=here.local(here.now),
        laid_at=row.laid_at,
        guard=guard_of(here, row, one.now),
        whose=partial(_whose, here),
        left=partial(places_left, here, one.recipe),
        expects_kg=expects_kg(here, one) if isinstance(step.deed, WeighedAgain) else None,
        told_at={str(each.id): each.arrived for each in one.told},
        heavy=partial(_heavy, here),
    )
    checks.check(step.deed, moment, str(step.amends) if step.amends else None, bounds)


def _heavy(here: Here, kg: float) -> str:
    """A weight in the dairy's own unit."""
    if here.unit("mass") == "lb":
        return f"{convert(kg, 'kg', 'lb'):.2f} lb"
    return f"{kg:.2f} kg"


def _whose(here: Here, label: str) -> str:
    """Whose a number is, in words."""
    other = pieces.by_label(here.session, here.dairy, label)
    if other is None:
        return ""
    gone = " that is gone" if other.ended_at else f", in {from_json(other.course).now.place}"
    return f"a {other.name}{gone}"


# ── what is said of it ──


@dataclass(frozen=True, slots=True, kw_only=True)
class LainAt:
    """Where a piece lay, from when until when, and what the air was there; None where nobody can
    read it."""

    place: str
    shelf: int
    begins: date
    ends: date | None
    air: AirOver | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Said:
    """What is said of a piece: why it is ready then, until when it is eaten and why, where it lay,
    what it loses, how long it aged, what speaks against its leaving, its parts and sisters."""

    ready: Figure
    eat_by: Figure
    lain: tuple[LainAt, ...]
    loss: LossCurve | None
    aged_days: int
    guard: Guarded
    parts: list[Piece]
    whole: Piece | None


def said_of(here: Here, one: OnePiece) -> Said:
    """What is said of a piece beside its plan."""
    of, house = one.now.of, here.house
    ready = why_ready(
        one.recipe, house, of, ran=one.plan.ran, made_on=one.row.made_on, ready=one.plan.ready
    )
    course, row = one.now.course, one.row
    parent = row.parent_id
    return Said(
        ready=ready,
        eat_by=one.plan.why_eat_by,
        lain=tuple(_lain(here, one)),
        loss=loss_of(here, one),
        aged_days=aged_days(course, one.around, here.today),
        guard=guard_of(here, row, one.now),
        parts=pieces.parts_of(here.session, row),
        whole=pieces.piece(here.session, here.dairy, parent) if parent else None,
    )


def _lain(here: Here, one: OnePiece) -> Iterator[LainAt]:
    rows = {row.name: row for row in here.room_rows}
    course, ended = one.now.course, one.row.ended_at
    ends = [*(each.begins for each in course.lain[1:]), None]
    for each, end in zip(course.lain, ends, strict=True):
        row, stages = rows.get(each.place), one.recipe.stages
        air = None
        if row is not None and each.stage < len(stages):
            begins = _moment(here, each.begins)
            until = _moment(here, end) if end else ended or here.now
            until = max(until, begins)
            read = climate.hours(here.session, here.dairy, row.id, begins, until)
            stage = stages[each.stage]
            # a box has an air of its own: nobody reads that
            damp = None if "box" in stage.place.casefold() else stage.humidity_pct
            air = over_stay(
                read, begins, until, celsius=stage.celsius, humidity=damp, house=here.house
            )
        yield LainAt(place=each.place, shelf=each.shelf, begins=each.begins, ends=end, air=air)


def _moment(here: Here, day: date) -> datetime:
    return datetime.combine(day, time(), here.zone).astimezone(UTC)


def loss_of(here: Here, one: OnePiece) -> LossCurve | None:
    """What a piece should have lost by drying, with what it was weighed; None for a part, whose
    cut faces dry otherwise, and for what lies in brine."""
    row, recipe = one.row, one.recipe
    if row.parent_id is not None or not recipe.stages:
        return None
    if any(stage.brine_pct for stage in recipe.stages):
        return None
    surface = surface_m2_per_kg(recipe.wheels, row.mass_kg, here.house)
    dries = _dries(here, one).factor
    kept = expected(_kept(here, one), surface, here.house, row.family)
    should = [(day, pct * dries) for day, pct in kept]
    weighed, out = [], 0.0
    for each in one.standing.told:
        if isinstance(each.deed, Out) and each.deed.kg is not None:
            out += each.deed.kg
        if isinstance(each.deed, WeighedAgain):
            days = (each.at - row.laid_at).total_seconds() / 86_400
            whole = row.mass_kg - out
            weighed.append((days, 100 * (1 - each.deed.kg / whole) if whole > 0 else 0.0))
    return curve(should, weighed, here.house)


def _dries(here: Here, one: OnePiece) -> Learnt:
    """How much the place where a piece lies dries, as weighings there taught."""
    room = next((each for each in here.room_rows if each.name == one.now.course.now.place), None)
    return here.drying_learnt(room.id) if room else NOTHING_LEARNT


def teach_drying(here: Here, one: OnePiece) -> None:
    """What the last weighing of a piece teaches of the place where it lay nearly all its days."""
    lain, row = one.now.course.lain, one.row
    room = next((each for each in here.room_rows if each.name == lain[-1].place), None)
    loss = loss_of(here, one)
    taught = None
    if room and loss and loss.weighed and not row.about:
        days, lost = loss.weighed[-1]
        should = loss.at(days) / (loss.factor.value * _dries(here, one).factor)
        there = days - (lain[-1].begins - row.made_on).days
        if lost > 0 and should >= _LEAST_TAUGHT_PCT and there >= _MOSTLY * days:
            at_ = row.laid_at + timedelta(days=days)
            taught = ShareTaught(of=str(room.id), seen=lost, expected=should, at=at_)
    make = makes.make(here.session, here.dairy, row.make_id)
    lessons.keep_shares(here.session, make, row.id, {"drying": taught})


_LEAST_TAUGHT_PCT, _MOSTLY = 1.0, 0.7


def _kept(here: Here, one: OnePiece) -> list[InAir]:
    """The air it lay in, stage by stage, to the end of its days; sealed, it loses nothing."""
    found = []
    sealed = one.now.course.sealed in ("bag", "wax", "oil")
    since = one.now.course.sealed_on if sealed else None
    for run in one.plan.ran:
        stage = one.recipe.stages[run.stage]
        damp = stage.humidity_pct.target if stage.humidity_pct else _UNREAD_PCT
        begins, ends = run.begins, run.ends
        if since is not None and since < ends:
            bare = max(0, (since - begins).days)
            found.append(InAir(bare, damp))
            found.append(InAir((ends - begins).days - bare, damp, bare=False))
        else:
            found.append(InAir((ends - begins).days, damp))
    return found


_UNREAD_PCT = 85.0


def expects_kg(here: Here, one: OnePiece) -> float | None:
    """What a piece should weigh now; None where nothing is known of what it loses."""
    found = loss_of(here, one)
    if found is None:
        return None
    days = (here.now - one.row.laid_at).total_seconds() / 86_400
    out = sum(each.kg for each in one.standing.gone)
    return (one.row.mass_kg - out) * (1 - found.at(days) / 100)


# ── found by its number ──


def check_of(row_id: uuid.UUID) -> str:
    """A few signs of a piece's own id, so that a label of another dairy opens nothing here."""
    return row_id.hex[:6]


def by_number(here: Here, label: str, check: str = "") -> uuid.UUID | None:
    """The piece of a number; None where there is none, or its label is another dairy's."""
    row = pieces.by_label(here.session, here.dairy, label)
    if row is None or (check and check != check_of(row.id)):
        return None
    return row.id


def places_named(here: Here, piece_id: uuid.UUID) -> tuple[str, dict[str, str]]:
    """Where a piece lies, and the dairy's places by how people may write them."""
    row = pieces.piece(here.session, here.dairy, piece_id)
    there = {room.name.casefold(): room.name for room in around(here).rooms}
    return from_json(row.course).now.place, there


def numbers(here: Here, ids: Sequence[uuid.UUID]) -> list[tuple[str, str]]:
    """Pieces by their ids: id and number, by number. Raises NotHere."""
    rows = pieces.some(here.session, here.dairy, ids)
    return sorted(((str(row.id), row.label) for row in rows), key=lambda each: each[1])


def surface_m2(each: LivePiece, house: House) -> float:
    """The rind of a piece, m²."""
    kg = each.row.left_kg
    return surface_m2_per_kg(each.now.recipe.wheels, kg, house) * kg if kg > 0 else 0.0


def as_told(row: DeedRow) -> PieceTold:
    """A deed of the log, as the craft reads it."""
    return pieces.as_told(row)


def sisters(here: Here, piece_id: uuid.UUID) -> list[uuid.UUID]:
    """A piece with those of its make that lie beside it and were treated alike."""
    rows = resting(here)
    mine = next((row for row in rows if row.id == piece_id), None)
    if mine is None:
        return [piece_id]
    return [row.id for row in rows if row.make_id == mine.make_id and row.course == mine.course]


def for_each(
    ids: Sequence[uuid.UUID], deed: PieceDeed, batch: uuid.UUID, first: uuid.UUID
) -> list[Telling]:
    """The same deed for several pieces; that of the first has the id of the batch itself."""
    return [
        Telling(
            piece_id=each, deed=deed, id=batch if each == first else uuid.uuid5(batch, str(each))
        )
        for each in ids
    ]
