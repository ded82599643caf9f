"""When a cheese is ready: the recipe's days, how warm it lay, what it was moved and tasted."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta

from openpail.craft.cave.course import PieceCourse
from openpail.craft.figure import Figure, Op
from openpail.craft.house import House
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.ripening import LATER, SOONER, OfPiece, paces, stage_days

_MOVED_DAYS = 0.05  # an hour: less is not said

_TASTED = 0.1
_EDGE, _CENTRE, _THROUGH = 2, 3, 4
_OVER_DAYS = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Ran:
    """A stage as it runs: its number, the days its recipe gives it, from when until when, whether
    it is over, its days as if it had lain as warm as the recipe says, and days by which its sign
    moved its end."""

    stage: int
    days: int
    begins: date
    ends: date
    over: bool
    ripened: float
    by_sign: int = 0


@dataclass(frozen=True, slots=True)
class Window:
    """From when until when a cheese is at its best; moved: what moved it last, in words."""

    sooner: date
    later: date
    moved: str = ""


def window(ran: tuple[Ran, ...], made_on: date, course: PieceCourse) -> Window:
    """The ready window of a piece.

    Parameters: ran, its stages as they run; made_on; course, with what the thumb and the tongue
    said. Source: the recipe’s days × 0.9 to 1.15, our own judgement.
    """
    total = (ran[-1].ends - made_on).days if ran else 0
    sooner = made_on + timedelta(days=round(total * SOONER))
    later = made_on + timedelta(days=round(total * LATER))
    told = [
        (day, which)
        for day, which in ((_felt_on(course.seen), "thumb"), (course.ripe_on, "taste"))
        if day
    ]
    for day, which in sorted(told):
        if which == "thumb":
            sooner, later, words = _by_thumb(course.seen["thumb"][0], day, sooner, later, total)
        else:
            sooner, later, words = _by_taste(course, day, sooner, later, total)
        if (day, which) == max(told):
            return Window(sooner, max(sooner, later), words)
    return Window(sooner, later)


def _felt_on(seen: Mapping[str, tuple[int, date]]) -> date | None:
    return seen["thumb"][1] if "thumb" in seen else None


def _by_thumb(
    step: int, day: date, sooner: date, later: date, total: int
) -> tuple[date, date, str]:
    wait = timedelta(days=max(1, round(total * _TASTED)))
    if step >= _THROUGH:
        end = min(later, day + timedelta(days=_OVER_DAYS))
        return min(sooner, day), end, "the thumb found it soft all through"
    if step >= _CENTRE:
        return min(sooner, day), min(later, day + wait * 2), "the thumb went to the centre"
    if step >= _EDGE:
        return min(sooner, day + wait), later, "the thumb found it giving at the edge"
    if day >= sooner:
        return day + wait, max(later, day + wait * 2), "the thumb found it hard still"
    return sooner, later, ""


def _by_taste(
    course: PieceCourse, day: date, sooner: date, later: date, total: int
) -> tuple[date, date, str]:
    wait = timedelta(days=max(1, round(total * _TASTED)))
    if course.ripe == "right":
        return min(sooner, day), max(later, day + wait), "it tasted right"
    if course.ripe == "past":
        return min(sooner, day), min(later, day), "it tasted past its best"
    return max(sooner, day + wait), max(later, day + wait * 2), "it tasted young"


def why_ready(
    recipe: Recipe,
    house: House,
    piece: OfPiece,
    *,
    ran: tuple[Ran, ...],
    made_on: date,
    ready: Window,
) -> Figure:
    """Days from the make until the middle of its window, with every reason.

    Parameters: recipe; house; piece, what of it moves its days; ran, made_on and ready, its
    window, as `window` has them. Source: as each step says.
    """
    written = sum(stage.days for stage in recipe.stages)
    figure = Figure.start("the recipe’s days", float(written), "d", source="the recipe")
    for each in paces(recipe, house, piece):
        figure = figure.then(
            "times", each.label, each.factor, source=each.source, house_key=each.house_key
        )
    planned = sum(days for _, days in stage_days(recipe, house, piece=piece))
    if abs(planned - figure.value) > _MOVED_DAYS:
        figure = figure.then("choose", "in whole days a stage", float(planned), "d")
    warm = round(sum((e.ends - e.begins).days - e.by_sign - e.ripened for e in ran))
    words = "it lay warmer than the recipe", "it lay colder than the recipe"
    key = "ripen.q10"
    figure = _moved_by(figure, warm, words, house.source(key), key)
    sign = sum(each.by_sign for each in ran)
    figure = _moved_by(figure, sign, ("its sign was there early", "its sign is late"), "as seen")
    total = (ran[-1].ends - made_on).days if ran else 0
    words = "it went on early", "it stayed longer than its plan"
    figure = _moved_by(figure, round(total - figure.value), words, "as it was moved")
    if ready.moved:
        middle = (ready.sooner - made_on).days
        figure = figure.then("choose", ready.moved, float(middle), "d", source="thumb and tongue")
    return figure


def _moved_by(
    figure: Figure, days: int, words: tuple[str, str], source: str, key: str = ""
) -> Figure:
    """A figure with days taken off or put on, in the words for either; as it is for none."""
    if days == 0:
        return figure
    op: Op = "minus" if days < 0 else "plus"
    return figure.then(op, words[days > 0], float(abs(days)), "d", source=source, house_key=key)
