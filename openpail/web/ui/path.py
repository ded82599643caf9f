"""A make drawn as its temperature over time, with every step on it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from openpail.craft.recipe.recipe import Ingredient
from openpail.craft.recipe.steps import PlannedStep
from openpail.craft.stock.products import KIND_WORDS
from openpail.craft.units import so_long
from openpail.web.ui.show import degrees

WIDTH, HEIGHT = 1160.0, 196.0
_LEFT, _TOP, _BOTTOM = 44.0, 44.0, 128.0
_LEAST = 24.0
_LETTER = 7.0
_RAMPS = frozenset({"warm", "heat", "cool", "add water", "stretch", "cook in whey"})


@dataclass(frozen=True, slots=True, kw_only=True)
class PathStep:
    """One step on the path: where it stands, how much of it is for the hands, what is on it."""

    key: str
    number: int
    title: str
    x: float
    mid: float
    end: float
    width: float
    hands: float
    y: float
    adds: str
    adds_y: float
    warm: str
    sour: str
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class MakePath:
    """The whole drawing: what is told as one line, what is not told as another."""

    steps: tuple[PathStep, ...]
    told: str
    untold: str
    marks: tuple[tuple[float, str], ...]
    clock: tuple[tuple[float, str], ...]
    words: str


def make_path(planned: Sequence[PlannedStep], ingredients: Sequence[Ingredient]) -> MakePath:
    """Lay a make out: long waits are drawn shorter than they are, so that every step is seen.

    Parameters: planned, steps with their minutes; ingredients, for what each step adds.
    """
    widths = _widths([each.minutes for each in planned])
    temps = [each.step.celsius.target for each in planned if each.step.celsius] or [20.0]
    low, high = min(temps) - 3, max(temps) + 3

    def y(celsius: float) -> float:
        return round(_BOTTOM - (celsius - low) / (high - low) * (_BOTTOM - _TOP), 1)

    kinds = {each.key: KIND_WORDS[each.product.kind].split(" ")[0] for each in ingredients}
    told: list[str] = []
    untold: list[str] = []
    steps = []
    x, lane = _LEFT, 0
    at: float | None = None
    last_warm: float | None = None
    for number, (each, width) in enumerate(zip(planned, widths, strict=True)):
        step = each.step
        to = step.celsius.target if step.celsius else at
        if to is not None and at is None and step.kind in _RAMPS:
            untold.append(f"M{x:.1f},{_BOTTOM} L{x + width:.1f},{y(to)}")
        elif to is not None:
            begins = to if at is None else at
            turn = x + (width if step.kind in _RAMPS else min(width, 16.0))
            points = f"M{x:.1f},{y(begins)} L{turn:.1f},{y(to)} L{x + width:.1f},{y(to)}"
            (told if step.celsius else untold).append(points)
        adds = ", ".join(kinds.get(key, key) for key in step.adds)
        lane = (lane + 1) % 3 if adds else lane
        new = step.celsius and (last_warm is None or abs(step.celsius.target - last_warm) >= 0.5)
        warm = degrees(step.celsius.target) if step.celsius and new else ""
        last_warm = step.celsius.target if step.celsius and new else last_warm
        hands = width * min(1.0, step.hands_on_minutes / each.minutes) if each.minutes else width
        sour = f"pH {step.ph.target:g}" if step.ph else ""
        steps.append(
            PathStep(
                key=step.key,
                number=number + 1,
                title=step.title,
                x=round(x, 1),
                mid=round(x + width / 2, 1),
                end=round(x + width, 1),
                width=round(width, 1),
                hands=round(hands, 1),
                y=y(to) if to is not None else _BOTTOM,
                adds=adds,
                adds_y=12.0 + 12 * lane,
                warm=warm,
                sour=sour if width > _LETTER * len(sour) else "",
                words=_in_words(each),
            )
        )
        x, at = x + width, to
    marks = tuple((y(temp), degrees(temp)) for temp in sorted({min(temps), max(temps)}))
    whole = ", ".join(f"{each.number} {each.title}" for each in steps)
    return MakePath(
        steps=tuple(steps),
        told=" ".join(told),
        untold=" ".join(untold),
        marks=marks,
        clock=_clock(planned, widths),
        words=whole,
    )


def _widths(minutes: Sequence[float]) -> list[float]:
    raw = [max(0.0, each) ** 0.5 + 2.2 for each in minutes]
    room = WIDTH - _LEFT - 8
    scale = room / (sum(raw) or 1.0)
    wide = [max(_LEAST, each * scale) for each in raw]
    over = sum(wide) / room
    return [each / over for each in wide]


def _clock(
    planned: Sequence[PlannedStep], widths: Sequence[float]
) -> tuple[tuple[float, str], ...]:
    """The time since the start at the steps' edges, where there is room to write it."""
    marks, x, free = [], _LEFT, _LEFT
    for each, width in zip(planned, widths, strict=True):
        x += width
        words = so_long(each.end_min)
        if x - free >= _LETTER * len(words) + 8 and x < WIDTH - 10:
            marks.append((round(x, 1), words))
            free = x + 4
    return tuple(marks)


def _in_words(each: PlannedStep) -> str:
    warm = f", {degrees(each.step.celsius.target, 1)}" if each.step.celsius else ""
    return f"{each.step.title}: {so_long(each.minutes)}{warm}"
