"""A make on the clock: its steps from now, by all that was read and the tub that waits for it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from openpail.craft.make.by_sheet import day_by
from openpail.craft.make.day import MakeDay
from openpail.craft.make.now import Now, what_now
from openpail.craft.make.standing import Reading, Standing
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.work.here import Here
from openpail.work.make.made import recipe_of, standing_of
from openpail.work.press.brining import first_tub
from openpail.work.press.gear import press_of


def day_of(
    here: Here, make: Make, standing: Standing | None = None, now: datetime | None = None
) -> MakeDay:
    """The make's steps on the clock: the one reckoning that every page, feed and device tells.

    standing: where it stands; None reads it. now: the moment that it is told for; None is now.
    """
    standing = standing_of(here, make) if standing is None else standing
    recipe, sheet, now = recipe_of(make), makes.sheet_of(make), now or here.now
    stream = [
        Reading(id="", at=at, celsius=celsius, ph=ph)
        for at, celsius, ph in (here.streams.get(make.id, ()) if make.state == "under way" else ())
    ]
    day = day_by(recipe, sheet, standing, started=make.started_at, now=now, stream=stream)
    step = day.current.planned.step if day.current else None
    if step is None or step.kind != "brine" or standing.in_brine(step.key):
        return day
    waits = first_tub(here, make, standing, recipe.step(step.key))
    if waits is None:
        return day
    return day_by(
        recipe,
        sheet,
        standing,
        started=make.started_at,
        now=now,
        stream=stream,
        tub_min=waits.plan.hours.value * 60,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Underway:
    """A make under way: its steps on the clock, and what it wants now."""

    make: Make
    day: MakeDay
    now: Now


def now_of(here: Here, make: Make, day: MakeDay) -> Now:
    """What a make wants now. Parameters: day, its steps on the clock."""
    step = day.current.planned.step if day.current else None
    press = press_of(here, make, day.standing) if step and step.kind == "press" else None
    has_screw = bool(press and press.press and press.press.sort == "screw")
    return what_now(recipe_of(make), day, here.now, has_screw=has_screw)


def running(here: Here) -> list[Underway]:
    """The makes under way, each with its steps and with what it wants now: worked out once."""
    return [as_it_runs(here, make) for make in here.under_way]


def as_it_runs(here: Here, make: Make) -> Underway:
    """One make with its steps and with what it wants now: worked out once."""
    key = "as it runs", make.id
    if key not in here.worked:
        day = day_of(here, make)
        here.worked[key] = Underway(make=make, day=day, now=now_of(here, make, day))
    found = here.worked[key]
    assert isinstance(found, Underway)
    return found
