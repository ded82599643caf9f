"""A make drawn over its time: warmth and pH as they were read or streamed, what each step wanted,
and where nothing was heard."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise

from openpail.craft.make.day import StepState
from openpail.craft.make.stream import SILENT
from openpail.craft.recipe.recipe import Band

WIDTH, HEIGHT = 1000.0, 220.0
_ROOM_C, _LEAST_SPAN_C = 2.0, 6.0
_ROOM_PH, _LEAST_SPAN_PH = 0.1, 0.6
_LEAST_WIDE, _MOST_POINTS = 2.0, 240


@dataclass(frozen=True, slots=True)
class CurvePoint:
    """A value: when, °C, pH; None is not known."""

    at: datetime
    celsius: float | None
    ph: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class BandBox:
    """What a step wanted of the warmth or the pH: a box of the drawing, and which step."""

    x: float
    y: float
    width: float
    height: float
    title: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Curves:
    """The drawing. warm and sour: pieces of the line, cut where nothing was heard; dots: what was
    read by hand, or stands alone, and whether it is a pH; gaps: where nobody was, or nothing was
    heard; bands of °C and of pH; ticks: where steps began; the scales, None where there is nothing
    on them; now, where the line of the warmth ends."""

    warm: tuple[str, ...]
    sour: tuple[str, ...]
    dots: tuple[tuple[float, float, bool], ...]
    gaps: tuple[tuple[float, float], ...]
    bands: tuple[BandBox, ...]
    sour_bands: tuple[BandBox, ...]
    ticks: tuple[tuple[float, str], ...]
    celsius: tuple[float, float] | None
    ph: tuple[float, float] | None
    since: datetime
    until: datetime
    now: tuple[float, float] | None


def curves(
    line: Sequence[CurvePoint],
    read: Sequence[CurvePoint],
    steps: Sequence[StepState],
    *,
    since: datetime,
    until: datetime,
    silent: timedelta | None = SILENT,
    gone: tuple[datetime, datetime] | None = None,
) -> Curves | None:
    """Draw a stretch of a make; None where nothing of it is known.

    Parameters: line, values joined, by time; read, values that stand as dots; steps on the clock,
    for their bands; since and until; silent, how long without a value cuts the line, None never;
    gone, from when to when nobody was there.
    """
    line = _few([each for each in line if since <= each.at <= until])
    read = [each for each in read if since <= each.at <= until]
    if not line and not read:
        return None
    here = [each for each in steps if each.begins < until and each.ends > since]
    warm, warm_read = _of(line, "celsius"), _of(read, "celsius")
    sour, sour_read = _of(line, "ph"), _of(read, "ph")
    low_high = [c for each in here if (c := each.planned.step.celsius)]
    told_c = [value for _, value in (*warm, *warm_read)]
    scale_c = _scale(
        [*told_c, *(edge for each in low_high for edge in (each.low, each.high) if told_c)],
        _ROOM_C,
        _LEAST_SPAN_C,
    )
    scale_ph = _scale([value for _, value in (*sour, *sour_read)], _ROOM_PH, _LEAST_SPAN_PH)
    x = _across(since, until)
    y_c, y_ph = _on(scale_c), _on(scale_ph)
    warm_lines, warm_alone = _lines(warm, x, y_c, silent)
    sour_lines, sour_alone = _lines(sour, x, y_ph, silent)
    heard = [each.at for each in line]
    gaps = [(a, b) for a, b in pairwise(heard) if silent and b - a > silent]
    gaps += [gone] if gone and gone[0] < until and gone[1] > since else []
    return Curves(
        warm=warm_lines,
        sour=sour_lines,
        dots=(
            *((*dot, False) for dot in (*warm_alone, *((x(at), y_c(v)) for at, v in warm_read))),
            *((*dot, True) for dot in (*sour_alone, *((x(at), y_ph(v)) for at, v in sour_read))),
        ),
        gaps=tuple((x(a), round(x(b) - x(a), 1)) for a, b in gaps),
        bands=_boxes([(e, b) for e in here if (b := e.planned.step.celsius)], x, y_c)
        if scale_c
        else (),
        sour_bands=_boxes([(e, b) for e in here if (b := e.planned.step.ph)], x, y_ph)
        if scale_ph
        else (),
        ticks=tuple(
            (x(each.begins), each.planned.step.title) for each in here if each.begins > since
        ),
        celsius=scale_c,
        ph=scale_ph,
        since=since,
        until=until,
        now=(x(warm[-1][0]), y_c(warm[-1][1])) if warm else None,
    )


def _of(points: Sequence[CurvePoint], what: str) -> list[tuple[datetime, float]]:
    return [(each.at, getattr(each, what)) for each in points if getattr(each, what) is not None]


def _few(points: Sequence[CurvePoint]) -> Sequence[CurvePoint]:
    """As many points as a screen shows, the last among them."""
    every = len(points) // _MOST_POINTS
    return points if every < 2 else [*points[:-1:every], points[-1]]


def _across(since: datetime, until: datetime) -> Callable[[datetime], float]:
    seconds = max(60.0, (until - since).total_seconds())

    def x(moment: datetime) -> float:
        share = (moment - since).total_seconds() / seconds
        return round(WIDTH * min(1.0, max(0.0, share)), 1)

    return x


def _boxes(
    bands: Sequence[tuple[StepState, Band]],
    x: Callable[[datetime], float],
    y: Callable[[float], float],
) -> tuple[BandBox, ...]:
    found = []
    for state, band in bands:
        left, right, top, bottom = x(state.begins), x(state.ends), y(band.high), y(band.low)
        if bottom > 0 and top < HEIGHT:
            wide, high = max(_LEAST_WIDE, right - left), max(_LEAST_WIDE, bottom - top)
            title = state.planned.step.title
            found.append(
                BandBox(x=left, y=top, width=round(wide, 1), height=round(high, 1), title=title)
            )
    return tuple(found)


def _scale(values: Sequence[float], room: float, least: float) -> tuple[float, float] | None:
    if not values:
        return None
    low, high = min(values) - room, max(values) + room
    lacks = max(0.0, least - (high - low)) / 2
    return low - lacks, high + lacks


def _on(scale: tuple[float, float] | None) -> Callable[[float], float]:
    low, high = scale or (0.0, 1.0)

    def y(value: float) -> float:
        return round(HEIGHT * min(1.0, max(0.0, 1 - (value - low) / (high - low))), 1)

    return y


def _lines(
    values: Sequence[tuple[datetime, float]],
    x: Callable[[datetime], float],
    y: Callable[[float], float],
    silent: timedelta | None,
) -> tuple[tuple[str, ...], tuple[tuple[float, float], ...]]:
    """The line in pieces, and what stands alone."""
    pieces: list[list[tuple[float, float]]] = []
    last: datetime | None = None
    for at, value in values:
        if last is None or (silent is not None and at - last > silent):
            pieces.append([])
        pieces[-1].append((x(at), y(value)))
        last = at
    lines = [each for each in pieces if len(each) > 1]
    alone = [each[0] for each in pieces if len(each) == 1]
    drawn = ("M" + " L".join(f"{left},{top}" for left, top in each) for each in lines)
    return tuple(drawn), tuple(alone)


@dataclass(frozen=True, slots=True, kw_only=True)
class Overlaid:
    """Several makes over each other from their starts: a line of each (empty for one of which
    nothing is known) with where its letter stands, and the scale."""

    lines: tuple[str, ...]
    ends: tuple[tuple[float, float] | None, ...]
    celsius: tuple[float, float]
    minutes: float


def overlaid(makes: Sequence[Sequence[tuple[float, float]]]) -> Overlaid | None:
    """Draw the warmth of several makes over each other; None where nothing of them is known.

    Parameters: makes, of each minutes since its start and °C, by time.
    """
    every = [point for line in makes for point in line]
    scale = _scale([celsius for _, celsius in every], _ROOM_C, _LEAST_SPAN_C)
    if scale is None:
        return None
    whole = max(1.0, *(minute for minute, _ in every))
    y = _on(scale)
    lines: list[str] = []
    ends: list[tuple[float, float] | None] = []
    for line in makes:
        points = [(round(WIDTH * max(0.0, minute) / whole, 1), y(c)) for minute, c in line]
        lines.append("M" + " L".join(f"{a},{b}" for a, b in points) if points else "")
        ends.append(points[-1] if points else None)
    return Overlaid(lines=tuple(lines), ends=tuple(ends), celsius=scale, minutes=whole)
