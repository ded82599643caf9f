"""Where a piece stands on its way: its stage, its place, what was done, seen and tasted."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from typing import Any, get_args

from openpail.craft.cave.deeds import Ripe, Seal


@dataclass(frozen=True, slots=True, kw_only=True)
class Lain:
    """It lay at a place, on a shelf (0: any), from a day on, in the stage of that number."""

    place: str
    shelf: int
    begins: date
    stage: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PieceCourse:
    """What the plan of a piece goes by; pieces that were treated alike have equal ones.

    lain: each place with since when, the first first; done: the last day of each care, by
    “stage/care”, and how often on that day; seen: the last step of each sign, with its day; sealed:
    in what, and since when; ripe: the last taste, with its day; weighed_on; cut_on: when it was cut
    off; spotted_on: when a mould that its plan does not name was first seen on it.
    """

    lain: tuple[Lain, ...]
    done: Mapping[str, tuple[date, int]] = field(default_factory=dict)
    seen: Mapping[str, tuple[int, date]] = field(default_factory=dict)
    sealed: Seal | None = None
    sealed_on: date | None = None
    ripe: Ripe | None = None
    ripe_on: date | None = None
    weighed_on: date | None = None
    cut_on: date | None = None
    spotted_on: date | None = None

    @property
    def now(self) -> Lain:
        """Where it lies now."""
        return self.lain[-1]

    @property
    def stage(self) -> int:
        """The number of its stage, from 0."""
        return self.now.stage

    def begins(self, stage: int) -> date:
        """The day on which a stage that it is in, or was in, began."""
        return next(each.begins for each in self.lain if each.stage >= stage)


def to_json(course: PieceCourse) -> dict[str, Any]:
    """A course as plain data, the same for the same course. Parameters: course.
    Source: derivation."""
    told: dict[str, Any] = {
        "lain": [[e.place, e.shelf, e.begins.isoformat(), e.stage] for e in course.lain]
    }
    if course.done:
        told["done"] = {key: [day.isoformat(), n] for key, (day, n) in sorted(course.done.items())}
    if course.seen:
        told["seen"] = {k: [step, day.isoformat()] for k, (step, day) in course.seen.items()}
    for name in ("sealed", "ripe"):
        if getattr(course, name):
            told[name] = getattr(course, name)
    for name in ("sealed_on", "ripe_on", "weighed_on", "cut_on", "spotted_on"):
        if getattr(course, name):
            told[name] = getattr(course, name).isoformat()
    return told


def from_json(told: Mapping[str, Any]) -> PieceCourse:
    """The course that `to_json` wrote. Parameters: told. Source: derivation."""
    day = date.fromisoformat
    sealed, ripe = told.get("sealed"), told.get("ripe")
    return PieceCourse(
        lain=tuple(
            Lain(place=place, shelf=shelf, begins=day(since), stage=stage)
            for place, shelf, since, stage in told["lain"]
        ),
        done={key: (day(when), n) for key, (when, n) in told.get("done", {}).items()},
        seen={key: (step, day(when)) for key, (step, when) in told.get("seen", {}).items()},
        sealed=next((each for each in get_args(Seal) if each == sealed), None),
        sealed_on=day(told["sealed_on"]) if "sealed_on" in told else None,
        ripe=next((each for each in get_args(Ripe) if each == ripe), None),
        ripe_on=day(told["ripe_on"]) if "ripe_on" in told else None,
        weighed_on=day(told["weighed_on"]) if "weighed_on" in told else None,
        cut_on=day(told["cut_on"]) if "cut_on" in told else None,
        spotted_on=day(told["spotted_on"]) if "spotted_on" in told else None,
    )


def plan_key(told: Mapping[str, Any]) -> tuple[object, ...]:
    """What of a course, as `to_json` wrote it, a plan follows from: all but its shelves.
    Parameters: told. Source: derivation."""
    lain = tuple((place, since, stage) for place, _, since, stage in told["lain"])
    return lain, tuple((key, str(value)) for key, value in told.items() if key != "lain")


def laid_down(place: str, on: date) -> PieceCourse:
    """The course of a piece that was just laid down. Parameters: place; on. Source: derivation."""
    return PieceCourse(lain=(Lain(place=place, shelf=0, begins=on, stage=0),))


def later(course: PieceCourse, days: int) -> PieceCourse:
    """The same course so many days later. Parameters: course; days. Source: derivation."""
    on = timedelta(days=days)
    return replace(
        course,
        lain=tuple(replace(each, begins=each.begins + on) for each in course.lain),
        done={key: (day + on, times) for key, (day, times) in course.done.items()},
        seen={key: (step, day + on) for key, (step, day) in course.seen.items()},
        sealed_on=course.sealed_on and course.sealed_on + on,
        ripe_on=course.ripe_on and course.ripe_on + on,
        weighed_on=course.weighed_on and course.weighed_on + on,
        cut_on=course.cut_on and course.cut_on + on,
        spotted_on=course.spotted_on and course.spotted_on + on,
    )
