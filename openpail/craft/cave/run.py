"""The stages of a piece as they ran, run and are to run."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, timedelta

from openpail.craft.cave.course import Lain, PieceCourse
from openpail.craft.cave.piece import Around, PieceNow
from openpail.craft.cave.ready import Ran
from openpail.craft.cave.signs import SIGNS
from openpail.craft.cave.warmth import stage_ends
from openpail.craft.recipe.recipe import Stage
from openpail.craft.recipe.ripening import stage_days

_ASK_AGAIN = timedelta(days=2)


def stages_run(piece: PieceNow, around: Around) -> tuple[Ran, ...]:
    """The stages of a piece: those that are over as they were, the rest as they are thought to be.

    Parameters: piece; around. Source: the recipe; as warm as it lay; signs as they were seen. A
    move that is late happens today at the soonest.
    """
    found: list[Ran] = []
    course, today = piece.course, around.today
    begins = course.lain[0].begins
    for number, (stage, days) in enumerate(stage_days(piece.recipe, around.house, piece=piece.of)):
        lain = [each for each in course.lain if each.stage == number]
        over = number < course.stage
        ripened, by_sign = float(days), 0
        if over and lain:
            begins, ends = lain[0].begins, course.begins(number + 1)
            ripened = _ripened(lain, ends, stage.celsius.target, around)
        elif over:  # it was left out
            ends, ripened = begins, 0.0
        elif number == course.stage:
            begins = lain[0].begins
            as_warm = stage_ends(lain, days, stage.celsius.target, today, around.warmth)
            ends = _by_sign(stage, course, begins, as_warm)
            by_sign = (ends - as_warm).days
        else:
            begins = max(begins, today)
            ends = begins + timedelta(days=days)
        found.append(
            Ran(
                stage=number,
                days=days,
                begins=begins,
                ends=ends,
                over=over,
                ripened=ripened,
                by_sign=by_sign,
            )
        )
        begins = ends
    return tuple(found)


def moved_on_time(ran: Sequence[Ran]) -> tuple[Ran, ...]:
    """Stages as they would run with every move on the day that it was due.

    Parameters: ran, as `stages_run` found them. Source: derivation.
    """
    found: list[Ran] = []
    for each in ran:
        late = each.begins - found[-1].ends if found and not each.over else timedelta(0)
        found.append(replace(each, begins=each.begins - late, ends=each.ends - late))
    return tuple(found)


def _ripened(lain: Sequence[Lain], ends: date, target: float, around: Around) -> float:
    """Days of its recipe that a stage which is over was worth."""
    until = [*(each.begins for each in lain[1:]), ends]
    return sum(
        around.warmth.ripened(each.place, each.begins, end, target)
        for each, end in zip(lain, until, strict=True)
    )


def _by_sign(stage: Stage, course: PieceCourse, begins: date, ends: date) -> date:
    """The end of a stage as its sign moves it: there already, or not there yet when it was due."""
    step, day = course.seen.get(stage.sign or "", (0, date.min))
    if stage.sign is None or day < begins:
        return ends
    if step >= SIGNS[stage.sign].ends:
        return min(ends, day)
    return max(ends, day + _ASK_AGAIN)
