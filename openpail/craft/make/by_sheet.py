"""A make's steps on the clock as its sheet has them: by the rennet that really went in, the tub
that it lies in, the room that it drains in."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from functools import partial

from openpail.craft.errors import OutOfRange
from openpail.craft.house import House
from openpail.craft.make.additions import expected_flocks
from openpail.craft.make.day import End, MakeDay, StepState, lasting, on_the_clock
from openpail.craft.make.drain import room_factor
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.souring import AcidAhead, acid_ahead, ends_by_acid
from openpail.craft.make.standing import Reading, Standing
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.steps import PlannedStep, laid_out
from openpail.craft.sheet.moves import moved


def planned_by(recipe: Recipe, sheet: Frozen) -> tuple[PlannedStep, ...]:
    """The steps with their lengths, as the sheet worked them out.

    Parameters: recipe and its sheet. Source: derivation.
    """
    floc, cut = (sheet.set.flocculation.value, sheet.set.cut.value) if sheet.set else (None, None)
    warm = {key: figure.value for key, figure in sheet.warm.items()}
    return laid_out(moved(recipe, sheet.moved.moves), floc, cut, warm)


def day_by(
    recipe: Recipe,
    sheet: Frozen,
    standing: Standing,
    *,
    started: datetime,
    now: datetime,
    stream: Sequence[Reading] = (),
    tub_min: float | None = None,
) -> MakeDay:
    """The steps on the clock, from now.

    Parameters: recipe and its sheet; standing; started and now, with zone; stream, what the probe
    showed, by time; tub_min, how long it would lie in the tub that it goes into, min, while its
    step of now is a brine that it does not lie in yet. Source: derivation.
    """
    as_planned = planned_by(recipe, sheet)
    planned = as_planned
    expected = expected_flocks(recipe, sheet, standing)
    if sheet.set and expected != sheet.set.flocculation.value:
        share = expected / sheet.set.flocculation.value
        planned = lasting(
            planned,
            {each.step.key: each.minutes * share for each in planned if each.step.clock != "fixed"},
        )
    acid = acid_ahead(recipe, sheet, as_planned, standing, started=started, stream=stream)
    ends = {**_in_tubs(recipe, standing), **_by_acid(recipe, acid)}
    clock = partial(
        on_the_clock,
        planned,
        standing,
        started=started,
        now=now,
        cut_multiplier=sheet.set.multiplier.value if sheet.set else None,
        acid=acid,
        look_again_min=sheet.house.number("set.look_again_min"),
    )
    day = clock(ends=ends)
    of_now = _of_now(recipe, sheet.house, day, now, tub_min)
    return clock(ends={**ends, **of_now}) if of_now else day


def _by_acid(recipe: Recipe, acid: AcidAhead | None) -> dict[str, End]:
    """The end of the step that waits for the next pH, once the readings tell it."""
    if acid is None or not ends_by_acid(recipe.step(acid.step)):
        return {}
    at = acid.passed or acid.at
    if at is None:
        return {}
    return {acid.step: End(at=at, decides="acid", early=acid.early, late=acid.late)}


def _in_tubs(recipe: Recipe, standing: Standing) -> dict[str, End]:
    """The end of a stay in brine, as it was told when it went in."""
    found: dict[str, End] = {}
    for step in recipe.steps:
        told = standing.in_brine(step.key)
        if told and told.until and step.key in standing.begun:
            found[step.key] = End(at=datetime.fromisoformat(told.until), decides="tub")
    return found


def _of_now(
    recipe: Recipe, house: House, day: MakeDay, now: datetime, tub_min: float | None
) -> dict[str, End]:
    """The end of the step of now, where the tub that it goes into or the room tells it."""
    state = day.current
    if state is None:
        return {}
    key = state.planned.step.key
    if state.planned.step.kind == "brine" and tub_min is not None and state.decides != "tub":
        return {key: End(at=max(now, state.begins) + timedelta(minutes=tub_min), decides="tub")}
    factor = _by_room(recipe, house, state, day)
    if factor == 1.0 or state.decides == "acid":
        return {}
    minutes = state.planned.minutes * factor
    return {key: End(at=state.begins + timedelta(minutes=minutes), decides="room")}


def _by_room(recipe: Recipe, house: House, state: StepState, day: MakeDay) -> float:
    """How much longer the step of now takes in its room, where the warmth of that was read."""
    read = [
        each.celsius
        for each in day.standing.readings
        if each.celsius is not None and each.at >= state.begins
    ]
    if not read:
        return 1.0
    try:
        return room_factor(recipe.family, state.planned.step, read[-1], house)
    except OutOfRange:  # the reading is of something else than a room
        return 1.0
