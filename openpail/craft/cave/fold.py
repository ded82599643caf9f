"""The deeds of a piece, in any order of arrival and with repeats, folded to where it stands."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime, tzinfo

from openpail.craft.cave.course import Lain, PieceCourse
from openpail.craft.cave.deeds import (
    Cared,
    CutUp,
    EarlyTaste,
    MovedTo,
    Opened,
    Out,
    PieceAmended,
    PieceTold,
    PieceUndone,
    Sealed,
    Seen,
    WeighedAgain,
    read_deed,
)
from openpail.craft.cave.signs import STRANGE
from openpail.craft.deed import to_payload

NOTHING_KG = 0.005


@dataclass(frozen=True, slots=True, kw_only=True)
class Begun:
    """How a piece began: kg, its course as it was laid down or cut off, the keys of its stages, and
    the zone whose days it lives by."""

    kg: float
    course: PieceCourse
    stages: tuple[str, ...]
    zone: tzinfo


@dataclass(frozen=True, slots=True, kw_only=True)
class Gone:
    """A part of it that went: by which deed, where, to whom, kg, why, when."""

    id: str
    where: str
    to: str
    kg: float
    why: str
    at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class PieceStanding:
    """Where a piece stands: its course; each weighing, kg and when; what went; the deed that cut it
    up; kg that are left and that it lost drying; since when it is no more; all that counts of what
    was told, the first first."""

    course: PieceCourse
    left_kg: float
    dried_kg: float = 0.0
    weighings: tuple[tuple[datetime, float], ...] = ()
    gone: tuple[Gone, ...] = ()
    cut: PieceTold | None = None
    ended_at: datetime | None = None
    told: tuple[PieceTold, ...] = ()

    @property
    def cut_kg(self) -> float:
        """What its parts weigh together."""
        return sum(self.cut.deed.kgs) if self.cut and isinstance(self.cut.deed, CutUp) else 0.0


def counting(told: Iterable[PieceTold]) -> tuple[PieceTold, ...]:
    """What counts of what was told: each once, without what was taken back, as it was mended.

    Parameters: told, in any order. Returns: by when it happened. Source: derivation.
    """
    once = {each.id: each for each in told}
    ordered = sorted(once.values(), key=lambda each: each.order)
    undone = {each.amends for each in ordered if isinstance(each.deed, PieceUndone)}
    mended: dict[str, PieceTold] = {}
    for each in ordered:
        if isinstance(each.deed, PieceAmended) and each.amends in once and each.id not in undone:
            target = mended.get(each.amends, once[each.amends])
            mended[each.amends] = _mended(target, each.deed.change)
    found = [
        mended.get(each.id, each)
        for each in ordered
        if each.id not in undone and not isinstance(each.deed, PieceUndone | PieceAmended)
    ]
    return tuple(sorted(found, key=lambda each: each.order))


def _mended(target: PieceTold, change: Mapping[str, object]) -> PieceTold:
    at = change.get("at")
    rest = {key: value for key, value in change.items() if key != "at"}
    deed = read_deed(target.deed.kind, {**to_payload(target.deed), **rest})
    moment = datetime.fromisoformat(at) if isinstance(at, str) else target.at
    return replace(target, deed=deed, at=moment)


def fold(told: Iterable[PieceTold], begun: Begun) -> PieceStanding:
    """Where a piece stands.

    Parameters: told, its deeds in any order, repeats too; begun, how it began.
    Source: derivation; the weights add up: kg at first = dried + gone + in its parts + left.
    """
    count = counting(told)
    at = PieceStanding(course=begun.course, left_kg=begun.kg, told=count)
    for each in count:
        if at.ended_at is not None:
            break  # two hands told its end: the first one holds
        day = each.at.astimezone(begun.zone).date()
        at = _weights(at, each)
        at = replace(at, course=_course(at.course, each, day, begun.stages))
    return at


def _weights(standing: PieceStanding, told: PieceTold) -> PieceStanding:
    """What a deed does to what is there of it."""
    match told.deed:
        case WeighedAgain(kg):
            dried = standing.dried_kg + standing.left_kg - kg
            return replace(
                standing, left_kg=kg, dried_kg=dried, weighings=(*standing.weighings, (told.at, kg))
            )
        case Out(where=where, to=to, kg=kg, why=why):
            all_of_it = kg is None or standing.left_kg - kg < NOTHING_KG
            went = standing.left_kg if all_of_it else kg or 0.0
            gone = (
                *standing.gone,
                Gone(id=told.id, where=where, to=to, kg=went, why=why, at=told.at),
            )
            left = 0.0 if all_of_it else standing.left_kg - went
            return replace(
                standing,
                gone=gone,
                left_kg=left,
                ended_at=told.at if all_of_it else standing.ended_at,
            )
        case CutUp(kgs=kgs):
            dried = standing.dried_kg + standing.left_kg - sum(kgs)
            return replace(standing, cut=told, left_kg=0.0, dried_kg=dried, ended_at=told.at)
    return standing


def _course(
    course: PieceCourse, told: PieceTold, day: date, stages: tuple[str, ...]
) -> PieceCourse:
    """What a deed does to its course."""
    match told.deed:
        case Cared(stage, key):
            name = f"{stage}/{key}"
            last, times = course.done.get(name, (day, 0))
            times = times + 1 if last == day else 1
            return replace(course, done={**course.done, name: (day, times)})
        case Seen(sign, step):
            spots = day if sign == STRANGE and step else None
            seen = {**course.seen, sign: (step, day)}
            return replace(course, seen=seen, spotted_on=course.spotted_on or spots)
        case MovedTo(place=place, shelf=shelf, stage=stage):
            number = stages.index(stage) if stage in stages else course.stage
            return replace(
                course,
                lain=(*course.lain, Lain(place=place, shelf=shelf, begins=day, stage=number)),
            )
        case WeighedAgain():
            return replace(course, weighed_on=day)
        case Sealed(how=how):
            return replace(course, sealed=how, sealed_on=day)
        case Opened():
            return replace(course, sealed=None, sealed_on=None)
        case EarlyTaste(ripe):
            return replace(course, ripe=ripe, ripe_on=day)
    return course


def parts_begun(
    cut: PieceTold, standing: PieceStanding, zone: tzinfo
) -> list[tuple[float, PieceCourse]]:
    """How each part of a piece that was cut begins: its kg and its course, with its own place.

    Parameters: cut, the deed; standing of the piece before it or after it; zone.
    Source: derivation: a part goes on in the stage of the whole.
    """
    if not isinstance(cut.deed, CutUp):
        return []
    day = cut.at.astimezone(zone).date()
    found = []
    for kg, place in zip(cut.deed.kgs, cut.deed.places, strict=True):
        lain = (
            *standing.course.lain,
            Lain(place=place, shelf=0, begins=day, stage=standing.course.stage),
        )
        whole = replace(standing.course, lain=lain, cut_on=day, sealed=None, sealed_on=None)
        found.append((kg, whole))
    return found
