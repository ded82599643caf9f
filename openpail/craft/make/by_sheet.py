"""A make's steps on the clock as its sheet has them: by the rennet that really went in, the tub
that it lies in, the room that it drains in."""

from __future__ import annotations

from datetime import datetime
from functools import partial

from openpail.craft.errors import OutOfRange
from openpail.craft.house import House
from openpail.craft.make.additions import expected_flocks
from openpail.craft.make.day import MakeDay, lasting, on_the_clock
from openpail.craft.make.drain import room_factor
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.standing import Standing
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
    recipe: Recipe, sheet: Frozen, standing: Standing, started: datetime, now: datetime
) -> MakeDay:
    """The steps on the clock, from now.

    Parameters: recipe and its sheet; standing; started and now, with zone. Source: derivation.
    """
    planned = planned_by(recipe, sheet)
    expected = expected_flocks(recipe, sheet, standing)
    if sheet.set and expected != sheet.set.flocculation.value:
        share = expected / sheet.set.flocculation.value
        planned = lasting(
            planned,
            {each.step.key: each.minutes * share for each in planned if each.step.clock != "fixed"},
        )
    planned = lasting(planned, _in_tubs(recipe, standing))
    clock = partial(
        on_the_clock,
        started=started,
        standing=standing,
        now=now,
        cut_multiplier=sheet.set.multiplier.value if sheet.set else None,
        flocks_min=expected or None,
    )
    day = clock(planned)
    by_room = _by_room(recipe, sheet.house, day)
    return clock(lasting(planned, by_room)) if by_room else day


def _in_tubs(recipe: Recipe, standing: Standing) -> dict[str, float]:
    """Minutes that a stay in brine lasts, as it was told when it went in."""
    found: dict[str, float] = {}
    for step in recipe.steps:
        told, begun = standing.in_brine(step.key), standing.begun.get(step.key)
        if told and told.until and begun:
            until = datetime.fromisoformat(told.until)
            found[step.key] = max(1.0, (until - begun).total_seconds() / 60)
    return found


def _by_room(recipe: Recipe, house: House, day: MakeDay) -> dict[str, float]:
    """Minutes of the step of now, where it goes by the warmth of the room and that was read."""
    state = day.current
    if state is None:
        return {}
    read = [
        each.celsius
        for each in day.standing.readings
        if each.celsius is not None and each.at >= state.begins
    ]
    if not read:
        return {}
    try:
        factor = room_factor(recipe.family, state.planned.step, read[-1], house)
    except OutOfRange:  # the reading is of something else than a room
        return {}
    return {state.planned.step.key: state.planned.minutes * factor} if factor != 1.0 else {}
