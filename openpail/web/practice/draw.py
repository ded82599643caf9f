"""A dry run drawn: its warmth from minute to minute, with what each step wanted of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from openpail.craft.practice.run import AtMinute, TraceAt
from openpail.craft.practice.world import LEAVES_THE_VAT

WIDTH, HEIGHT = 1000.0, 220.0
_ROOM_C, _LEAST_SPAN_C, _LEAST_WIDE = 2.0, 8.0, 2.0
_MOST_POINTS = 240
_RISES = frozenset({"warm", "heat", "cool", "add water"})


@dataclass(frozen=True, slots=True)
class BandDrawn:
    """What a step wants of the warmth: a box of the drawing, and which step; rises: it is on its
    way there."""

    x: float
    width: float
    y: float
    height: float
    title: str
    rises: bool


@dataclass(frozen=True, slots=True)
class Curve:
    """The drawing: the line of the warmth, its end, boxes of what was wanted, the dots that were
    read, the stretch that nobody was there, and the scale."""

    line: str
    now: tuple[float, float] | None
    wanted: tuple[BandDrawn, ...]
    read: tuple[tuple[float, float], ...]
    away: tuple[float, float] | None
    low_c: float
    high_c: float
    minutes: float


def curve(at: AtMinute, since: float, until: float) -> Curve:
    """Draw a stretch of a run.

    Parameters: at; since and until, minutes of the run, until after since.
    """
    trace = [each for each in at.trace if since <= each.minute <= until]
    if at.in_vat or not trace:
        trace.append(TraceAt(at.minute, at.state.vat.celsius, at.state.vat.ph, at.state.set_))
    whole = max(until - since, _LEAST_WIDE)
    spans = [each for each in _spans(at) if each[1] > since and each[0] < until]
    temps = [
        *(each.celsius for each in trace),
        *(c for *_, low, high in spans for c in (low, high)),
    ]
    low, high = min(temps) - _ROOM_C, max(temps) + _ROOM_C
    high = max(high, low + _LEAST_SPAN_C)

    def x(minute: float) -> float:
        return round(WIDTH * min(1.0, max(0.0, (minute - since) / whole)), 1)

    def y(celsius: float) -> float:
        return round(HEIGHT * (1 - (celsius - low) / (high - low)), 1)

    wanted = tuple(
        BandDrawn(
            x(begins),
            max(_LEAST_WIDE, round(x(ends) - x(begins), 1)),
            y(most),
            max(_LEAST_WIDE, round(y(least) - y(most), 1)),
            title,
            rises,
        )
        for begins, ends, title, rises, least, most in spans
    )
    points = [(x(each.minute), y(each.celsius)) for each in _few(trace)]
    read = [
        ((each.at - at.started).total_seconds() / 60, each.celsius)
        for each in at.standing.readings
        if each.celsius is not None
    ]
    gone = at.world.away if at.standing.last_away or at.away else None
    return Curve(
        "M" + " L".join(f"{left},{top}" for left, top in points),
        points[-1] if at.in_vat else None,
        wanted,
        tuple((x(minute), y(c)) for minute, c in read if since <= minute <= until),
        (x(gone[0]), round(x(gone[1]) - x(gone[0]), 1)) if gone and gone[1] > since else None,
        low,
        high,
        whole,
    )


def _spans(at: AtMinute) -> list[tuple[float, float, str, bool, float, float]]:
    """From and to which minute each step wanted which warmth, while it was in the vat."""
    found = []
    for state in at.day.steps:
        step = state.planned.step
        if step.kind in LEAVES_THE_VAT:
            break
        if step.celsius is not None:
            begins = (state.begins - at.started).total_seconds() / 60
            ends = (state.ends - at.started).total_seconds() / 60
            band, rises = step.celsius, step.kind in _RISES
            found.append((begins, ends, step.title, rises, band.low, band.high))
    return found


def _few(trace: Sequence[TraceAt]) -> Sequence[TraceAt]:
    """As many points as a screen shows, the last among them."""
    every = max(1, len(trace) // _MOST_POINTS)
    return [*trace[::every], trace[-1]]
